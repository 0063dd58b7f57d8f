import pg from 'pg';

// Dates stay text (YYYY-MM-DD): a civil date has no instant. bigint fits a JavaScript number here (sizes, sequences).
pg.types.setTypeParser(pg.types.builtins.DATE, (text) => text);
pg.types.setTypeParser(pg.types.builtins.INT8, Number);
// bigint[]: the driver would give its elements as text.
const bigintArray = 1016;
pg.types.setTypeParser(bigintArray as never, (text: string) => (text === '{}' ? [] : text.slice(1, -1).split(',').map(Number)));

export type Row = Record<string, unknown>;
/** Anything that runs SQL: a pool or one connection. */
export interface Db {
  query<R extends Row>(config: pg.QueryConfig): Promise<pg.QueryResult<R>>;
}

/**
 * What one kept plan serves badly: sets of access, places and marked rows may be one row or a million, and a plan for any
 * of them is good for none. After five runs on a connection PostgreSQL may change to such a plan (`plan_cache_mode`).
 */
const byValue = /access_set_id = any|@> array\[|limit \$\d/;
const plannedAnew = new Map<string, boolean>();

/** The statement of a named query: kept on its connection, or planned for its values each time. */
export function statement(name: string, text: string, values: unknown[]): pg.QueryConfig {
  let anew = plannedAnew.get(name);
  if (anew === undefined) plannedAnew.set(name, (anew = byValue.test(text)));
  return anew ? { text, values } : { name, text, values };
}

/** Runs a named query and gives its rows. */
export async function rows<R extends Row>(db: Db, name: string, text: string, values: unknown[] = []): Promise<R[]> {
  return (await db.query<R>(statement(name, text, values))).rows;
}

/** The first row, or undefined. */
export async function row<R extends Row>(db: Db, name: string, text: string, values: unknown[] = []): Promise<R | undefined> {
  return (await rows<R>(db, name, text, values))[0];
}

/** Runs a named query for its effect; gives the number of rows touched. */
export async function run(db: Db, name: string, text: string, values: unknown[] = []): Promise<number> {
  return (await db.query(statement(name, text, values))).rowCount ?? 0;
}

/** SQL that is put together per call (filters) and so has no fixed name. */
export async function dynamicRows<R extends Row>(db: Db, text: string, values: unknown[]): Promise<R[]> {
  return (await db.query<R>({ text, values })).rows;
}

/** Up to `max` connections. One is waited for as long as `connect_timeout` of the address says (seconds, as libpq reads it), else 10 s. */
export function openPool(connectionString: string, max: number): pg.Pool {
  const seconds = Number(new URL(connectionString).searchParams.get('connect_timeout') ?? 10);
  const pool = new pg.Pool({ connectionString, max, pipeline: true, idleTimeoutMillis: 30_000, connectionTimeoutMillis: seconds * 1000 });
  // A connection that breaks while idle is replaced by the pool; the next query reports what matters.
  pool.on('error', () => undefined);
  // The same for one that is taken out and waits (a job's lock, a slow upload): its next query fails and says so.
  pool.on('connect', (client) => client.on('error', () => undefined));
  return pool;
}

/** SQLSTATE of a database error, or null. */
export function sqlState(error: unknown): string | null {
  return error instanceof Error && 'code' in error && typeof error.code === 'string' ? error.code : null;
}

const awayStates = /^(08...|57P0[123])$/;
const awayCodes = new Set(['ECONNREFUSED', 'ECONNRESET', 'EPIPE', 'ETIMEDOUT']);

/** Whether PostgreSQL gave a transaction up so that others could go on; tried again it may well succeed. */
export function gaveWayToOthers(error: unknown): boolean {
  return ['40P01', '40001'].includes(sqlState(error) ?? '');
}

/** Whether work failed because the database went away under it, so that the same work may succeed later. */
export function databaseAway(error: unknown): boolean {
  const code = sqlState(error);
  if (code !== null) return awayStates.test(code) || awayCodes.has(code);
  return error instanceof Error && /^(Connection terminated|timeout exceeded when trying to connect)|is not queryable/.test(error.message);
}
