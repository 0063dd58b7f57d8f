export { PlaceGrants } from './placeGrants';
export { RecordGrants } from './recordGrants';
