export { reviewActs } from './acts.js';
export { reviewReads } from './reads.js';
export { reviewsWaiting } from './store.js';
export { tendReviews } from './tending.js';
