export { holdActs } from './acts.js';
export { holdReads } from './reads.js';
export { holdsAsKnown, unacknowledgedFor } from './reads.js';
export { openNotices } from './store.js';
