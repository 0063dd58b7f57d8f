import { join } from 'node:path';
import { Worker, type WorkerOptions } from 'node:worker_threads';

/** The programs that run in threads of their own; each is a file beside this one. */
export type ThreadName = 'jobThread' | 'pageThread' | 'readThread' | 'effectThread' | 'ledgerThread';

/** Where the bundles are that a server run from its sources takes its threads from: they start in a fraction of the time. */
const bundles = process.env['SERVER_BUNDLES'];

/** Starts a program in a thread, from its sources or from its bundle, whichever this one runs from. */
export function startThread(name: ThreadName, options: WorkerOptions = {}): Worker {
  // A bundle needs nothing of what this process was told about reading sources.
  const plain = { ...options, execArgv: [] };
  if (!import.meta.url.endsWith('.ts')) return new Worker(new URL(`./${name}.mjs`, import.meta.url), plain);
  if (bundles) return new Worker(join(bundles, `${name}.mjs`), plain);
  return new Worker(new URL('../threadFromSource.mjs', import.meta.url), { ...options, argv: [name] });
}
