export { fileOne, receivingActs } from './acts.js';
export { arrivalFor, countArrivals } from './arrivals.js';
export { receivingReads } from './reads.js';
export { receive } from './upload.js';
