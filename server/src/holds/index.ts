export { holdsRoutes } from './routes.js';
export { placeHold } from './service.js';
export { openNotices, unacknowledged } from './store.js';
