import { access, exchange, ledger, people, plan, records, tags } from '@key-cellar/contract';
import { chapters } from './support/chapters.js';
import { asOwner } from './support/database.js';
import { bytesOf, itemsIn, packed } from './support/packages.js';
import {
  letSetUp,
  makeWorld,
  problemOf,
  rackDifferences,
  revisionOf,
  setClock,
  statusOf,
  today,
  type Login,
  type World,
} from './support/world.js';

/** Access tags: what is given by them reaches whatever carries them, adds to what is given there, and goes no farther than whoever gave it may. */
describe('access tags', () => {
  const chapter = chapters();
  let world: World;
  const keeper = () => world.as('keeper');
  const make = async (name: string, login: Login = 'keeper') => (await world.as(login).call(tags.make, { body: { name, note: '' } })).id;
  const page = (id: string, login: Login = 'keeper') => world.as(login).call(tags.page, { params: { id } });
  const giveBy = (
    tagId: string,
    principalId: string,
    profile = 'reader',
    { login = 'keeper' as Login, ...more }: { login?: Login } & object = {},
  ) =>
    world.as(login).call(tags.give, {
      params: { id: tagId },
      body: { principalId, profile, from: null, until: null, reason: 'for the inquiry', dryRun: false, ...more },
    });
  const carry = async (placeId: string, tagIds: string[], login: Login = 'keeper', dryRun = false) =>
    world.as(login).call(tags.ofPlace, {
      params: { id: placeId },
      body: { tagIds, revision: await revisionOf(world, placeId), reason: 'belongs to it', dryRun },
    });
  const tag = (recordIds: string[], put: string[], take: string[] = [], login: Login = 'keeper', dryRun = false) =>
    world.as(login).call(tags.ofRecords, { body: { recordIds, put, take, reason: 'belongs to it', dryRun } });
  const change = async (id: string, more: object, login: Login = 'keeper') => {
    const { tag: was } = await page(id);
    const { name, note, active, revision } = was;
    return world.as(login).call(tags.change, { params: { id }, body: { name, note, active, revision, dryRun: false, ...more } });
  };
  const sees = async (login: Login, id: string): Promise<boolean> =>
    (await statusOf(world.as(login).call(records.dossier, { params: { id } }))) === 200;
  const listed = async (login: Login): Promise<string[]> =>
    (await world.as(login).call(records.list, { query: { limit: 200 } })).records.map((r) => r.id);
  const standAlone = async (placeId: string, alone: boolean) =>
    keeper().call(people.setStandAlone, {
      params: { id: placeId },
      body: { standAlone: alone, revision: await revisionOf(world, placeId), reason: 'set apart', dryRun: false },
    });
  const give = (placeId: string, principalId: string, profile: string) =>
    keeper().call(people.giveGrant, {
      params: { id: placeId },
      body: { principalId, profile, from: null, until: null, reason: 'asked for', dryRun: false },
    });
  const unused = 'The access tag “Inquiry” is not in use. Whoever gives access on the whole repository can take it up again.';
  const ids: Record<string, string> = {};

  beforeAll(async () => {
    world = await makeWorld();
    await letSetUp(world);
    for (const [name, place] of [
      ['one', world.ids.A01],
      ['two', world.ids.A02],
    ] as const)
      ids[name] = (await world.file('keeper', { title: name, place })).id;
    ids['inquiry'] = await make('Inquiry');
  });
  afterAll(() => world.stop());

  chapter('are made by who gives access on the whole repository, each under a name of its own', async () => {
    expect(await statusOf(make('Another', 'steward'))).toBe(403);
    expect(await statusOf(make('Another', 'editor'))).toBe(403);
    expect(await problemOf(make('INQUIRY'))).toBe('There is an access tag “INQUIRY” already.');
    expect((await world.as('steward').call(tags.list)).tags.map((t) => [t.name, t.grants, t.places, t.records])).toEqual([
      ['Inquiry', 0, 0, 0],
    ]);
    expect((await world.as('steward').call(tags.list)).mayMake).toBeFalse();
    expect(await statusOf(world.as('editor').call(tags.list))).toBe(403);
    expect(await statusOf(change(ids['inquiry']!, { revision: 7 }))).toBe(412);
  });

  chapter('let in who was given access by them, on a place with all in it, and on single records', async () => {
    await giveBy(ids['inquiry']!, world.ids.outsider);
    expect(await listed('outsider')).toEqual([]);
    const tried = await carry(world.ids.A01, [ids['inquiry']!], 'keeper', true);
    expect(tried.access!.gains).toEqual(['Person outsider: discover, read on one record and one place']);
    expect(await listed('outsider')).toEqual([]);
    await carry(world.ids.A01, [ids['inquiry']!]);
    expect(await listed('outsider')).toEqual([ids['one']!]);
    const later = await world.file('editor', { title: 'later' });
    expect(await sees('outsider', later.id)).toBeTrue();
    await keeper().call(records.move, { body: { ids: [later.id], placeId: world.ids.A02, reason: 'belongs there' } });
    expect(await sees('outsider', later.id)).toBeFalse();
    await carry(world.ids.A01, []);
    expect(await listed('outsider')).toEqual([]);
    const shift = await tag([ids['two']!], [ids['inquiry']!], [], 'keeper', true);
    expect([shift.access!.gains, shift.results.map((r) => r.why)]).toEqual([
      ['Person outsider: discover, read on one record'],
      ['carries Inquiry'],
    ]);
    await tag([ids['two']!], [ids['inquiry']!]);
    expect(await listed('outsider')).toEqual([ids['two']!]);
    expect((await tag([ids['two']!], [ids['inquiry']!])).results.map((r) => r.outcome)).toEqual(['skipped']);
    // It stays with the record, wherever that goes and whatever else becomes of it.
    await keeper().call(records.move, { body: { ids: [ids['two']!], placeId: world.ids.A01, reason: 'belongs there' } });
    expect(await listed('outsider')).toEqual([ids['two']!]);
    await keeper().call(access.giveOnRecord, {
      params: { id: ids['two']! },
      body: { principalId: world.ids.counsel, profile: 'editor', from: null, until: null, reason: 'looks at it', dryRun: false },
    });
    expect([await sees('outsider', ids['two']!), await sees('counsel', ids['two']!)]).toEqual([true, true]);
    const folder = async (code: string): Promise<string> =>
      (await keeper().call(plan.makePlace, { body: { parentId: world.ids.A02, kind: 'folder', code, title: code } })).id;
    const [from, into] = [await folder('FROM'), await folder('INTO')];
    const inside = await world.file('keeper', { title: 'inside', place: from });
    await carry(from, [ids['inquiry']!]);
    expect([await sees('outsider', inside.id), await sees('outsider', ids['one']!)]).toEqual([true, false]);
    await carry(from, []);
    expect(await sees('outsider', inside.id)).toBeFalse();
    // A folder with a set of its own, that is merged away.
    await give(from, world.ids.auditor, 'auditor');
    await keeper().call(records.move, { body: { ids: [ids['two']!], placeId: from, reason: 'belongs there' } });
    await keeper().call(plan.mergePlace, { params: { id: from }, body: { revision: await revisionOf(world, from), intoId: into } });
    expect([await sees('outsider', ids['two']!), await sees('outsider', ids['one']!)]).toEqual([true, false]);
    const told = await page(ids['inquiry']!);
    expect([told.tag.records, told.records.map((r) => r.title), told.grants.map((g) => [g.principal.name, g.tag!.name])]).toEqual([
      1,
      ['two'],
      [['Person outsider', 'Inquiry']],
    ]);
    expect((await page(ids['inquiry']!, 'steward')).records.map((r) => r.title)).toEqual(['two']);
    // Of what lies where they do not look into access nothing is told.
    const away = await world.file('keeper', { title: 'away', place: world.ids.B01 });
    await tag([away.id], [ids['inquiry']!]);
    await carry(world.ids.B, [ids['inquiry']!]);
    const [whole, part] = [await page(ids['inquiry']!), await page(ids['inquiry']!, 'steward')];
    expect([whole.places.length, whole.records.length, whole.tag.places, whole.tag.records]).toEqual([1, 2, 1, 2]);
    expect([part.places.length, part.records.length, part.tag.places, part.tag.records]).toEqual([0, 1, 0, 1]);
    await carry(world.ids.B, []);
    await tag([away.id], [], [ids['inquiry']!]);
    await tag([ids['two']!], [], [ids['inquiry']!]);
    expect(await listed('outsider')).toEqual([]);
    expect(await rackDifferences(world.database)).toBe(0);
  });

  chapter('add to what is given nearer, and say so', async () => {
    await give(world.ids.A01, world.ids.editor, 'reader');
    const edits = () =>
      keeper().call(access.compare, { body: { spots: [{ personId: world.ids.editor, placeId: world.ids.A01, on: null }] } });
    const has = async () => (await edits()).rights.find((r) => r.right === 'edit')!;
    expect((await has()).has).toEqual(['no']);
    await giveBy(ids['inquiry']!, world.ids.editor, 'editor');
    await carry(world.ids.A, [ids['inquiry']!]);
    expect(await has()).toEqual(jasmine.objectContaining({ has: ['all'], through: [['Editor by the tag “Inquiry”']] }));
    const [side] = (await edits()).sides;
    expect(side!.why).toContain('through Reader on A-01 Place A-01, Editor by the tag “Inquiry”');
    expect(side!.grants.map((g) => [g.profile, g.place, g.tag?.name ?? null, g.status])).toEqual([
      ['Reader', 'A-01 Place A-01', null, 'counts'],
      ['Editor', 'A Place A', null, 'superseded by a nearer place'],
      ['Editor', 'A Place A', 'Inquiry', 'counts'],
    ]);
    const row = (await keeper().call(access.matrix, { query: { place: 'A Place' } })).rows[0]!;
    expect(row.code).toBe('A');
    const grants = (await keeper().call(people.grantsOn, { params: { id: world.ids.A01 } })).grants;
    expect(grants.filter((g) => g.tag).map((g) => [g.principal.name, g.place.code, g.tag!.name])).toEqual([
      ['Person editor', 'ALL', 'Inquiry'],
      ['Person outsider', 'ALL', 'Inquiry'],
    ]);
  });

  chapter('do not reach into a place that stands alone from outside, nor above a clearance', async () => {
    await standAlone(world.ids.A01, true);
    expect(await sees('outsider', ids['one']!)).toBeFalse();
    await carry(world.ids.A01, [ids['inquiry']!]);
    expect(await sees('outsider', ids['one']!)).toBeTrue();
    await asOwner(world.database, (client) => client.query('update principal set clearance_level = 2 where id = $1', [world.ids.keeper]));
    await keeper().call(access.markRecords, {
      body: { recordIds: [ids['one']!], level: 2, caveats: [], reason: 'names people', dryRun: false },
    });
    expect(await sees('outsider', ids['one']!)).toBeFalse();
    await keeper().call(access.markRecords, {
      body: { recordIds: [ids['one']!], level: 0, caveats: [], reason: 'names nobody', dryRun: false },
    });
    await carry(world.ids.A01, []);
    await standAlone(world.ids.A01, false);
  });

  chapter('out of use give nothing, at once, and are put on nothing', async () => {
    expect(await sees('outsider', ids['one']!)).toBeTrue();
    await change(ids['inquiry']!, { active: false });
    expect(await sees('outsider', ids['one']!)).toBeFalse();
    expect(await problemOf(tag([ids['one']!], [ids['inquiry']!]))).toBe(unused);
    expect(await problemOf(carry(world.ids.A02, [ids['inquiry']!]))).toBe(unused);
    expect(await problemOf(giveBy(ids['inquiry']!, world.ids.reader))).toBe(unused);
    expect((await tag([ids['one']!], [], [ids['inquiry']!])).results.map((r) => r.outcome)).toEqual(['skipped']);
    await change(ids['inquiry']!, { active: true });
    expect(await sees('outsider', ids['one']!)).toBeTrue();
    const [grant] = (await page(ids['inquiry']!)).grants.filter((g) => g.principal.name === 'Person outsider');
    await keeper().call(people.changeGrant, {
      params: { id: grant!.id },
      body: { profile: 'reader', from: null, until: '2026-09-13', reason: 'over', dryRun: false },
    });
    expect(await sees('outsider', ids['one']!)).toBeFalse();
    await keeper().call(people.endGrant, { params: { id: grant!.id }, body: { reason: 'over', dryRun: false } });
    expect((await page(ids['inquiry']!)).tag.grants).toBe(1);
    await giveBy(ids['inquiry']!, world.ids.outsider);
  });

  chapter('are never a way to more than whoever uses them may do there', async () => {
    const strong = await make('Strong');
    // Keepers give no more than they are: the other one does not set up.
    await asOwner(world.database, (client) =>
      client.query(`delete from grant_ where profile = 'administrator' and principal_id = $1`, [world.ids.deputy]),
    );
    expect(await statusOf(giveBy(strong, world.ids.reader, 'administrator', { login: 'deputy' }))).toBe(403);
    await giveBy(strong, world.ids.reader, 'keeper', { login: 'deputy' });
    // A steward of A gives access there, but is no keeper: they neither put it on nor take it off.
    expect(await problemOf(carry(world.ids.A01, [strong], 'steward'))).toContain('What is given by the tag “Strong” (Keeper) is more');
    expect((await tag([ids['one']!], [strong], [], 'steward')).results.map((r) => r.outcome)).toEqual(['refused']);
    await carry(world.ids.A01, [strong]);
    await tag([ids['one']!], [strong]);
    expect(await statusOf(carry(world.ids.A01, [], 'steward'))).toBe(403);
    expect((await tag([ids['one']!], [], [strong], 'steward')).results.map((r) => r.outcome)).toEqual(['refused']);
    // They leave what they may not touch as it is.
    const weak = await make('Weak');
    await carry(world.ids.A01, [strong, weak], 'steward');
    expect((await world.as('steward').call(people.grantsOn, { params: { id: world.ids.A01 } })).tags.map((t) => t.name)).toEqual([
      'Strong',
      'Weak',
    ]);
    // Who gives access on the repository, and has nothing behind a wall, gives nothing there by a tag that is carried there.
    const auditor = { login: 'auditor' as Login };
    await give(world.ids.root, world.ids.auditor, 'steward');
    await giveBy(weak, world.ids.reader, 'editor', auditor);
    await standAlone(world.ids.A01, true);
    expect(await problemOf(giveBy(weak, world.ids.reader, 'editor', auditor))).toContain('is more than you may do here');
    const [given] = (await page(weak)).grants;
    const as = (profile: string) =>
      world.as('auditor').call(people.changeGrant, {
        params: { id: given!.id },
        body: { profile, from: null, until: null, reason: 'more', dryRun: false },
      });
    expect(await statusOf(as('reader'))).toBe(403);
    expect(await statusOf(change(weak, { active: false }, 'auditor'))).toBe(403);
    await carry(world.ids.A01, []);
    expect(await statusOf(as('reader'))).toBe(200);
    await standAlone(world.ids.A01, false);
    // A people desk fills no group with what a tag gives beyond it.
    const { id: group } = await keeper().call(people.makeGroup, { body: { name: 'Inquirers', memberIds: [] } });
    await giveBy(strong, group, 'keeper');
    await give(world.ids.root, world.ids.counsel, 'peopleDesk');
    const fill = world.as('counsel').call(people.changeGroup, {
      params: { id: group },
      body: { name: 'Inquirers', active: true, memberIds: [world.ids.counsel], secondFactor: false, revision: 1 },
    });
    expect(await statusOf(fill)).toBe(403);
    expect(await statusOf(carry(world.ids.root, [weak]))).toBe(409);
    expect(await statusOf(carry(world.ids.A01, [world.ids.A01]))).toBe(404);
    expect(await statusOf(carry(world.ids.B, [weak], 'outsider'))).toBe(404);
  });

  chapter('wait for whoever changes in the very moment what they give', async () => {
    const strong = (await keeper().call(tags.list)).tags.find((t) => t.name === 'Strong')!;
    await asOwner(world.database, async (client) => {
      await client.query('begin');
      await client.query('select from access_tag where id = $1 for update', [strong.id]);
      const putting = carry(world.ids.A02, [strong.id]);
      const waits = await Promise.race([putting.then(() => false), new Promise((done) => setTimeout(() => done(true), 400))]);
      expect(waits).toBeTrue();
      await client.query('rollback');
      await putting;
    });
    await carry(world.ids.A02, []);
  });

  chapter('are in reviews of the whole repository, among what somebody should look at, and go over with their grants', async () => {
    const { id } = await keeper().call(access.beginReview, {
      body: { title: 'Autumn', placeId: world.ids.root, dueOn: '2026-10-31', endsUnconfirmed: false },
    });
    const { lines } = await keeper().call(access.review, { params: { id } });
    const own = lines.filter((l) => l.tag === 'Inquiry');
    expect(own.map((l) => [l.principal.name, l.as, l.mayAnswer])).toEqual([
      ['Person editor', 'Editor', true],
      ['Person outsider', 'Reader', true],
    ]);
    await keeper().call(access.answerReview, { body: { ids: [own[0]!.id], answer: 'ended', note: 'not any more', dryRun: false } });
    expect((await page(ids['inquiry']!)).grants.map((g) => g.principal.name)).toEqual(['Person outsider']);
    const { findings } = await keeper().call(access.findings);
    expect(findings.filter((f) => f.tagId === ids['inquiry']).map((f) => f.sentence)).toEqual([
      'Person outsider, Reader on the tag “Inquiry”, without an end',
    ]);
    await keeper().call(people.letGo, {
      params: { id: world.ids.outsider },
      body: { reason: 'left', heirId: world.ids.reader, grantsToo: true },
    });
    expect((await page(ids['inquiry']!)).grants.map((g) => g.principal.name)).toEqual(['Person reader']);
    const entries = (await keeper().call(ledger.entries, { query: { act: 'changed access tags', limit: 100 } })).entries;
    expect(entries.length).toBeGreaterThan(8);
  });

  chapter('travel in packages, brought by whoever sets up', async () => {
    await carry(world.ids.A02, [ids['inquiry']!]);
    const items = itemsIn(await bytesOf(keeper()));
    expect(items['accessTags']!.map((t) => [t['name'], (t['grants'] as object[]).length])).toEqual([
      ['Inquiry', 1],
      ['Strong', 2],
      ['Weak', 1],
    ]);
    expect(items['places']!.find((p) => p['code'] === 'A-02')!['accessTags']).toEqual([{ refers: 'tag', to: 'Inquiry' }]);
    const bring = (changed: object, login: Login = 'keeper') =>
      world.as(login).call(exchange.importPackage, {
        body: { data: packed(changed as never).toString('base64'), conflicts: 'take', dryRun: false },
      });
    const more = {
      ...{ accessTags: [{ name: 'New', note: 'from elsewhere', active: true, grants: [] as object[] }] },
      places: items['places']!.map((p) => (p['code'] === 'A-02' ? { ...p, accessTags: [{ refers: 'tag', to: 'New' }] } : p)),
    };
    more.accessTags[0]!.grants.push({
      ...{ principal: { refers: 'person', to: 'counsel' }, profile: 'reader', from: null, until: null, reason: 'asks' },
    });
    const tagged = (name: string) => ({
      places: items['places']!.map((p) => (p['code'] === 'A-02' ? { ...p, accessTags: [{ refers: 'tag', to: name }] } : p)),
    });
    const sections = async (changed: object) => new Set((await bring(changed, 'deputy')).errors.map((e) => e.section));
    expect(await sections(more)).toEqual(new Set(['accessTags']));
    expect(await sections(tagged('Weak'))).toEqual(new Set(['places']));
    expect((await bring(more)).errors).toEqual([]);
    const { tags: now } = await keeper().call(tags.list);
    expect(now.find((t) => t.name === 'New')).toEqual(jasmine.objectContaining({ note: 'from elsewhere', grants: 1, places: 1 }));
    expect((await keeper().call(people.grantsOn, { params: { id: world.ids.A02 } })).tags.map((t) => t.name)).toEqual(['New']);
    expect((await bring(itemsIn(await bytesOf(keeper())))).changes).toEqual([]);
    expect(
      await statusOf(
        bring({
          places: items['places']!.map((p) => (p['kind'] === 'repository' ? { ...p, accessTags: [{ refers: 'tag', to: 'New' }] } : p)),
        }),
      ),
    ).toBe(200);
    expect((await keeper().call(people.grantsOn, { params: { id: world.ids.root } })).tags).toEqual([]);
  });

  chapter('are known as they were on earlier days: what carried them, what they gave, and whether they were in use', async () => {
    const can = async (on: string | null) =>
      (
        await keeper().call(access.compare, { body: { spots: [{ personId: world.ids.counsel, placeId: world.ids.A02, on }] } })
      ).sides[0]!.grants.filter((g) => g.counts && g.tag !== null).length;
    expect(await can(null)).toBe(1);
    await setClock(world.pool, '2026-09-16');
    await carry(world.ids.A02, []);
    expect([await can(null), await can(today)]).toEqual([0, 1]);
    await carry(world.ids.A02, [(await keeper().call(tags.list)).tags.find((t) => t.name === 'New')!.id]);
    await setClock(world.pool, '2026-09-18');
    await change((await keeper().call(tags.list)).tags.find((t) => t.name === 'New')!.id, { active: false });
    expect([await can(null), await can('2026-09-17'), await can(today)]).toEqual([0, 1, 1]);
  });
});
