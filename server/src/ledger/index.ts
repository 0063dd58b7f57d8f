export { actWords } from './actWords.js';
export { ledgerActs, ledgerReads } from './acts.js';
export { exportLines, type ExportLine } from './export.js';
export { finalHead, headHeader, lastVerification, ledgerSize, ledgerState, settledSize } from './heads.js';
export { newestOf } from './service.js';
export { openSealer, sealOnce, type Outside, type Sealer } from './sealer.js';
export { answerLedger } from './thread.js';
export type { Services } from './services.js';
export { verifyLedger } from './verify.js';
