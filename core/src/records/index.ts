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
export { longestFileName, tidyFileName, titleFromFileName } from './fileName.js';
export {
  factGaps,
  factKinds,
  factProblems,
  type FactDefinition,
  type FactKind,
  type FactProblem,
  type Facts,
  type FactValue,
} from './facts.js';
export { dublinCoreElements, dublinCoreOf, type Described, type DublinCoreElement } from './dublinCore.js';
export { readAs } from './reading.js';
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
