import { canonicalJson } from '@key-cellar/core/ledger';
import pg from 'pg';
import type { Actor } from './actor.js';
import { type Db, run } from './connect.js';

/** What the ledger says of one act. `before` and `after` hold what changed, in plain JSON. */
export interface Act {
  readonly act: string;
  readonly subject: { readonly kind: string; readonly id: string | null; readonly name: string };
  readonly before?: unknown;
  readonly after?: unknown;
  readonly note?: string | undefined;
}

/** One transaction with its actor. Every change of state goes through one, and leaves its entry. */
export interface UnitOfWork extends Db {
  readonly actor: Actor;
  /** Instant of the repository's clock, ISO 8601 UTC with microseconds. */
  readonly at: string;
  /** Enters an act in the ledger; entries are written in their order, together with the commit. */
  enter(act: Act): void;
  enterAll(acts: readonly Act[]): void;
  /** Takes a write that nothing in the work waits for: it is waited for with the commit. */
  alongside(write: Promise<unknown>): void;
  /** Runs after the commit, when there was one. */
  afterCommit(effect: () => void): void;
}

/** Shared: writes records, so that holds by criteria wait for it before they look (functions/holds.sql). None: writes no records at all. */
export type Gate = 'shared' | 'none';

const gateKey = 4242;
/** Planned once a connection: taking the transaction's id before any ledger number is what lets the sealer trust its floor. */
const prepareInstant = `prepare unit_of_work as
  select pg_current_xact_id(), to_char(repository_now() at time zone 'utc', 'YYYY-MM-DD"T"HH24:MI:SS.US"Z"') as at`;
const prepared = new WeakSet<pg.PoolClient>();

const enterGate: Record<Gate, string> = {
  shared: `select pg_advisory_xact_lock_shared(${gateKey});`,
  none: '',
};

/** Who acts, for what the database enters by itself (functions/holds.sql). */
function acting({ id, name, from, today }: Actor): string {
  const said = { id, actor: canonicalJson({ id, name }), from: canonicalJson(from), on: canonicalJson(today) };
  return `set local cellar.acting = ${pg.escapeLiteral(JSON.stringify(said))};`;
}

/**
 * Writes the texts of entries of one actor at one instant, as they are hashed: canonical JSON (RFC 8785). What all of
 * them share is written once; the members stand in the order that the standard asks for.
 */
function entryWriter(actor: Actor, at: string): (act: Act) => string {
  const who = canonicalJson({ id: actor.id, name: actor.name });
  const when = canonicalJson(at);
  const from = canonicalJson(actor.from);
  const on = canonicalJson(actor.today);
  return ({ act, subject, before = null, after = null, note = null }) =>
    `{"act":${canonicalJson(act)},"actor":${who},"after":${canonicalJson(after)},"at":${when},"before":${canonicalJson(before)},"from":${from},` +
    `"note":${canonicalJson(note)},"on":${on},"subject":{"id":${canonicalJson(subject.id)},"kind":${canonicalJson(subject.kind)},` +
    `"name":${canonicalJson(subject.name)}},"v":1}`;
}

function appendEntries(db: Db, actor: Actor, at: string, acts: readonly Act[]): Promise<unknown> {
  return run(
    db,
    'ledger.append',
    `insert into ledger_entry (at, actor_id, act, subject_kind, subject_id, body)
     select $1, $2, * from unnest($3::text[], $4::text[], $5::uuid[], $6::text[])`,
    [
      at,
      actor.id,
      acts.map((a) => a.act),
      acts.map((a) => a.subject.kind),
      acts.map((a) => a.subject.id),
      acts.map(entryWriter(actor, at)),
    ],
  );
}

/** The text of one entry. */
export function entryBody(actor: Actor, at: string, act: Act): string {
  return entryWriter(actor, at)(act);
}

/** Puts acts into a list one by one: there may be more of them than a call takes arguments. */
const entering = (entered: Act[]): Pick<UnitOfWork, 'enter' | 'enterAll'> => ({
  enter: (act) => void entered.push(act),
  enterAll: (acts) => {
    for (const act of acts) entered.push(act);
  },
});

/**
 * Runs `work` in one transaction and commits it, or rolls all of it back. The gate is entered first of all, before
 * any row is locked. A `trial` does all of
 * it and keeps nothing. `check` sees what was entered before it is kept, and may refuse by throwing.
 */
export async function withUnitOfWork<T>(
  pool: pg.Pool,
  actor: Actor,
  work: (uow: UnitOfWork) => Promise<T> | T,
  gate: Gate = 'shared',
  { trial = false, check }: { readonly trial?: boolean; readonly check?: (entered: readonly Act[]) => void } = {},
): Promise<T> {
  const client = await pool.connect();
  const effects: (() => void)[] = [];
  let broken: Error | undefined;
  try {
    if (!prepared.has(client)) {
      await client.query(prepareInstant);
      prepared.add(client);
    }
    // One round trip.
    const answers = (await client.query(`begin; ${enterGate[gate]} ${acting(actor)} execute unit_of_work`)) as unknown as pg.QueryResult<{
      at: string;
    }>[];
    const { at } = answers.at(-1)!.rows[0]!;
    const entered: Act[] = [];
    const writes: Promise<unknown>[] = [];
    const alongside = (write: Promise<unknown>): void => {
      writes.push(write);
      // Its failure is told with the commit; meanwhile nobody else listens.
      write.catch(() => undefined);
    };
    const result = await work({
      query: (config) => client.query(config),
      actor,
      at,
      ...entering(entered),
      alongside,
      afterCommit: (effect) => effects.push(effect),
    });
    check?.(entered);
    if (trial) {
      await Promise.all(writes);
      await client.query('rollback');
      return result;
    }
    if (entered.length > 0) alongside(appendEntries(client, actor, at, entered));
    // Sent without waiting in between. A commit after a write that failed is a rollback.
    await Promise.all([...writes, client.query('commit')]);
    for (const effect of effects) effect();
    return result;
  } catch (error) {
    await client.query('rollback').catch((rollbackError: Error) => {
      broken = rollbackError;
    });
    throw error;
  } finally {
    client.release(broken);
  }
}

/** Runs a part of a transaction that may fail by itself: nothing of it is kept then, and the rest goes on. Rejects with what went wrong. */
export async function inSavepoint<T>(uow: UnitOfWork, part: (uow: UnitOfWork) => Promise<T> | T): Promise<T> {
  const entered: Act[] = [];
  await uow.query({ name: 'part.begin', text: 'savepoint part' });
  try {
    const result = await part({ ...uow, ...entering(entered) });
    await uow.query({ name: 'part.keep', text: 'release savepoint part' });
    uow.enterAll(entered);
    return result;
  } catch (error) {
    await uow.query({ name: 'part.drop', text: 'rollback to savepoint part' });
    throw error;
  }
}

/** Runs `work` in a transaction that enters nothing: housekeeping that changes nothing which anybody is told of. */
export async function inOwnTransaction<T>(pool: pg.Pool, work: (db: Db) => Promise<T>): Promise<T> {
  const client = await pool.connect();
  let broken: Error | undefined;
  try {
    await client.query('begin');
    const result = await work({ query: (config) => client.query(config) });
    await client.query('commit');
    return result;
  } catch (error) {
    await client.query('rollback').catch((rollbackError: Error) => (broken = rollbackError));
    throw error;
  } finally {
    client.release(broken);
  }
}

/** A transaction that changes nothing, and sees all of one moment. Whoever begins it ends it. */
async function readSnapshot(pool: pg.Pool): Promise<{ db: Db; end(): Promise<void> }> {
  const client = await pool.connect();
  const end = async (): Promise<void> => {
    let broken: Error | undefined;
    await client.query('rollback').catch((error: Error) => (broken = error));
    client.release(broken);
  };
  await client.query('begin isolation level repeatable read read only').catch(async (error: unknown) => {
    await end();
    throw error;
  });
  return { db: { query: (config) => client.query(config) }, end };
}

/** Reads in one transaction that changes nothing, for as long as somebody takes what is read. */
export async function* streamInReadSnapshot<T>(pool: pg.Pool, work: (db: Db) => AsyncGenerator<T>): AsyncGenerator<T> {
  const { db, end } = await readSnapshot(pool);
  try {
    yield* work(db);
  } finally {
    await end();
  }
}

/** Reads in one transaction that changes nothing; other connections can see exactly the same through the snapshot's name. */
export async function inReadSnapshot<T>(pool: pg.Pool, work: (db: Db, snapshot: string) => Promise<T>): Promise<T> {
  const { db, end } = await readSnapshot(pool);
  try {
    const { rows } = await db.query<{ name: string }>({ name: 'snapshot.export', text: 'select pg_export_snapshot() as name' });
    return await work(db, rows[0]!.name);
  } finally {
    await end();
  }
}
