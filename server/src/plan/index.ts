export { placeAccessActs, placeTagActs, grantReads } from './placeAccessActs.js';
export { factsOfAllTypes, freeCode, requireMovableRecords, requireNotBefore, requireRevision, standingOf } from './changes.js';
export { dropFormerCode, formerHoldersOf, keepFormerCode, lockPlan } from './codeStore.js';
export { makeFirstKeeper } from './founding.js';
export { raiseActs, raiseReads } from './raiseActs.js';
export { raisesWaiting } from './raiseStore.js';
export { madeActs, placeKind } from './kinds.js';
export { placeActs } from './placeActs.js';
export { ensureFolder, mayKnowOfPlace, openPlace, rack, shutAround, takesAround } from './places.js';
export { printedPlan, type PlanFile } from './planExport.js';
export { planReads } from './reads.js';
export { stencilActs } from './stencilActs.js';
export { stencilReads } from './stencilReads.js';
export { requireSound } from './stencilSound.js';
export { addStencil, addStencilVersion, markGrant, writeStencil } from './stencilStore.js';
export { addReorganisation, anchorOf, moveUnder, putRecordsIn } from './moveStore.js';
export {
  addRule,
  allPlaces as planPlaces,
  lockPlaces,
  placeById,
  placesByIds,
  removeRule,
  seriesUnder,
  writeStandAlone,
  type PlaceRow,
} from './placeStore.js';
export { coming, countsWithin, foldRack } from './rackStore.js';
export { rackSeen } from './rackSeen.js';
