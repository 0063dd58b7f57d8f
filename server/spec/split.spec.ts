import { holds, ledger, plan, records, schedule, type SplitOutcome } from '@key-cellar/contract';
import { placeGrant } from '../src/access/index.js';
import { programActor, withUnitOfWork } from '../src/kernel/index.js';
import { makeWorld, Refused, revisionOf, ruleDefinition, statusOf, today, type Client, type Login, type World } from './support/world.js';

describe('splitting a series', () => {
  let world: World;
  let keeper: Client;
  let series: string;
  let ids: Record<string, string>;
  const made: Record<string, string> = {};
  type Parts = Parameters<typeof split>[0];
  const north = { op: 'fact', fact: 'topic', value: 'north' } as const;
  const split = (
    parts: {
      code: string;
      title: string;
      which: { by: 'criteria'; criteria: typeof north } | { by: 'list'; folderIds: string[]; numbers: string[] };
    }[],
    more: { dryRun?: boolean; reason?: string; again?: boolean; place?: string; login?: Login } = {},
  ): Promise<SplitOutcome> => {
    const { place = series, login = 'keeper', dryRun = false, reason = 'North has an office of its own.', again } = more;
    return revisionOf(world, place).then((revision) =>
      world.as(login).call(records.splitSeries, {
        params: { id: place },
        body: { revision, parts, dryRun, ...(reason ? { reason } : {}), ...(again === undefined ? {} : { again }) },
      }),
    );
  };
  const toNorth: Parts = [{ code: 'NORTH', title: 'Letters, north', which: { by: 'criteria', criteria: north } }];
  const page = (id: string) => keeper.call(plan.place, { params: { id } });
  const make = async (parentId: string, kind: 'series' | 'folder', code: string): Promise<string> =>
    (await keeper.call(plan.makePlace, { body: { parentId, kind, code, title: `Title ${code}`, note: '', openedOn: '2020-01-01' } })).id;
  const wayOf = async (id: string): Promise<string> =>
    (await keeper.call(records.dossier, { params: { id } })).path
      .slice(1)
      .map((p) => p.code)
      .join('/');
  const refusal = async (call: Promise<unknown>): Promise<string> =>
    call.then(
      () => 'done',
      (error: unknown) => (error instanceof Refused ? error.problem.detail : String(error)),
    );

  beforeAll(async () => {
    world = await makeWorld();
    keeper = world.as('keeper');
    await keeper.call(schedule.makeJurisdiction, { body: { name: 'Coast', partOf: null } });
  });
  afterAll(() => world.stop());

  /** A series with folders of all that is wanted, some of it, and none, and folders in those. */
  beforeEach(async () => {
    const n = String(Object.keys(made).length + 1);
    made[n] = n;
    series = await make(world.ids.A, 'series', `LET-${n}`);
    const rule = await world.rule(`R-LET-${n}`, series, ruleDefinition({ trigger: { kind: 'folderClosed' } }));
    const paired = await world.rule(`R-PAIR-${n}`, world.ids.B01, ruleDefinition());
    await keeper.call(schedule.setPair, { body: { recordType: 'note', seriesId: series, ruleId: paired } });
    await keeper.call(schedule.placeJurisdictions, {
      params: { id: series },
      body: { revision: await revisionOf(world, series), jurisdictions: ['Coast'] },
    });
    const [all, some, nothing] = [
      await make(series, 'folder', 'ALL'),
      await make(series, 'folder', 'SOME'),
      await make(series, 'folder', 'NONE'),
    ];
    const [deepAll, deepNone] = [await make(some, 'folder', 'DEEP'), await make(some, 'folder', 'DEEPER')];
    const file = async (place: string, topic: string) => (await world.file('editor', { place, facts: { topic } })).id;
    ids = {
      all,
      some,
      nothing,
      deepAll,
      a1: await file(all, 'north'),
      a2: await file(all, 'north'),
      s1: await file(some, 'north'),
      s2: await file(some, 'south'),
      d1: await file(deepAll, 'north'),
      d2: await file(deepNone, 'south'),
      n1: await file(nothing, 'south'),
      loose1: await file(series, 'north'),
      loose2: await file(series, 'south'),
      rule,
    };
    for (const folder of [all, some]) await keeper.call(plan.closeFolder, { params: { id: folder }, body: { on: '2026-02-01' } });
    await world.as('steward').call(records.declare, { body: { ids: [ids['a1']!, ids['s1']!] } });
  });
  const code = (n = Object.keys(made).length): string => `LET-${n}`;

  it('moves folders of which all is meant, makes those again of which some is, and keeps every due date', async () => {
    const due = async () => {
      const { rows } = await world.pool.query<{ id: string; due_on: string }>(
        'select id, due_on::text from record where places @> array[$1::uuid] or id = any ($2) order by id',
        [series, Object.values(ids)],
      );
      return rows;
    };
    const before = await due();
    const tried = await split(toNorth, { dryRun: true, reason: '' });
    expect(tried).toEqual({
      parts: [{ placeId: null, code: 'NORTH', title: 'Letters, north', folders: 2, divided: 1, records: 5 }],
      stays: 4,
      declared: 2,
      frozen: 0,
      dates: { of: 9, looked: 9, earlier: 0, later: 0, first: 0, none: 0 },
    });
    expect(await wayOf(ids['a1']!)).toBe(`${code()}/ALL`);
    const done = await split(toNorth);
    expect(done).toEqual({ ...tried, parts: tried.parts.map((p) => ({ ...p, placeId: jasmine.any(String) as never })), dates: null });
    expect(await due()).toEqual(before);
    const ways = Object.fromEntries(
      await Promise.all(
        ['a1', 'a2', 's1', 's2', 'd1', 'd2', 'n1', 'loose1', 'loose2'].map(async (key) => [key, await wayOf(ids[key]!)] as const),
      ),
    );
    expect(ways).toEqual({
      a1: 'NORTH/ALL',
      a2: 'NORTH/ALL',
      s1: 'NORTH/SOME',
      s2: `${code()}/SOME`,
      d1: 'NORTH/SOME/DEEP',
      d2: `${code()}/SOME/DEEPER`,
      n1: `${code()}/NONE`,
      loose1: 'NORTH',
      loose2: code(),
    });
    // Arranged as the old one is.
    const made_ = await page(done.parts[0]!.placeId!);
    const was = await page(series);
    expect([made_.jurisdictions, made_.setRules.filter((r) => r.here).map((r) => r.code), made_.openedOn]).toEqual([
      was.jurisdictions,
      was.setRules.filter((r) => r.here).map((r) => r.code),
      was.openedOn,
    ]);
    const { rows: pairs } = await world.pool.query<{ n: number }>('select count(*)::int as n from pair_rule where series_id = $1', [
      made_.id,
    ]);
    expect(pairs[0]!.n).toBe(1);
    expect((await page(made_.inside.find((p) => p.code === 'SOME')!.id)).closedOn).toBe('2026-02-01');
    // Declared records stay declared, and their history says where they went and why.
    const { entries } = await keeper.call(ledger.entries, { query: { subject: ids['s1']!, subjectKind: 'record' } });
    expect(entries.filter((e) => e.act === 'moved').map((e) => e.note)).toEqual(['North has an office of its own.']);
    expect((await keeper.call(records.dossier, { params: { id: ids['a1']! } })).state).toBe('declared');
    // What was moved is found there, and the counts of both are right.
    expect((await keeper.call(records.count, { query: { under: made_.id } })).count).toBe(5);
    expect((await keeper.call(records.count, { query: { under: series } })).count).toBe(4);
  });

  it('takes chosen folders and numbers, several parts at once, each thing to the first that means it', async () => {
    const { number } = await keeper.call(records.dossier, { params: { id: ids['n1']! } });
    const result = await split([
      { code: 'ONE', title: 'One', which: { by: 'list', folderIds: [ids['deepAll']!], numbers: [number] } },
      { code: 'TWO', title: 'Two', which: { by: 'criteria', criteria: north } },
    ]);
    expect(result.parts.map((p) => [p.code, p.folders, p.divided, p.records])).toEqual([
      ['ONE', 2, 1, 2],
      ['TWO', 1, 1, 4],
    ]);
    expect(await Promise.all(['d1', 'n1', 's1', 'loose1'].map((key) => wayOf(ids[key]!)))).toEqual([
      'ONE/SOME/DEEP',
      'ONE/NONE',
      'TWO/SOME',
      'TWO',
    ]);
  });

  it('leaves what a hold freezes, and says how many', async () => {
    const { id: matterId } = await keeper.call(holds.makeMatter, {
      body: { code: `M-${code()}`, title: 'Matter', kind: 'case', note: '' },
    });
    await keeper.call(holds.placeHold, {
      body: { matterId, name: 'Hold', reason: 'As it is', freeze: true, recordIds: [ids['a2']!], custodianIds: [] },
    });
    const parts: Parts = [{ ...toNorth[0]!, code: 'FREE' }];
    expect((await split(parts, { dryRun: true })).frozen).toBe(1);
    await split(parts);
    expect([await wayOf(ids['a1']!), await wayOf(ids['a2']!)]).toEqual(['FREE/ALL', `${code()}/ALL`]);
    const chosen: Parts = [{ code: 'ALL-OF', title: 'All', which: { by: 'list', folderIds: [ids['all']!], numbers: [] } }];
    expect(await refusal(split(chosen))).toContain('A hold keeps records');
  });

  it('is refused to whoever may not, without a reason, of what is no series, and where nothing is meant', async () => {
    expect(await statusOf(split(toNorth, { login: 'steward' }))).toBe(403);
    expect(await statusOf(split(toNorth, { login: 'outsider' }))).toBe(404);
    // A keeper of the series alone makes no other beside it.
    await withUnitOfWork(world.pool, programActor('test', today), (uow) =>
      placeGrant(uow, { principalId: world.ids.outsider, placeId: series, profile: 'keeper', reason: 'only here' }),
    );
    expect(await statusOf(split(toNorth, { login: 'outsider' }))).toBe(403);
    expect(await refusal(split(toNorth, { reason: '' }))).toBe('Say why the series is split.');
    expect(await refusal(split(toNorth, { place: ids['all']! }))).toContain('only series are split');
    const none: Parts = [{ code: 'NIL', title: 'Nil', which: { by: 'criteria', criteria: { ...north, value: 'east' as 'north' } } }];
    expect(await refusal(split(none))).toContain('Nothing in');
    const foreign: Parts = [{ code: 'NIL', title: 'Nil', which: { by: 'list', folderIds: [world.ids.B01], numbers: [] } }];
    expect(await refusal(split(foreign))).toContain('not in');
    expect(await refusal(split([{ ...toNorth[0]!, code: 'A-01' }]))).toContain('already exists');
    const revision = await revisionOf(world, series);
    await keeper.call(schedule.placeJurisdictions, { params: { id: series }, body: { revision, jurisdictions: [] } });
    const stale = keeper.call(records.splitSeries, {
      params: { id: series },
      body: { revision, parts: toNorth, reason: 'Late', dryRun: false },
    });
    expect(await statusOf(stale)).toBe(412);
    expect((await page(world.ids.A)).inside.some((p) => p.code === 'NIL')).toBeFalse();
  });

  it('never touches what the keeper may not dispose of, nor counts it', async () => {
    const { rows } = await world.pool.query<{ id: number }>(
      'insert into access_set (anchor_place, marking_level, marking_caveats) values ($1, 9, $2) on conflict do nothing returning id',
      [series, []],
    );
    await world.pool.query('update record set access_set_id = $2 where id = $1', [ids['a2'], rows[0]!.id]);
    const result = await split([{ ...toNorth[0]!, code: 'SEEN' }]);
    expect([result.parts[0]!.records, result.stays]).toEqual([4, 4]);
    const { rows: where } = await world.pool.query<{ series_id: string }>('select series_id from record where id = $1', [ids['a2']]);
    expect(where[0]!.series_id).toBe(series);
  });

  it('tells the values of a fact to split by', async () => {
    const { values, without } = await keeper.call(records.factValues, { params: { id: series }, query: { fact: 'topic' } });
    expect([values, without]).toEqual([
      [
        { value: 'north', records: 5 },
        { value: 'south', records: 4 },
      ],
      0,
    ]);
    expect((await world.as('reader').call(records.factValues, { params: { id: world.ids.A01 }, query: { fact: 'topic' } })).values).toEqual(
      [],
    );
    expect(today).toBe('2026-09-14');
  });
});
