export { execute, runExecution } from './execution.js';
export { docketRoutes } from './routes.js';
export { announce, answer, decide, dueGroups, listBatches, object, propose, sweep, vintageWords } from './service.js';
