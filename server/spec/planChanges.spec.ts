import { holds, ledger, plan, records, schedule, setup, type EffectLine, type PlacePage } from '@key-cellar/contract';
import { type Login, makeWorld, Refused, ruleDefinition, statusOf, type World } from './support/world.js';

describe('changes of the plan', () => {
  let world: World;
  beforeAll(async () => {
    world = await makeWorld();
    await world.rule('R-A', world.ids.A01);
    await world.rule(
      'R-B',
      world.ids.B01,
      ruleDefinition({ steps: [{ kind: 'destroy', after: 'P9Y', from: 'clockStart', approvals: 1, noticeDays: 0 }] }),
    );
  });
  afterAll(() => world.stop());

  const keeper = () => world.as('keeper');
  const page = (id: string, login: Login = 'keeper'): Promise<PlacePage> => world.as(login).call(plan.place, { params: { id } });
  const make = async (parentId: string, kind: 'function' | 'activity' | 'series' | 'folder', code: string): Promise<string> =>
    (await keeper().call(plan.makePlace, { body: { parentId, kind, code, title: `Title ${code}`, note: '' } })).id;
  const edit = async (id: string, changes: object, login: Login = 'keeper') => {
    const { revision, code, title, note, notHere, message } = await page(id);
    return world.as(login).call(plan.editPlace, { params: { id }, body: { revision, code, title, note, notHere, message, ...changes } });
  };
  const move = async (id: string, parentId: string, dryRun = false, login: Login = 'keeper') =>
    world.as(login).call(plan.movePlace, { params: { id }, body: { revision: (await page(id)).revision, parentId, dryRun } });
  const merge = async (id: string, intoId: string, dryRun = false) =>
    keeper().call(plan.mergePlace, { params: { id }, body: { revision: (await page(id)).revision, intoId, dryRun } });
  const byCode = async (code: string) => (await keeper().call(plan.placesByCode, { query: { code } })).places;
  const due = async (id: string): Promise<string | null> => (await keeper().call(records.dossier, { params: { id } })).dueOn;
  /** An access set that nobody’s clearance reaches. */
  const aboveAll = async (): Promise<number> =>
    (
      await world.pool.query<{ id: number }>(
        'insert into access_set (anchor_place, marking_level, marking_caveats) values ($1, 9, $2) on conflict do nothing returning id',
        [world.ids.A, []],
      )
    ).rows[0]!.id;
  const refusal = async (call: Promise<unknown>): Promise<string> => {
    try {
      await call;
      return 'done';
    } catch (error) {
      if (error instanceof Refused) return error.problem.detail;
      return error instanceof Error ? error.message : String(error);
    }
  };

  it('a renumbered place is found by its old code, and its codes are not given again by a pattern', async () => {
    const first = await make(world.ids.A, 'series', 'NEW-{nn}');
    expect((await page(first)).code).toBe('NEW-01');
    await edit(first, { code: 'OTHER-1', notHere: 'no drafts', message: 'Two copies, please.' });
    const changed = await page(first);
    expect([changed.code, changed.notHere, changed.message, changed.formerCodes[0]?.code]).toEqual([
      'OTHER-1',
      'no drafts',
      'Two copies, please.',
      'NEW-01',
    ]);
    expect(await byCode('new-01')).toEqual([{ id: first, code: 'OTHER-1', title: 'Title NEW-{nn}', former: true }]);
    expect((await page(await make(world.ids.A, 'series', 'NEW-{nn}'))).code).toBe('NEW-02');
    expect(await refusal(edit(first, { code: 'A-01' }))).toContain('code of another place');
    expect(await statusOf(edit(first, { revision: 1, title: 'x' }))).toBe(412);
    expect(await statusOf(edit(first, { title: 'x' }, 'steward'))).toBe(403);
    await edit(first, { code: 'NEW-01' });
    expect((await page(first)).formerCodes.map((c) => c.code)).toEqual(['OTHER-1']);
  });

  it('a place is merged into another of its kind only, and nothing into itself or what was retired', async () => {
    const folder = await make(world.ids.A02, 'folder', 'MERGE-1');
    const retired = await make(world.ids.A02, 'folder', 'MERGE-2');
    await keeper().call(plan.retirePlace, { params: { id: retired }, body: { reason: 'not used' } });
    expect(await refusal(keeper().call(plan.retirePlace, { params: { id: retired }, body: { reason: 'again' } }))).toContain(
      'It was retired on',
    );
    expect(await refusal(keeper().call(plan.retirePlace, { params: { id: world.ids.root }, body: { reason: 'all' } }))).toBe(
      'The repository itself cannot be retired.',
    );
    for (const [id, into, why] of [
      [folder, folder, 'A place cannot be merged into itself.'],
      [world.ids.A02, world.ids.A, 'A series can only be merged into another series.'],
      [world.ids.root, world.ids.A, 'The repository itself cannot be merged.'],
      [folder, retired, 'MERGE-2 was retired on'],
    ] as const) {
      expect(await refusal(merge(id, into)))
        .withContext(why)
        .toContain(why);
    }
  });

  it('fifty who ask for the next code at once get fifty codes', async () => {
    const codes = await Promise.all(
      Array.from({ length: 50 }, async () => (await page(await make(world.ids.A02, 'folder', 'P-{nn}'))).code),
    );
    expect(new Set(codes).size).toBe(50);
    expect(codes.sort().at(-1)).toBe('P-50');
  }, 60_000);

  it('a folder moves with its records: their dates, their access and their series follow', async () => {
    const folder = await make(world.ids.A01, 'folder', 'M-1');
    const inner = await make(folder, 'folder', 'M-1-1');
    const record = await world.file('editor', { place: inner });
    expect(await due(record.id)).toBe('2026-01-10');
    const dry = await move(folder, world.ids.B01, true);
    expect([dry.records, dry.places]).toEqual([1, 1]);
    expect(dry.loses).toContain('Person reader (discover, read)');
    expect(dry.loses.some((l) => l.startsWith('Person editor (discover, read, copy out'))).toBeTrue();
    expect(dry.loses.some((l) => l.startsWith('Person steward ('))).toBeTrue();
    expect(dry.gains).toEqual([]);
    expect(await due(record.id)).toBe('2026-01-10');
    // What the dates would do is what the effect of the change says.
    const response = await keeper().fetch('/api/schedule/effect', {
      method: 'POST',
      body: JSON.stringify({ change: { kind: 'movePlace', placeId: folder, parentId: world.ids.B01 } }),
    });
    const last = JSON.parse((await response.text()).trim().split('\n').at(-1)!) as Extract<EffectLine, { effect: unknown }>;
    expect(last.effect.most.map((m) => [m.id, m.after])).toEqual([[record.id, '2034-01-10']]);
    await move(folder, world.ids.B01);
    expect(await due(record.id)).toBe('2034-01-10');
    const dossier = await keeper().call(records.dossier, { params: { id: record.id } });
    expect(dossier.path.map((p) => p.code)).toEqual(['B', 'B-01', 'M-1', 'M-1-1']);
    expect(await statusOf(world.as('reader').call(records.dossier, { params: { id: record.id } }))).toBe(404);
    expect((await keeper().call(records.count, { query: { under: world.ids.B01 } })).count).toBe(1);
    // The way that it had leads there too.
    expect((await byCode('A-01/M-1')).map((p) => [p.id, p.former])).toEqual([[folder, true]]);
    expect((await byCode('B-01/M-1')).map((p) => [p.id, p.former])).toEqual([[folder, false]]);
    await move(folder, world.ids.A01);
    expect(await due(record.id)).toBe('2026-01-10');
    expect(await statusOf(world.as('reader').call(records.dossier, { params: { id: record.id } }))).toBe(200);
  });

  it('declared records leave their series, or their folder, by a keeper with a reason, and it stands in the history of each', async () => {
    const folder = await make(world.ids.A01, 'folder', 'D-1');
    const { id, number } = await world.file('editor', { place: folder });
    await world.file('editor', { place: folder });
    await world.as('steward').call(records.declare, { body: { ids: [id] } });
    const other = await make(world.ids.A01, 'folder', 'D-2');
    // In its series it goes along without asking.
    expect([(await move(folder, other)).records, (await page(folder)).path.at(-2)!.code]).toEqual([2, 'D-2']);
    const to = async (reason?: string, login: Login = 'keeper', dryRun = false) =>
      world.as(login).call(plan.movePlace, {
        params: { id: folder },
        body: { revision: (await page(folder)).revision, parentId: world.ids.A02, dryRun, ...(reason ? { reason } : {}) },
      });
    expect(await refusal(to('Tidying up', 'steward'))).toContain('by a keeper of both places');
    expect(await refusal(to(undefined, 'steward', true))).toContain('by a keeper of both places');
    const tried = await to(undefined, 'keeper', true);
    expect([tried.records, tried.declared]).toEqual([2, 1]);
    expect(await refusal(to())).toContain('say why');
    expect((await to('The office of harbours took it over.')).declared).toBe(1);
    const dossier = await keeper().call(records.dossier, { params: { id } });
    expect([dossier.path.map((p) => p.code), dossier.state]).toEqual([['A', 'A-02', 'D-1'], 'declared']);
    const { entries } = await keeper().call(ledger.entries, { query: { subject: id, subjectKind: 'record' } });
    expect(entries.filter((e) => e.act === 'moved').map((e) => [e.subject.startsWith(number), e.note])).toEqual([
      [true, 'The office of harbours took it over.'],
    ]);
    const { rows } = await world.pool.query('select reason from reorganisation');
    expect(rows).toEqual([{ reason: 'The office of harbours took it over.' }]);

    // Merging takes it out of its folder.
    const into = await make(world.ids.A02, 'folder', 'D-3');
    const mergeInto = async (reason?: string) =>
      keeper().call(plan.mergePlace, {
        params: { id: folder },
        body: { revision: (await page(folder)).revision, intoId: into, dryRun: false, ...(reason ? { reason } : {}) },
      });
    expect(await refusal(mergeInto())).toContain('say why');
    expect((await mergeInto('One folder is enough.')).declared).toBe(1);
    expect((await keeper().call(records.dossier, { params: { id } })).path.map((p) => p.code)).toEqual(['A', 'A-02', 'D-3']);
  });

  it('records that a hold keeps as they are stay where they are, whoever asks', async () => {
    const folder = await make(world.ids.A01, 'folder', 'H-1');
    const { id } = await world.file('editor', { place: folder });
    const { id: matterId } = await keeper().call(holds.makeMatter, { body: { code: 'MOVE', title: 'Matter', kind: 'case', note: '' } });
    await keeper().call(holds.placeHold, {
      body: { matterId, name: 'Hold', reason: 'As it is', freeze: true, recordIds: [id], custodianIds: [] },
    });
    const moved = keeper().call(plan.movePlace, {
      params: { id: folder },
      body: { revision: (await page(folder)).revision, parentId: world.ids.A02, dryRun: false, reason: 'Tidying up' },
    });
    expect(await refusal(moved)).toContain('A hold keeps records in H-1');
    expect((await page(folder)).path.at(-2)!.code).toBe('A-01');
  });

  it('a code that was another place’s is given again by whoever was told whose', async () => {
    const first = await make(world.ids.A, 'series', 'TWICE-1');
    await edit(first, { code: 'TWICE-2', title: 'Now two' });
    const again = (more: object) =>
      keeper().call(plan.makePlace, { body: { parentId: world.ids.A, kind: 'series', code: 'TWICE-1', title: 'New', note: '', ...more } });
    expect(await refusal(again({}))).toBe(
      'TWICE-1 was the code of TWICE-2 Now two until 14 Sep 2026, and what refers to it by that code leads there. Give another, or give it all the same.',
    );
    const { id: second } = await again({ again: true });
    expect((await byCode('TWICE-1')).map((p) => [p.id, p.former])).toEqual([
      [second, false],
      [first, true],
    ]);
    const third = await make(world.ids.A, 'series', 'TWICE-3');
    await edit(second, { code: 'TWICE-4' });
    expect(await refusal(edit(third, { code: 'TWICE-1' }))).toContain('was the code of TWICE-2 Now two and TWICE-4 New');
    await edit(third, { code: 'TWICE-1', again: true });
    // Its own code of before it may always have back.
    await edit(second, { code: 'TWICE-5' });
    await edit(second, { code: 'TWICE-4' });
    // Whoever may not know of that place is not told which it is.
    const inside = await make(world.ids.A01, 'folder', 'SECRET-1');
    await edit(inside, { code: 'SECRET-2', title: 'Hidden' });
    await world.pool.query('update place set marking_level = 9, access_set_id = $2 where id = $1', [inside, await aboveAll()]);
    const blind = await refusal(
      world.as('editor').call(plan.makePlace, {
        body: { parentId: world.ids.A01, kind: 'folder', code: 'SECRET-1', title: 'New', note: '' },
      }),
    );
    expect(blind).toContain('another place');
    expect(blind).not.toContain('Hidden');
  });

  it('two who set the jurisdictions, the numbering or what a place takes do not write over one another', async () => {
    const series = await make(world.ids.A, 'series', 'GUARD-1');
    const before = (await page(series)).revision;
    const calls: (() => Promise<unknown>)[] = [
      () => keeper().call(schedule.placeJurisdictions, { params: { id: series }, body: { revision: before, jurisdictions: [] } }),
      () => keeper().call(records.placeNumbering, { params: { id: series }, body: { revision: before, numberingId: null } }),
      () => keeper().call(setup.placeTakes, { params: { id: series }, body: { revision: before, takes: null } }),
    ];
    await calls[0]!();
    for (const call of calls) expect(await statusOf(call())).toBe(412);
  });

  it('a series moves under another function, and refuses what makes no plan', async () => {
    const fn = await make(world.ids.root, 'function', 'C');
    const series = await make(world.ids.A, 'series', 'MOV-1');
    const record = await world.file('editor', { place: series });
    await move(series, fn);
    expect((await page(series)).path.map((p) => p.code)).toEqual(['ALL', 'C', 'MOV-1']);
    expect((await keeper().call(records.list, { query: { under: fn } })).records.map((r) => r.id)).toEqual([record.id]);
    expect(await refusal(move(fn, series))).toContain('moved into itself');
    expect(await refusal(move(series, world.ids.A01))).toContain('cannot be inside');
    expect(await refusal(move(series, fn))).toContain('already');
    expect(await statusOf(move(world.ids.A01, world.ids.A, false, 'steward'))).toBe(403);
  });

  it('two moves at once never close a circle', async () => {
    const [x, y] = [await make(world.ids.A02, 'folder', 'X'), await make(world.ids.A02, 'folder', 'Y')];
    const outcomes = await Promise.allSettled([move(x, y), move(y, x)]);
    expect(outcomes.filter((o) => o.status === 'fulfilled').length).toBe(1);
    const paths = await Promise.all([page(x), page(y)]);
    for (const p of paths) expect(new Set(p.path.map((a) => a.id)).size).toBe(p.path.length);
  });

  it('a merged place leaves its code and its records behind, and takes nothing more', async () => {
    const [from, into] = [await make(world.ids.A, 'series', 'OLD-1'), await make(world.ids.A, 'series', 'KEEP-1')];
    const folder = await make(from, 'folder', 'F-1');
    const [one, two] = [await world.file('editor', { place: from }), await world.file('editor', { place: folder })];
    await make(into, 'folder', 'F-1');
    expect(await refusal(merge(from, into))).toContain('Both have F-1 inside.');
    await edit(folder, { code: 'F-2' });
    expect((await merge(from, into, true)).records).toBe(2);
    await merge(from, into);
    for (const { id } of [one, two]) expect((await keeper().call(records.dossier, { params: { id } })).path[1]!.code).toBe('KEEP-1');
    expect((await byCode('OLD-1')).map((p) => p.code).sort()).toEqual(['KEEP-1', 'OLD-1']);
    expect((await page(from)).retiredOn).toBe('2026-09-14');
    expect(await refusal(world.file('editor', { place: from }))).toContain('retired');
    expect(await refusal(make(from, 'folder', 'N-1'))).toContain('retired on 14 Sep 2026');
    const { series } = await keeper().call(plan.rack);
    expect(series.find((s) => s.seriesId === into)!.kept.reduce((sum, n) => sum + n, 0)).toBe(2);
    expect(series.filter((s) => s.seriesId === from)).toEqual([]);
  });

  it('a folder is closed, opened again with a reason, and retired; each is in the ledger', async () => {
    const folder = await make(world.ids.A01, 'folder', 'R-1');
    await keeper().call(plan.closeFolder, { params: { id: folder }, body: { on: '2026-09-14' } });
    expect(await refusal(make(folder, 'folder', 'R-1-1'))).toContain('closed on 14 Sep 2026');
    await world.as('steward').call(plan.reopenFolder, { params: { id: folder }, body: { reason: 'one paper was late' } });
    expect((await page(folder)).closedOn).toBeNull();
    expect(await statusOf(world.as('steward').call(plan.reopenFolder, { params: { id: folder }, body: { reason: 'again' } }))).toBe(409);
    await keeper().call(plan.retirePlace, { params: { id: folder }, body: { reason: 'not used' } });
    expect(await refusal(make(folder, 'folder', 'R-1-2'))).toContain('retired');
    expect(await statusOf(world.as('reader').call(plan.retirePlace, { params: { id: folder }, body: { reason: 'not used' } }))).toBe(403);
    await keeper().call(plan.reopenFolder, { params: { id: folder }, body: { reason: 'used after all' } });
    expect((await page(folder)).retiredOn).toBeNull();
    expect((await keeper().call(schedule.placeEvents, { params: { id: folder } })).events).toEqual([]);
  });
});
