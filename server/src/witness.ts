// A witness as a program of its own, to be run by somebody else than whoever keeps the repository, on another machine.
//   npm run witness -- --folder FOLDER [--port 4191] [--host 127.0.0.1]
//   npm run witness -- --folder FOLDER --put-back ORIGIN --to SIZE --why "restored from the backup of Monday"
// The second writes into its file that a ledger was put back to an earlier state, as after a restore: what came later is not held against it.
import { parseArgs } from 'node:util';
import { openWitnessFile, startWitness } from './standins/witness.js';

const text = { type: 'string' } as const;
const { values } = parseArgs({ options: { folder: text, port: text, host: text, 'put-back': text, to: text, why: text } });
/** What was asked for cannot be done; the message says what would be right. */
class Refused extends Error {}

async function serve(folder: string): Promise<void> {
  const port = Number(values.port ?? 4191);
  if (!Number.isInteger(port) || port < 0 || port > 65_535) throw new Refused('A port is a number up to 65535: --port 4191');
  const witness = await startWitness(folder, { port, host: values.host ?? '127.0.0.1' }).catch((error: Error) => {
    throw new Refused(`The witness could not begin: ${error.message}`);
  });
  process.stdout.write(`The witness is at ${witness.url}. Its key, for WITNESS_KEY of the server:\n${witness.key}\n`);
  for (const signal of ['SIGINT', 'SIGTERM'] as const) process.once(signal, () => void witness.stop());
}

async function putBack(folder: string, origin: string): Promise<void> {
  const { why } = values;
  const size = Number(values.to);
  if (!Number.isSafeInteger(size) || size < 0 || !why?.trim())
    throw new Refused('Say to how many entries it was put back and why: --to SIZE --why TEXT');
  const file = await openWitnessFile(folder);
  try {
    if (!file.known.has(origin))
      throw new Refused(`${origin} is not known here. Known are: ${[...file.known.keys()].join(', ') || 'none'}`);
    await file.append({ kind: 'put back', origin, size, why: why.trim(), at: new Date().toISOString() });
  } finally {
    await file.close();
  }
  process.stdout.write(`Written. Heads of ${origin} beyond ${size} entries do not count any more; they stay in the file.\n`);
}

try {
  const { folder, 'put-back': origin } = values;
  if (folder === undefined) throw new Refused('Name the folder in which the witness keeps its file: --folder FOLDER');
  await (origin === undefined ? serve(folder) : putBack(folder, origin));
} catch (error) {
  if (!(error instanceof Refused)) throw error;
  process.stderr.write(`${error.message}\n`);
  process.exitCode = 2;
}
