export { send, speakerOfPerson, type Letter } from './messageStore.js';
export { identityReads } from './reads.js';
export { readSettings, writeSetting, type Settings } from './settingStore.js';
export { hashPassword, identityActs } from './signIn.js';
export { addPrincipal, anybodyExists, forgetEnded, messagesFor, sessionByHash, touchSession, unreadCount } from './store.js';
