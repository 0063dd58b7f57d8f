import { canonicalJson } from '@key-cellar/core/ledger';
import type pg from 'pg';
import type { Actor } from '../identity/index.js';
import { run, type Db } from './connect.js';

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
  /** Writes a ledger entry in this transaction. */
  enter(act: Act): Promise<void>;
  /** Writes many entries at once. */
  enterAll(acts: readonly Act[]): Promise<void>;
  /** Runs after the commit, when there was one. */
  afterCommit(effect: () => void): void;
}

/** Exclusive: nobody writes records meanwhile (placing a hold by criteria). None: writes no records at all. */
export type Gate = 'shared' | 'exclusive' | 'none';

const gateKey = 4242;
const begin: Record<Gate, string> = {
  shared: `begin; select pg_advisory_xact_lock_shared(${gateKey})`,
  exclusive: `begin; select pg_advisory_xact_lock(${gateKey})`,
  none: 'begin',
};

/** The text of an entry, as it is hashed: canonical JSON (RFC 8785). */
export function entryBody(actor: Actor, at: string, act: Act): string {
  return canonicalJson({
    v: 1,
    at,
    actor: { id: actor.id, name: actor.name },
    from: actor.from,
    on: actor.today,
    act: act.act,
    subject: act.subject,
    before: act.before ?? null,
    after: act.after ?? null,
    note: act.note ?? null,
  });
}

/**
 * Runs `work` in one transaction and commits it, or rolls all of it back. The gate is entered first of all, before
 * any row is locked, so that writers and holds by criteria never wait for each other in a circle.
 */
export async function withUnitOfWork<T>(
  pool: pg.Pool,
  actor: Actor,
  work: (uow: UnitOfWork) => Promise<T>,
  gate: Gate = 'shared',
): Promise<T> {
  const client = await pool.connect();
  const effects: (() => void)[] = [];
  let broken: Error | undefined;
  try {
    // One round trip; taking the transaction's id before any ledger number is what lets the sealer trust its floor.
    const answers = (await client.query(
      `${begin[gate]}; select pg_current_xact_id(), to_char(repository_now() at time zone 'utc', 'YYYY-MM-DD"T"HH24:MI:SS.US"Z"') as at`,
    )) as unknown as pg.QueryResult<{ at: string }>[];
    const { at } = answers.at(-1)!.rows[0]!;
    const enterAll = async (acts: readonly Act[]): Promise<void> => {
      if (acts.length === 0) return;
      await run(
        client,
        'ledger.append',
        `insert into ledger_entry (at, actor_id, act, subject_kind, subject_id, body)
         select $1, $2, * from unnest($3::text[], $4::text[], $5::uuid[], $6::text[])`,
        [
          at,
          actor.id,
          acts.map((a) => a.act),
          acts.map((a) => a.subject.kind),
          acts.map((a) => a.subject.id),
          acts.map((a) => entryBody(actor, at, a)),
        ],
      );
    };
    const result = await work({
      query: (config) => client.query(config),
      actor,
      at,
      enter: (act) => enterAll([act]),
      enterAll,
      afterCommit: (effect) => effects.push(effect),
    });
    await client.query('commit');
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
