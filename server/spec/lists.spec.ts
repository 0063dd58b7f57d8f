import { randomUUID } from 'node:crypto';
import { holds, identity, plan, records, sortColumns, type RecordLine } from '@key-cellar/contract';
import { rightSet, type Right } from '@key-cellar/core/access';
import { civilDate } from '@key-cellar/core/calendar';
import { criteriaToSql, distinctWords, matches, resolveCriteria, type CriteriaRecord } from '@key-cellar/core/criteria';
import { anyAsked, type Material } from '@key-cellar/core/criteria/testing';
import * as fc from 'fast-check';
import pg from 'pg';
import { boundCriteria, storedCriteria } from '../src/criteria/index.js';
import { listRecords, placeGrant, programActor, type SignedIn, withUnitOfWork } from '../src/index.js';
import type { PersonAccess } from '../src/kernel/index.js';
import { page, type Position, type Scope } from '../src/records/store.js';
import { asOwner } from './support/database.js';
import { type Login, logins, makeWorld, statusOf, today, type World } from './support/world.js';

const words = ['berth', 'lease', 'änderung', 'ottoline', 'log', 'Größe', 'x-1', 'año'];

describe('lists', () => {
  let world: World;
  let all: RecordLine[];
  beforeAll(async () => {
    world = await makeWorld();
    await world.pool.query(
      `insert into record (id, number, title, medium, record_type, place_id, series_id, places, created_on, received_on, filed_on, modified_on,
         facts, search, access_set_id, owner_id, deposited_by, outcome, due_on, size, vintage)
       select gen_random_uuid(), p.code || '-' || lpad(i::text, 4, '0'), (array['Berth','Lease','Änderung','berth'])[1 + i % 4] || ' ' || (i % 50), 'electronic', 'note', p.id, p.id, p.ancestors,
         '2020-01-01'::date + (i * 37) % 900, '2020-01-01', '2023-01-01'::date + i % 3, '2023-01-01', jsonb_build_object('topic', (array['a','b'])[1 + i % 2]),
         array_to_tsvector(array[(array['berth','lease','anderung','berth'])[1 + i % 4], (i % 50)::text]), p.access_set_id, $1, $1,
         case when i % 5 = 0 then 'waiting' else 'dated' end, case when i % 5 = 0 then null else '2030-01-01'::date + i % 11 end, i % 7, 2020 + i % 4
       from place p, generate_series(1, 150) i where p.kind = 'series' and p.code like 'A-%'`,
      [world.ids.editor],
    );
    all = (await world.as('keeper').call(records.list, { query: { limit: 500 } })).records;
  });
  afterAll(() => world.stop());

  for (const sort of sortColumns) {
    for (const descending of [false, true]) {
      it(`by ${sort}${descending ? ', descending,' : ''} page by page show every record once, in order, however one jumps`, async () => {
        for (const under of [undefined, world.ids.A, world.ids.A01]) {
          const keeper = world.as('keeper');
          const seen: RecordLine[] = [];
          let after: string | undefined;
          do {
            const page = await keeper.call(records.list, { query: { sort, descending, limit: 70, after, under } });
            for (const one of page.records) seen.push(one);
            after = page.next ?? undefined;
          } while (after);
          const expected = under === world.ids.A01 ? 150 : 300;
          expect(seen.length).toBe(expected);
          expect(new Set(seen.map((r) => r.id)).size).toBe(expected);
          const jump = await keeper.call(records.list, { query: { sort, descending, limit: 20, skip: 123, under } });
          expect(jump.records.map((r) => r.id)).toEqual(seen.slice(123, 143).map((r) => r.id));
          const order = new Intl.Collator('und', { numeric: true });
          const ordered = (a: string | number, b: string | number): boolean =>
            sort === 'title' ? order.compare(String(a), String(b)) <= 0 : a <= b;
          const key = (r: RecordLine): string | number =>
            ({ number: r.number, title: r.title, created: r.createdOn, filed: r.filedOn, due: r.dueOn ?? '9999', size: r.size })[sort];
          for (let i = 1; i < seen.length; i++) {
            const [a, b] = [key(seen[i - 1]!), key(seen[i]!)];
            expect(descending ? ordered(b, a) : ordered(a, b)).toBeTrue();
          }
        }
      });
    }
  }

  it('are the same whether the rows of a narrow view are found first, or looked for in their order', async () => {
    const scopes: Scope[] = [
      { kind: 'all' },
      { kind: 'series', ids: [world.ids.A01, world.ids.A02] },
      { kind: 'folder', id: world.ids.A02 },
    ];
    const filters = [{}, { words: 'berth' }, { vintage: 2021 }, { show: 'waiting' as const }];
    for (const sort of sortColumns)
      for (const descending of [false, true])
        for (const scope of scopes)
          for (const filter of filters) {
            const request = { filter, scope, sort, descending, limit: 20, visible: () => 'r.access_set_id > 0' };
            const pageOf = async (narrow: boolean, skip: number, after: Position | null) =>
              (await page(world.pool, { ...request, narrow, skip, after })).map((r) => ({ value: r.sort_value, id: r.id }));
            const first = await pageOf(true, 0, null);
            expect(first).toEqual(await pageOf(false, 0, null));
            expect(await pageOf(true, 7, first.at(-1)!)).toEqual(await pageOf(false, 7, first.at(-1)!));
          }
  });

  it('find the rows of a narrow view first: of somebody who sees little of much', async () => {
    const own = await world.as('keeper').call(plan.makePlace, {
      body: { parentId: world.ids.B01, kind: 'folder', code: 'FEW', title: 'Few' },
    });
    await withUnitOfWork(world.pool, programActor('spec', today), (uow) =>
      placeGrant(uow, { principalId: world.ids.outsider, placeId: own.id, profile: 'reader', reason: 'only here' }),
    );
    await world.pool.query('select fold_rack()');
    const asked = spyOn(pg.Client.prototype, 'query').and.callThrough();
    const foundFirst = async (login: Login): Promise<[first: boolean, records: number]> => {
      asked.calls.reset();
      const { records: found } = await world.as(login).call(records.list, { query: { sort: 'due' } });
      const texts = asked.calls.allArgs().map(([config]) => (config as unknown as { text?: string }).text ?? '');
      return [texts.some((text) => text.includes('offset 0) x')), found.length];
    };
    expect(await foundFirst('outsider')).toEqual([true, 0]);
    expect(await foundFirst('keeper')).toEqual([false, 100]);
    expect(await foundFirst('reader'))
      .withContext('half of all')
      .toEqual([false, 100]);
  });

  it('and their counts agree, for every filter', async () => {
    const keeper = world.as('keeper');
    const filters = [
      {},
      { words: 'berth' },
      { words: 'ber' },
      { words: 'berth 1' },
      { vintage: 2021 },
      { show: 'waiting' as const },
      { under: world.ids.A02, vintage: 2022 },
      { recordType: 'note' },
      { words: 'nothing like it' },
      { cells: `${world.ids.A01}.2020,${world.ids.A02}.2023` },
    ];
    for (const filter of filters) {
      const { count } = await keeper.call(records.count, { query: filter });
      const { records: found } = await keeper.call(records.list, { query: { ...filter, limit: 500 } });
      expect(found.length).withContext(JSON.stringify(filter)).toBe(count);
      expect((await keeper.call(records.ids, { query: filter })).ids.length).toBe(count);
    }
  });

  it('tell the facts that are asked for of records that the person may read, and of no other', async () => {
    let told = 0;
    for (const login of logins) {
      const { records: found } = await world.as(login).call(records.list, { query: { facts: 'topic,tenant', limit: 500 } });
      for (const record of found.slice(0, 2)) {
        const reads = (await statusOf(world.as(login).call(records.dossier, { params: { id: record.id } }))) === 200;
        expect(record.facts !== undefined)
          .withContext(`${login} ${record.number}`)
          .toBe(reads);
        if (record.facts) expect(Object.keys(record.facts)).toEqual(['topic']);
        if (reads) told++;
      }
    }
    expect(told).toBeGreaterThan(0);
    // No profile lets people know of records without reading them; one that did would not let their facts out.
    const person = { id: world.ids.keeper, today, accessEpoch: 0, clearance: { level: 9, caveats: [] } } as unknown as SignedIn;
    const whole = await world.services.access.of(person);
    const access = { ...whole, sets: (right: Right) => whole.sets(right), on: () => ({ all: rightSet('discover'), own: 0 }) };
    const services = { ...world.services, access: { ...world.services.access, of: () => Promise.resolve(access as PersonAccess) } };
    const query = { sort: 'number', descending: false, skip: 0, limit: 10, facts: 'topic' } as const;
    const { records: known } = await listRecords(services, person, query);
    expect(known.length).toBe(10);
    expect(known.filter((r) => r.facts)).toEqual([]);
    const keeper = world.as('keeper');
    expect((await keeper.call(records.list, { query: { limit: 1 } })).records[0]!.facts).toBeUndefined();
    for (const facts of ['', 'topic,', "topic'", 'Topic', 'a,b,c,d,e,f,g,h,i,j,k,l,m'])
      expect(await statusOf(keeper.call(records.list, { query: { facts } })))
        .withContext(facts)
        .toBe(422);
  });

  it('name what facts point at as far as the person knows of it', async () => {
    const keeper = world.as('keeper');
    const { records: found } = await keeper.call(records.list, { query: { facts: 'topic', limit: 2 } });
    const facts = { boss: world.ids.editor, lost: '00000000-0000-4000-8000-00000000dead' };
    await asOwner(world.database, (client) =>
      client.query('update record set facts = facts || $2 where id = $1', [found[0]!.id, JSON.stringify(facts)]),
    );
    const page = await keeper.call(records.list, { query: { facts: 'boss,lost', limit: 2 } });
    expect(page.records[0]!.facts).toEqual(facts);
    expect(page.factNames).toEqual({ [world.ids.editor]: 'Person editor' });
  });

  it('take words as words, whatever they hold', async () => {
    const keeper = world.as('keeper');
    for (const text of [`'; drop table record; --`, `a' | 'b`, `!berth`, `berth:*`, `\\`, `%`, `(((`, `"`, '\u0000x', '💣']) {
      expect(await statusOf(keeper.call(records.count, { query: { words: text } })))
        .withContext(text)
        .toBeLessThan(500);
    }
    expect((await keeper.call(records.count)).count).toBe(300);
    expect(await statusOf(keeper.call(records.list, { query: { after: 'rubbish' } }))).toBe(422);
    expect(await statusOf(keeper.call(records.list, { query: { cells: `x'); drop table record; --` } }))).toBe(422);
  });

  it('criteria find in SQL exactly what they match in memory', async () => {
    const keeper = world.as('keeper');
    await world.rule('R-L', world.ids.B01);
    const people = (await keeper.call(identity.people)).people.filter((p) => p.kind === 'person').slice(0, 3);
    // Facts of every kind on some, an owner missing on others, and a hold on a few.
    await asOwner(world.database, async (client) => {
      const facts = [
        { tons: 40 },
        { tons: 2.5, expires: '2020-06-01' },
        { expires: 'soon', urgent: true },
        { topic: 7 },
        { urgent: 'yes' },
        { topic: ['a', 'soon'], tons: [1, 40] },
        { tenant: 'p1', expires: ['2020-06-01', '2021-12-31'] },
        { tenant: ['p1', 'p2'], tons: [] },
      ];
      for (const [i, fact] of facts.entries()) {
        await client.query(`update record set facts = facts || $1 where id in (select id from record order by number offset $2 limit 25)`, [
          fact,
          i * 30,
        ]);
      }
      await client.query(
        `update record set modified_on = created_on + 3, clock_start = case when hashtext(id::text) & 1 = 0 then created_on + 9 end`,
      );
      await client.query(
        `update record set conflict_with = (select id from rule_version limit 1) where id in (select id from record order by number limit 40)`,
      );
      await client.query('update record set owner_id = null, gaps = 1 where id in (select id from record order by number limit 30)');
    });
    const held = all.slice(10, 14).map((r) => r.id);
    const { id: matterId } = await keeper.call(holds.makeMatter, { body: { code: 'M-L', title: 'Lists', kind: 'case', note: '' } });
    const { id: holdId } = await keeper.call(holds.placeHold, {
      body: { matterId, name: 'Lists', reason: 'for lists', freeze: false, recordIds: held, custodianIds: [] },
    });
    const detectors = ['00000000-0000-4000-8000-0000000000d1', '00000000-0000-4000-8000-0000000000d2'];
    await asOwner(world.database, (client) =>
      client.query(
        `update record set detected = case hashtext(id::text) & 3 when 0 then $1::uuid[] when 1 then ($1::uuid[])[1:1] else '{}' end`,
        [detectors],
      ),
    );
    const { rows } = await world.pool.query<{
      id: string;
      facts: CriteriaRecord['facts'];
      places: string[];
      owner_id: string | null;
      deposited_by: string;
      received_on: string;
      gaps: number;
      detected: string[];
      modified_on: string;
      clock_start: string | null;
      conflict: boolean;
    }>(
      'select id, facts, places, owner_id, deposited_by, received_on, gaps, detected, modified_on, clock_start, conflict_with is not null as conflict from record',
    );
    expect(rows.some((r) => r.conflict)).toBeTrue();
    const extra = new Map(rows.map((r) => [r.id, r]));
    const named = (id: string): { id: string; name: string } => ({ id, name: id });
    const material: Material = {
      vocabulary: {
        recordTypes: ['note', 'none'].map(named),
        facts: [
          { code: 'topic', title: 'Topic', kind: 'text' },
          { code: 'tons', title: 'Tons', kind: 'decimal' },
          { code: 'expires', title: 'Expires', kind: 'date' },
          { code: 'urgent', title: 'Urgent', kind: 'yesNo' },
          { code: 'tenant', title: 'Tenant', kind: 'party' },
        ],
        places: [world.ids.A, world.ids.A01, world.ids.B].map(named),
        people: people.map((p) => named(p.id)),
        parties: ['p1', 'p2'].map(named),
        objects: [named('o1')],
        holds: [named(holdId)],
        detectors: detectors.map(named),
      },
      words: ['berth', 'lease', '3', 'PILOT', 'zzz', 'ber', '40'],
      days: ['2020-06-01', '2021-12-31', '2030-01-05', today],
      titles: [all[0]!.title, 'Be'],
      numbers: [all[0]!.number, 'A-0'],
      texts: ['a', 'b', 'soon', ''],
    };
    const inMemory: { id: string; record: CriteriaRecord }[] = all.map((r) => {
      const more = extra.get(r.id)!;
      return {
        id: r.id,
        record: {
          words: new Set(distinctWords(r.title)),
          title: r.title,
          number: r.number,
          places: new Set(more.places),
          recordType: r.recordType,
          state: r.state,
          medium: r.medium,
          outcome: r.outcome,
          docket: r.docket,
          owner: more.owner_id,
          depositor: more.deposited_by,
          dates: {
            created: civilDate(r.createdOn),
            filed: civilDate(r.filedOn),
            received: civilDate(more.received_on),
            modified: civilDate(more.modified_on),
            ...(more.clock_start ? { clockStart: civilDate(more.clock_start) } : {}),
            ...(r.dueOn ? { due: civilDate(r.dueOn) } : {}),
          },
          facts: more.facts,
          held: held.includes(r.id),
          holds: new Set(held.includes(r.id) ? [holdId] : []),
          detected: new Set(more.detected),
          gaps: more.gaps,
          conflict: more.conflict,
        },
      };
    });
    const [notHeld, unknownHold] = [randomUUID(), randomUUID()];
    const alive = new Set(
      (await world.pool.query<{ id: string }>(`select id from record where state <> 'disposed'`)).rows.map((r) => r.id),
    );
    await fc.assert(
      fc.asyncProperty(anyAsked(material), async (asked) => {
        const criteria = resolveCriteria(asked, civilDate(today));
        const values: unknown[] = [];
        const where = boundCriteria(criteria, (value) => `$${values.push(value)}`);
        const found = await world.pool.query<{ id: string }>(`select r.id from record r where ${where}`, values);
        const expected = inMemory.filter((r) => matches(criteria, r.record)).map((r) => r.id);
        expect(found.rows.map((r) => r.id).sort()).toEqual(expected.sort());
        // As a hold keeps them, they find the same beside those of other holds.
        const { sql, params } = storedCriteria(criteria);
        const among = await asOwner(world.database, (client) =>
          client.query<{ one: boolean; ids: string[] }>(
            `select is_one_expression($1) as one, array(
               select unnest(record_ids) from holds_matching(array[$2, $3]::uuid[], array['(false)', $1], jsonb_build_array('[]'::jsonb, $4::jsonb),
                 array(select id from record where state <> 'disposed'))
               where hold_id = $3) as ids`,
            [sql, notHeld, unknownHold, JSON.stringify(params)],
          ),
        );
        expect(among.rows[0]!.one).withContext(sql).toBeTrue();
        expect(among.rows[0]!.ids.sort()).toEqual(expected.filter((id) => alive.has(id)).sort());
      }),
      { numRuns: 400 },
    );
    expect(criteriaToSql({ op: 'words', text: words.join(' ') }, (v) => v)).toContain('grosse');
  });
});
