/** What the demo, the benchmarks and the tests build on. */
export { accessBooks, getOrMakeSet, grantActs, placeGrant, profileActs, tagActs } from './access/index.js';
export { batchActs, dueGroups, findDue, openTasks, runExecution, sweep, sweepActs, takeSteps, taskActs } from './docket/index.js';
export { factActs, recordWords } from './facts/index.js';
export { providerActs } from './federation/index.js';
export { goOnWithHold, holdActs } from './holds/index.js';
export { addPrincipal, hashPassword, readSettings, writeSetting } from './identity/index.js';
export {
  appUrlFor,
  carryOut,
  entryBody,
  migrate,
  openPool,
  programActor,
  readConfig,
  row,
  rows,
  run,
  withUnitOfWork,
  type Act,
  type ActOf,
  type Actor,
  type Config,
  type SignedIn,
  type UnitOfWork,
} from './kernel/index.js';
export { sealOnce, verifyLedger } from './ledger/index.js';
export { passActs } from './passes/index.js';
export { placeAccessActs, placeActs, placeTagActs, rack as rackOfPlan, stencilActs } from './plan/index.js';
export { fileOne, receive, receivingActs } from './receiving/index.js';
export {
  countObjects,
  detectorActs,
  listRecords,
  lookForSigns,
  numberingActs,
  recordAccessActs,
  recordActs,
  recordTagActs,
  tendObjects,
} from './records/index.js';
export {
  effectOfChange,
  eventActs,
  levelActs,
  listActs,
  loadRuleBook,
  override,
  ruleActs,
  recompute,
  runRecompute,
} from './schedule/index.js';
export { closeConnections, openServices, type Services } from './services.js';
export { checkRestored } from './checkRestored.js';
export { encryptOfBefore } from './encryptOfBefore.js';
export { mendFromBackup } from './mendFromBackup.js';
export { startServer, startServices, type Running } from './start.js';
export type { IdentityProvider } from './standins/identityProvider.js';
