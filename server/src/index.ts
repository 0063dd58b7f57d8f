export { appUrlFor, readConfig, type Config } from './config.js';
export { migrate, openPool, withUnitOfWork, row, rows, run, type UnitOfWork } from './db/index.js';
export { addPrincipal, hashPassword, programActor, readSettings, writeSetting, type Actor, type SignedIn } from './identity/index.js';
export { getOrMakeSet, placeGrant } from './access/index.js';
export { startServer, startServices, type Running } from './start.js';
export type { Services } from './services.js';
