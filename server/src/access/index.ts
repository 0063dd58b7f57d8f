export { accessBooks, somebodySetsUp, whoseAccessChanges } from './book.js';
export { accessReads } from './reads.js';
export { accessShift, accessStanding, type AccessStanding } from './change.js';
export { profileActs, profileReads, requireSoundProfile } from './profileActs.js';
export { everyoneId } from './pictureStore.js';
export { loadProfiles, ownProfiles, writeProfile } from './profileStore.js';
export {
  beyond,
  givenBeyond,
  daysOf,
  grantLines,
  grantsOfPerson,
  requireDays,
  requirePrincipal,
  requireProfile,
  requireWithin,
  withShift,
} from './giving.js';
export { grantActs } from './grantActs.js';
export { handOverGrants, placeGrant, setOfNewPlace, settleAnchor, takeGrantBack } from './grants.js';
export { liftInto, markPlace, remarkRecords, requireMarking } from './marking.js';
export {
  getOrMakeSet,
  grantsAround,
  grantsAroundRecord,
  grantsById,
  markingOfPlace,
  markingsAround,
  markingsOfRecords,
  reanchor,
  type GrantRow,
} from './store.js';
