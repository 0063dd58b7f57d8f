export { send, type Letter } from './messageStore.js';
export { identityReads } from './reads.js';
export { demoAccounts, readSettings, writeSetting, type Settings } from './settingStore.js';
export { hashPassword, identityActs, tokenHash } from './signIn.js';
export { addPrincipal, anybodyExists, messagesFor, sessionByHash, touchSession, unreadCount } from './store.js';
