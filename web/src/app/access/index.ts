export { AccessNav } from './accessNav';
export { MarkingSheet } from './markingSheet';
export { MarkingWords } from './markingWords';
export { ReachedBy } from './reachedBy';
