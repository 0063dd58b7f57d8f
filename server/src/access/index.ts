export { accessBooks, whoseAccessChanges } from './book.js';
export { accessShift, accessStanding, type AccessStanding } from './change.js';
export { placeGrant } from './grants.js';
export { getOrMakeSet, reanchor } from './store.js';
