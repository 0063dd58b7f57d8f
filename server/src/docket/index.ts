export { runExecution } from './execution.js';
export { docketRoutes } from './routes.js';
export { dueGroups, listBatches, sweep, vintageWords } from './service.js';
