export { accessBooks, somebodySetsUp, whoseAccessChanges } from './book.js';
export { accessReads } from './reads.js';
export { accessShift, accessStanding, type AccessStanding } from './change.js';
export { profileActs, profileReads, requireSoundProfile } from './profileActs.js';
export { everyoneId } from './pictureStore.js';
export { loadProfiles, ownProfiles, writeProfile } from './profileStore.js';
export {
  beyond,
  givenBeyond,
  give,
  grantLines,
  grantsOfPerson,
  requirePrincipal,
  requireProfile,
  requireWithin,
  setsOfGrant,
  withShift,
} from './giving.js';
export { grantActs } from './grantActs.js';
export { tagActs, tagReads } from './tagActs.js';
export { beyondTags, changeOfTags, tagged, tagPlace, tagRecords, tagsOnPlace, tagsOnRecord } from './tags.js';
export { tagsById, tagsOfRecords, writeTag } from './tagStore.js';
export { handOverGrants, placeGrant, setOfNewPlace, settleAnchor, tagSubject, takeGrantBack } from './grants.js';
export { liftInto, markPlace, remarkRecords, requireMarking } from './marking.js';
export {
  getOrMakeSet,
  grantsAround,
  grantsAroundRecord,
  grantsById,
  markingOfPlace,
  markingsAround,
  markingsOfRecords,
  ownColumns,
  reanchor,
  sameOwn,
  type GrantRow,
} from './store.js';
