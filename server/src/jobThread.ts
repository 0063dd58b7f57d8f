// What the job thread runs: long work beside the thread that answers requests, with connections and snapshots of its own.
import { parentPort, workerData } from 'node:worker_threads';
import { pino } from 'pino';
import { runExecution } from './docket/index.js';
import { programActor, readSettings, type Actor } from './identity/index.js';
import { sealAll } from './ledger/index.js';
import { runRecompute } from './schedule/index.js';
import { closeConnections, openServices, type Reachable } from './services.js';

const connections = 6;

const config = workerData as Reachable;
const log = pino({ level: config.logLevel }).child({ thread: 'jobs' });
const stop = new Promise<void>((resolve) => parentPort!.once('message', () => resolve()));
const services = await openServices(config, log, {
  connections,
  sealer: (pool) => ({ sealNow: () => sealAll(pool), stop: () => Promise.resolve() }),
});
const actor = async (): Promise<Actor> => programActor('job', (await readSettings(services.pool)).today);

await services.jobs.start({
  recompute: async (job) => runRecompute(services, job, await actor()),
  execute: async (job) => runExecution(services, job, await actor()),
});
await stop;
await services.jobs.stop();
await closeConnections(services);
parentPort!.close();
