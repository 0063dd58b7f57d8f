export { recordAccessActs, recordAccessReads, recordTagActs } from './accessActs.js';
export { DamagedContent, openContents } from './content.js';
export { contentKeys } from './contentKeys.js';
export { contentById, damagedAmong, dropUnusedContent, keysGone } from './contentStore.js';
export { tendObjects } from './copies.js';
export { encryptPlain } from './encryptPlain.js';
export { mendFrom } from './mending.js';
export { detectorActs } from './detectorActs.js';
export { lookForSigns, noteAll, requireSoundSigns, runNotes } from './detectors.js';
export { addDetector, detectorTitles, writeDetector } from './detectorStore.js';
export { recordKind } from './kinds.js';
export { list as listRecords, toLine } from './lists.js';
export {
  checkContents,
  checkEveryContent,
  eraseKeys,
  fixityActs,
  fixityReads,
  fixityState,
  fixityTroubles,
  pauseAfter,
  reconcileDaily,
  setApart,
  tending,
} from './fixity.js';
export { giveNumber } from './numbering.js';
export { numberingActs, requireApart, requireSoundNumbering } from './numberingActs.js';
export { addNumbering, numberingById, writeNumbering } from './numberingStore.js';
export { drawing, measuring, pageDrawer, readingPages, type Extent, type Named, type PageWords } from './pages.js';
export { handOverRecords, ownedBy } from './owners.js';
export { recogniser } from './recogniser.js';
export { recordReads, recordSetupReads } from './reads.js';
export { takenAs } from './mediaType.js';
export { moveRecords } from './moveAct.js';
export { splitSeries } from './splitAct.js';
export { declareOnClosing, recordActs, standingOf } from './recordActs.js';
export { countObjects, knowsObjects } from './objectStore.js';
export { openObjects } from './openObjects.js';
export type { Services } from './services.js';
export { leave, versionLeaving, type Leaving } from './serving.js';
export {
  addRecord,
  addVersion,
  containerById,
  declare as declareRecords,
  deferralOf,
  personName,
  recordById,
  setNewestVersion,
  versionsOf,
  versionsOfAll,
  type NewRecord,
} from './store.js';
export { wordsOfDocument } from './documentText.js';
export { lookingForSigns, readingWords, signsIn, signsTried, tryingSigns } from './texts.js';
export { extentOf, pictureOf, readerMark, sandboxPolicy, textOf } from './view.js';
