export { programActor, type Actor, type SignedIn, type Visiting } from './actor.js';
export {
  mayAtRepository,
  mayOn,
  requireAtRepository,
  requireRight,
  visibleSql,
  type Accessor,
  type Authority,
  type Guarded,
  type PersonAccess,
  type SetRights,
} from './authority.js';
export {
  appUrlFor,
  ConfigWrong,
  readConfig,
  type Config,
  type MailConfig,
  type MailReturns,
  type StandInName,
  type ObjectsConfig,
} from './config.js';
export { databaseAway, dynamicRows, gaveWayToOthers, openPool, row, rows, run, type Db } from './connect.js';
export { eventsOver, type Answerers, type Listeners } from './events.js';
export { guardedRecords, lockRecordRows, ping, rootSet, type GuardRow } from './guardStore.js';
export { frozenByHoldSql, heldSql, holdCountSql } from './holdSql.js';
export { addJob, endsJob, JobWaits, openJobs, type JobContext } from './jobs.js';
export { cancelJob, jobById, jobsByState, jobsToCancel, type CancellableJob, type JobRow } from './jobStore.js';
export { dropKey, keepKey, keptKey, KeyUnusable } from './keyFiles.js';
export { listen, stopListening } from './listen.js';
export { migrate, MigrationRefused } from './migrate.js';
export { Away, changedMeanwhile, notAllowed, notFound, notSignedIn, Problem, refused, tellProblem, wrongField } from './problem.js';
export { seal, unseal, type SealedBy } from './seal.js';
export type { Services } from './services.js';
export { unsound } from './soundnessStore.js';
export { answering, answerTasks, GivenUp, task, tasksIn, type Tasks } from './tasks.js';
export { answerStream, streamFrom } from './streams.js';
export { startThread } from './threads.js';
export { turns } from './turns.js';
export { whilePlanStays } from './whilePlanStays.js';
export {
  entryBody,
  inOwnTransaction,
  inReadSnapshot,
  inSavepoint,
  streamInReadSnapshot,
  withUnitOfWork,
  type Act,
  type UnitOfWork,
} from './unitOfWork.js';
export {
  actsFor,
  atRepository,
  many,
  namesOf,
  noRight,
  ofRepository,
  one,
  perhaps,
  somewhere,
  targetsOf,
  type ActOf,
  type AnyAct,
  type Entered,
  type Given,
  type Kind,
  type Need,
  type RightOn,
  type Several,
  type Subject,
  type Targets,
} from './act.js';
export { carryEach, carryOut, mayDoTo, mayKnowOf } from './carryOut.js';
export { Download, entering, Lines, type Read, type ReadsOf } from './read.js';
export { cookies, SessionChange } from './session.js';
export { withZip, type ZipPart } from './zip.js';
export { inEnglish, speakerOf } from './speech.js';
