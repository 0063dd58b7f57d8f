import type { Endpoint } from '@key-cellar/contract';
import type pg from 'pg';
import type { Logger } from 'pino';
import type { AccessBooks } from './access/index.js';
import type { Config } from './config.js';
import type { Jobs } from './jobs/index.js';
import type { Sealer } from './ledger/index.js';
import type { RuleBooks } from './schedule/index.js';

/** What routes and services share: connections, snapshots and background work of one app server. */
export interface Services {
  readonly config: Config;
  readonly log: Logger;
  readonly pool: pg.Pool;
  /** Uploads hold a connection for as long as they stream; they must not starve the rest. */
  readonly uploadPool: pg.Pool;
  readonly access: AccessBooks;
  readonly rules: RuleBooks;
  readonly jobs: Jobs;
  readonly sealer: Sealer;
  /** What the routes have bound so far; the OpenAPI document is made from it. */
  readonly endpoints: Endpoint[];
  stopping(): boolean;
}
