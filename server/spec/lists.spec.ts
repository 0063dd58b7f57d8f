import { records, sortColumns, type RecordLine } from '@key-cellar/contract';
import { civilDate } from '@key-cellar/core/calendar';
import { criteriaToSql, distinctWords, matches, type Criteria, type CriteriaRecord } from '@key-cellar/core/criteria';
import * as fc from 'fast-check';
import { boundCriteria } from '../src/criteria/index.js';
import { makeWorld, statusOf, type World } from './support/world.js';

const words = ['berth', 'lease', 'pilot', 'ottoline', 'log', 'Größe', 'x-1', 'año'];

describe('lists', () => {
  let world: World;
  let all: RecordLine[];
  beforeAll(async () => {
    world = await makeWorld();
    await world.pool.query(
      `insert into record (id, number, title, medium, record_type, place_id, series_id, places, created_on, received_on, filed_on, modified_on,
         facts, search, access_set_id, owner_id, deposited_by, outcome, due_on, size, vintage)
       select gen_random_uuid(), p.code || '-' || lpad(i::text, 4, '0'), (array['Berth','Lease','Pilot','berth'])[1 + i % 4] || ' ' || (i % 50), 'electronic', 'note', p.id, p.id, p.ancestors,
         '2020-01-01'::date + (i * 37) % 900, '2020-01-01', '2023-01-01'::date + i % 3, '2023-01-01', jsonb_build_object('topic', (array['a','b'])[1 + i % 2]),
         array_to_tsvector(array[(array['berth','lease','pilot','berth'])[1 + i % 4], (i % 50)::text]), p.access_set_id, $1, $1,
         case when i % 5 = 0 then 'waiting' else 'dated' end, case when i % 5 = 0 then null else '2030-01-01'::date + i % 11 end, i % 7, 2020 + i % 4
       from place p, generate_series(1, 150) i where p.kind = 'series' and p.code like 'A-%'`,
      [world.ids.editor],
    );
    all = (await world.as('keeper').call(records.list, { query: { limit: 500 } })).records;
  }, 60_000);
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
            seen.push(...page.records);
            after = page.next ?? undefined;
          } while (after);
          const expected = under === world.ids.A01 ? 150 : 300;
          expect(seen.length).toBe(expected);
          expect(new Set(seen.map((r) => r.id)).size).toBe(expected);
          const jump = await keeper.call(records.list, { query: { sort, descending, limit: 20, skip: 123, under } });
          expect(jump.records.map((r) => r.id)).toEqual(seen.slice(123, 143).map((r) => r.id));
          const key = (r: RecordLine): string | number =>
            ({ number: r.number, title: r.title, created: r.createdOn, filed: r.filedOn, due: r.dueOn ?? '9999', size: r.size })[sort];
          for (let i = 1; i < seen.length; i++) {
            const [a, b] = [key(seen[i - 1]!), key(seen[i]!)];
            expect(descending ? a >= b : a <= b).toBeTrue();
          }
        }
      });
    }
  }

  it('and their counts agree, for every filter', async () => {
    const keeper = world.as('keeper');
    const filters = [
      {}, { words: 'berth' }, { words: 'ber' }, { words: 'berth 1' }, { vintage: 2021 }, { show: 'waiting' as const }, { under: world.ids.A02, vintage: 2022 },
      { recordType: 'note' }, { words: 'nothing like it' }, { cells: `${world.ids.A01}.2020,${world.ids.A02}.2023` },
    ]; // prettier-ignore
    for (const filter of filters) {
      const { count } = await keeper.call(records.count, { query: filter });
      const { records: found } = await keeper.call(records.list, { query: { ...filter, limit: 500 } });
      expect(found.length).withContext(JSON.stringify(filter)).toBe(count);
      expect((await keeper.call(records.ids, { query: filter })).ids.length).toBe(count);
    }
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
    const leaf: fc.Arbitrary<Criteria> = fc.oneof(
      fc.record({
        op: fc.constant('words' as const),
        text: fc.constantFrom('berth', 'lease 3', 'PILOT', '', 'zzz', 'ber'),
        prefix: fc.boolean(),
      }),
      fc.record({
        op: fc.constant('under' as const),
        placeId: fc.constantFrom(world.ids.A, world.ids.A01, world.ids.B),
        name: fc.constant('x'),
      }),
      fc.record({
        op: fc.constant('is' as const),
        field: fc.constantFrom('outcome' as const, 'state' as const),
        value: fc.constantFrom('waiting', 'dated', 'working'),
      }),
      fc.record({
        op: fc.constant('between' as const),
        field: fc.constantFrom('created' as const, 'due' as const, 'declared' as const),
        from: fc.constantFrom(undefined, '2020-06-01', '2030-01-05'),
        until: fc.constantFrom(undefined, '2021-12-31', '2030-01-08'),
      }),
      fc.record({ op: fc.constant('fact' as const), fact: fc.constantFrom('topic', 'none'), value: fc.constantFrom('a', 'b', 1) }),
      fc.constant({ op: 'held' as const }),
    );
    const { tree } = fc.letrec<{ tree: Criteria }>((tie) => ({
      tree: fc.oneof(
        { depthSize: 'small' },
        leaf,
        fc.record({ op: fc.constantFrom('and' as const, 'or' as const), of: fc.array(tie('tree'), { maxLength: 3 }) }),
        fc.record({ op: fc.constant('not' as const), of: tie('tree') }),
      ),
    }));
    const { rows } = await world.pool.query<{ id: string; facts: Record<string, string>; places: string[] }>(
      'select id, facts, places from record',
    );
    const extra = new Map(rows.map((r) => [r.id, r]));
    const inMemory: { id: string; record: CriteriaRecord }[] = all.map((r) => ({
      id: r.id,
      record: {
        words: new Set(distinctWords(r.title)),
        places: new Set(extra.get(r.id)!.places),
        recordType: r.recordType,
        state: r.state,
        medium: r.medium,
        outcome: r.outcome,
        dates: { created: civilDate(r.createdOn), ...(r.dueOn ? { due: civilDate(r.dueOn) } : {}) },
        facts: extra.get(r.id)!.facts,
        held: r.held > 0,
      },
    }));
    await fc.assert(
      fc.asyncProperty(tree, async (criteria) => {
        const values: unknown[] = [];
        const where = boundCriteria(criteria, (value) => `$${values.push(value)}`);
        const found = await world.pool.query<{ id: string }>(`select r.id from record r where ${where}`, values);
        const expected = inMemory.filter((r) => matches(criteria, r.record)).map((r) => r.id);
        expect(found.rows.map((r) => r.id).sort()).toEqual(expected.sort());
      }),
      { numRuns: 150 },
    );
    expect(criteriaToSql({ op: 'words', text: words.join(' ') }, (v) => v)).toContain('große');
  }, 60_000);
});
