export { factActs, setupReads, typeReads } from './acts.js';
export { toEntityLine } from './entities.js';
export { checkFacts, claimUnique, factNames, namesOf, recordWords, type CheckedFacts } from './facts.js';
export { entityKind } from './kinds.js';
export { earlierFacts, entityById, recordType, recordTypes, type TypeRow } from './store.js';
export { referrersGone, settleReferences } from './references.js';
export { runGaps } from './types.js';
