export { holdActs } from './acts.js';
export { holdReads } from './reads.js';
export { goOnWithHold, goOnWithHolds, holdEnds, type WritersOf } from './working.js';
export { holdsAsKnown, unacknowledgedFor } from './reads.js';
export { custodianOf, openNotices } from './store.js';
