export { accessBooks, whoseAccessChanges } from './book.js';
export { accessReads } from './reads.js';
export { accessShift, accessStanding, type AccessStanding } from './change.js';
export { handOverGrants, placeGrant, settleAnchor, somebodySetsUp, takeGrantBack } from './grants.js';
export { getOrMakeSet, grantsAround, grantsById, grantsOf, lockGrants, reanchor, writeGrant, type GrantRow } from './store.js';
