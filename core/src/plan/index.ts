export { mergeRefusal, moveRefusal, refusesInside, type PlaceStanding } from './change.js';
export { isCodePattern, nextCode } from './nextCode.js';
export { codePattern, kindsInside, placeKinds, takesRecords, type PlaceKind } from './place.js';
