export { enterUndelivered, sendDigests } from './mailing.js';
export { send, speakerOfPerson, type Letter } from './messageStore.js';
export { mailActs, mailReads } from './mailActs.js';
export { secondFactorActs, secondFactorReads } from './secondFactorActs.js';
export { identityReads } from './reads.js';
export { readSettings, writeSetting, type Settings } from './settingStore.js';
export { hashPassword, isRight, newToken, tokenHash } from './passwords.js';
export { peopleLines, peopleReads, personLine } from './peopleReads.js';
export { programActs, programReads } from './programActs.js';
export { bearer, touchToken } from './programStore.js';
export { peopleActs } from './peopleActs.js';
export { personKind, requireLookingAfterPeople, requireSettingUp, settingUp } from './person.js';
export { endSessionsOf, freeLogin, lockMemberships, members, personById, principalsOfKind } from './peopleStore.js';
export { takeAnyCode } from './secondFactor.js';
export { factorOf } from './secondFactorStore.js';
export { beginSession, countTry, identityActs } from './signIn.js';
export {
  addPrincipal,
  anybodyExists,
  forgetEnded,
  freshMinutes,
  forgetTries,
  messagesFor,
  sessionByHash,
  sessionIsFresh,
  sessionsOf,
  touchSession,
  unreadCount,
} from './store.js';
