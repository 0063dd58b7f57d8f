export { passActs } from './acts.js';
export { passReads } from './reads.js';
export { requireVisitor, visitorLeaving } from './visiting.js';
