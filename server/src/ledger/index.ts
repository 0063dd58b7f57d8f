export { ledgerRoutes } from './routes.js';
export { sealAll, sealOnce, startSealer, type Sealer } from './sealer.js';
export { exportEntries, ledgerSize, verifyLedger } from './service.js';
