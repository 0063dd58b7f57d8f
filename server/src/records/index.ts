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
export { checkFacts, declareUnder, list as listRecords, recordWords, requireStanding, subjectOf } from './service.js';
export {
  addRecord,
  addVersion,
  containerById,
  declare as declareRecords,
  lockRecords,
  recordById,
  recordType,
  recordTypes,
  versionsOf,
  type NewRecord,
  type RecordRow,
  type TypeRow,
} from './store.js';
