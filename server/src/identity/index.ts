export { programActor, type Actor, type SignedIn } from './actor.js';
export { send, type Letter } from './messages.js';
export { identityRoutes } from './routes.js';
export { hashPassword } from './service.js';
export { readSettings, writeSetting, type Settings } from './settings.js';
export { addPrincipal, sessionByHash, touchSession } from './store.js';
