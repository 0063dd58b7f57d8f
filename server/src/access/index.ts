export { accessBooks, whoseAccessChanges, type AccessBooks, type PersonAccess } from './book.js';
export { mayOn, requireAtRepository, requireRight, visibleSql, type Guarded } from './check.js';
export { placeGrant } from './grants.js';
export { getOrMakeSet, reanchor } from './store.js';
