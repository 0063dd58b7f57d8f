export { cellOf, referenceKinds, valueOf, type CellRead, type ReferenceKind, type Shape } from './cells.js';
export { merge, type Common, type Fields, type Merged } from './merge.js';
