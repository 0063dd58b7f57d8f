export {
  chunkSize,
  contentById,
  dropUnusedContent,
  largestFile,
  readContent,
  withFixity,
  writeContent,
  type StoredContent,
} from './content.js';
export { pageDrawer, type PageAnswer, type PageDrawer, type PageQuestion } from './pages.js';
export { extentOf, pictureOf, textOf } from './view.js';
export { giveNumber, makeNumbering, setPlaceNumbering } from './numbering.js';
export { recordsRoutes } from './routes.js';
export { addEntity } from './entities.js';
export { checkFacts, claimUnique, factNames, namesOf, recordWords, type CheckedFacts } from './facts.js';
export { lookForSigns, makeDetector, runNotes } from './detectors.js';
export { recordType, recordTypes, type TypeRow } from './factStore.js';
export { declareUnder, list as listRecords, requireStanding, subjectOf } from './service.js';
export { setupRoutes } from './setupRoutes.js';
export { changeType, makeType, runGaps } from './types.js';
export {
  addRecord,
  addVersion,
  containerById,
  declare as declareRecords,
  lockRecords,
  recordById,
  versionsOf,
  type NewRecord,
  type RecordRow,
} from './store.js';
