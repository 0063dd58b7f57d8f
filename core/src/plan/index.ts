export { codePattern, kindsInside, placeKinds, takesRecords, type PlaceKind } from './place.js';
