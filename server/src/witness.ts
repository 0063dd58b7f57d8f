// A witness as a program of its own, to be run by somebody else than whoever keeps the repository, on another machine.
//   npm run witness -- --folder FOLDER [--port 4191] [--host 127.0.0.1]
//   npm run witness -- --folder FOLDER --put-back ORIGIN --to SIZE --why "restored from the backup of Monday"
// The second writes into its file that a ledger was put back to an earlier state, as after a restore: what came later is not held against it.
import { parseArgs } from 'node:util';
import { openWitnessFile, startWitness } from './standins/witness.js';

const text = { type: 'string' } as const;
const { values } = parseArgs({ options: { folder: text, port: text, host: text, 'put-back': text, to: text, why: text } });
const { folder, why } = values;
const origin = values['put-back'];
const size = Number(values.to);

function refuse(sentence: string): never {
  process.stderr.write(`${sentence}\n`);
  process.exit(2);
}

if (folder === undefined) refuse('Name the folder in which the witness keeps its file: --folder FOLDER');
if (origin === undefined) {
  const port = Number(values.port ?? 4191);
  if (!Number.isInteger(port) || port < 0 || port > 65_535) refuse('A port is a number up to 65535: --port 4191');
  const witness = await startWitness(folder, { port, host: values.host ?? '127.0.0.1' }).catch((error: Error) =>
    refuse(`The witness could not begin: ${error.message}`),
  );
  process.stdout.write(`The witness is at ${witness.url}. Its key, for WITNESS_KEY of the server:\n${witness.key}\n`);
  for (const signal of ['SIGINT', 'SIGTERM'] as const) {
    process.once(signal, () => void witness.stop().then(() => process.exit(0)));
  }
} else {
  if (!Number.isSafeInteger(size) || size < 0 || !why?.trim())
    refuse('Say to how many entries it was put back and why: --to SIZE --why TEXT');
  const file = await openWitnessFile(folder);
  if (!file.known.has(origin)) refuse(`${origin} is not known here. Known are: ${[...file.known.keys()].join(', ') || 'none'}`);
  await file.append({ kind: 'put back', origin, size, why: why.trim(), at: new Date().toISOString() });
  await file.close();
  process.stdout.write(`Written. Heads of ${origin} beyond ${size} entries do not count any more; they stay in the file.\n`);
}
