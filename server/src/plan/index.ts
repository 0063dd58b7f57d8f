export { planRoutes } from './routes.js';
export { ensureFolder, openPlace, rack, shutAround, takesAround } from './service.js';
export { placeById, placesByIds, putRecordsIn, seriesUnder, type PlaceRow } from './store.js';
export { applyStencil, changeStencil, makeStencil } from './stencils.js';
