export { planRoutes } from './routes.js';
export { openPlace, rack, shutAround } from './service.js';
export { placeById, placesByIds, seriesUnder, type PlaceRow } from './store.js';
