import { access, exchange, people, plan, records, tags } from '@key-cellar/contract';
import { dominates, type Marking } from '@key-cellar/core/access';
import * as fc from 'fast-check';
import { chapters } from './support/chapters.js';
import { asOwner } from './support/database.js';
import { bytesOf, itemsIn, packed } from './support/packages.js';
import {
  approvedBatch,
  executeAndWait,
  logins,
  makeWorld,
  problemOf,
  rackDifferences,
  revisionOf,
  ruleDefinition,
  statusOf,
  type Login,
  type World,
} from './support/world.js';

const none: Marking = { level: 0, caveats: [] };

/** Whom something is given at random: what is nearest counts, so that a keeper would lose what they have; the outsider is needed without anything. */
const others = logins.filter((login) => !['keeper', 'deputy', 'outsider'].includes(login));

describe('markings, access tags and grants on single records', () => {
  const chapter = chapters();
  let world: World;
  const keeper = () => world.as('keeper');
  const mark = async (login: Login, placeId: string, marking: Marking, dryRun = false) =>
    world.as(login).call(access.markPlace, {
      params: { id: placeId },
      body: { ...marking, revision: await revisionOf(world, placeId), reason: 'as decided', dryRun },
    });
  const markRecords = (login: Login, recordIds: string[], marking: Marking, dryRun = false) =>
    world.as(login).call(access.markRecords, { body: { recordIds, ...marking, reason: 'as decided', dryRun } });
  const give = (login: Login, recordId: string, principalId: string, profile = 'reader', more: object = {}) =>
    world.as(login).call(access.giveOnRecord, {
      params: { id: recordId },
      body: { principalId, profile: profile as never, from: null, until: null, reason: 'asked for', dryRun: false, ...more },
    });
  const carry = async (login: Login, placeId: string, tagIds: readonly string[]) =>
    world.as(login).call(tags.ofPlace, {
      params: { id: placeId },
      body: { tagIds: [...tagIds], revision: await revisionOf(world, placeId), reason: 'as decided', dryRun: false },
    });
  const tagRecord = (
    login: Login,
    recordId: string,
    { put, take }: { readonly put: readonly string[]; readonly take: readonly string[] },
  ) =>
    world.as(login).call(tags.ofRecords, {
      body: { recordIds: [recordId], put: [...put], take: [...take], reason: 'as decided', dryRun: false },
    });
  const giveBy = (login: Login, tagId: string, principalId: string, profile: string) =>
    world.as(login).call(tags.give, {
      params: { id: tagId },
      body: { principalId, profile, from: null, until: null, reason: 'as decided', dryRun: false },
    });
  const standApart = async (placeId: string, standAlone: boolean) =>
    keeper().call(people.setStandAlone, {
      params: { id: placeId },
      body: { standAlone, revision: await revisionOf(world, placeId), reason: 'as decided', dryRun: false },
    });
  const sees = async (login: Login, id: string): Promise<boolean> =>
    (await statusOf(world.as(login).call(records.dossier, { params: { id } }))) === 200;
  const listed = async (login: Login): Promise<string[]> =>
    (await world.as(login).call(records.list, { query: { limit: 200 } })).records.map((r) => r.id);
  const markingOf = async (table: 'place' | 'record', id: string): Promise<Marking> =>
    asOwner(world.database, async (client) => {
      const { rows } = await client.query<{ level: number; caveats: string[]; own: boolean }>(
        `select s.marking_level as level, s.marking_caveats as caveats from ${table} t join access_set s on s.id = t.access_set_id where t.id = $1`,
        [id],
      );
      const { level, caveats } = rows[0]!;
      return { level, caveats };
    });

  beforeAll(async () => {
    world = await makeWorld();
    await asOwner(world.database, async (client) => {
      await client.query(`update principal set clearance_level = 3, clearance_caveats = '{people,works}' where id = any ($1)`, [
        [world.ids.keeper, world.ids.deputy],
      ]);
      await client.query(
        `insert into grant_ (id, principal_id, place_id, profile, reason) values (gen_random_uuid(), $1, $2, 'administrator', 'first keeper')`,
        [world.ids.keeper, world.ids.root],
      );
    });
  });
  afterAll(() => world.stop());

  chapter(
    'a place is marked: who is not cleared loses it with all in it, and is told beforehand; what was marked otherwise is lifted',
    async () => {
      const plain = await world.file('editor', { title: 'Plain' });
      const apart = await world.file('editor', { title: 'Apart' });
      await markRecords('keeper', [apart.id], { level: 1, caveats: ['works'] });
      expect(await sees('editor', plain.id)).toBe(true);
      expect(await sees('editor', apart.id))
        .withContext('lacks the caveat')
        .toBe(false);
      const tried = await mark('keeper', world.ids.A01, { level: 2, caveats: [] }, true);
      // One place and one record: the other is out of the editor’s sight already.
      expect(tried.access!.loses.find((line) => line.startsWith('Person editor'))).toContain('one record and one place');
      expect(tried.access!.gains).toEqual([]);
      expect(await sees('editor', plain.id))
        .withContext('only tried')
        .toBe(true);
      await mark('keeper', world.ids.A01, { level: 2, caveats: [] });
      expect(await sees('editor', plain.id)).toBe(false);
      expect(await listed('editor')).not.toContain(plain.id);
      expect(await sees('keeper', plain.id)).toBe(true);
      expect(await markingOf('record', plain.id)).toEqual({ level: 2, caveats: [] });
      expect(await markingOf('record', apart.id)).toEqual({ level: 2, caveats: ['works'] });
      // What is filed there is marked from the start.
      const later = await world.file('keeper', { title: 'Later' });
      expect(await markingOf('record', later.id)).toEqual({ level: 2, caveats: [] });
      // Marked less again: what was marked as the place follows, what was marked otherwise stays.
      await mark('keeper', world.ids.A01, none);
      expect(await sees('editor', plain.id)).toBe(true);
      expect(await markingOf('record', apart.id)).toEqual({ level: 2, caveats: ['works'] });
      const said = await asOwner(world.database, (client) =>
        client.query(
          `select body::jsonb->'before' as before, body::jsonb->'after' as after from ledger_entry where act = 'marked a place' order by seq desc limit 1`,
        ),
      );
      expect(said.rows[0]).toEqual({ before: { level: 2, caveats: [] }, after: none });
      expect(await rackDifferences(world.database)).toBe(0);
    },
  );

  chapter('nobody marks beyond their own clearance, nor a thing less than what it lies in, nor without giving access there', async () => {
    const { id } = await world.file('steward', { title: 'Steward’s' });
    const beyond = { level: 2, caveats: [] };
    expect(await problemOf(markRecords('steward', [id], beyond))).toBe(
      'You are not cleared for marking level 2 yourself. Somebody who is can mark it so.',
    );
    expect(await problemOf(mark('steward', world.ids.A01, { level: 0, caveats: ['people'] }))).toContain('You are not cleared for');
    await mark('keeper', world.ids.A, { level: 1, caveats: [] });
    expect(await statusOf(mark('keeper', world.ids.A01, none))).toBe(422);
    const { results } = await markRecords('keeper', [id], none);
    expect(results.map((r) => [r.outcome, r.why])).toEqual([['refused', 'What it lies in is marking level 1: it is marked at least so.']]);
    for (const login of ['editor', 'reader', 'auditor', 'counsel'] as const) {
      expect(await statusOf(mark(login, world.ids.A01, { level: 1, caveats: [] })))
        .withContext(login)
        .toBe(403);
    }
    expect(await world.as('steward').call(access.markings)).toEqual({ level: 1, caveats: [] });
    expect(await keeper().call(access.markings)).toEqual({ level: 3, caveats: ['people', 'works'] });
    await mark('keeper', world.ids.A, none);
  });

  chapter('what comes to lie in a marked place is marked at least so: moved, merged, or brought', async () => {
    await mark('keeper', world.ids.A02, { level: 2, caveats: ['people'] });
    const moved = await world.file('keeper', { title: 'Moved' });
    await keeper().call(records.move, { body: { ids: [moved.id], placeId: world.ids.A02, reason: 'belongs there' } });
    expect(await markingOf('record', moved.id)).toEqual({ level: 2, caveats: ['people'] });
    const folder = async (parentId: string, code: string): Promise<string> =>
      (await keeper().call(plan.makePlace, { body: { parentId, kind: 'folder', code, title: code } })).id;
    const [one, two] = [await folder(world.ids.A01, 'ONE'), await folder(world.ids.A01, 'TWO')];
    const inside = await world.file('keeper', { title: 'Inside', place: one });
    await keeper().call(plan.movePlace, { params: { id: one }, body: { revision: 1, parentId: world.ids.A02 } });
    expect([await markingOf('place', one), await markingOf('record', inside.id)]).toEqual([
      { level: 2, caveats: ['people'] },
      { level: 2, caveats: ['people'] },
    ]);
    const merged = await world.file('keeper', { title: 'Merged', place: two });
    const three = await folder(world.ids.A01, 'THREE');
    await mark('keeper', three, { level: 1, caveats: [] });
    await keeper().call(plan.mergePlace, { params: { id: two }, body: { revision: 1, intoId: three } });
    expect(await markingOf('record', merged.id)).toEqual({ level: 1, caveats: [] });
    // A package marks by the same rules.
    const bring = async (marking: Marking, login: Login = 'keeper') => {
      const { places } = itemsIn(await bytesOf(keeper()));
      const changed = places!.map((p) => (p['code'] === 'A-02' ? { ...p, marking } : p));
      return world.as(login).call(exchange.importPackage, {
        body: { data: packed({ places: changed }).toString('base64'), conflicts: 'take', dryRun: false },
      });
    };
    await mark('keeper', world.ids.A, { level: 1, caveats: ['works'] });
    const less = await bring({ level: 1, caveats: ['people'] });
    expect(less.errors.map((e) => e.sentence)).toEqual(['What it lies in is marking level 1, works: it is marked at least so.']);
    const beyond = await bring({ level: 7, caveats: ['works'] }, 'deputy');
    expect(beyond.errors.map((e) => e.sentence)).toEqual([
      'You are not cleared for marking level 7, works yourself. Somebody who is can mark it so.',
    ]);
    expect((await bring({ level: 3, caveats: ['works', 'people'] })).errors).toEqual([]);
    expect(await markingOf('record', moved.id)).toEqual({ level: 3, caveats: ['people', 'works'] });
    await mark('keeper', world.ids.A02, { level: 1, caveats: ['works'] });
    await mark('keeper', world.ids.A, none);
    expect(await rackDifferences(world.database)).toBe(0);
  });

  chapter('gives everybody exactly what the core says, whatever is marked and given at random', async () => {
    const files = await Promise.all(
      [1, 2, 3, 4].map((n) => world.file('keeper', { title: `Lot ${n}`, place: n % 2 ? world.ids.A01 : world.ids.A02 })),
    );
    const named = await Promise.all(
      ['Inquiry', 'Lawsuit'].map(async (name) => (await keeper().call(tags.make, { body: { name, note: '' } })).id),
    );
    const some = fc.subarray(named);
    const marking = fc.record({ level: fc.integer({ min: 0, max: 2 }), caveats: fc.subarray(['people', 'works']) });
    const act = fc.oneof(
      fc.record({ place: fc.constantFrom('A', 'A01', 'A02', 'root'), marking }),
      fc.record({ record: fc.nat(3), marking }),
      fc.record({ give: fc.nat(3), to: fc.constantFrom(...others), profile: fc.constantFrom('reader', 'borrower', 'editor') }),
      fc.record({ tagged: fc.constantFrom('A', 'A01', 'A02'), carries: some }),
      fc.record({ tag: fc.nat(3), put: some, take: some }),
      fc.record({
        by: fc.constantFrom(...named),
        to: fc.constantFrom(...others),
        profile: fc.constantFrom('reader', 'depositor', 'editor'),
      }),
      fc.record({ alone: fc.constantFrom('A', 'A01', 'A02'), standAlone: fc.boolean() }),
      fc.record({ move: fc.nat(3), into: fc.constantFrom('A01', 'A02') }),
    );
    await fc.assert(
      fc.asyncProperty(fc.array(act, { minLength: 5, maxLength: 14 }), async (acts) => {
        for (const one of acts) {
          if ('place' in one) await statusOf(mark('keeper', world.ids[one.place as 'A'], one.marking));
          else if ('record' in one) await markRecords('keeper', [files[one.record]!.id], one.marking);
          else if ('give' in one) await give('keeper', files[one.give]!.id, world.ids[one.to], one.profile);
          else if ('tagged' in one) await carry('keeper', world.ids[one.tagged as 'A'], one.carries);
          else if ('tag' in one) await tagRecord('keeper', files[one.tag]!.id, one);
          else if ('by' in one) await giveBy('keeper', one.by, world.ids[one.to], one.profile);
          else if ('alone' in one) await standApart(world.ids[one.alone as 'A'], one.standAlone);
          else
            await keeper().call(records.move, {
              body: { ids: [files[one.move]!.id], placeId: world.ids[one.into as 'A01'], reason: 'moved' },
            });
        }
        for (const { id } of files) {
          const own = await markingOf('record', id);
          const { rows } = await world.pool.query<{ id: string }>('select place_id as id from record where id = $1', [id]);
          expect(dominates(own, await markingOf('place', rows[0]!.id)))
            .withContext('marked as what is around')
            .toBe(true);
          const reach = await keeper().call(access.reach, { query: { recordId: id } });
          const may = new Set(reach.people.filter((p) => p.rights.includes('discover')).map((p) => p.person.id));
          for (const login of logins)
            expect(await sees(login, id))
              .withContext(login)
              .toBe(may.has(world.ids[login]));
        }
        expect(await rackDifferences(world.database)).toBe(0);
      }),
      { numRuns: 4 },
    );
    for (const place of ['A', 'A01', 'A02'] as const) {
      await carry('keeper', world.ids[place], []);
      await standApart(world.ids[place], false);
    }
    for (const place of ['root', 'A', 'A01', 'A02'] as const) await mark('keeper', world.ids[place], none);
  });

  chapter('one record is given to somebody who has nothing else: they find it, and nothing beside it', async () => {
    const [one, two] = [await world.file('editor', { title: 'Shared' }), await world.file('editor', { title: 'Beside' })];
    expect(await listed('outsider')).toEqual([]);
    const tried = await give('steward', one.id, world.ids.outsider, 'borrower', { dryRun: true });
    expect(tried.access!.gains).toEqual(['Person outsider: discover, read, copy out on one record']);
    expect(await listed('outsider')).toEqual([]);
    await give('steward', one.id, world.ids.outsider, 'borrower');
    expect(await listed('outsider')).toEqual([one.id]);
    expect(await sees('outsider', two.id)).toBe(false);
    expect((await world.as('outsider').call(records.dossier, { params: { id: one.id } })).accessWhy).toContain(`on ${one.number} Shared`);
    // Those around keep what they had.
    expect(await sees('editor', one.id)).toBe(true);
    const page = await world.as('steward').call(access.grantsOnRecord, { params: { id: one.id } });
    expect(page.grants.filter((g) => g.record !== null).map((g) => [g.principal.name, g.profile])).toEqual([
      ['Person outsider', 'borrower'],
    ]);
    expect(page.grants.some((g) => g.record === null)).toBe(true);
    expect(await statusOf(world.as('editor').call(access.grantsOnRecord, { params: { id: one.id } }))).toBe(403);
    expect(await statusOf(world.as('counsel').call(access.grantsOnRecord, { params: { id: one.id } }))).toBe(403);
    // Nobody gives more than they have; nobody gives what they do not see.
    expect(await statusOf(give('steward', one.id, world.ids.reader, 'keeper'))).toBe(403);
    expect(await statusOf(give('outsider', two.id, world.ids.reader))).toBe(404);
    expect(await statusOf(give('outsider', one.id, world.ids.reader))).toBe(403);
    // A declared record takes it, and what is given moves along with the record.
    await keeper().call(records.declare, { body: { ids: [one.id] } });
    const grant = page.grants.find((g) => g.record !== null)!;
    await world.as('steward').call(people.changeGrant, {
      params: { id: grant.id },
      body: { profile: 'reader', from: null, until: '2026-09-20', reason: 'reading is enough', dryRun: false },
    });
    expect(await listed('outsider')).toEqual([one.id]);
    await world.setToday('2026-09-21');
    expect(await listed('outsider'))
      .withContext('its last day is over')
      .toEqual([]);
    await world.as('steward').call(people.endGrant, { params: { id: grant.id }, body: { reason: 'read', dryRun: false } });
    expect(await listed('outsider')).toEqual([]);
    expect(await rackDifferences(world.database)).toBe(0);
  });

  chapter('what somebody was given on a record goes to their heir when they leave', async () => {
    const { id } = await world.file('editor', { title: 'Left behind' });
    const { id: leaving } = await keeper().call(people.make, {
      body: { name: 'Somebody', login: 'somebody', email: null, clearance: none, groupIds: [], invite: false } as never,
    });
    await give('keeper', id, leaving, 'borrower', { until: '2026-12-31' });
    await keeper().call(people.letGo, { params: { id: leaving }, body: { reason: 'leaves', heirId: world.ids.outsider, grantsToo: true } });
    const { grants } = await keeper().call(access.grantsOnRecord, { params: { id } });
    expect(grants.filter((g) => g.record !== null).map((g) => [g.principal.id, g.profile, g.until])).toEqual([
      [world.ids.outsider, 'borrower', '2026-12-31'],
    ]);
    expect(await listed('outsider')).toEqual([id]);
  });

  chapter('a stub’s access follows what is around it, and nothing else of it changes', async () => {
    const { id: place } = await keeper().call(plan.makePlace, {
      body: { parentId: world.ids.A01, kind: 'folder', code: 'OLD', title: 'Old' },
    });
    await world.rule('R-1', place, ruleDefinition());
    const gone = await world.file('keeper', { title: 'Gone', place, createdOn: '2024-01-10' });
    await executeAndWait(world, await approvedBatch(world));
    await mark('keeper', place, { level: 2, caveats: ['works'] });
    expect(await markingOf('record', gone.id)).toEqual({ level: 2, caveats: ['works'] });
    // Access of its own for the series: what lies in it hangs on it from now on, the stub with it.
    await keeper().call(people.giveGrant, {
      params: { id: place },
      body: { principalId: world.ids.reader, profile: 'reader', from: null, until: null, reason: 'asks', dryRun: false },
    });
    await asOwner(world.database, async (client) => {
      await expectAsync(client.query(`update record set title = 'Other' where id = $1`, [gone.id])).toBeRejectedWithError(
        /stub never changes/,
      );
    });
  });
});
