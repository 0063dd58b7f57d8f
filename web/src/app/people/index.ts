export { PlaceGrants } from './placeGrants';
