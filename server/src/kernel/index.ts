export { programActor, type Actor, type SignedIn } from './actor.js';
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
export { appPassword, applicationRole, appUrlFor, readConfig, type Config } from './config.js';
export { databaseAway, dynamicRows, openPool, row, rows, run, sqlState, type Db, type Row } from './connect.js';
export { eventsOver, type Events, type Listener, type Listeners } from './events.js';
export { guardedRecords, ping, rootSet, type GuardRow } from './guardStore.js';
export { addJob, openJobs, type JobContext, type Jobs, type JobWork } from './jobs.js';
export { cancelJob, jobById, jobsToCancel, type CancellableJob, type JobRow } from './jobStore.js';
export { migrate, MigrationRefused } from './migrate.js';
export { changedMeanwhile, notAllowed, notFound, Problem, problemOf, refused, wrongField, type ProblemStatus } from './problem.js';
export type { Services } from './services.js';
export { startThread, type ThreadName } from './threads.js';
export { entryBody, inReadSnapshot, withUnitOfWork, type Act, type Gate, type UnitOfWork } from './unitOfWork.js';
export {
  actsFor,
  atRepository,
  carryOut,
  many,
  mayDoTo,
  mayKnowOf,
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
  type Found,
  type Given,
  type Input,
  type Kind,
  type Need,
  type Look,
  type Outcome,
  type RightOf,
  type RightOn,
  type Several,
  type Subject,
  type Targets,
} from './act.js';
export { Download, entering, Lines, type Asked, type Read, type ReadsOf } from './read.js';
export { SessionChange } from './session.js';
