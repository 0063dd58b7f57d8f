// What the ledger's thread runs: one verification or one export, for whoever asked, and then it ends.
import { answerStream } from './kernel/index.js';
import { answerLedger } from './ledger/index.js';

await answerStream(answerLedger);
