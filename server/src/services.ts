import type { Endpoint } from '@key-cellar/contract';
import type pg from 'pg';
import type { Logger } from 'pino';
import { accessBooks, type AccessBooks } from './access/index.js';
import type { Config } from './config.js';
import { openPool } from './db/index.js';
import { openJobs, type Jobs } from './jobs/index.js';
import type { Sealer } from './ledger/index.js';
import { pageDrawer, type PageDrawer } from './records/index.js';
import { effectThreads, ruleBooks, type EffectThreads, type RuleBooks } from './schedule/index.js';

/** What routes and services share: connections, snapshots and background work of one thread of one app server. */
export interface Services {
  readonly config: Config;
  readonly log: Logger;
  readonly pool: pg.Pool;
  /** Uploads hold a connection for as long as they stream; they must not starve the rest. */
  readonly uploadPool: pg.Pool;
  /** Counts numbers and reads the rules outside the caller's transaction; whoever asks holds a connection of `pool` already. */
  readonly countPool: pg.Pool;
  readonly access: AccessBooks;
  readonly rules: RuleBooks;
  readonly jobs: Jobs;
  /** Where transfers go: an archive that takes bags at `/accessions`. */
  readonly archiveUrl: string;
  readonly sealer: Sealer;
  /** Works out what changes to the schedule would do. */
  readonly effects: EffectThreads;
  /** Draws content for reading on screen. */
  readonly pages: PageDrawer;
  /** What the routes have bound so far; the OpenAPI document is made from it. */
  readonly endpoints: Endpoint[];
  /** Set once the server is on its way down. */
  stopping: boolean;
}

/** A configuration in which every outside service has an address, be it a stand-in's. */
export type Reachable = Config & { readonly archiveUrl: string; readonly timeAuthorityUrl: string };

const uploadConnections = 8;
const countConnections = 2;

/** Opens connections and snapshots over one database; nothing works in the background yet but what `sealer` starts. */
export async function openServices(
  config: Reachable,
  log: Logger,
  given: { connections: number; sealer: (pool: pg.Pool) => Sealer },
): Promise<Services> {
  const pool = openPool(config.appUrl, given.connections);
  const countPool = openPool(config.appUrl, countConnections);
  return {
    config,
    log,
    pool,
    uploadPool: openPool(config.appUrl, uploadConnections),
    countPool,
    access: accessBooks(pool),
    rules: ruleBooks(countPool),
    jobs: await openJobs(config.appUrl, pool, log),
    archiveUrl: config.archiveUrl,
    sealer: given.sealer(pool),
    effects: effectThreads(),
    pages: pageDrawer(),
    endpoints: [],
    stopping: false,
  };
}

/** The last thing of all: whoever still works on a connection is waited for. */
export async function closeConnections({ pool, uploadPool, countPool }: Services): Promise<void> {
  await Promise.all([pool.end(), uploadPool.end(), countPool.end()]);
}
