export { reportsRoutes } from './routes.js';
export { todayFor } from './service.js';
