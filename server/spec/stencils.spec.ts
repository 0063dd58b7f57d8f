import {
  plan,
  receiving,
  records,
  schedule,
  setup,
  stencils,
  type BroughtLine,
  type EffectPage,
  type StencilBody,
  type StencilUse,
} from '@key-cellar/contract';
import { bareFolder } from '@key-cellar/core/plan';
import { asApplication } from './support/database.js';
import { tamper } from './support/ledger.js';
import { type Client, makeWorld, ruleDefinition, statusOf, today, type World } from './support/world.js';

type Folder = StencilBody['root'];

describe('stencils', () => {
  let world: World;
  let keeper: Client;
  let rule: string;
  beforeEach(async () => {
    world = await makeWorld();
    keeper = world.as('keeper');
    rule = await world.rule(
      'R-5',
      world.ids.B01,
      ruleDefinition({ steps: [{ kind: 'destroy', after: 'P5Y', from: 'clockStart', approvals: 1, noticeDays: 0 }] }),
    );
    await keeper.call(setup.makeType, {
      body: {
        code: 'paper',
        title: 'Paper',
        facts: [
          { code: 'person', title: 'Person', kind: 'party', required: true },
          { code: 'post', title: 'Post', kind: 'text', required: false },
        ],
      },
    });
    for (const name of ['Ida Vasik', 'Otto Brae'])
      await keeper.call(setup.makeEntity, { body: { kind: 'party', name, code: '', note: '' } });
  });
  afterEach(() => world.stop());

  const folder = (key: string, more: Partial<Folder> = {}): Folder =>
    ({ ...bareFolder(key, key.toUpperCase(), `Folder ${key}`), ...more }) as Folder;
  const grant = (principalId: string | null, more: Partial<Folder['grants'][number]> = {}): Folder['grants'][number] => ({
    principalId,
    role: null,
    profile: 'reader',
    from: null,
    until: null,
    ...more,
  });
  /** What a line says: each change from what to what, and what stays. */
  const saysOf = ({ changes, kept }: Pick<BroughtLine, 'changes' | 'kept'>) => [
    changes.map((c) => `${c.code}: ${c.what}${c.before === null ? '' : ` ${c.before} → ${c.after}`}`),
    kept,
  ];
  const staffFile = (more: Partial<Folder> = {}, inside: Folder[] = [health()]): StencilBody => ({
    asks: ['person', 'post'],
    roles: [],
    root: folder('root', {
      code: 'P-{nn}',
      title: 'File of {person}',
      message: 'Only papers of {person}.',
      types: ['paper'],
      readyTitles: [{ text: 'Appraisal {n} of {person}', date: 'before', recordType: 'paper' }],
      inside,
      ...more,
    }),
  });
  const health = (more: Partial<Folder> = {}): Folder =>
    folder('health', {
      grants: [grant(world.ids.reader)],
      rules: [rule],
      marking: { level: 1, caveats: [] },
      ...more,
    });
  const make = async (definition: StencilBody, title = 'Staff file'): Promise<string> =>
    (await keeper.call(stencils.make, { body: { subject: 'People', title, note: '', definition } })).id;
  const use = (person: string, more: Partial<StencilUse> = {}): StencilUse => ({
    title: '',
    code: '',
    roles: {},
    ...more,
    facts: { person, post: 'pilot', ...more.facts },
  });
  const apply = (id: string, uses: StencilUse[], dryRun = false, client = keeper) =>
    client.call(stencils.apply, { params: { id }, body: { placeId: world.ids.A01, uses, dryRun } }).then((r) => r.results);
  const place = (id: string, client = keeper) => client.call(plan.place, { params: { id } });
  const change = async (id: string, definition: StencilBody) => {
    const { revision, subject, title, note } = await keeper.call(stencils.stencil, { params: { id } });
    return keeper.call(stencils.change, { params: { id }, body: { revision, subject, title, note, retired: false, definition } });
  };

  it('make folders for many at once, with access, rules, types, marking and facts, after a trial that changes nothing', async () => {
    const id = await make(staffFile());
    const uses = [
      use('ida vasik'),
      use('Nobody Known'),
      use('Otto Brae', { code: 'P-99', title: 'The other file' }),
      use('Otto Brae', { code: 'P-99' }),
    ];
    const tried = await apply(id, uses, true);
    expect(tried.map((r) => [r.outcome, r.name])).toEqual([
      ['done', 'P-01 File of Ida Vasik'],
      ['refused', '2'],
      ['done', 'P-99 The other file'],
      ['refused', '4'],
    ]);
    expect(tried[0]!.folders).toEqual(['HEALTH Folder health']);
    expect(tried[1]!.why).toBe('Person must name one that exists.');
    expect(tried[3]!.why).toContain('P-99 already exists here');
    expect((await place(world.ids.A01)).inside).toEqual([]);

    const made = await apply(id, uses);
    expect(made.map((r) => r.outcome)).toEqual(['done', 'refused', 'done', 'refused']);
    const root = await place(made[0]!.placeId!);
    expect([root.code, root.title, root.message, root.takes?.types, Object.keys(root.facts).sort()]).toEqual([
      'P-01',
      'File of Ida Vasik',
      'Only papers of Ida Vasik.',
      ['paper'],
      ['person', 'post'],
    ]);
    expect(root.stencil).toEqual({ id, title: 'Staff file', version: 1, newest: 1, roles: [] });
    expect(root.readyTitles).toEqual([{ text: 'Appraisal 1 of Ida Vasik', date: 'before', recordType: 'paper' }]);
    const inside = await place(root.inside[0]!.id);
    expect(inside.setRules.find((r) => r.here)?.code).toBe('R-5');
    // Marked: only whose clearance reaches it sees it, granted or not.
    await world.pool.query('update principal set clearance_level = 0 where id = $1', [world.ids.reader]);
    expect(await statusOf(place(inside.id, world.as('reader')))).toBe(404);
    await world.pool.query('update principal set clearance_level = 1 where id = $1', [world.ids.reader]);
    expect((await place(inside.id, world.as('reader'))).code).toBe('HEALTH');

    // What is filed there gets the facts, the date and the number of its place.
    const editor = world.as('editor');
    const file = async (title: string) => {
      const arrivalId = await editor.upload('a.txt', title);
      const filing = { arrivalId, title, recordType: 'paper', placeId: inside.id, createdOn: '2026-01-10', facts: {} };
      return (await editor.call(receiving.file, { body: { filings: [filing] } })).results[0]!;
    };
    const filed = await file('Eye test');
    const dossier = await keeper.call(records.dossier, { params: { id: filed.recordId! } });
    expect([dossier.dueOn, dossier.facts['post'], dossier.gaps]).toEqual(['2031-01-10', 'pilot', 0]);
  });

  it('offer ready titles whose counters go on from what is there', async () => {
    const id = await make(staffFile({}, []));
    const [made] = await apply(id, [use('Ida Vasik')]);
    const editor = world.as('editor');
    for (const title of ['2025-01-01 Appraisal 4 of Ida Vasik', 'Another']) {
      const arrivalId = await editor.upload('a.txt', title);
      await editor.call(receiving.file, {
        body: { filings: [{ arrivalId, title, recordType: 'paper', placeId: made!.placeId!, createdOn: '2025-01-01', facts: {} }] },
      });
    }
    expect((await place(made!.placeId!, editor)).readyTitles[0]!.text).toBe('Appraisal 5 of Ida Vasik');
  });

  it('give every use a code of its own, however many are made at once', async () => {
    const id = await make(staffFile({ types: null }, []));
    const uses = Array.from({ length: 20 }, () => use('Ida Vasik'));
    const all = (await Promise.all([apply(id, uses), apply(id, uses, false, world.as('deputy'))])).flat();
    const codes = all.filter((r) => r.outcome === 'done').map((r) => r.code);
    expect([codes.length, new Set(codes).size]).toEqual([40, 40]);
  });

  it('read their uses from a table', async () => {
    const id = await make(staffFile());
    const read = (csv: string) =>
      keeper.call(stencils.readUses, { params: { id }, body: { format: 'csv', data: Buffer.from(csv).toString('base64') } });
    const { uses, readAs } = await read('Person,post,code\nIda Vasik,pilot,\nOtto Brae,"mate, first",P-77\n,,\n');
    expect(uses).toEqual([
      { code: '', title: '', facts: { person: 'Ida Vasik', post: 'pilot' }, roles: {} },
      { code: 'P-77', title: '', facts: { person: 'Otto Brae', post: 'mate, first' }, roles: {} },
    ]);
    expect(readAs).toBeNull();
    expect((await apply(id, uses)).map((r) => r.code)).toEqual(['P-01', 'P-77']);
    const western = Buffer.from('person,post\nJürgen Brae,pilot\n', 'latin1').toString('base64');
    expect(await keeper.call(stencils.readUses, { params: { id }, body: { format: 'csv', data: western } })).toEqual({
      uses: [{ code: '', title: '', facts: { person: 'Jürgen Brae', post: 'pilot' }, roles: {} }],
      readAs: 'Windows-1252',
    });
    await expectAsync(read('Person,salary\nIda,3\n')).toBeRejectedWithError(
      /salary: no such column\. It may have code, title, person or post\./,
    );
  });

  it('bring later changes to what was made from them, and never touch what people added', async () => {
    const id = await make(staffFile());
    const [a, b] = (await apply(id, [use('Ida Vasik'), use('Otto Brae')])).map((r) => r.placeId!);
    const inside = async (parent: string, code: string) => (await place(parent)).inside.find((p) => p.code === code)!.id;
    // People change one of the two: another title, another message, a grant and a folder of their own, a rule taken off.
    const own = await place(a!);
    await keeper.call(plan.editPlace, {
      params: { id: a! },
      body: { revision: own.revision, code: own.code, title: 'Ida’s papers', note: '', notHere: '', message: own.message },
    });
    await keeper.call(plan.makePlace, { body: { parentId: a!, kind: 'folder', code: 'TRAINING', title: 'Mine', note: '' } });
    await keeper.call(plan.unsetRule, { params: { id: await inside(a!, 'HEALTH') }, body: { ruleId: rule } });
    const definition = staffFile({ title: 'Personnel file of {person}', note: 'Since 2026.', types: ['paper', 'note'] }, [
      health({ grants: [grant(world.ids.approver)] }),
      folder('training', { readyTitles: [{ text: 'Course {nn}', date: 'none', recordType: null }] }),
    ]);
    await change(id, definition);
    const bring = (dryRun: boolean) => keeper.call(stencils.bring, { params: { id }, body: { dryRun } }).then((r) => r.results);
    const tried = await bring(true);
    expect((await place(b!)).title).toBe('File of Otto Brae');
    const access = `HEALTH: access Person reader as Reader → Person approver as Reader`;
    expect(tried.map(saysOf)).toEqual([
      [
        ['P-01: note none → Since 2026.', 'P-01: record types it takes Paper → Paper, Note', access],
        ['P-01: title, changed here', 'TRAINING: a folder of that code is already there'],
      ],
      [
        [
          'P-02: title File of Otto Brae → Personnel file of Otto Brae',
          'P-02: note none → Since 2026.',
          'P-02: record types it takes Paper → Paper, Note',
          access,
          'TRAINING: new folder',
        ],
        [],
      ],
    ]);
    const told = (lines: readonly BroughtLine[]) => lines.map(({ why: _why, dates: _dates, ...line }) => line);
    expect(told(await bring(false))).toEqual(told(tried));
    const [nowA, nowB] = [await place(a!), await place(b!)];
    expect([nowA.title, nowA.note, nowA.takes?.types, nowA.stencil?.version]).toEqual([
      'Ida’s papers',
      'Since 2026.',
      ['paper', 'note'],
      2,
    ]);
    expect([nowB.title, nowB.inside.map((p) => p.code)]).toEqual(['Personnel file of Otto Brae', ['HEALTH', 'TRAINING']]);
    expect((await place(await inside(a!, 'HEALTH'))).setRules.filter((r) => r.here)).toEqual([]);
    // Access went from one to the other.
    expect(await statusOf(place(await inside(b!, 'HEALTH'), world.as('approver')))).toBe(200);
    const { rows } = await world.pool.query<{ n: number }>(
      'select count(*)::int as n from grant_ where principal_id = $1 and by_stencil is not null',
      [world.ids.reader],
    );
    expect(rows[0]!.n).toBe(0);
    expect(await bring(true)).toEqual([]);
    const { stencils: shelf } = await keeper.call(stencils.list);
    expect(shelf.map((s) => [s.uses, s.behind, s.version])).toEqual([[2, 0, 2]]);
  });

  it('say which rules they bring or take off, so that the effect on dates can be seen first', async () => {
    const id = await make(staffFile({ types: null }, [health({ rules: [] })]));
    const [a] = (await apply(id, [use('Ida Vasik'), use('Otto Brae')])).map((r) => r.placeId!);
    const inside = (await place(a!)).inside.find((p) => p.code === 'HEALTH')!.id;
    await world.file('editor', { place: inside });
    await change(id, staffFile({ types: null }, [health()]));
    const bring = (dryRun: boolean) => keeper.call(stencils.bring, { params: { id }, body: { dryRun } }).then((r) => r.results);
    const tried = await bring(true);
    const sets = tried.flatMap((r) => r.rules);
    expect(tried.map((r) => r.dates)).toEqual([
      { of: 1, looked: 1, earlier: 0, later: 0, first: 1, none: 0 },
      { of: 0, looked: 0, earlier: 0, later: 0, first: 0, none: 0 },
    ]);
    expect(sets.length).toBe(2);
    expect(sets).toContain({ placeId: inside, ruleId: rule, set: true });
    const response = await keeper.fetch('/api/schedule/effect', {
      method: 'POST',
      body: JSON.stringify({ change: { kind: 'setRules', sets } }),
    });
    const last = (await response.text()).trim().split('\n').at(-1)!;
    const { effect } = JSON.parse(last) as { effect: EffectPage };
    expect([effect.changed, effect.shift.first]).toEqual([1, 1]);
    expect((await bring(false)).map((r) => r.dates)).toEqual([null, null]);
    const { records: found } = await keeper.call(records.list, { query: { under: inside } });
    expect(found.map((r) => r.dueOn)).toEqual(effect.most.map((m) => m.after));
    // And off again.
    await change(id, staffFile({ types: null }, [health({ rules: [] })]));
    const off = await bring(true);
    expect(off.flatMap((r) => r.rules).map((r) => r.set)).toEqual([false, false]);
    expect(off.map((r) => r.dates!.none)).toEqual([1, 0]);
    // Dates follow from more than rules: from jurisdictions, too.
    await keeper.call(schedule.makeJurisdiction, { body: { name: 'Elsewhere', partOf: null } });
    const there = await world.rule(
      'R-6',
      world.ids.B01,
      ruleDefinition({
        jurisdictions: ['Elsewhere'],
        steps: [{ kind: 'destroy', after: 'P6Y', from: 'clockStart', approvals: 1, noticeDays: 0 }],
      }),
    );
    await change(id, staffFile({ types: null }, [health({ rules: [there] })]));
    await bring(false);
    await change(id, staffFile({ types: null }, [health({ rules: [there], jurisdictions: ['Elsewhere'] })]));
    const moved = await bring(true);
    expect(moved.flatMap((r) => r.rules)).toEqual([]);
    expect(moved.map((r) => r.dates!.first)).toEqual([1, 0]);
  });

  it('take folders away again only when nothing is in them, and give access back to what is around', async () => {
    const id = await make(staffFile({ types: null }, [health({ rules: [], marking: null }), folder('letters')]));
    const [a, b] = (await apply(id, [use('Ida Vasik'), use('Otto Brae')])).map((r) => r.placeId!);
    const lettersOf = async (parent: string) => (await place(parent)).inside.find((p) => p.code === 'LETTERS')!.id;
    const healthOf = async (parent: string) => (await place(parent)).inside.find((p) => p.code === 'HEALTH')!.id;
    await world.file('editor', { place: await lettersOf(a!) });
    await change(id, staffFile({ types: null }, [health({ grants: [], rules: [], marking: null })]));
    const { results } = await keeper.call(stencils.bring, { params: { id }, body: { dryRun: false } });
    const access = `HEALTH: access Person reader as Reader → none`;
    expect(results.map(saysOf)).toEqual([
      [[access], ['LETTERS: stays, because something is in it']],
      [[access, 'LETTERS: retired, it is empty'], []],
    ]);
    expect((await place(await lettersOf(a!))).retiredOn).toBeNull();
    expect((await place(await lettersOf(b!))).retiredOn).toBe(today);
    // Whoever edits the function reaches the folder again, though it had grants of its own in between.
    expect((await place(await healthOf(b!), world.as('editor'))).rights).toContain('edit');
  });

  it('go into folders that are there: what they lack is added, what they say stays', async () => {
    const id = await make(staffFile({ note: 'From the stencil.' }));
    const { id: there } = await keeper.call(plan.makePlace, {
      body: { parentId: world.ids.A01, kind: 'folder', code: 'OLD', title: 'Old file', note: 'Ours.' },
    });
    await keeper.call(setup.placeFacts, { params: { id: there }, body: { revision: 1, facts: { post: 'mate' } } });
    const to = (dryRun: boolean) =>
      keeper.call(stencils.applyTo, { params: { id }, body: { placeIds: [there, world.ids.A01], dryRun } }).then((r) => r.results);
    const tried = await to(true);
    expect(saysOf(tried.find((r) => r.placeId === there)!)[0]).toEqual([
      'OLD: message none → Only papers of .',
      'OLD: record types it takes as around it → Paper',
      'OLD: ready titles none → Appraisal {n} of {person}',
      'HEALTH: new folder',
    ]);
    expect(tried.find((r) => r.placeId === world.ids.A01)!.outcome).toBe('refused');
    await to(false);
    const now = await place(there);
    expect([now.title, now.note, now.inside.map((p) => p.code), now.stencil?.id]).toEqual(['Old file', 'Ours.', ['HEALTH'], id]);
    expect((await to(false)).find((r) => r.placeId === there)!.why).toContain('was already made from a stencil');
  });

  it('are made of a folder that is there, and made of that again are the same', async () => {
    const id = await make(staffFile({ title: 'A file', message: '', readyTitles: [] }));
    const [made] = await apply(id, [use('Ida Vasik')]);
    const { definition } = await keeper.call(stencils.fromFolder, { body: { placeId: made!.placeId! } });
    expect([definition.root.code, definition.root.inside.map((f) => [f.code, f.rules, f.grants, f.marking])]).toEqual([
      'P-01',
      [['HEALTH', [rule], [grant(world.ids.reader)], { level: 1, caveats: [] }]],
    ]);
    const again = await make({ ...definition, root: { ...definition.root, code: 'Q-{nn}' } }, 'Again');
    const [copy] = await apply(again, [{ title: '', code: '', facts: {}, roles: {} }]);
    const other = await keeper.call(stencils.fromFolder, { body: { placeId: copy!.placeId! } });
    const bare = (f: Folder): unknown => ({ ...f, key: '', code: '', inside: f.inside.map(bare) });
    expect(bare(other.definition.root)).toEqual(bare(definition.root));
  });

  it('are the keepers’; using one takes the rights to set what it sets', async () => {
    const id = await make(staffFile());
    const plain = await make({ asks: [], roles: [], root: folder('p', { code: 'X-{n}' }) }, 'Plain');
    const none: StencilUse = { title: '', code: '', facts: {}, roles: {} };
    for (const [login, withAll, withNone] of [
      ['editor', 403, 200],
      ['steward', 403, 200],
      ['reader', 403, 403],
      ['outsider', 404, 404],
      ['deputy', 200, 200],
    ] as const) {
      const client = world.as(login);
      expect([login, await statusOf(apply(id, [use('Ida Vasik')], true, client))]).toEqual([login, withAll]);
      expect([login, await statusOf(apply(plain, [none], true, client))]).toEqual([login, withNone]);
      if (login === 'deputy') continue;
      expect(await statusOf(client.call(stencils.make, { body: { subject: 'S', title: 'T', note: '', definition: staffFile() } }))).toBe(
        403,
      );
      expect(await statusOf(client.call(stencils.fromFolder, { body: { placeId: world.ids.A01 } }))).toBe(403);
    }
    await asApplication(world.database, async (app) => {
      await expectAsync(app.query(`update stencil_version set version = 9`)).toBeRejected();
      await expectAsync(app.query('delete from stencil_version')).toBeRejected();
    });
  });

  it('refuse what is not sound, by folder', async () => {
    const wrong: [Partial<Folder>, RegExp][] = [
      [{ title: 'Of {salary}' }, /holds \{salary\}/],
      [{ types: ['nothing'] }, /a record type does not exist/],
      [{ rules: [world.ids.A01] }, /a rule does not exist/],
      [{ grants: [grant(world.ids.A01)] }, /somebody who is not here/],
      [{ grants: [grant(world.ids.reader, { profile: 'emperor' })] }, /a profile that does not exist/],
      [{ facts: { nothing: 1 } }, /no record type has a fact “nothing”/],
    ];
    for (const [changes, sentence] of wrong) await expectAsync(make(staffFile(changes))).toBeRejectedWithError(sentence);
    const id = await make(staffFile());
    await expectAsync(make(staffFile(), 'STAFF FILE')).toBeRejectedWithError(/There is already a stencil/);
    const { revision } = await keeper.call(stencils.stencil, { params: { id } });
    const body = { revision: revision + 1, subject: 'P', title: 'T', note: '', retired: false, definition: staffFile() };
    expect(await statusOf(keeper.call(stencils.change, { params: { id }, body }))).toBe(412);
    await keeper.call(stencils.change, { params: { id }, body: { ...body, revision, retired: true } });
    expect(await statusOf(apply(id, [use('Ida Vasik')]))).toBe(409);
    expect((await keeper.call(stencils.stencil, { params: { id } })).version).toBe(1);
  });

  const inside = async (parent: string, code: string) => (await place(parent)).inside.find((p) => p.code === code)!.id;
  const bring = (id: string, dryRun: boolean) => keeper.call(stencils.bring, { params: { id }, body: { dryRun } }).then((r) => r.results);
  const none: StencilUse = { title: '', code: '', facts: {}, roles: {} };

  it('make each use of a list or say why not: codes inside are tried too, in whatever script', async () => {
    const id = await make(staffFile({ types: null }, [folder('post', { code: 'R-{post}', title: 'As {post}' })]));
    const uses = [
      use('Ida Vasik', { facts: { post: 'Ærø 1' } }),
      use('Ida Vasik', { facts: { post: 'y'.repeat(60) } }),
      use('Ida Vasik', { facts: { post: '東京' } }),
      use('Ida Vasik', { facts: { post: '…' } }),
      use('Otto Brae', { code: 'p 9' }),
      use('Otto Brae'),
    ];
    const tried = await apply(id, uses, true);
    expect(tried.map((r) => [r.outcome, r.folders.join()])).toEqual([
      ['done', 'R-AERO-1 As Ærø 1'],
      ['refused', ''],
      ['done', 'R-DONGJING As 東京'],
      ['refused', ''],
      ['refused', ''],
      ['done', 'R-PILOT As pilot'],
    ]);
    expect(tried[1]!.why).toContain('R-YYY');
    expect(tried.map((r) => r.code)).toEqual(['P-01', '', 'P-02', '', 'p 9', 'P-03']);
    // What a trial says is what the act does.
    const bare = (lines: typeof tried) => lines.map(({ why: _why, placeId: _placeId, ...line }) => line);
    const made = await apply(id, uses);
    expect(bare(made)).toEqual(bare(tried));
    expect(made.filter((r) => r.outcome === 'refused').map((r) => r.why)).toEqual(
      tried.filter((r) => r.outcome === 'refused').map((r) => r.why),
    );
  });

  it('say which code comes twice in a use', async () => {
    const id = await make(staffFile({ types: null }, [folder('one', { code: 'R-{post}' }), folder('two', { code: 'R-PILOT' })]));
    const tried = await apply(id, [use('Ida Vasik'), use('Ida Vasik', { facts: { post: 'mate' } })], true);
    expect(tried.map((r) => [r.outcome, r.outcome === 'refused' ? r.why : r.code])).toEqual([
      ['refused', 'R-PILOT already exists here.'],
      ['done', 'P-01'],
    ]);
  });

  it('give two people at once their lists: what the other has made already is that line’s reason', async () => {
    const id = await make(staffFile({ types: null }, []));
    const uses = Array.from({ length: 12 }, (_, i) => use('Ida Vasik', { code: `T-${i}` }));
    const [a, b] = await Promise.all([apply(id, uses), apply(id, [...uses].reverse(), false, world.as('deputy'))]);
    const all = [...a, ...b];
    expect(
      all
        .filter((r) => r.outcome === 'done')
        .map((r) => r.code)
        .sort(),
    ).toEqual(uses.map((u) => u.code).sort());
    for (const line of all.filter((r) => r.outcome === 'refused')) expect(line.why).toContain('already exists');
  });

  it('bring all that a version says otherwise, each from what to what', async () => {
    await keeper.call(schedule.makeJurisdiction, { body: { name: 'North', partOf: null } });
    const { id: numbering } = await keeper.call(records.makeNumbering, {
      body: { title: 'By file', pattern: 'PF-{nnnn}', per: [], gapless: false },
    });
    const id = await make(
      staffFile({ types: null }, [folder('a', { inside: [folder('b')] }), folder('c', { grants: [grant(world.ids.reader)] })]),
    );
    const [made] = await apply(id, [use('Ida Vasik')]);
    const root = made!.placeId!;
    const [a, c] = [await inside(root, 'A'), await inside(root, 'C')];
    const b = await inside(a, 'B');
    await world.file('editor', { place: b });
    const dated = grant(world.ids.reader, { from: '2026-01-01', until: '2030-12-31' });
    const definition = staffFile({ types: null, numbering, jurisdictions: ['North'] }, [
      folder('a', { code: 'AA', formats: ['pdf'], largest: 2_000_000 }),
      folder('c', { grants: [dated], standAlone: true, inside: [folder('b', { code: 'B', facts: { post: 'mate' } })] }),
    ]);
    await change(id, definition);
    const tried = await bring(id, true);
    expect(tried.map(saysOf)).toEqual([
      [
        [
          'P-01: numbering as around it → By file',
          'P-01: jurisdictions as around it → North',
          'A: code A → AA',
          'A: formats it takes as around it → pdf',
          'A: largest size as around it → 2.0 MB',
          'C: access from around it reaches in → does not reach in',
          'C: access Person reader as Reader → Person reader as Reader from 1 Jan 2026 until 31 Dec 2030',
          'B: where it is A Folder a → C Folder c',
          'B: facts none → Post: mate',
        ],
        [],
      ],
    ]);
    expect(await inside(root, 'A')).toBe(a);
    const brought = await bring(id, false);
    expect(brought.map(saysOf)).toEqual(tried.map(saysOf));
    const [nowA, nowB, nowC] = [await place(a), await place(b), await place(c)];
    expect([nowA.code, nowA.takes, nowA.formerCodes.map((f) => f.code)]).toEqual([
      'AA',
      { types: null, formats: ['pdf'], largest: 2_000_000 },
      ['A'],
    ]);
    expect([nowB.path.at(-2)!.id, nowC.standAlone, nowC.jurisdictions, nowC.numbering?.title]).toEqual([c, true, ['North'], 'By file']);
    const { rows } = await world.pool.query('select from_on::text, until_on::text from grant_ where place_id = $1', [c]);
    expect(rows).toEqual([{ from_on: '2026-01-01', until_on: '2030-12-31' }]);
    expect(await bring(id, true)).toEqual([]);
  });

  it('make nothing in a folder that is closed or retired, nor give a code twice: it stays, and is told', async () => {
    const id = await make(staffFile({ types: null }, [folder('a'), folder('b')]));
    const [one, two] = (await apply(id, [use('Ida Vasik'), use('Otto Brae')])).map((r) => r.placeId!);
    await keeper.call(plan.closeFolder, { params: { id: await inside(one!, 'A') }, body: { on: today } });
    await keeper.call(plan.makePlace, { body: { parentId: two!, kind: 'folder', code: 'NEW', title: 'Ours', note: '' } });
    await change(id, staffFile({ types: null }, [folder('a', { inside: [folder('in')] }), folder('b', { code: 'NEW' })]));
    const results = await bring(id, false);
    const closed = await keeper
      .call(plan.makePlace, { body: { parentId: await inside(one!, 'A'), kind: 'folder', code: 'X', title: 'X', note: '' } })
      .catch((error: Error) => error.message);
    expect(results.map(saysOf)).toEqual([
      [['B: code B → NEW'], [`IN: ${String(closed).replace(/^.*closed: /, '')}`]],
      [['IN: new folder'], ['NEW: a folder of that code is already there']],
    ]);
    expect((await place(await inside(one!, 'A'))).inside).toEqual([]);
  });

  it('leave a folder where people have put it', async () => {
    const id = await make(staffFile({ types: null }, [folder('a', { inside: [folder('b')] }), folder('c')]));
    const root = (await apply(id, [use('Ida Vasik')]))[0]!.placeId!;
    const b = await inside(await inside(root, 'A'), 'B');
    const { revision } = await place(b);
    await keeper.call(plan.movePlace, { params: { id: b }, body: { revision, parentId: root, dryRun: false } });
    await change(id, staffFile({ types: null }, [folder('a'), folder('c', { inside: [folder('b')] })]));
    expect((await bring(id, false)).map(saysOf)).toEqual([[[], ['B: where it is, changed here']]]);
    expect((await place(b)).path.at(-2)!.id).toBe(root);
  });

  it('answer once for each folder that they are put into, done or refused', async () => {
    const id = await make({ asks: [], roles: [], root: folder('root', { note: 'New', inside: [folder('a', { code: 'TAKEN' })] }) });
    const there = await Promise.all(
      ['ONE', 'TWO'].map(
        async (code) =>
          (await keeper.call(plan.makePlace, { body: { parentId: world.ids.A01, kind: 'folder', code, title: code, note: '' } })).id,
      ),
    );
    await tamper(
      world,
      `create function refuse_this() returns trigger language plpgsql as $$ begin
         if new.parent_id = '${there[0]}' then raise exception 'no more room' using errcode = '53100'; end if; return new; end $$;
       create trigger refuse_this before insert on place for each row execute function refuse_this()`,
    );
    const { results } = await keeper.call(stencils.applyTo, { params: { id }, body: { placeIds: there, roles: {}, dryRun: false } });
    await tamper(world, 'drop trigger refuse_this on place; drop function refuse_this');
    expect(results.map((r) => [r.placeId, r.outcome])).toEqual([
      [there[0], 'refused'],
      [there[1], 'done'],
    ] as never);
    expect((await place(there[0]!)).note).toBe('');
  });

  const caseFile = (more: Partial<StencilBody> = {}): StencilBody => ({
    asks: [],
    roles: [{ code: 'owner', title: 'Case owner' }],
    root: folder('root', {
      code: 'C-{nn}',
      title: 'Case',
      inside: [folder('private', { standAlone: true, grants: [grant(null, { role: 'owner', profile: 'editor' })] })],
    }),
    ...more,
  });

  it('give access to whoever has a role in the use, now and when that changes', async () => {
    const id = await make(caseFile());
    const csv = Buffer.from('Case owner\nPerson outsider\nSTAFF\nNobody\n\n').toString('base64');
    const { uses } = await keeper.call(stencils.readUses, { params: { id }, body: { format: 'csv', data: csv } });
    const made = await apply(id, [...uses, none]);
    expect(made.map((r) => [r.outcome, r.outcome === 'refused' ? r.why : ''])).toEqual([
      ['done', ''],
      ['done', ''],
      ['refused', 'Case owner: nobody here is called “Nobody”.'],
      ['refused', 'Case owner is missing: name a person or group.'],
    ]);
    const root = made[0]!.placeId!;
    const hidden = await inside(root, 'PRIVATE');
    const sees = (login: 'outsider' | 'approver') => statusOf(place(hidden, world.as(login)));
    expect([await sees('outsider'), await sees('approver')]).toEqual([200, 404]);
    expect((await place(root)).stencil!.roles).toEqual([
      { code: 'owner', title: 'Case owner', principalId: world.ids.outsider, name: 'Person outsider' },
    ]);
    const name = (roles: Record<string, string>, dryRun: boolean, client = keeper) =>
      client.call(stencils.nameRoles, { params: { id: root }, body: { roles, dryRun } });
    const tried = await name({ owner: 'approver' }, true);
    expect(saysOf(tried)).toEqual([['PRIVATE: access Person outsider as Editor → Person approver as Editor'], []]);
    expect(await sees('outsider')).toBe(200);
    expect(saysOf(await name({ owner: 'approver' }, false))).toEqual(saysOf(tried));
    expect([await sees('outsider'), await sees('approver')]).toEqual([404, 200]);
    expect((await name({ owner: 'approver' }, false)).outcome).toBe('skipped');
    // Whoever may grant outermost has no say in a folder inside that stands alone.
    expect(await statusOf(name({ owner: 'steward' }, false, world.as('steward')))).toBe(403);
    // Only who may grant, on the outermost folder of a use, and nobody who is not here.
    expect(await statusOf(name({ owner: 'editor' }, false, world.as('editor')))).toBe(403);
    await expectAsync(name({ owner: 'nobody' }, false)).toBeRejectedWithError(/nobody here is called/);
    await expectAsync(name({ tenant: 'editor' }, false)).toBeRejectedWithError(/no role “tenant”/);
    expect(
      await statusOf(keeper.call(stencils.nameRoles, { params: { id: hidden }, body: { roles: { owner: 'editor' }, dryRun: false } })),
    ).toBe(409);

    // A role that comes later waits until somebody is named, and keeps who has the others.
    const later = caseFile({
      roles: [
        { code: 'owner', title: 'Case owner' },
        { code: 'helper', title: 'Helper' },
      ],
    });
    later.root.inside[0]!.grants.push(grant(null, { role: 'helper' }));
    await change(id, later);
    await bring(id, false);
    expect((await place(root)).stencil!.roles.map((r) => r.name)).toEqual(['Person approver', null]);
    await name({ owner: 'approver', helper: 'outsider' }, false);
    expect([await sees('outsider'), await sees('approver')]).toEqual([200, 200]);
  });

  it('bring nothing to a use of which a folder inside is beyond the person', async () => {
    const id = await make({ asks: [], roles: [], root: folder('root', { code: 'C-{nn}', inside: [folder('private')] }) });
    const [one, two] = (await apply(id, [none, none])).map((r) => r.placeId!);
    // One of them stands alone by now.
    const alone = await inside(one!, 'PRIVATE');
    const { rows } = await world.pool.query<{ id: number }>(
      'insert into access_set (anchor_place, marking_level, marking_caveats) values ($1, 0, $2) returning id',
      [alone, []],
    );
    await world.pool.query('update place set stand_alone = true, access_set_id = $2 where id = $1', [alone, rows[0]!.id]);
    await change(id, {
      asks: [],
      roles: [],
      root: folder('root', { code: 'C-{nn}', note: 'New', inside: [folder('private', { note: 'New' })] }),
    });
    const { results } = await world.as('steward').call(stencils.bring, { params: { id }, body: { dryRun: false } });
    expect(results.map((r) => [r.placeId, r.outcome, r.changes.length])).toEqual([
      [one!, 'refused', 0],
      [two!, 'done', 2],
    ]);
    expect(results[0]!.why).not.toContain('PRIVATE');
    expect([(await place(one!)).note, (await place(two!)).note]).toEqual(['', 'New']);
  });

  it('show two versions side by side', async () => {
    const id = await make(staffFile());
    await change(id, staffFile({ title: 'Papers of {person}' }, [folder('letters', { inside: [health({ grants: [] })] })]));
    const { differences } = await keeper.call(stencils.compare, { params: { id }, query: { from: 1, to: 2 } });
    expect(differences.map((d) => [d.code, d.what, d.parts.map((p) => `${p.what} ${p.before} → ${p.after}`)])).toEqual([
      ['P-{nn}', 'changed', ['title File of {person} → Papers of {person}']],
      ['LETTERS', 'new folder', []],
      ['HEALTH', 'moved', []],
      ['HEALTH', 'changed', ['access Person reader as Reader → none']],
    ]);
    expect(await statusOf(keeper.call(stencils.compare, { params: { id }, query: { from: 1, to: 9 } }))).toBe(404);
  });

  it('know what versions say that were kept before stencils could say all of it', async () => {
    const old = {
      asks: [],
      root: { key: 'root', code: 'O-{n}', title: 'Old', grants: [{ principalId: world.ids.reader, profile: 'reader' }], inside: [] },
    };
    const id = await make({ asks: [], roles: [], root: folder('root', { code: 'O-{n}' }) }, 'Old');
    await world.pool.query(
      'insert into stencil_version (stencil_id, version, definition, made_by, made_at) values ($1, 2, $2, $3, now())',
      [id, JSON.stringify(old), world.ids.keeper],
    );
    const [made] = await apply(id, [none]);
    await world.pool.query(`update place set stencil_words = '{"words": {}, "facts": {}}' where id = $1`, [made!.placeId]);
    const { definition } = await keeper.call(stencils.stencil, { params: { id } });
    expect([definition.roles, definition.root.standAlone, definition.root.grants]).toEqual([[], false, [grant(world.ids.reader)]]);
    await change(id, { ...definition, root: { ...definition.root, note: 'Now' } });
    expect((await bring(id, false)).map(saysOf)).toEqual([[['O-1: note none → Now'], []]]);
  });
});
