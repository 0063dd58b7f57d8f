import { criteriaEndpoints, docket, type PlaceLine, plan, records, reports, steps } from '@key-cellar/contract';
import { getOrMakeSet, openPool, placeGrant, programActor, withUnitOfWork } from '../src/index.js';
import type { PersonAccess } from '../src/kernel/index.js';
import { type Cell, coming, rackFolded, rackSince } from '../src/plan/rackStore.js';
import { rackSeen } from '../src/plan/rackSeen.js';
import { chapters } from './support/chapters.js';
import { asOwner } from './support/database.js';
import { type Login, makeWorld, rackDifferences, ruleDefinition, statusOf, today, type World } from './support/world.js';

describe('places and who may see them', () => {
  const chapter = chapters();
  let world: World;
  beforeAll(async () => {
    world = await makeWorld();
  });
  afterAll(() => world.stop());

  const outline = async (login: Login): Promise<PlaceLine[]> =>
    (await world.as(login).call(plan.outline, { query: { folders: true } })).places;
  const codes = async (login: Login): Promise<string[]> => (await outline(login)).map((p) => p.code).sort();
  const page = (login: Login, id: string) => world.as(login).call(plan.place, { params: { id } });
  const folder = (code: string, parentId = world.ids.A01): Promise<string> =>
    world
      .as('steward')
      .call(plan.makePlace, { body: { parentId, kind: 'folder', code, title: `Folder ${code}`, note: '' } })
      .then(({ id }) => id);
  /** What is folded with what is not: asked again when the server folded between the two. */
  const bareRack = async (sets: readonly number[], known: number): Promise<{ folded: readonly Cell[]; since: readonly Cell[] }> => {
    const [{ epoch, folded }, since] = [await rackFolded(world.pool, sets, known), await rackSince(world.pool, sets)];
    return since.epoch === epoch ? { folded, since: since.since } : bareRack(sets, known);
  };
  const grant = (login: Login, placeId: string, profile: string, more: { from?: string; until?: string } = {}): Promise<void> =>
    withUnitOfWork(world.pool, programActor('test', today), (uow) =>
      placeGrant(uow, { principalId: world.ids[login], placeId, profile, reason: 'test', ...more }),
    ).then(() => undefined);

  chapter('shows the way down to what a person may see, and nothing beside it', async () => {
    expect(await codes('outsider')).toEqual([]);
    expect(await codes('reader')).toEqual(['A', 'A-01', 'ALL']);
    const [root] = (await outline('reader')).filter((p) => p.code === 'ALL');
    expect([root!.discover, root!.counts, root!.rules]).toEqual([false, null, []]);
    expect(await codes('editor')).toEqual(['A', 'A-01', 'A-02', 'ALL']);
    expect(await codes('keeper')).toEqual(['A', 'A-01', 'A-02', 'ALL', 'B', 'B-01']);
  });

  chapter('on the way down is no page of its own', async () => {
    for (const id of [world.ids.root, world.ids.A]) expect(await statusOf(page('reader', id))).toBe(404);
    expect((await page('reader', world.ids.A01)).path.map((p) => p.code)).toEqual(['ALL', 'A', 'A-01']);
  });

  chapter('counts for each person only what they may discover', async () => {
    await world.file('editor', { title: 'Open' });
    const secretly = await world.file('keeper', { place: world.ids.B01, title: 'Apart' });
    const kept = async (login: Login, code: string) => (await outline(login)).find((p) => p.code === code)?.counts?.kept;
    expect([await kept('keeper', 'ALL'), await kept('editor', 'A'), await kept('reader', 'A-01')]).toEqual([2, 1, 1]);
    expect(await kept('steward', 'B-01')).toBe(1);
    expect((await world.as('editor').call(plan.rack)).series.flatMap((s) => s.kept)).toEqual([1]);
    expect((await world.as('editor').call(reports.ask, { query: { text: secretly.number } })).suggestions).toEqual([]);
  });

  chapter('counts the same from totals less what is hidden as from what is seen, folded or not', async () => {
    // Levels give each folder an access set of its own.
    for (const [i, level] of [0, 1, 2].entries()) {
      const id = await folder(`T-${i}`);
      await withUnitOfWork(world.pool, programActor('test', today), async (uow) => {
        const set = await getOrMakeSet(uow, { anchorPlace: world.ids.A01, recordId: null, level, caveats: [], tags: [] });
        await uow.query({ text: 'update place set access_set_id = $2 where id = $1', values: [id, set] });
      });
      for (let n = 0; n <= i; n++) await world.file('editor', { place: id, createdOn: `20${20 + n}-01-01` }).catch(() => undefined);
    }
    await asOwner(world.database, (c) => c.query(`update record set due_on = '2031-03-05', action = 'destroy'`));
    const { rows } = await world.pool.query<{ id: number }>('select id from access_set order by id');
    const all = rows.map((r) => r.id);
    for (const folded of [false, true]) {
      if (folded) await world.pool.query('select fold_rack()');
      for (let mask = 0; mask < 2 ** Math.min(all.length, 6); mask++) {
        const sets = all.filter((_, i) => (mask >> i) & 1);
        if (sets.length === 0) continue;
        const from = async (known: number): Promise<string[]> => {
          const { folded: base, since } = await bareRack(sets, known);
          const due = await coming(world.pool, sets, known, '2999-01-01');
          const standing = [...base, ...since].filter((c) => c.kept > 0);
          return [...standing, ...due].map((c) => JSON.stringify(c)).sort();
        };
        expect(await from(0))
          .withContext(`${folded} ${sets.join()}`)
          .toEqual(await from(Infinity));
        expect(await rackDifferences(world.database)).toBe(0);
      }
    }
  });

  chapter('counts on two servers what was filed, moved and folded between, and no answer is older than its question', async () => {
    const other = openPool(world.pool.options.connectionString!, 2);
    try {
      const { rows } = await world.pool.query<{ id: number }>('select id from access_set order by id');
      const all = rows.map((r) => r.id);
      const as = (sets: readonly number[]): PersonAccess =>
        ({ sets: () => sets, known: all.length }) as Partial<PersonAccess> as PersonAccess;
      const filed: string[] = [];
      for (let turn = 0; turn < 30; turn++) {
        const act = (['file', 'file', 'fold', 'file', 'change', 'change', 'fold', 'nothing'] as const)[turn % 8];
        if (act === 'file')
          filed.push((await world.file('keeper', { place: turn % 2 ? world.ids.A01 : world.ids.B01, title: `Turn ${turn}` })).id);
        else if (act === 'fold') await asOwner(world.database, (c) => c.query('select fold_rack()'));
        else if (act === 'change')
          await asOwner(world.database, (c) =>
            c.query(`update record set due_on = $2, action = 'destroy', vintage = $3 where id = $1`, [
              filed[0],
              `20${30 + turn}-05-01`,
              2000 + turn,
            ]),
          );
        for (const sets of [all, all.slice(1), all.slice(0, 2), all.slice(-1)]) {
          const { folded, since } = await bareRack(sets, all.length);
          const counts = new Map<string, number>();
          for (const { seriesId, vintage, kept } of [...folded, ...since])
            counts.set(`${seriesId} ${vintage}`, (counts.get(`${seriesId} ${vintage}`) ?? 0) + kept);
          const bare = [...counts].filter(([, n]) => n > 0).sort();
          for (const pool of [world.pool, other]) {
            const { series } = await rackSeen(pool, as(sets), 'discover');
            const seen = [...series].flatMap(([id, { byVintage }]) =>
              [...byVintage].map(([vintage, c]) => [`${id} ${vintage}`, c.kept] as [string, number]),
            );
            expect(seen.sort()).withContext(`turn ${turn}, sets ${sets.join()}`).toEqual(bare);
          }
        }
      }
      expect(await rackDifferences(world.database)).toBe(0);
    } finally {
      await other.end();
    }
  });

  chapter('remembers the plan until it changes, whoever changes it, folded or not, and never what was not committed', async () => {
    const id = await folder('REM-1');
    const titles = async (): Promise<string[]> => {
      const { places } = await world.as('keeper').call(criteriaEndpoints.vocabulary);
      const { places: outlined } = await world.as('keeper').call(plan.outline);
      const series = outlined.find((p) => p.id === world.ids.A01)!;
      return [places.find((p) => p.id === id)!.name, series.title, String(series.foldersInside)];
    };
    const series = (await titles())[1]!;
    const change = 'update place set title = $2 where id = $1';
    await asOwner(world.database, async (other) => {
      for (const [turn, fold] of [false, true, true, false].entries()) {
        await other.query('begin');
        await other.query(change, [id, `Turn ${turn}`]);
        await other.query(change, [world.ids.A01, `Series ${turn}`]);
        const before =
          turn === 0 ? ['A-01/REM-1 Folder REM-1', series, 'true'] : [`A-01/REM-1 Turn ${turn - 1}`, `Series ${turn - 1}`, 'true'];
        for (let look = 0; look < 2; look++) expect(await titles()).toEqual(before);
        await other.query('commit');
        if (fold) await other.query('select fold_plan()');
        for (let look = 0; look < 2; look++) expect(await titles()).toEqual([`A-01/REM-1 Turn ${turn}`, `Series ${turn}`, 'true']);
      }
      await other.query(change, [world.ids.A01, series]);
      await other.query(change, [id, 'Folder REM-1']);
    });
    expect(await titles()).toEqual(['A-01/REM-1 Folder REM-1', series, 'true']);
    const { places } = await world.as('outsider').call(criteriaEndpoints.vocabulary);
    expect(places).toEqual([]);
  });

  chapter('opens for a grant on its first day and closes after its last', async () => {
    const id = await folder('G-1');
    await grant('outsider', id, 'reader', { from: '2026-10-01', until: '2026-10-31' });
    const { id: record } = await world.file('editor', { place: id, title: 'For October' });
    const sees = async (): Promise<boolean> =>
      (await statusOf(world.as('outsider').call(records.dossier, { params: { id: record } }))) === 200;
    const seen: [string, boolean][] = [];
    for (const day of [today, '2026-10-01', '2026-10-31', '2026-11-01']) {
      await world.setToday(day);
      seen.push([day, await sees()]);
    }
    await world.setToday(today);
    expect(seen).toEqual([
      [today, false],
      ['2026-10-01', true],
      ['2026-10-31', true],
      ['2026-11-01', false],
    ]);
  });

  chapter('nearer to a record counts before a farther one, also when it gives less', async () => {
    const id = await folder('N-1');
    const { id: record } = await world.file('editor', { place: id, title: 'Near' });
    expect((await world.as('editor').call(records.dossier, { params: { id: record } })).rights).toContain('edit');
    await grant('editor', id, 'reader');
    const { rights, accessWhy } = await world.as('editor').call(records.dossier, { params: { id: record } });
    expect(rights).not.toContain('edit');
    expect(accessWhy).toContain('Reader on');
    expect(
      await statusOf(
        world
          .as('editor')
          .call(records.editFacts, { params: { id: record }, body: { revision: 1, title: 'T', createdOn: '2025-01-10', facts: {} } }),
      ),
    ).toBe(403);
  });

  chapter('hides what is marked above a person’s clearance, whatever they were granted', async () => {
    const id = await folder('M-1');
    const { id: record } = await world.file('editor', { place: id, title: 'Zanzara marked' });
    const set = await withUnitOfWork(world.pool, programActor('test', today), (uow) =>
      getOrMakeSet(uow, { anchorPlace: world.ids.root, recordId: null, level: 5, caveats: [], tags: [] }),
    );
    await asOwner(world.database, (client) =>
      client.query('update record set access_set_id = $1, marking_level = 5 where id = $2', [set, record]),
    );
    for (const login of ['keeper', 'auditor', 'editor'] as const) {
      expect(await statusOf(world.as(login).call(records.dossier, { params: { id: record } })))
        .withContext(login)
        .toBe(404);
      const found = await world.as(login).call(records.list, { query: { words: 'zanzara' } });
      expect(found.records).withContext(login).toEqual([]);
      expect((await world.as(login).call(records.count, { query: { words: 'zanzara' } })).count)
        .withContext(login)
        .toBe(0);
    }
  });

  chapter('unfolds folder by folder, as far as a person may see, and says where there is more', async () => {
    const outer = await folder('U-1');
    const inner = await folder('U-1-1', outer);
    await folder('U-1-1-1', inner);
    const insideOf = async (login: Login, id: string) => (await world.as(login).call(plan.folders, { params: { id } })).places;
    const line = (p: { code: string; foldersInside: boolean; discover: boolean }) => [p.code, p.foldersInside, p.discover];
    const lines = async (login: Login, id: string) => (await insideOf(login, id)).filter((p) => p.code.startsWith('U-')).map(line);
    const a01 = async (login: Login) => (await world.as(login).call(plan.outline)).places.find((p) => p.code === 'A-01')?.foldersInside;
    expect(await lines('keeper', world.ids.A01)).toEqual([['U-1', true, true]]);
    expect(await lines('keeper', outer)).toEqual([['U-1-1', true, true]]);
    expect(await lines('keeper', inner)).toEqual([['U-1-1-1', false, true]]);
    expect(await a01('keeper')).toBeTrue();
    await world.file('editor', { place: inner, title: 'Deep' });
    expect((await insideOf('keeper', world.ids.A01)).find((p) => p.code === 'U-1')!.counts!.kept).toBe(1);
    expect(await lines('outsider', world.ids.A01)).toEqual([]);
    expect(await a01('outsider')).toBeUndefined();
    // Only the innermost but one is given: the way to it shows by code and title, and no count.
    await grant('outsider', inner, 'reader');
    expect(await lines('outsider', world.ids.A01)).toEqual([['U-1', true, false]]);
    expect((await insideOf('outsider', world.ids.A01))[0]!.counts).toBeNull();
    expect(await lines('outsider', outer)).toEqual([['U-1-1', true, true]]);
  });

  chapter('closes a folder once, on a day it was open, and takes nothing more', async () => {
    const id = await folder('C-1');
    const close = (on: string, login: Login = 'steward') =>
      statusOf(world.as(login).call(plan.closeFolder, { params: { id }, body: { on } }));
    expect(await close('2020-01-01'))
      .withContext('before it was opened')
      .toBe(422);
    expect(await close(today, 'editor'))
      .withContext('without the right to move')
      .toBe(403);
    expect(await close(today, 'outsider')).toBe(404);
    expect(await close(today)).toBe(200);
    expect(await close(today))
      .withContext('again')
      .toBe(409);
    await expectAsync(world.file('editor', { place: id })).toBeRejected();
    expect(
      await statusOf(
        world.as('steward').call(plan.makePlace, { body: { parentId: id, kind: 'folder', code: 'C-1-1', title: 'T', note: '' } }),
      ),
    ).toBe(409);
  });

  chapter('declares all that is in a folder, and says what it did with each', async () => {
    const id = await folder('D-1');
    const inside = await folder('D-1-1', id);
    for (const place of [id, id, inside]) await world.file('editor', { place });
    expect(await statusOf(world.as('editor').call(plan.declareInside, { params: { id } }))).toBe(403);
    const { results } = await world.as('steward').call(plan.declareInside, { params: { id } });
    expect(results.map((r) => r.outcome)).toEqual(['done', 'done', 'done']);
    expect((await world.as('steward').call(records.count, { query: { under: id, show: 'declared' } })).count).toBe(3);
  });

  chapter('keeps a batch from those who may not see everything in it, but for the owners of what is', async () => {
    await world.rule('R-P', world.ids.A02, ruleDefinition());
    const theirs = await world.file('depositor', { place: world.ids.A02, createdOn: '2024-01-01', title: 'Of the depositor' });
    await world.file('keeper', { place: world.ids.A02, createdOn: '2024-01-01', title: 'Of the keeper' });
    const keeper = world.as('keeper');
    await keeper.call(steps.sweep);
    const group = (await keeper.call(docket.due)).groups.find((g) => g.seriesCode === 'A-02')!;
    const { id } = await keeper.call(docket.propose, { body: { groupKey: group.key, noticeDays: 0, announce: true } });
    expect((await keeper.call(docket.batch, { params: { id } })).items.length).toBe(2);
    const own = await world.as('depositor').call(docket.batch, { params: { id } });
    expect(own.items.map((i) => i.recordId)).toEqual([theirs.id]);
    expect(await statusOf(world.as('reader').call(docket.batch, { params: { id } }))).toBe(404);
    expect((await world.as('reader').call(docket.batches)).batches).toEqual([]);
    expect(await statusOf(world.as('depositor').call(docket.withdraw, { params: { id }, body: { reason: 'not mine to end' } }))).not.toBe(
      200,
    );
  });
});
