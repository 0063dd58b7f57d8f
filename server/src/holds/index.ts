export { holdActs } from './acts.js';
export { holdReads } from './reads.js';
export { holdNames, holdsOn, openNotices, unacknowledged } from './store.js';
