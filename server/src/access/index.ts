export { accessBooks, whoseAccessChanges } from './book.js';
export { placeGrant } from './grants.js';
export { getOrMakeSet, reanchor } from './store.js';
