export { mergeRefusal, moveRefusal, refusesInside, shutOn, shutStates, type PlaceStanding, type Shut } from './change.js';
export { isCodePattern, nextCode } from './nextCode.js';
export { codePattern, kindsInside, placeKinds, takesRecords, kindWords, type PlaceKind } from './place.js';
export { splitSteps, type SplitFolder, type SplitStep } from './split.js';
export { datedTitle, fillText, readyText, slotsOf, type ReadyTitle } from './readyTitle.js';
export {
  bareFolder,
  foldersOf,
  stencilProblems,
  wholeDefinition,
  type KeptDefinition,
  type StencilDefinition,
  type StencilFolder,
  type StencilGrant,
  type StencilProblem,
  type StencilRole,
} from './stencil.js';
export {
  bringChanges,
  broughtParts,
  compareVersions,
  fillCode,
  filledState,
  foldersWithParent,
  type Brought,
  type BroughtPart,
  type FolderDifference,
  type FolderState,
  type PlacedGrant,
  type Said,
} from './stencilUse.js';
