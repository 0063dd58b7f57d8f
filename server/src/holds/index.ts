export { holdsRoutes } from './routes.js';
export { acknowledge, makeMatter, placeHold, remind } from './service.js';
export { openNotices, unacknowledged } from './store.js';
