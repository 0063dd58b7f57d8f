export { makeFirstKeeper } from './founding.js';
export { placeKind } from './kinds.js';
export { placeActs } from './placeActs.js';
export { ensureFolder, openPlace, rack, shutAround, takesAround } from './places.js';
export { planReads } from './reads.js';
export { stencilActs } from './stencilActs.js';
export { stencilReads } from './stencilReads.js';
export { addRule, foldRack, placeById, placesByIds, putRecordsIn, removeRule, seriesUnder, type PlaceRow } from './store.js';
export { planTableActs } from './tableActs.js';
