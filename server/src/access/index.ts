export { accessBooks, whoseAccessChanges } from './book.js';
export { placeGrant } from './grants.js';
export { addGrant, getOrMakeSet, reanchor } from './store.js';
