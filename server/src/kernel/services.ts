import type pg from 'pg';
import type { Logger } from 'pino';
import type { Authority } from './authority.js';
import type { Config } from './config.js';
import type { Events } from './events.js';
import type { Jobs } from './jobs.js';
import type { Tasks } from './tasks.js';

/** What every area is given: connections, authority and background work of one thread of one app server. */
export interface Services {
  readonly config: Config;
  readonly log: Logger;
  readonly pool: pg.Pool;
  /** Uploads hold a connection for as long as they stream; they must not starve the rest. */
  readonly uploadPool: pg.Pool;
  /** Counts numbers and reads the rules outside the caller's transaction; whoever asks holds a connection of `pool` already. */
  readonly countPool: pg.Pool;
  readonly access: Authority;
  readonly jobs: Jobs;
  readonly events: Events;
  /** Reads what anybody may have made, in a thread that can be ended. */
  readonly reading: Tasks;
  /** Set once the server is on its way down. */
  stopping: boolean;
}
