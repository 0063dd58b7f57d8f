export { planRoutes } from './routes.js';
export { openPlace, rack } from './service.js';
export { placeById, placesByIds, seriesUnder, type PlaceRow } from './store.js';
