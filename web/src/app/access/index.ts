export { AccessNav } from './accessNav';
export { MarkingSheet } from './markingSheet';
export { MarkingWords } from './markingWords';
export { OwnRaises } from './ownRaises';
export { ReachedBy } from './reachedBy';
