import { openPool } from '../kernel/index.js';
import { exportLines, type ExportQuestion } from './export.js';
import type { Outside } from './sealer.js';
import { verifyLedger, type Verifying } from './verify.js';

/** What the ledger's thread is asked: to verify all of it, or to write an export. */
export type LedgerQuestion = { readonly appUrl: string } & (
  { readonly kind: 'verify'; readonly outside: Outside } | { readonly kind: 'export'; readonly question: ExportQuestion }
);

const connections = 4;
const bytesPerPart = 256 * 1024;

/** Lines of JSON in pieces of some size. */
async function* written(lines: AsyncIterable<unknown>): AsyncGenerator<Uint8Array> {
  const encoder = new TextEncoder();
  let text = '';
  for await (const line of lines) {
    text += `${JSON.stringify(line)}\n`;
    if (text.length < bytesPerPart) continue;
    yield encoder.encode(text);
    text = '';
  }
  yield encoder.encode(text);
}

/** Verifies, or writes an export as bytes, over connections of its own. */
export async function* answerLedger(question: LedgerQuestion): AsyncGenerator<Verifying | Uint8Array> {
  const pool = openPool(question.appUrl, connections);
  try {
    if (question.kind === 'verify') yield* verifyLedger(pool, question.outside);
    else yield* written(exportLines(pool, question.question));
  } finally {
    await pool.end();
  }
}
