export { ledgerActs, ledgerReads } from './acts.js';
export { sealAll, sealOnce, startSealer, type Sealer } from './sealer.js';
export { exportEntries, ledgerSize, verifyLedger } from './service.js';
export type { Services } from './services.js';
