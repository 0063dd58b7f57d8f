export { boundCriteria, storedCriteria } from './compile.js';
export { mayNameDetectors, requireNamable } from './namable.js';
export { criteriaReads, vocabularyOf } from './reads.js';
export { openScopes, recordsUnread } from './store.js';
