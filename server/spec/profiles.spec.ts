import { access, docket, exchange, people, records, steps } from '@key-cellar/contract';
import type { Right } from '@key-cellar/core/access';
import { chapters } from './support/chapters.js';
import { asApplication } from './support/database.js';
import { bytesOf, itemsIn, packed } from './support/packages.js';
import { letSetUp, type Login, makeWorld, problemOf, ruleDefinition, statusOf, today, type World } from './support/world.js';

describe('profiles of a repository’s own, and the group of everybody', () => {
  const chapter = chapters();
  let world: World;
  let mover: string;
  const keeper = () => world.as('keeper');
  const make = (title: string, rights: Right[], login: Login = 'keeper', ownOnly = false) =>
    world.as(login).call(access.makeProfile, { body: { title, rights, ownOnly } });
  const give = (login: Login, placeId: string, principalId: string, profile: string) =>
    world.as(login).call(people.giveGrant, {
      params: { id: placeId },
      body: { principalId, profile, from: null, until: null, reason: 'as agreed', dryRun: false },
    });
  const listed = async (login: Login): Promise<number> =>
    (await world.as(login).call(records.list, { query: { limit: 200 } })).records.length;
  const everyone = async (): Promise<string> => (await keeper().call(people.list)).groups.find((g) => g.everyone)!.id;

  beforeAll(async () => {
    world = await makeWorld();
    await letSetUp(world);
  });
  afterAll(() => world.stop());

  chapter('a profile is made from single rights, by who sets up, and is given as any other', async () => {
    ({ code: mover } = await make('Mover', ['move', 'discover', 'read']));
    expect(mover).toBe('mover');
    expect((await make('MÖVER', ['discover'])).code).toBe('mo-ver');
    expect((await make('Reader', ['discover'])).code).toBe('reader-2');
    expect(await problemOf(make('mover', ['discover']))).toBe('There is a profile “mover” already.');
    expect(await problemOf(make('Odd', ['copyOut', 'discover']))).toContain('“copy out” is of no use without “read”.');
    for (const login of ['deputy', 'steward', 'auditor'] as const) expect(await statusOf(make('Mine', ['discover'], login))).toBe(403);
    const one = await world.file('editor', { title: 'One' });
    await give('keeper', world.ids.A01, world.ids.outsider, mover);
    const dossier = await world.as('outsider').call(records.dossier, { params: { id: one.id } });
    expect(dossier.rights).toEqual(['discover', 'read', 'move']);
    expect(dossier.accessWhy).toBe('May discover, read, move through Mover on A-01 Place A-01.');
    expect(await statusOf(world.as('outsider').call(records.declare, { body: { ids: [one.id] } }))).toBe(200);
    expect((await world.as('outsider').call(records.declare, { body: { ids: [one.id] } })).results[0]!.outcome).toBe('refused');
    // Nobody gives more than they have, in a profile of any name.
    const { code } = await make('Nearly all', ['discover', 'read', 'dispose']);
    expect(await statusOf(give('steward', world.ids.A01, world.ids.reader, code))).toBe(403);
    expect(await statusOf(give('steward', world.ids.A01, world.ids.reader, 'no-such'))).toBe(422);
  });

  chapter('a change is seen first, works at once, and what was on a day before is still known', async () => {
    const [one] = (await keeper().call(records.list, { query: { limit: 1 } })).records;
    await world.setToday('2026-09-15');
    const change = (rights: Right[], revision: number, dryRun: boolean, active = true) =>
      keeper().call(access.changeProfile, {
        params: { id: mover },
        body: { title: 'Mover', rights, ownOnly: false, active, revision, dryRun },
      });
    const tried = await change(['discover'], 1, true);
    expect(tried.access!.loses).toEqual(['Person outsider: read, move on one record and one place']);
    expect((await world.as('outsider').call(records.dossier, { params: { id: one!.id } })).rights).toEqual(['discover', 'read', 'move']);
    await change(['discover'], 1, false);
    expect(await statusOf(world.as('outsider').call(records.dossier, { params: { id: one!.id } }))).toBe(403);
    expect(await listed('outsider')).toBe(1);
    expect(await statusOf(change(['discover'], 1, false))).toBe(412);
    const then = await keeper().call(access.compare, {
      body: { spots: [today, '2026-09-15'].map((on) => ({ personId: world.ids.outsider, placeId: world.ids.A01, on })) },
    });
    expect(then.rights.find((r) => r.right === 'read')!.has).toEqual(['all', 'no']);
    // Out of use it is given to nobody more; what was given goes on.
    await change(['discover'], 2, false, false);
    expect(await problemOf(give('keeper', world.ids.A02, world.ids.outsider, mover))).toBe(
      'The profile “Mover” is given to nobody any more.',
    );
    expect(await listed('outsider')).toBe(1);
  });

  chapter('one that lets approve is enough to approve, for the database as well', async () => {
    const { code } = await make('Second pair of eyes', ['discover', 'read', 'approve']);
    await give('keeper', world.ids.root, world.ids.outsider, code);
    await world.rule('R-OWN', world.ids.A02, ruleDefinition());
    await world.file('keeper', { place: world.ids.A02, createdOn: '2024-01-10' });
    const { batchId } = await proposed();
    await world.as('outsider').call(docket.approve, { params: { id: batchId }, body: { note: '' } });
  });
  async function proposed(): Promise<{ batchId: string }> {
    await keeper().call(steps.sweep);
    const { groups } = await keeper().call(docket.due);
    const { id } = await keeper().call(docket.propose, {
      body: { groupKey: groups[0]!.key, noticeDays: groups[0]!.noticeDays, announce: true },
    });
    const { noticeUntil } = await keeper().call(docket.batch, { params: { id } });
    await world.setToday(new Date(Date.parse(noticeUntil!) + 86_400_000).toISOString().slice(0, 10));
    return { batchId: id };
  }

  chapter('everybody who can sign in is in one group, whoever comes later as well, and nobody else', async () => {
    const id = await everyone();
    const before = await listed('depositor');
    await give('keeper', world.ids.A01, id, 'reader');
    expect(await listed('depositor')).toBeGreaterThan(before);
    const matrix = await keeper().call(access.matrix, { query: { by: 'group', all: true, from: 0 } });
    expect(matrix.columns.map((c) => c.name)).toEqual(['Everyone', 'Staff']);
    const [side] = (
      await keeper().call(access.compare, { body: { spots: [{ personId: world.ids.depositor, placeId: world.ids.A01, on: null }] } })
    ).sides;
    expect(side!.grants.map((g) => [g.to.name, g.profile])).toContain(['Everyone', 'Reader']);
    const group = (await keeper().call(people.list)).groups.find((g) => g.everyone)!;
    const change = (body: object) =>
      keeper().call(people.changeGroup, {
        params: { id },
        body: { name: group.name, active: true, memberIds: [], revision: group.revision, ...body },
      });
    expect(await statusOf(change({ active: false }))).toBe(409);
    expect(await statusOf(change({ memberIds: [world.ids.reader] }))).toBe(409);
    expect(await statusOf(change({ name: 'All of us' }))).toBe(200);
    expect(await statusOf(keeper().call(people.makeGroup, { body: { name: 'Around all', memberIds: [id] } }))).toBe(422);
    // Not by a package, and not past the server.
    const { groups } = itemsIn(await bytesOf(keeper()));
    const changed = groups!.map((g) => (g['name'] === 'All of us' ? { ...g, active: false } : g));
    const { errors } = await keeper().call(exchange.importPackage, {
      body: { data: packed({ groups: changed }).toString('base64'), conflicts: 'take', dryRun: false },
    });
    expect(errors.length).toBe(1);
    await asApplication(world.database, async (client) => {
      await expectAsync(client.query('update principal set active = false where everyone')).toBeRejectedWithError(/stays/);
      await expectAsync(
        client.query('insert into membership (member_id, group_id) values ($1, $2)', [world.ids.reader, id]),
      ).toBeRejectedWithError(/no members of its own/);
    });
    const [grant] = (await keeper().call(people.grantsOn, { params: { id: world.ids.A01 } })).grants.filter((g) => g.principal.id === id);
    await keeper().call(people.endGrant, { params: { id: grant!.id }, body: { reason: 'no longer', dryRun: false } });
    expect(await listed('depositor')).toBe(before);
  });

  chapter('packages take profiles along, to who sets up and nobody else', async () => {
    const items = itemsIn(await bytesOf(keeper()));
    expect(items['profiles']!.map((p) => p['code'])).toContain('mover');
    const other = await makeWorld();
    try {
      await letSetUp(other);
      const bring = (login: Login, profiles: object[]) =>
        other.as(login).call(exchange.importPackage, {
          body: { data: packed({ profiles: profiles as never }).toString('base64'), conflicts: 'take', dryRun: false },
        });
      expect((await bring('deputy', items['profiles']!)).errors.length).toBe(items['profiles']!.length);
      expect((await bring('keeper', items['profiles']!)).errors).toEqual([]);
      const shipped = { ...items['profiles']![0]!, code: 'keeper', title: 'Other' };
      expect((await bring('keeper', [shipped])).errors.map((e) => e.sentence)).toEqual([
        '“keeper” is a profile that ships and does not change.',
      ]);
      const { profiles } = await other.as('reader').call(access.profiles);
      expect(profiles.filter((p) => p.own).map((p) => p.title)).toContain('Mover');
    } finally {
      await other.stop();
    }
  });
});
