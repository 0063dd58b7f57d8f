import { Worker, type WorkerOptions } from 'node:worker_threads';

/** The programs that run in threads of their own; each is a file beside this one. */
export type ThreadName = 'jobThread' | 'pageThread' | 'readThread' | 'effectThread' | 'ledgerThread';

/** Starts a program in a thread, from its sources or from its bundle, whichever this one runs from. */
export function startThread(name: ThreadName, options: WorkerOptions = {}): Worker {
  const fromSource = import.meta.url.endsWith('.ts');
  return fromSource
    ? new Worker(new URL('../threadFromSource.mjs', import.meta.url), { ...options, argv: [name] })
    : new Worker(new URL(`./${name}.mjs`, import.meta.url), options);
}
