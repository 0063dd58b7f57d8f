// What the job thread runs: long work beside the thread that answers requests, with connections and snapshots of its own.
import { parentPort, workerData } from 'node:worker_threads';
import { pino } from 'pino';
import { runExecution, runSteps } from './docket/index.js';
import { type Actor, programActor } from './kernel/index.js';
import { readSettings } from './identity/index.js';
import { openSealer } from './ledger/index.js';
import { lookForSigns, runNotes } from './records/index.js';
import { runGaps } from './facts/index.js';
import { runRecompute } from './schedule/index.js';
import { closeConnections, openServices, outsideOf, type Reachable } from './services.js';

const connections = 6;
/** How soon what was written is looked at by detectors. */
const lookEveryMs = 1000;

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
/** Looks at what was written, for as long as this thread runs. */
async function lookOn(): Promise<void> {
  while (!services.stopping) {
    let looked = 0;
    try {
      looked = await lookForSigns(services, await actor());
    } catch (error) {
      log.warn({ err: error }, 'looking for signs failed; it is tried again');
    }
    if (looked === 0) await Promise.race([stop, new Promise((resolve) => setTimeout(resolve, lookEveryMs))]);
  }
}
const looking = lookOn();
await stop;
services.stopping = true;
await looking;
await Promise.all([services.jobs.stop(), services.pages.stop(), services.reading.stop()]);
await closeConnections(services);
parentPort!.close();
