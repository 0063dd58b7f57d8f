// What the job thread runs: long work beside the thread that answers requests, with connections and snapshots of its own.
import { parentPort, workerData } from 'node:worker_threads';
import { pino } from 'pino';
import { runExecution, runSteps } from './docket/index.js';
import { goOnWithHolds, type WritersOf } from './holds/index.js';
import { type Actor, programActor } from './kernel/index.js';
import { readSettings } from './identity/index.js';
import { openSealer } from './ledger/index.js';
import { checkContents, eraseKeys, lookForSigns, pauseAfter, runNotes, tendObjects } from './records/index.js';
import { runGaps } from './facts/index.js';
import { runRecompute } from './schedule/index.js';
import { closeConnections, openServices, outsideOf, type Reachable } from './services.js';

const connections = 8;
/** How soon it is looked again for what there is to do. */
const restMs = 1000;
const checkRestMs = 10_000;
const mostRestMs = 60_000;

const config = workerData as Reachable;
const log = pino({ level: config.logLevel }).child({ thread: 'jobs' });
const stop = new Promise<void>((resolve) => parentPort!.once('message', () => resolve()));
const services = await openServices(config, log, {
  connections,
  sealer: (pool) => openSealer(pool, log, outsideOf(config)),
});
const actor = async (): Promise<Actor> => programActor('job', (await readSettings(services.pool)).today);

await services.jobs.start({
  recompute: async (job) => runRecompute(services, job, await actor()),
  execute: async (job) => runExecution(services, job, await actor()),
  gaps: async (job) => runGaps(services, job, await actor()),
  notes: async (job) => runNotes(services, job, await actor()),
  steps: async (job) => runSteps(services, job, await actor()),
});
/** Waits, unless this thread is to stop. */
const rest = (ms: number): Promise<unknown> => Promise.race([stop, new Promise((resolve) => setTimeout(resolve, ms).unref())]);

/** Does work that is never done, a part at a time, for as long as this thread runs; `part` says how long to wait then. */
async function goOn(what: string, part: () => Promise<number>): Promise<void> {
  let failures = 0;
  while (!services.stopping) {
    const pause = await part().then(
      (ms) => {
        failures = 0;
        return ms;
      },
      (error: unknown) => {
        // What fails again and again is tried less and less often, up to a minute.
        const ms = Math.min(mostRestMs, restMs * 2 ** failures++);
        log.warn({ err: error }, `${what} failed; it is tried again in ${ms / 1000} s`);
        return ms;
      },
    );
    if (pause > 0) await rest(pause);
  }
}

const writersOf: WritersOf = new Map();
const going = [
  goOn('covering and releasing', async () => ((await goOnWithHolds(services, writersOf)) === 0 ? restMs : 0)),
  // What was written is looked at by detectors.
  goOn('looking for signs', async () => ((await lookForSigns(services, await actor())) === 0 ? restMs : 0)),
  goOn('destroying keys', async () => {
    await eraseKeys(services, await actor());
    return restMs;
  }),
  goOn('tending the object store', async () => ((await tendObjects(services, await actor())) === 0 ? restMs : 0)),
  goOn('checking contents', async () => {
    const bytes = await checkContents(services, await actor());
    return bytes === null ? checkRestMs : Math.max(1, await pauseAfter(services, bytes));
  }),
];
await stop;
services.stopping = true;
await Promise.all(going);
await Promise.all([services.jobs.stop(), services.pages.stop(), services.reading.stop()]);
await closeConnections(services);
parentPort!.close();
