export { mergeRefusal, moveRefusal, refusesInside, shutOn, shutStates, type PlaceStanding, type Shut } from './change.js';
export { isCodePattern, nextCode } from './nextCode.js';
export { codePattern, kindsInside, placeKinds, takesRecords, kindWords, type PlaceKind } from './place.js';
export {
  bareFolder,
  bringChanges,
  broughtParts,
  datedTitle,
  fillCode,
  filledState,
  fillText,
  foldersOf,
  readyText,
  slotsOf,
  stencilProblems,
  type Brought,
  type BroughtPart,
  type FolderState,
  type ReadyTitle,
  type StencilDefinition,
  type StencilFolder,
  type StencilGrant,
  type StencilProblem,
} from './stencil.js';
