export { boundCriteria, storedCriteria } from './compile.js';
export { criteriaRoutes, vocabularyOf } from './routes.js';
export { mayNameDetectors, requireNamable } from './namable.js';
