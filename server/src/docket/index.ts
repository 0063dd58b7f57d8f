export { execute, runExecution } from './execution.js';
export { docketRoutes } from './routes.js';
export { announce, answer, decide, dueGroups, listBatches, object, propose, vintageWords } from './service.js';
export { findDue, runSteps, sweep, sweepDaily, takeSteps } from './sweep.js';
export { openOfLetters } from './stepsStore.js';
export { answerTasks, countTasks, openTasks } from './tasks.js';
