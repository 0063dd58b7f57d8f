import { access, people, plan, records } from '@key-cellar/contract';
import { listRights, shippedProfiles } from '@key-cellar/core/access';
import * as fc from 'fast-check';
import { chapters } from './support/chapters.js';
import { asOwner } from './support/database.js';
import { letSetUp, type Login, logins, makeWorld, problemOf, revisionOf, statusOf, today, type World } from './support/world.js';

const dayAfter = (n: number): string => new Date(Date.parse(today) + n * 86_400_000).toISOString().slice(0, 10);

describe('the area of access', () => {
  const chapter = chapters();
  let world: World;
  const keeper = () => world.as('keeper');
  const give = (place: string, principalId: string, profile: string, more: object = {}) =>
    keeper().call(people.giveGrant, {
      params: { id: place },
      body: { principalId, profile: profile as never, reason: 'as agreed', from: null, until: null, dryRun: false, ...more },
    });
  const matrix = (login: Login, query: Partial<{ by: 'person' | 'group'; all: boolean; place: string; name: string; from: number }> = {}) =>
    world.as(login).call(access.matrix, { query: { by: 'person', all: true, from: 0, ...query } });
  const compare = (login: Login, ...spots: { personId: string; placeId?: string; recordId?: string; on?: string | null }[]) =>
    world.as(login).call(access.compare, { body: { spots: spots.map((s) => ({ on: null, ...s })) } });

  beforeAll(async () => {
    world = await makeWorld();
    await letSetUp(world);
  });
  afterAll(() => world.stop());

  chapter('shows who has what where, to those who give access or audit, on the places where they do', async () => {
    const all = await matrix('auditor');
    expect(all.rows.map((r) => [r.code, r.depth, r.standAlone])).toEqual([
      ['ALL', 0, false],
      ['A', 1, false],
      ['A-01', 2, false],
      ['A-02', 2, false],
      ['B', 1, true],
      ['B-01', 2, false],
    ]);
    const cell = (page: typeof all, code: string, login: Login): string => {
      const column = page.columns.findIndex((c) => c.id === world.ids[login]);
      const mark = page.marks[page.rows.find((r) => r.code === code)!.cells[column]!]!;
      return mark.profiles.map((p) => `${p.code}${p.here ? '!' : ''}`).join(' ');
    };
    expect(cell(all, 'ALL', 'keeper')).toBe('administrator! keeper!');
    expect(cell(all, 'A-01', 'keeper')).toBe('administrator keeper');
    expect(cell(all, 'A', 'editor')).toBe('editor!');
    expect(cell(all, 'A-01', 'editor')).toBe('editor');
    expect(cell(all, 'B-01', 'editor')).toBe('');
    expect(cell(all, 'B-01', 'steward')).toBe('editor');
    expect(cell(all, 'B', 'counsel')).toBe('');
    // A steward looks into access where they may give it, and nowhere else.
    expect((await matrix('steward')).rows.map((r) => r.code)).toEqual(['A', 'A-01', 'A-02']);
    for (const login of ['editor', 'reader', 'depositor', 'counsel', 'approver', 'outsider'] as const)
      expect(await statusOf(matrix(login)))
        .withContext(login)
        .toBe(403);
    // Only where access differs from what is around; by words of a place; by words of a name.
    expect((await matrix('keeper', { all: false })).rows.map((r) => r.code)).toEqual(['ALL', 'A', 'A-01', 'B']);
    expect((await matrix('keeper', { place: 'b-0' })).rows.map((r) => r.code)).toEqual(['B-01']);
    expect((await matrix('keeper', { place: '%' })).rows).toEqual([]);
    expect((await matrix('keeper', { name: 'STEW' })).columns.map((c) => c.name)).toEqual(['Person steward']);
    expect((await matrix('keeper', { by: 'group' })).columns.map((c) => c.name)).toEqual(['Everyone', 'Staff']);
  });

  chapter('says why, and what a marking takes', async () => {
    await give(world.ids.A, world.ids.staff, 'borrower');
    const [side] = (await compare('steward', { personId: world.ids.reader, placeId: world.ids.A01 })).sides;
    expect(side!.grants.map((g) => [g.to.name, g.profile, g.counts, g.status])).toEqual([['Person reader', 'Reader', true, 'counts']]);
    const staff = await keeper().call(people.list);
    const group = staff.groups.find((g) => g.id === world.ids.staff)!;
    await keeper().call(people.changeGroup, {
      params: { id: group.id },
      body: { name: group.name, active: true, memberIds: [world.ids.reader], revision: group.revision },
    });
    const { sides, rights } = await compare('steward', { personId: world.ids.reader, placeId: world.ids.A01 });
    expect(sides[0]!.grants.map((g) => [g.to.name, g.status])).toEqual([
      ['Person reader', 'counts'],
      ['Staff', 'counts, as a member of Staff'],
    ]);
    expect(rights.find((r) => r.right === 'copyOut')).toEqual(
      jasmine.objectContaining({ has: ['all'], through: [['Borrower on A Place A, as a member of Staff']] }),
    );
    expect(rights.find((r) => r.right === 'hold')).toEqual(jasmine.objectContaining({ has: ['no'], through: [[]] }));
    // Two people at a place; one person at two.
    const two = await compare(
      'keeper',
      { personId: world.ids.editor, placeId: world.ids.A },
      { personId: world.ids.editor, placeId: world.ids.B },
    );
    expect(two.rights.find((r) => r.right === 'edit')!.has).toEqual(['all', 'no']);
    const record = await world.file('editor', { place: world.ids.A01 });
    await asOwner(world.database, async (client) => {
      await client.query(`insert into access_set (anchor_place, record_id, marking_level, marking_caveats)
        select anchor_place, record_id, 3, '{}' from access_set where id = (select access_set_id from record where id = '${record.id}')`);
      await client.query(`update record set marking_level = 3, access_set_id = (select max(id) from access_set) where id = $1`, [
        record.id,
      ]);
    });
    // Nobody here has a clearance of 3: not even to be told of it.
    expect(await statusOf(compare('auditor', { personId: world.ids.editor, recordId: record.id }))).toBe(404);
    await asOwner(world.database, (client) => client.query('update principal set clearance_level = 3 where id = $1', [world.ids.auditor]));
    const marked = await compare('auditor', { personId: world.ids.editor, recordId: record.id });
    expect(marked.sides[0]!.why).toBe('The clearance does not reach marking level 3.');
    expect(marked.sides[0]!.grants.every((g) => !g.counts)).toBeTrue();
    expect(marked.rights.every((r) => r.has[0] === 'no' && r.through[0]!.length === 0)).toBeTrue();
  });

  chapter('tells only what may be known, and only to those who may', async () => {
    const [own, other] = [
      { personId: world.ids.editor, placeId: world.ids.A },
      { personId: world.ids.reader, placeId: world.ids.A },
    ];
    // Everybody may ask about themselves; about others who gives access there, or audits.
    expect(await statusOf(compare('editor', own))).toBe(200);
    expect(await statusOf(compare('editor', other))).toBe(403);
    expect(await statusOf(compare('steward', other))).toBe(200);
    expect(await statusOf(compare('steward', { ...other, placeId: world.ids.B }))).toBe(403);
    expect(await statusOf(compare('outsider', { personId: world.ids.outsider, placeId: world.ids.B }))).toBe(404);
    expect(await statusOf(compare('keeper', { personId: world.ids.root, placeId: world.ids.A }))).toBe(404);
    expect(await statusOf(compare('keeper', { personId: world.ids.editor }))).toBe(400);
    expect(await statusOf(compare('keeper', { ...own, on: dayAfter(-1) }))).toBe(409);
    expect(await problemOf(compare('keeper', { ...own, on: dayAfter(1) }))).toContain('is known from 14 Sep 2026');
    for (const query of [{ placeId: world.ids.A }, { placeId: world.ids.root }]) {
      expect(await statusOf(world.as('editor').call(access.reach, { query }))).not.toBe(200);
      expect(await statusOf(keeper().call(access.reach, { query }))).toBe(200);
    }
    const reach = await world.as('steward').call(access.reachOf, { params: { id: world.ids.editor } });
    expect(reach.places.map((p) => p.code)).toEqual(['A', 'A-01']);
    expect((await keeper().call(access.reachOf, { params: { id: world.ids.steward } })).places.map((p) => p.code)).toEqual([
      'A',
      'A-01',
      'B',
    ]);
    expect(await statusOf(world.as('reader').call(access.reachOf, { params: { id: world.ids.editor } }))).toBe(403);
    expect((await world.as('reader').call(access.reachOf, { params: { id: world.ids.reader } })).places.map((p) => p.code)).toEqual([
      'A',
      'A-01',
    ]);
  });

  chapter('knows of every day since it began what everybody could do on it', async () => {
    const places = ['root', 'A', 'A01', 'A02', 'B', 'B01'] as const;
    const days: { on: string; could: Map<string, string> }[] = [];
    const picks = fc.sample(
      fc.tuple(
        fc.nat(7),
        fc.constantFrom(...places),
        fc.constantFrom(...logins.filter((l) => l !== 'keeper'), 'staff' as const),
        fc.nat(9),
      ),
      {
        numRuns: 36,
        seed: 12,
      },
    );
    /** What is so now, by the book by which everything is decided. */
    const stand = async (on: string): Promise<void> => {
      const could = new Map<string, string>();
      const { rows } = await world.pool.query<{ id: string; access_set_id: number }>('select id, access_set_id from place');
      for (const person of await world.services.access.everyone(on))
        for (const { id, access_set_id: set } of rows) could.set(`${person.id} ${id}`, listRights(person.access.on(set).own).join(' '));
      days.push({ on, could });
    };
    for (let day = 0; day < 6; day++) {
      const on = dayAfter(day + 1);
      await world.setToday(on);
      for (const [what, at, who, which] of picks.slice(day * 6, day * 6 + 6)) {
        const place = world.ids[at];
        const { grants } = await keeper().call(people.grantsOn, { params: { id: place } });
        const here = grants.filter((g) => g.place.id === place && g.principal.id !== world.ids.keeper);
        const grant = here[which % Math.max(here.length, 1)];
        const profile = shippedProfiles[which % shippedProfiles.length]!.code;
        // A group that is not in use is given nothing.
        if (what <= 2)
          await statusOf(
            give(place, world.ids[who], profile, {
              from: what === 1 ? dayAfter(day + 3) : null,
              until: what === 2 ? dayAfter(day + 4) : null,
            }),
          );
        else if (what === 3 && grant)
          await keeper().call(people.endGrant, { params: { id: grant.id }, body: { reason: 'over', dryRun: false } });
        else if (what === 4 && grant)
          await keeper().call(people.changeGrant, {
            params: { id: grant.id },
            body: { profile, from: null, until: null, reason: 'another', dryRun: false },
          });
        else if (what === 5 && at !== 'root') {
          const page = await keeper().call(plan.place, { params: { id: place } });
          await keeper().call(people.setStandAlone, {
            params: { id: place },
            body: { revision: await revisionOf(world, place), standAlone: !page.standAlone, reason: 'apart', dryRun: false },
          });
        } else if (what === 6) {
          const group = (await keeper().call(people.list)).groups.find((g) => g.id === world.ids.staff)!;
          const members = new Set(group.members.map((m) => m.id));
          const one = world.ids[who === 'staff' ? 'editor' : who];
          if (!members.delete(one)) members.add(one);
          await keeper().call(people.changeGroup, {
            params: { id: group.id },
            body: { name: group.name, active: which > 2, memberIds: [...members], revision: group.revision },
          });
        } else if (who !== 'staff') {
          const person = (await keeper().call(people.list)).people.find((p) => p.id === world.ids[who])!;
          await keeper().call(people.change, {
            params: { id: person.id },
            body: { ...person, groupIds: person.groups.map((g) => g.id), clearance: { level: which, caveats: [] } },
          });
        }
      }
      await stand(on);
    }
    await world.setToday(dayAfter(30));
    let different = 0;
    for (const { on, could } of days)
      for (const place of places) {
        const { people: lines } = await keeper().call(access.reach, { query: { placeId: world.ids[place], since: on } });
        for (const login of logins) {
          const { rights, sides } = await compare('keeper', { personId: world.ids[login], placeId: world.ids[place], on });
          const then = could.get(`${world.ids[login]} ${world.ids[place]}`)!;
          expect(
            rights
              .filter((r) => r.has[0] !== 'no')
              .map((r) => r.right)
              .join(' '),
          )
            .withContext(`${on} ${place} ${login}`)
            .toBe(then);
          expect(sides[0]!.on).toBe(on);
          const line = lines.find((l) => l.person.id === world.ids[login]);
          if (line && line.change !== 'same') different++;
        }
      }
    expect(different).withContext('people whose access was another one').toBeGreaterThan(20);
  });

  chapter('finds what somebody should look at', async () => {
    const found = async (login: Login = 'keeper') => (await world.as(login).call(access.findings)).findings;
    const now = dayAfter(30);
    const { id } = await give(world.ids.B01, world.ids.outsider, 'editor', { until: dayAfter(40) });
    const of = async (grantId: string) => (await found()).filter((f) => f.grantId === grantId).map((f) => f.kind);
    expect(await of(id)).toEqual(['endsSoon']);
    await keeper().call(people.changeGrant, {
      params: { id },
      body: { profile: 'editor', from: null, until: dayAfter(70), reason: 'later', dryRun: false },
    });
    expect(await of(id)).toEqual([]);
    await keeper().call(people.changeGrant, {
      params: { id },
      body: { profile: 'editor', from: null, until: null, reason: 'for good', dryRun: false },
    });
    expect(await of(id)).toEqual(['never']);
    const { id: group } = await keeper().call(people.makeGroup, { body: { name: 'Night watch', memberIds: [] } });
    const { id: ofGroup } = await give(world.ids.B01, group, 'reader');
    expect(await of(ofGroup)).toEqual(['emptyGroup']);
    const line = (await keeper().call(people.list)).groups.find((g) => g.id === group)!;
    await keeper().call(people.changeGroup, {
      params: { id: group },
      body: { name: line.name, active: true, memberIds: [world.ids.outsider], revision: line.revision },
    });
    expect(await of(ofGroup)).toEqual([]);
    expect(await of(id)).toEqual(['never', 'moreThanGroup']);
    const { id: same } = await give(world.ids.B01, world.ids.outsider, 'reader', { until: dayAfter(80) });
    expect(await of(same)).toEqual(['asGroup']);
    // Nothing done there for three months since it was given.
    await world.setToday(dayAfter(30 + 100));
    expect(await of(id)).toContain('unused');
    expect(await of(same)).toEqual(['ended']);
    await world.setToday(dayAfter(30 + 101));
    await world.file('outsider', { place: world.ids.B01 });
    expect(await of(id)).not.toContain('unused');
    expect((await found()).some((f) => f.kind === 'standsAlone')).toBeTrue();
    expect(await statusOf(found('outsider'))).toBe(403);
    await world.setToday(now);
  });

  chapter('is given high in the plan, for the first time there or not, without a record being written', async () => {
    const made = async (parentId: string, kind: 'activity' | 'series' | 'folder', code: string): Promise<string> =>
      (await keeper().call(plan.makePlace, { body: { parentId, kind, code, title: code } })).id;
    const { id: branch } = await keeper().call(plan.makePlace, {
      body: { parentId: world.ids.root, kind: 'function', code: 'H', title: 'High' },
    });
    const activity = await made(branch, 'activity', 'H.1');
    const series = await made(activity, 'series', 'H-01');
    const folder = await made(series, 'folder', 'H-01-F');
    const { id: record } = await world.file('keeper', { place: folder });
    const row = async (): Promise<string> =>
      (await world.pool.query<{ row: string }>(`select xmin || ' ' || access_set_id as row from record where id = $1`, [record])).rows[0]!
        .row;
    const sees = (): Promise<number> => statusOf(world.as('outsider').call(records.dossier, { params: { id: record } }));
    const [before, grants] = [await row(), new Map<string, string>()];
    // What only could have access of its own has none yet.
    const differing = async (): Promise<string[]> =>
      (await keeper().call(access.matrix, { query: { by: 'person' } })).rows.map((r) => r.code).filter((code) => code.startsWith('H'));
    expect(await differing()).toEqual([]);
    expect(await sees()).toBe(404);
    for (const placeId of [branch, activity, series]) {
      const { id } = await keeper().call(people.giveGrant, {
        params: { id: placeId },
        body: { principalId: world.ids.outsider, profile: 'reader', from: null, until: null, reason: 'looks in', dryRun: false },
      });
      grants.set(placeId, id);
      expect([await sees(), await row()]).toEqual([200, before]);
    }
    for (const id of grants.values())
      await keeper().call(people.endGrant, { params: { id }, body: { reason: 'no longer', dryRun: false } });
    expect([await sees(), await row()]).toEqual([404, before]);
    // A folder shares the access of its series until something was given on itself.
    const { id: last } = await keeper().call(people.giveGrant, {
      params: { id: folder },
      body: { principalId: world.ids.outsider, profile: 'reader', from: null, until: null, reason: 'looks in', dryRun: false },
    });
    expect(await sees()).toBe(200);
    expect(await row()).not.toBe(before);
    await keeper().call(people.endGrant, { params: { id: last }, body: { reason: 'no longer', dryRun: false } });
    expect((await row()).split(' ')[1]).toBe(before.split(' ')[1]!);
  });
});
