export { send, speakerOfPerson, type Letter } from './messageStore.js';
export { identityReads } from './reads.js';
export { readSettings, writeSetting, type Settings } from './settingStore.js';
export { hashPassword } from './passwords.js';
export { peopleReads, personLine } from './peopleReads.js';
export { peopleActs } from './peopleActs.js';
export { members, personById } from './peopleStore.js';
export { identityActs } from './signIn.js';
export { addPrincipal, anybodyExists, forgetEnded, messagesFor, sessionByHash, sessionsOf, touchSession, unreadCount } from './store.js';
