export { fileOne, receivingActs } from './acts.js';
export { arrivalLeaving, countArrivals } from './arrivals.js';
export { receivingReads } from './reads.js';
export { receive } from './upload.js';
