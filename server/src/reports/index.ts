export { dossierReads, personReads, reportReads } from './reads.js';
