import { serve } from '@hono/node-server';
import { pino, type Logger } from 'pino';
import { accessBooks } from './access/index.js';
import type { Config } from './config.js';
import { openPool } from './db/index.js';
import { runExecution } from './docket/index.js';
import { makeApp } from './http/app.js';
import { programActor, readSettings, type Actor } from './identity/index.js';
import { openJobs } from './jobs/index.js';
import { sealOnce, startSealer } from './ledger/index.js';
import { ruleBooks, runRecompute } from './schedule/index.js';
import type { Services } from './services.js';

const connections = 12;
const uploadConnections = 8;
const sealEveryMs = 2000;
const foldEveryMs = 20_000;

export interface Running {
  readonly services: Services;
  stop(): Promise<void>;
}

/** Everything but the listener: services over one database, with background work going. */
export async function startServices(config: Config, log: Logger = pino({ level: config.logLevel })): Promise<Running> {
  const pool = openPool(config.appUrl, connections);
  const uploadPool = openPool(config.appUrl, uploadConnections);
  let stopping = false;

  const jobs = await openJobs(config.appUrl, pool, log);
  const sealer = startSealer(pool, log, sealEveryMs);
  const services: Services = {
    config,
    log,
    pool,
    uploadPool,
    access: accessBooks(pool),
    rules: ruleBooks(pool),
    jobs,
    sealer,
    endpoints: [],
    stopping: () => stopping,
  };
  const jobActor = async (): Promise<Actor> => programActor('job', (await readSettings(pool)).today);
  await jobs.start({
    recompute: async (job) => runRecompute(services, job, await jobActor()),
    execute: async (job) => runExecution(services, job, await jobActor()),
  });

  const housekeeping = setInterval(() => {
    pool.query('select fold_rack()').catch((error: unknown) => log.warn({ err: error }, 'housekeeping failed; it is tried again'));
  }, foldEveryMs);

  return {
    services,
    async stop() {
      stopping = true;
      clearInterval(housekeeping);
      await jobs.stop();
      await sealer.stop();
      // A last seal, so that what was done before the stop is provable from the first moment of the next start.
      await sealOnce(pool).catch((error: unknown) => log.warn({ err: error }, 'last seal failed'));
      await Promise.all([pool.end(), uploadPool.end()]);
    },
  };
}

/** Serves the application; resolves once it listens. */
export async function startServer(config: Config, log?: Logger): Promise<Running & { port: number }> {
  const running = await startServices(config, log);
  const app = makeApp(running.services);
  return new Promise((resolve, reject) => {
    const server = serve({ fetch: app.fetch, port: config.port, hostname: config.host }, (info) => {
      resolve({
        services: running.services,
        port: info.port,
        stop: async () => {
          await new Promise<void>((closed) => {
            server.close(() => closed());
            // Keep-alive connections would hold the server open; requests under way are waited for.
            if ('closeIdleConnections' in server) server.closeIdleConnections();
          });
          await running.stop();
        },
      });
    });
    server.on('error', (error: NodeJS.ErrnoException) => {
      running.stop().finally(() => reject(error));
    });
  });
}
