/** What the demo, the benchmarks and the tests build on. */
export { appUrlFor, readConfig, type Config } from './config.js';
export { entryBody, migrate, openPool, row, rows, run, withUnitOfWork, type Act, type UnitOfWork } from './db/index.js';
export { addPrincipal, hashPassword, programActor, readSettings, writeSetting, type Actor, type SignedIn } from './identity/index.js';
export { accessBooks, getOrMakeSet, placeGrant } from './access/index.js';
export { effectOfChange, loadRuleBook, override, publish, recompute, runRecompute, saveDraft } from './schedule/index.js';
export { applyStencil, changeStencil, makeStencil, rack as rackOfPlan } from './plan/index.js';
export {
  changeType,
  listRecords,
  lookForSigns,
  makeDetector,
  makeNumbering,
  recordWords,
  setPlaceNumbering,
  writeContent,
} from './records/index.js';
export { receive } from './receiving/index.js';
export { acknowledge, makeMatter, placeHold, remind } from './holds/index.js';
export {
  announce,
  answer,
  answerTasks,
  decide,
  dueGroups,
  execute,
  findDue,
  object,
  openTasks,
  propose,
  sweep,
  takeSteps,
} from './docket/index.js';
export { sealOnce, verifyLedger } from './ledger/index.js';
export { startServer, startServices, type Running } from './start.js';
export { closeConnections, openServices, type Services } from './services.js';
