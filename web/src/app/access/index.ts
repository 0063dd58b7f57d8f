export { AccessNav } from './accessNav';
export { CarriedTags } from './carriedTags';
export { MarkingSheet } from './markingSheet';
export { MarkingWords } from './markingWords';
export { OwnRaises } from './ownRaises';
export { ReachedBy } from './reachedBy';
export { TagsSheet } from './tagsSheet';
