export { boundCriteria, storedCriteria } from './compile.js';
export { criteriaRoutes, vocabularyOf } from './routes.js';
