export { factActs, setupReads, typeReads } from './acts.js';
export { added as addedEntity, changed as changedEntity, requireFreeName, rewriteEntity, toEntityLine } from './entities.js';
export { checkFacts, claimUnique, factNames, namesOf, recordWords, type CheckedFacts } from './facts.js';
export { entityKind } from './kinds.js';
export {
  addEntity as addEntityRow,
  addType,
  addTypeVersion,
  earlierFacts,
  entityById,
  lockType,
  retireType,
  writeType,
  recordType,
  recordTypes,
  type TypeRow,
} from './store.js';
export { referrersGone, settleReferences } from './references.js';
export { publishVersion, refuseDefinitions, requireNextFacts, runGaps, subjectOfType } from './types.js';
