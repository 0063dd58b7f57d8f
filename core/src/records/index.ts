export {
  frozenParts,
  refusalFor,
  refuse,
  type FrozenPart,
  type RecordAct,
  type RecordStanding,
  type RecordState,
  type Refusal,
} from './declaring.js';
export { longestFileName, tidyFileName, titleFromFileName, type NameChange } from './fileName.js';
export {
  changeProblems,
  choiceStep,
  completeFacts,
  definitionProblems,
  factApplies,
  factGaps,
  factKinds,
  factProblems,
  factsOfTypes,
  filledFacts,
  idsIn,
  isId,
  pointingKinds,
  pointsElsewhere,
  valuesOf,
  type FactDefinition,
  type FactKind,
  type FactProblem,
  type Facts,
  type FactScalar,
  type FactValue,
  type PointingKind,
} from './facts.js';
export { takesRefusal, type Takes } from './takes.js';
export { dublinCoreOf, type Described } from './dublinCore.js';
export { dublinCoreElements, type DublinCoreElement } from './dublinCoreElements.js';
export { readAs } from './reading.js';
export { isSoundText } from './text.js';
export {
  countingScope,
  countScopes,
  exampleNumbers,
  numberFor,
  numberingRefusal,
  parseNumbering,
  usualNumbering,
  type CountScope,
  type Numbering,
  type NumberPart,
  type NumberValues,
} from './numbering.js';
export { numberingsMeet } from './numberingsMeet.js';
