export { ledgerRoutes } from './routes.js';
export { sealOnce, startSealer, type Sealer } from './sealer.js';
export { ledgerSize, verifyLedger } from './service.js';
