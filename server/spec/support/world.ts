import { said } from '@key-cellar/words/testing';
import { createHash, randomBytes } from 'node:crypto';
import type { BodyOf, Endpoint, ParamsOf, Problem, QueryOf, ResponseOf, RuleDefinition } from '@key-cellar/contract';
import { docket, plan, receiving, schedule, steps } from '@key-cellar/contract';
import type pg from 'pg';
import { uuidv7 } from 'uuidv7';
import {
  addPrincipal,
  getOrMakeSet,
  hashPassword,
  placeGrant,
  programActor,
  run,
  type Running,
  type Services,
  startServer,
  withUnitOfWork,
  writeSetting,
} from '../../src/index.js';
import type { Config } from '../../src/kernel/index.js';
import { asOwner, configFor, dropDatabase, freshDatabase } from './database.js';
import { requireAsDescribed } from './described.js';

export const today = '2026-09-14';
export const password = 'a long enough password';
const hash = hashPassword(password);

/** One person a profile, each with it on the whole repository unless said otherwise. */
export const logins = [
  'keeper',
  'deputy',
  'counsel',
  'approver',
  'auditor',
  'editor',
  'reader',
  'depositor',
  'steward',
  'outsider',
] as const;
export type Login = (typeof logins)[number];

export const ruleDefinition = (changes: Partial<RuleDefinition> = {}): RuleDefinition => ({
  title: 'One year',
  authority: 'Sound Compact, art. 1',
  jurisdictions: [],
  trigger: { kind: 'recordDate', date: 'created' },
  cutoff: { kind: 'none' },
  steps: [{ kind: 'destroy', after: 'P1Y', from: 'clockStart', approvals: 1, noticeDays: 0 }],
  ...changes,
});

export class Refused extends Error {
  constructor(
    readonly status: number,
    readonly problem: Problem,
  ) {
    super(`${status} ${problem.type}: ${problem.detail}`);
  }
}

/** Speaks to the server over HTTP as one person, typed by the contract. */
export class Client {
  constructor(
    readonly base: string,
    readonly cookie: string,
  ) {}

  /** A connection of its own for each request: a kept one may be closed while a spec keeps the process busy. */
  fetch(path: string, init: RequestInit & { duplex?: 'half' } = {}): Promise<Response> {
    return fetch(`${this.base}${path}`, {
      ...init,
      headers: {
        connection: 'close',
        cookie: this.cookie,
        'x-key-cellar': 'test',
        ...(init.headers as Record<string, string> | undefined),
      },
    });
  }

  async call<E extends Endpoint>(
    endpoint: E,
    given: { params?: ParamsOf<E>; query?: Partial<QueryOf<E>>; body?: Partial<BodyOf<E>> } = {},
  ): Promise<ResponseOf<E>> {
    const params = (given.params ?? {}) as Record<string, string>;
    const path = endpoint.path.replace(/\{(\w+)\}/g, (_, name: string) => params[name] ?? '');
    const query = new URLSearchParams(
      Object.entries(given.query ?? {}).flatMap(([k, v]) => (v === undefined ? [] : [[k, String(v)] as [string, string]])),
    );
    const response = await this.fetch(`/api${path}?${query.toString()}`, {
      method: endpoint.method.toUpperCase(),
      ...(endpoint.method === 'get' ? {} : { body: JSON.stringify(given.body ?? {}), headers: { 'content-type': 'application/json' } }),
    });
    const json = (await response.json()) as unknown;
    if (!response.ok) throw new Refused(response.status, json as Problem);
    await requireAsDescribed(this.base, endpoint, json);
    return json as ResponseOf<E>;
  }

  async upload(name: string, bytes: Uint8Array | string, given: { place?: string; key?: string } = {}): Promise<string> {
    const query = new URLSearchParams({ name, ...(given.place ? { place: given.place } : {}) });
    const response = await this.fetch(`/api/uploads?${query.toString()}`, {
      method: 'POST',
      body: bytes as never,
      headers: { 'content-type': 'application/octet-stream', ...(given.key ? { 'idempotency-key': given.key } : {}) },
    });
    const json = (await response.json()) as unknown;
    if (!response.ok) throw new Refused(response.status, json as Problem);
    return (json as { id: string }).id;
  }
}

export interface World {
  readonly database: string;
  readonly running: Running & { port: number };
  readonly services: Services;
  readonly pool: pg.Pool;
  readonly base: string;
  readonly ids: Readonly<Record<Login | 'staff' | 'root' | 'A' | 'A01' | 'A02' | 'B' | 'B01' | 'box', string>>;
  as(login: Login): Client;
  /** Files a text of one's own and gives the record. */
  file(
    login: Login,
    given?: Partial<{ title: string; place: string; createdOn: string; text: string; facts: Record<string, string> }>,
  ): Promise<{ id: string; number: string }>;
  /** Sets the repository's date, forward or back. */
  setToday(date: string): Promise<void>;
  /** Makes a rule, publishes it and sets it on a place. */
  rule(code: string, place: string, definition?: RuleDefinition): Promise<string>;
  stop(): Promise<void>;
}

/** Lets the keeper of a world set it up as well, as whoever founds a repository may. */
export const letSetUp = ({ database, ids }: Pick<World, 'database' | 'ids'>): Promise<unknown> =>
  asOwner(database, (client) =>
    client.query(
      `insert into grant_ (id, principal_id, place_id, profile, reason) values (gen_random_uuid(), $1, $2, 'administrator', 'first keeper')`,
      [ids.keeper, ids.root],
    ),
  );

/** Sets the date of a repository. */
export async function setClock(pool: pg.Pool, date: string): Promise<void> {
  const offsetDays = Math.round((Date.parse(date) - Date.parse(new Date().toISOString().slice(0, 10))) / 86_400_000);
  await pool.query(`insert into setting (name, value) values ('clock', $1) on conflict (name) do update set value = excluded.value`, [
    JSON.stringify({ demo: true, offsetDays }),
  ]);
}

async function seed(pool: pg.Pool): Promise<{ ids: World['ids']; cookies: Record<Login, string> }> {
  const ids = Object.fromEntries(
    [...logins, 'staff', 'root', 'A', 'A01', 'A02', 'B', 'B01', 'box'].map((key) => [key, uuidv7()]),
  ) as World['ids'];
  const cookies = {} as Record<Login, string>;
  const passwordHash = await hash;
  await withUnitOfWork(pool, programActor('test', today), async (uow) => {
    await writeSetting(uow, 'repository', { name: 'Test', timeZone: 'UTC' });
    for (const past of ['pastFrom', 'accessPastFrom']) await writeSetting(uow, past, { on: today });
    // Specs say themselves when to sweep.
    await writeSetting(uow, 'swept', { on: '2999-12-31' });
    await addPrincipal(uow, { id: ids.staff, kind: 'group', name: 'Staff' });
    for (const login of logins) {
      await addPrincipal(uow, { id: ids[login], kind: 'person', name: `Person ${login}`, login, passwordHash, clearanceLevel: 1 });
      const token = randomBytes(32).toString('base64url');
      cookies[login] = `cellar_session=${token}`;
      await run(
        uow,
        'test.session',
        `insert into session (token_hash, principal_id, expires_at) values ($1, $2, now() + interval '1 day')`,
        [createHash('sha256').update(token).digest(), ids[login]],
      );
    }
    const set = await getOrMakeSet(uow, { anchorPlace: ids.root, recordId: null, level: 0, caveats: [], tags: [] });
    const place = (id: string, kind: string, parent: string | null, ancestors: string[], code: string, standAlone = false) =>
      run(
        uow,
        'test.place',
        `insert into place (id, kind, parent_id, ancestors, code, title, access_set_id, opened_on, stand_alone) values ($1, $2, $3, $4, $5, $6, $7, '2000-01-01', $8)`,
        [id, kind, parent, ancestors, code, `Place ${code}`, set, standAlone],
      );
    await place(ids.root, 'repository', null, [ids.root], 'ALL');
    await place(ids.A, 'function', ids.root, [ids.root, ids.A], 'A');
    await place(ids.A01, 'series', ids.A, [ids.root, ids.A, ids.A01], 'A-01');
    await place(ids.A02, 'series', ids.A, [ids.root, ids.A, ids.A02], 'A-02');
    await place(ids.B, 'function', ids.root, [ids.root, ids.B], 'B', true);
    await place(ids.B01, 'series', ids.B, [ids.root, ids.B, ids.B01], 'B-01');
    await run(uow, 'test.type', `insert into record_type (code, title, facts) values ('note', 'Note', $1)`, [
      JSON.stringify([
        { code: 'topic', title: 'Topic', kind: 'text', required: true },
        { code: 'ended', title: 'Ended', kind: 'date', required: false },
      ]),
    ]);
    await run(uow, 'test.events', `insert into event_type (name) select unnest($1::text[])`, [
      ['lease ended', 'it ended', 'ended', 'x', 'y', 'moved away', 'spare', 'contract ended'],
    ]);
    await run(
      uow,
      'test.box',
      `insert into container (id, code, title, home, location) values ($1, 'S1-A1', 'Box', 'Store 1', 'Store 1')`,
      [ids.box],
    );
    const grants: [Login, string, string][] = [
      ['keeper', ids.root, 'keeper'],
      ['deputy', ids.root, 'keeper'],
      ['counsel', ids.root, 'counsel'],
      ['approver', ids.root, 'approver'],
      ['auditor', ids.root, 'auditor'],
      ['editor', ids.A, 'editor'],
      ['reader', ids.A01, 'reader'],
      ['steward', ids.A, 'steward'],
      ['depositor', ids.A, 'depositor'],
      // B stands alone: its editor is the steward's colleague there, nobody else reaches in but keepers and auditors.
      ['steward', ids.B, 'editor'],
    ];
    for (const [login, placeId, profile] of grants) await placeGrant(uow, { principalId: ids[login], placeId, profile, reason: 'test' });
  });
  return { ids, cookies };
}

export async function makeWorld(changes: Partial<Config> = {}): Promise<World> {
  const database = await freshDatabase();
  const running = await startServer({ ...configFor(database), ...changes });
  const { services } = running;
  const setToday = (date: string): Promise<void> => setClock(services.pool, date);
  // What the repository remembers of earlier days begins on this one.
  await setToday(today);
  const { ids, cookies } = await seed(services.pool);
  const base = `http://127.0.0.1:${running.port}`;
  const as = (login: Login): Client => new Client(base, cookies[login]);
  return {
    database,
    running,
    services,
    pool: services.pool,
    base,
    ids,
    as,
    setToday,
    async file(login, given = {}) {
      const client = as(login);
      const title = given.title ?? `Note ${randomBytes(4).toString('hex')}`;
      const arrivalId = await client.upload(`${title}.txt`, given.text ?? `${title} ${randomBytes(8).toString('hex')}`);
      const { results } = await client.call(receiving.file, {
        body: {
          filings: [
            {
              arrivalId,
              title,
              recordType: 'note',
              placeId: given.place ?? ids.A01,
              createdOn: given.createdOn ?? '2025-01-10',
              facts: given.facts ?? { topic: 'harbour' },
            },
          ],
        },
      });
      if (results[0]!.outcome !== 'done') throw new Error(results[0]!.why);
      return { id: results[0]!.recordId!, number: results[0]!.number! };
    },
    async rule(code, place, definition = ruleDefinition()) {
      const keeper = as('keeper');
      const { id } = await keeper.call(schedule.makeRule, { body: { code, definition } });
      await keeper.call(schedule.publish, { params: { id }, body: { revision: 1, inForceFrom: '2000-01-01', takesOver: 'all' } });
      await keeper.call(plan.setRule, { params: { id: place }, body: { ruleId: id } });
      return id;
    },
    async stop() {
      await running.stop();
      await dropDatabase(database);
    },
  };
}

/** Takes everything due to an approved batch, as keeper and approver, and gives its id. */
export async function approvedBatch(world: World): Promise<string> {
  const keeper = world.as('keeper');
  await keeper.call(steps.sweep);
  const { groups } = await keeper.call(docket.due);
  const { id } = await keeper.call(docket.propose, {
    body: { groupKey: groups[0]!.key, noticeDays: groups[0]!.noticeDays, announce: true },
  });
  const { noticeUntil } = await keeper.call(docket.batch, { params: { id } });
  await world.setToday(new Date(Date.parse(noticeUntil!) + 86_400_000).toISOString().slice(0, 10));
  await world.as('approver').call(docket.approve, { params: { id }, body: { note: '' } });
  return id;
}

export async function executeAndWait(world: World, batchId: string): Promise<string> {
  const { jobId } = await world.as('keeper').call(docket.execute, { params: { id: batchId } });
  return said((await world.services.jobs.settled(jobId)).told!);
}

/** The status of a refused call, or 200. */
export async function statusOf(call: Promise<unknown>): Promise<number> {
  try {
    await call;
    return 200;
  } catch (error) {
    if (error instanceof Refused) return error.status;
    throw error;
  }
}

/** The sentence of a refused call, or “done”. */
export async function problemOf(call: Promise<unknown>): Promise<string> {
  try {
    await call;
    return 'done';
  } catch (error) {
    if (error instanceof Refused) return error.problem.detail;
    throw error;
  }
}

/** Records of A-01 that are due, made in bulk and past every service; their title is the word that they have. */
export async function recordsInBulk(world: World, pool: pg.Pool, count: number, title: string): Promise<string[]> {
  const result = await pool.query<{ id: string }>(
    `insert into record (id, number, title, medium, record_type, place_id, series_id, places, created_on, received_on, filed_on, modified_on,
       search, access_set_id, owner_id, deposited_by, outcome, due_on, action, docket, vintage)
     select gen_random_uuid(), $2 || '-' || i, $2, 'electronic', 'note', p.id, p.id, p.ancestors, '2024-01-01', '2024-01-01', '2024-01-01', '2024-01-01',
       array_to_tsvector(array[lower($2)]), p.access_set_id, $3, $3, 'dated', '2025-01-01', 'destroy', 'due', 2024
     from place p, generate_series(1, $1) i where p.code = 'A-01' returning id`,
    [count, title, world.ids.editor],
  );
  return result.rows.map((r) => r.id);
}

/** Counts of the rack and of the use of rules against counts of the records themselves. */
export async function rackDifferences(database: string): Promise<number> {
  return asOwner(database, async (client) => {
    const result = await client.query(
      `with scan as (
         select series_id, coalesce(vintage, 0)::smallint as vintage, access_set_id, count(*)::int as kept,
           (count(*) filter (where docket <> 'none'))::int as due, (count(*) filter (where exists (select from hold_cover c where c.record_id = record.id and c.released_at is null)))::int as held,
           (count(*) filter (where outcome = 'unscheduled'))::int as unscheduled, (count(*) filter (where outcome = 'permanent'))::int as permanent,
           (count(*) filter (where outcome = 'waiting'))::int as waiting, (count(*) filter (where state = 'declared'))::int as declared
         from record where state <> 'disposed' group by 1, 2, 3),
       kept_ as (
         select series_id, vintage, access_set_id, sum(kept)::int as kept, sum(due)::int as due, sum(held)::int as held,
           sum(unscheduled)::int as unscheduled, sum(permanent)::int as permanent, sum(waiting)::int as waiting, sum(declared)::int as declared
         from (select * from rack_cell union all select * from rack_delta) both_ group by 1, 2, 3 having sum(kept) <> 0)
       (select * from scan except select * from kept_) union all (select * from kept_ except select * from scan)`,
    );
    const use = await client.query(
      `with scan as (
         select rule_version_id, access_set_id, count(*) as n from record where state <> 'disposed' and rule_version_id is not null group by 1, 2),
       kept_ as (select rule_version_id, access_set_id, sum(n) as n from rule_use group by 1, 2 having sum(n) <> 0)
       (select * from scan except select * from kept_) union all (select * from kept_ except select * from scan)`,
    );
    const totals = await client.query(
      `with cells as (select series_id, vintage, sum(kept) as kept, sum(due) as due, sum(held) as held, sum(declared) as declared from rack_cell group by 1, 2),
       kept_ as (select series_id, vintage, kept::bigint, due::bigint, held::bigint, declared::bigint from rack_total)
       (select * from cells except select * from kept_) union all (select * from kept_ except select * from cells)`,
    );
    const due = await client.query(
      `with each as (
         select access_set_id, date_trunc('month', due_on)::date as month, action,
           exists (select from hold_cover c where c.record_id = record.id and c.released_at is null) as held
         from record where state <> 'disposed' and due_on is not null and action is not null),
       scan as (
         select coalesce(access_set_id, 0) as set, month, action, count(*) as n, count(*) filter (where held) as held
         from each group by grouping sets ((access_set_id, month, action), (month, action))),
       kept_ as (
         select set, month, action, sum(n) as n, sum(held) as held from (
           select access_set_id as set, month, action, n, held from due_sum union all select access_set_id, month, action, n, held from due_delta
           union all select 0, month, action, n, held from due_delta) d
         group by 1, 2, 3 having (sum(n), sum(held)) <> (0, 0))
       (select * from scan except select * from kept_) union all (select * from kept_ except select * from scan)`,
    );
    const placed = await client.query(
      `with scan as (
         select place_id, access_set_id, count(*) as kept, count(*) filter (where docket <> 'none') as due,
           count(*) filter (where exists (select from hold_cover c where c.record_id = record.id and c.released_at is null)) as held,
           count(*) filter (where outcome = 'unscheduled') as unscheduled, count(*) filter (where outcome = 'permanent') as permanent,
           count(*) filter (where outcome = 'waiting') as waiting
         from record where state <> 'disposed' group by 1, 2),
       kept_ as (
         select place_id, access_set_id, sum(kept) as kept, sum(due) as due, sum(held) as held, sum(unscheduled) as unscheduled,
           sum(permanent) as permanent, sum(waiting) as waiting
         from (select * from place_sum union all select * from place_delta) d group by 1, 2 having sum(kept) <> 0)
       (select * from scan except select * from kept_) union all (select * from kept_ except select * from scan)`,
    );
    return [result, use, totals, due, placed].reduce((sum, { rowCount }) => sum + (rowCount ?? 0), 0);
  });
}

/** The revision of a place as it is now: what changes a place says which it was looked at in. */
export async function revisionOf(world: Pick<World, 'pool'>, placeId: string): Promise<number> {
  return (await world.pool.query<{ revision: number }>('select revision from place where id = $1', [placeId])).rows[0]!.revision;
}
