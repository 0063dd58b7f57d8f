export { personPage } from './person.js';
export { dossierReads, personReads, reportReads } from './reads.js';
export { sendHeadLetters } from './headLetter.js';
