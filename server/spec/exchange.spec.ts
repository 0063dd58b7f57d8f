import {
  access,
  exchange,
  type ConflictWay,
  people,
  type PackageOutcome,
  plan,
  records,
  schedule,
  setup,
  stencils,
  tableSection,
  tags,
} from '@key-cellar/contract';
import { strToU8 } from 'fflate';
import { Ajv2020 } from 'ajv/dist/2020.js';
import { chapters } from './support/chapters.js';
import { eventually } from './support/eventually.js';
import { type Client, makeWorld, ruleDefinition, statusOf, type World, revisionOf } from './support/world.js';
import { asOwner } from './support/database.js';
import { found, type Founded } from './support/founded.js';
import { bytesOf, itemsIn, packed, type Items } from './support/packages.js';

const told = (lines: readonly { section: string; name: string; sentence: string }[]): string[] =>
  lines.map((l) => `${l.section} ${l.name}: ${l.sentence}`);

describe('packages', () => {
  const chapter = chapters();
  let world: World;
  const others: Founded[] = [];
  let target: Client;

  /** Packed before anything is asked: it takes seconds, in which the server takes nobody to be there and hangs up. */
  let bomb: Buffer;
  beforeAll(() => (bomb = packed({}, (files) => (files['x'] = new Uint8Array(70 * 1024 * 1024)))));

  const source = () => world.as('keeper');
  const bring = (client: Client, bytes: Buffer, conflicts: ConflictWay = 'refuse', dryRun = false): Promise<PackageOutcome> =>
    client.call(exchange.importPackage, { body: { data: bytes.toString('base64'), conflicts, dryRun } });

  beforeAll(async () => {
    world = await makeWorld();
    target = await emptyRepository();
    await arrange();
  });
  afterAll(async () => {
    await world.stop();
    for (const one of others) await one.stop();
  });

  async function emptyRepository(): Promise<Client> {
    const one = await found();
    others.push(one);
    return one.founder;
  }

  /** Something of everything that a package holds. */
  async function arrange(): Promise<void> {
    const keeper = source();
    const { ids, pool } = world;
    // As whoever founds a repository has them; and cleared for all of it, as tables have only what one may discover.
    await asOwner(world.database, async (client) => {
      await client.query(`update principal set clearance_caveats = '{pay}' where id = $1`, [ids.keeper]);
      await client.query(`update grant_ set reason = 'first keeper' where principal_id = $1`, [ids.keeper]);
      await client.query(
        `insert into grant_ (id, principal_id, place_id, profile, reason) values (gen_random_uuid(), $1, $2, 'administrator', 'first keeper')`,
        [ids.keeper, ids.root],
      );
    });
    const { code: profile } = await keeper.call(access.makeProfile, {
      body: { title: 'Mover', rights: ['discover', 'read', 'move'], ownOnly: false },
    });
    await keeper.call(people.giveGrant, {
      params: { id: ids.A02 },
      body: { principalId: ids.staff, profile, from: null, until: null, reason: 'moves things', dryRun: false },
    });
    await keeper.call(people.makeGroup, { body: { name: 'Careful', memberIds: [], secondFactor: true } });
    const { id: tag } = await keeper.call(tags.make, { body: { name: 'Inquiry', note: 'what the board asked for' } });
    await keeper.call(tags.give, {
      params: { id: tag },
      body: { principalId: ids.counsel, profile, from: null, until: '2026-12-31', reason: 'moves what it asks for', dryRun: false },
    });
    await keeper.call(tags.ofPlace, {
      params: { id: ids.A02 },
      body: { tagIds: [tag], revision: await revisionOf(world, ids.A02), reason: 'the board asked for all of it', dryRun: false },
    });
    for (const [name, partOf] of [
      ['Sound', null],
      ['North', 'Sound'],
    ] as const)
      await keeper.call(schedule.makeJurisdiction, { body: { name, partOf } });
    await keeper.call(schedule.setCalendar, {
      body: { name: 'North', weekend: [6, 7], holidays: [{ on: '2026-12-24', name: 'Eve' }], dryRun: false },
    });
    await pool.query(`insert into named_year (name, ends) values ('terms', '{2026-06-30}')`);
    await pool.query('insert into membership (member_id, group_id) values ($1, $2)', [ids.editor, ids.staff]);
    const { id: party } = await keeper.call(setup.makeEntity, { body: { kind: 'party', name: 'Hagen Works', code: 'H', note: '' } });
    await keeper.call(setup.makeEntity, { body: { kind: 'object', name: 'Tug Ada', code: '', note: 'a tug' } });
    const lease = { code: 'lease', title: 'Lease' };
    const tenant = { code: 'tenant', title: 'Tenant', kind: 'party' as const, required: true };
    await keeper.call(setup.makeType, { body: { ...lease, facts: [tenant] } });
    await keeper.call(setup.changeType, {
      params: { code: 'lease' },
      body: {
        version: 1,
        title: 'Lease',
        facts: [tenant, { code: 'clerk', title: 'Clerk', kind: 'person', required: false }],
        dryRun: false,
      },
    });
    const { id: numbering } = await keeper.call(records.makeNumbering, {
      body: { title: 'Leases', pattern: 'L-{year}-{nnn}', per: ['year'], gapless: true },
    });
    await keeper.call(records.placeNumbering, {
      params: { id: ids.A02 },
      body: { revision: await revisionOf(world, ids.A02), numberingId: numbering },
    });
    const { id: detector } = await keeper.call(setup.makeDetector, {
      body: { title: 'Pay', note: '', signs: [{ kind: 'words', words: ['salary'], atLeast: 1 }] },
    });
    const definition = ruleDefinition({
      steps: [
        { kind: 'review', after: 'P1Y', from: 'clockStart', approvals: 0, noticeDays: 0 },
        { kind: 'destroy', after: 'P7Y', from: 'clockStart', approvals: 1, approverGroups: ['Staff'], noticeDays: 10 },
      ],
    });
    const rule = await world.rule('R-ONE', ids.A01, definition);
    const ruleRevision = async () => (await keeper.call(schedule.rule, { params: { id: rule } })).revision;
    const save = async (title: string) =>
      keeper.call(schedule.saveDraft, {
        params: { id: rule },
        body: { revision: await ruleRevision(), definition: { ...definition, title } },
      });
    for (const [title, inForceFrom] of [
      ['Announced', '2030-01-01'],
      ['Taken back', '2031-01-01'],
    ] as const) {
      await save(title);
      await keeper.call(schedule.publish, {
        params: { id: rule },
        body: { revision: await ruleRevision(), inForceFrom, takesOver: 'laterClocks' },
      });
    }
    await keeper.call(schedule.withdrawVersion, { params: { id: rule, version: 3 }, body: { reason: 'a slip' } });
    await save('A draft');
    await keeper.call(schedule.setPair, { body: { recordType: 'lease', seriesId: ids.A02, ruleId: rule } });
    await keeper.call(schedule.addCriteriaRule, {
      body: {
        ruleId: rule,
        note: 'pay',
        criteria: {
          op: 'and',
          of: [
            { op: 'under', placeId: ids.A02, name: 'A-02' },
            { op: 'detected', detectorId: detector, name: 'Pay' },
          ],
        },
      },
    });
    const folder = (parentId: string, code: string, openedOn = '2001-02-03') =>
      keeper.call(plan.makePlace, { body: { parentId, kind: 'folder', code, title: `Folder ${code}`, note: 'n', openedOn } });
    const { id: closed } = await folder(ids.A02, 'OLD');
    await keeper.call(plan.closeFolder, { params: { id: closed }, body: { on: '2010-05-06' } });
    const { id: slashed } = await folder(ids.A02, 'A/B');
    await folder(slashed, 'IN');
    await keeper.call(setup.placeFacts, { params: { id: slashed }, body: { revision: 1, facts: { tenant: party, clerk: ids.editor } } });
    await keeper.call(setup.placeTakes, {
      params: { id: slashed },
      body: { revision: 2, takes: { types: ['lease'], formats: ['pdf'], largest: 1000 } },
    });
    const page = await keeper.call(plan.place, { params: { id: ids.A01 } });
    const { title, note } = page;
    await keeper.call(plan.editPlace, {
      params: { id: ids.A01 },
      body: { revision: page.revision, code: 'A-09', title, note, notHere: 'x', message: 'hello' },
    });
    await keeper.call(schedule.placeJurisdictions, {
      params: { id: ids.A },
      body: { revision: await revisionOf(world, ids.A), jurisdictions: ['North'] },
    });
    await folder(ids.A01, 'GONE').then(({ id }) => keeper.call(plan.retirePlace, { params: { id }, body: { reason: 'moved out' } }));
    const { id: stencil } = await keeper.call(stencils.make, {
      body: {
        subject: 'Cases',
        title: 'Case',
        note: '',
        definition: {
          asks: ['clerk'],
          roles: [{ code: 'owner', title: 'Owner' }],
          root: {
            key: 'root',
            code: 'C-{nn}',
            title: 'Case of {clerk}',
            note: '',
            message: '',
            grants: [
              { principalId: ids.staff, role: null, profile: 'reader', from: null, until: null },
              { principalId: null, role: 'owner', profile: 'editor', from: null, until: '2030-01-01' },
            ],
            rules: [rule],
            jurisdictions: [],
            numbering: null,
            standAlone: false,
            formats: ['pdf'],
            largest: 1000,
            types: ['lease'],
            marking: { level: 1, caveats: ['pay'] },
            facts: {},
            readyTitles: [{ text: 'Letter', date: 'before', recordType: 'lease' }],
            inside: [],
          },
        },
      },
    });
    const { results } = await keeper.call(stencils.apply, {
      params: { id: stencil },
      body: { placeId: ids.B01, uses: [{ code: '', title: '', facts: { clerk: ids.editor }, roles: { owner: 'deputy' } }], dryRun: false },
    });
    expect(results.map((r) => r.why)).toEqual([results[0]!.why]);
    expect(results[0]!.outcome).toBe('done');
  }

  chapter('hold everything by name: nothing in one belongs to its repository only', async () => {
    const bytes = await bytesOf(source());
    const items = itemsIn(bytes);
    expect(Object.entries(items).map(([name, list]) => `${name} ${list.length > 0}`)).toEqual(
      Object.keys(items).map((name) => `${name} true`),
    );
    expect(JSON.stringify(items)).not.toMatch(/[0-9a-f]{8}-[0-9a-f]{4}-7/);
    expect((await bytesOf(source())).equals(bytes))
      .withContext('the same things make the same bytes')
      .toBeTrue();
    expect(items['places']!.map((p) => p['path'])).toContain('A-02/A//B/IN');
  });

  chapter('are tried as they are done, and keep nothing then', async () => {
    const bytes = await bytesOf(source());
    const before = await bytesOf(target);
    const tried = await bring(target, bytes, 'take', true);
    expect(told(tried.errors)).toEqual([]);
    expect(told(tried.conflicts)).toEqual([]);
    expect((await bytesOf(target)).equals(before)).toBeTrue();
    expect(tried.access!.gains.length).toBeGreaterThan(0);
    expect(await bring(target, bytes, 'take')).toEqual({ ...tried, dates: null, access: null });
  });

  chapter('come out of an empty repository as they went in, byte by byte, and change nothing when they come again', async () => {
    const bytes = await bytesOf(source());
    const [here, there] = [itemsIn(bytes), itemsIn(await bytesOf(target))];
    for (const name of Object.keys(here)) expect(there[name]).withContext(name).toEqual(here[name]!);
    expect((await bytesOf(target)).equals(bytes)).toBeTrue();
    const again = await bring(target, bytes);
    expect([told(again.errors), told(again.conflicts), told(again.changes)]).toEqual([[], [], []]);
  });

  const kinds = [...tableSection.options.filter((name) => name !== 'criteriaRules'), 'places', 'criteriaRules'] as const;
  type Kind = (typeof kinds)[number];
  type Format = 'csv' | 'xlsx' | 'json';
  const tableOf = async (client: Client, kind: Kind, format: Format): Promise<Buffer> => {
    const path = kind === 'places' ? `/api/plan/export?format=${format}` : `/api/tables/${kind}?format=${format}`;
    return Buffer.from(await (await client.fetch(path)).arrayBuffer());
  };
  const bringTable = (client: Client, kind: Kind, format: Format, bytes: Buffer, conflicts: ConflictWay = 'refuse', dryRun = false) => {
    const body = { data: bytes.toString('base64'), format, conflicts, dryRun };
    return kind === 'places'
      ? client.call(plan.importPlan, { body })
      : client.call(exchange.importTable, { params: { section: kind }, body });
  };

  chapter(
    'come out of an empty repository as they went in when all of it goes as tables of any form, tried as it is done',
    async () => {
      const bytes = await bytesOf(source());
      for (const format of ['csv', 'xlsx', 'json'] as const) {
        const empty = await emptyRepository();
        for (const kind of kinds) {
          const table = await tableOf(source(), kind, format);
          const tried = await bringTable(empty, kind, format, table, 'take', true);
          expect(tried.errors).withContext(`${format} ${kind}`).toEqual([]);
          const { dates, access, recomputed, ...done } = await bringTable(empty, kind, format, table, 'take');
          expect({ ...done, dates: tried.dates, access: tried.access, recomputed: tried.recomputed })
            .withContext(`${format} ${kind}`)
            .toEqual(tried);
          expect([dates, access, recomputed]).toEqual([null, null, tried.recomputed]);
          expect((await bringTable(empty, kind, format, table)).changes)
            .withContext(`${format} ${kind} again`)
            .toEqual([]);
        }
        const [here, there] = [itemsIn(bytes), itemsIn(await bytesOf(empty))];
        for (const name of Object.keys(here)) expect(there[name]).withContext(`${format} ${name}`).toEqual(here[name]!);
        expect((await bytesOf(empty)).equals(bytes))
          .withContext(format)
          .toBeTrue();
      }
    },
    180_000,
  );

  chapter('tables of one kind tell what is wrong by row and column, and whose rows belong together', async () => {
    const lines = (list: Record<string, string>[]): Buffer => Buffer.from(JSON.stringify(list));
    const wrong = async (kind: Kind, list: Record<string, string>[]): Promise<string[]> =>
      (await bringTable(target, kind, 'json', lines(list), 'take', true)).errors.map((e) => `${e.row} ${e.column}: ${e.sentence}`);
    for (const login of ['editor', 'steward', 'auditor'] as const)
      expect((await world.as(login).fetch('/api/tables/people?format=csv')).status)
        .withContext(login)
        .toBe(403);
    expect(await statusOf(bringTable(target, 'people', 'json', lines([{ name: 'Nobody' }])))).toBe(422);
    expect(await statusOf(bringTable(target, 'people', 'json', lines([{ login: 'a', nam: 'b' }])))).toBe(422);
    expect(await wrong('people', [{ login: 'new', name: 'New', email: '', clearance: 'level: 12 | caveats: []', active: 'yes' }])).toEqual([
      jasmine.stringMatching(/^2 clearance: clearance\/level: /) as unknown as string,
    ]);
    const cell = 'cannot be read; an export shows how this column is written';
    expect(await wrong('groups', [{ name: 'G', active: 'maybe', members: 'Staff' }])).toEqual([`2 active: ${cell}`, `2 members: ${cell}`]);
    expect(await wrong('groups', [{ name: 'G', active: 'yes', members: 'person nobody' }])).toEqual([
      '2 members: there is no person nobody',
    ]);
    const types = JSON.parse((await tableOf(target, 'recordTypes', 'json')).toString()) as Record<string, string>[];
    const lease = types.filter((line) => line['code'] === 'lease');
    expect(lease.map((line) => line['title'])).toEqual(['Lease', 'Lease']);
    expect(await wrong('recordTypes', [lease[0]!, { ...lease[1]!, 'retired on': '2026-01-01' }])).toEqual([
      '3 retired on: differs from row 2, which is about the same item',
    ]);
    // A row more is a version more; one that was published stays as it is.
    const more = await bringTable(target, 'recordTypes', 'json', lines([...lease, { ...lease[1]!, title: 'Leases' }]), 'take', true);
    expect([more.errors, more.changes.map((c) => c.what)]).toEqual([[], ['changed']]);
    const { conflicts } = await bringTable(
      target,
      'recordTypes',
      'json',
      lines([{ ...lease[0]!, title: 'Other' }, lease[1]!]),
      'take',
      true,
    );
    expect(conflicts).toBe(1);
    // From another repository it says what that was like, not what both had in common.
    const [tug] = (JSON.parse((await tableOf(source(), 'entities', 'json')).toString()) as Record<string, string>[]).filter(
      (line) => line['name'] === 'Tug Ada',
    );
    const other = lines([{ ...tug!, note: 'another tug' }]);
    expect((await bringTable(target, 'entities', 'json', other, 'refuse', true)).conflicts).toBe(1);
    expect((await bringTable(source(), 'entities', 'json', other, 'refuse', true)).changes.map((c) => c.what)).toEqual(['changed']);
  });

  chapter('wait for whoever changes the same things in the very moment, and take nothing for unchanged that is not', async () => {
    const tables: Record<Exclude<Kind, 'places'>, string> = {
      jurisdictions: 'jurisdiction',
      eventTypes: 'event_type',
      namedYears: 'named_year',
      profiles: 'own_profile',
      people: 'principal',
      groups: 'principal',
      accessTags: 'access_tag',
      recordTypes: 'record_type',
      numberings: 'numbering',
      detectors: 'detector',
      entities: 'entity',
      rules: 'rule',
      stencils: 'stencil',
      criteriaRules: 'criteria_rule',
    };
    const waiting = (table: string) =>
      eventually(async () => {
        const { rows } = await world.pool.query(
          `select from pg_stat_activity where datname = current_database() and wait_event_type = 'Lock' and query like $1`,
          [`%from ${table} order by % for no key update%`],
        );
        return rows.length > 0;
      });
    for (const [kind, table] of Object.entries(tables) as [Exclude<Kind, 'places'>, string][]) {
      const own = await tableOf(source(), kind, 'json');
      await asOwner(world.database, async (client) => {
        await client.query(`begin; select from ${table} for update`);
        const bringing = bringTable(source(), kind, 'json', own, 'refuse', true);
        await waiting(table);
        await client.query('rollback');
        expect((await bringing).changes)
          .withContext(kind)
          .toEqual([]);
      });
    }
    const mine = (await tableOf(source(), 'entities', 'json')).toString().replace('"a tug"', '"by the table"');
    await asOwner(world.database, async (client) => {
      await client.query(`begin; update entity set note = 'by a colleague' where name = 'Tug Ada'`);
      const bringing = bringTable(source(), 'entities', 'json', Buffer.from(mine));
      await waiting('entity');
      await client.query('commit');
      expect((await bringing).conflicts).toBe(1);
      await client.query(`update entity set note = 'a tug' where name = 'Tug Ada'`);
    });
  });

  /** What came in, with some items changed. */
  const changed = async (change: (items: Items) => void): Promise<Buffer> => {
    const items = itemsIn(await bytesOf(source()));
    change(items);
    return packed(items);
  };
  const at = (items: Items, section: string, field: string, value: string): Record<string, unknown> =>
    items[section]!.find((item) => item[field] === value)!;
  const placeId = async (code: string): Promise<string> => (await target.call(plan.placesByCode, { query: { code } })).places[0]!.id;
  const retitle = async (code: string, title: string): Promise<void> => {
    const id = await placeId(code);
    const { revision, code: now, note, notHere, message } = await target.call(plan.place, { params: { id } });
    await target.call(plan.editPlace, { params: { id }, body: { revision, code: now, title, note, notHere, message } });
  };

  chapter('bring what only the other side changed, keep what only this one did, and refuse what both did until somebody says', async () => {
    await retitle('A-09', 'Retitled here');
    await retitle('B-01', 'Both, here');
    const theirs = await changed((items) => {
      at(items, 'places', 'path', 'A-02')['title'] = 'Retitled there';
      at(items, 'places', 'path', 'B-01')['title'] = 'Both, there';
      at(items, 'entities', 'name', 'Tug Ada')['note'] = 'an old tug';
    });
    const before = await bytesOf(target);
    const refused = await bring(target, theirs);
    expect(told(refused.conflicts)).toEqual(['places B-01: title: “Both, here” → “Both, there”']);
    expect(told(refused.changes)).toEqual([
      'entities Tug Ada: note: “a tug” → “an old tug”',
      'places A-02: title: “Place A-02” → “Retitled there”',
      'places A-09: title stays “Retitled here”: it was changed here, and not in what comes',
    ]);
    expect((await bytesOf(target)).equals(before)).toBeTrue();
    const kept = await bring(target, theirs, 'keep');
    expect(kept.conflicts).toEqual([]);
    const titles = async () =>
      Promise.all(
        ['A-02', 'A-09', 'B-01'].map(async (code) => (await target.call(plan.place, { params: { id: await placeId(code) } })).title),
      );
    expect(await titles()).toEqual(['Retitled there', 'Retitled here', 'Both, here']);
    // What was decided once is not asked again.
    expect(told((await bring(target, theirs)).conflicts)).toEqual([]);
    const more = await changed((items) => (at(items, 'places', 'path', 'B-01')['title'] = 'Both, once more'));
    expect(told((await bring(target, more, 'take')).conflicts)).toEqual([]);
    expect((await titles())[2]).toBe('Both, once more');
  });

  chapter('know a place that was renumbered here or there by its former code, and make nothing twice', async () => {
    const count = async () => itemsIn(await bytesOf(target))['places']!.length;
    const before = await count();
    const id = await placeId('A-02');
    const { revision, title, note, notHere, message } = await target.call(plan.place, { params: { id } });
    await target.call(plan.editPlace, { params: { id }, body: { revision, code: 'A-22', title, note, notHere, message } });
    const same = await bring(target, await bytesOf(source()), 'keep');
    expect(told(same.changes)).toEqual([
      'places A-09: title stays “Retitled here”: it was changed here, and not in what comes',
      'places B-01: title: “Both, once more” → “Place B-01”',
    ]);
    expect([await count(), await placeId('A-22')]).toEqual([before, id]);
    const renumbered = await changed((items) => {
      const series = at(items, 'places', 'path', 'B-01');
      Object.assign(series, { path: 'B-99', code: 'B-99', formerCodes: [{ code: 'B-01', until: '2026-09-14' }] });
      for (const inside of items['places']!.filter((p) => (p['inside'] as { to: string } | null)?.to === 'B-01')) {
        Object.assign(inside, { path: String(inside['path']).replace('B-01', 'B-99'), inside: { refers: 'place', to: 'B-99' } });
      }
    });
    const was = await placeId('B-01');
    const outcome = await bring(target, renumbered, 'keep');
    expect([told(outcome.errors), await placeId('B-99'), await placeId('B-01'), await count()]).toEqual([[], was, was, before]);
  });

  chapter('make histories longer, and never write them anew', async () => {
    const version = {
      inForceFrom: '2027-01-01',
      takesOver: 'all',
      publishedBy: { refers: 'person', to: 'deputy' },
      publishedAt: '2026-09-10T10:00:00.000Z',
    };
    const longer = await changed((items) => {
      const { versions } = at(items, 'rules', 'code', 'R-ONE') as { versions: Record<string, unknown>[] };
      versions.push({ ...version, definition: { ...(versions[0]!['definition'] as object), title: 'Next' } });
    });
    const outcome = await bring(target, longer, 'keep');
    expect(told(outcome.errors)).toEqual([]);
    const { rules } = await target.call(schedule.rules);
    const { versions } = await target.call(schedule.rule, { params: { id: rules[0]!.id } });
    expect(versions.map((v) => [v.version, v.definition.title, v.publishedBy, v.publishedAt])[0]).toEqual([
      4,
      'Next',
      'Person deputy',
      '2026-09-10T10:00:00.000Z',
    ]);
    const rewritten = await changed((items) => {
      const rule = at(items, 'rules', 'code', 'R-ONE') as { versions: { inForceFrom: string }[] };
      rule.versions[0]!.inForceFrom = '1999-01-01';
    });
    for (const way of ['keep', 'take'] as const) {
      expect(told((await bring(target, rewritten, way)).conflicts)).toEqual([
        jasmine.stringMatching(/^rules R-ONE: versions: with 1999-01-01 · .* without 20/) as unknown as string,
      ]);
    }
  });

  chapter('are refused with the place of what is wrong, and nothing of them is kept', async () => {
    const before = await bytesOf(target);
    const errors = async (change: (items: Items) => void): Promise<string> => {
      const { errors: found } = await bring(target, await changed(change), 'take');
      return told(found).join(' | ');
    };
    const place = (items: Items, path = 'A-02'): Record<string, unknown> => at(items, 'places', 'path', path);
    const tries: [(items: Items) => void, string][] = [
      [(i) => (place(i)['rules'] = [{ refers: 'rule', to: 'R-NONE' }]), 'places A-02: there is no rule R-NONE'],
      [(i) => (place(i)['inside'] = { refers: 'place', to: 'Z' }), 'places A-02: there is no place Z'],
      [(i) => (place(i)['closedOn'] = '2026-02-31'), 'places A-02: closedOn: must be a date such as 2026-09-14'],
      [(i) => (place(i)['closedOn'] = '2026-02-20'), 'places A-02: Only folders are closed; series stay open.'],
      [(i) => (place(i)['jurisdictions'] = ['West']), 'places A-02: there is no jurisdiction West'],
      [(i) => (place(i)['surprise'] = 1), 'places A-02: : has parts that are not known: surprise'],
      [
        (i) => (at(i, 'recordTypes', 'code', 'lease')['retiredOn'] = 'soon'),
        'recordTypes lease: retiredOn: must be a date such as 2026-09-14',
      ],
      [(i) => i['places']!.push({ ...place(i) }), 'places A-02: A-02 is in it twice'],
      [
        (i) => (at(i, 'groups', 'name', 'Staff')['members'] = [{ refers: 'group', to: 'Staff' }]),
        'groups Staff: Staff would be a member of itself',
      ],
      [(i) => (place(i, 'A-02/OLD')['openedOn'] = '2020-01-01'), 'places A-02/OLD: It closes on 6 May 2010.'],
    ];
    for (const [change, sentence] of tries)
      expect(await errors(change))
        .withContext(sentence)
        .toBe(sentence);
    expect((await bytesOf(target)).equals(before)).toBeTrue();
  });

  chapter('that are none are told so', async () => {
    const items = itemsIn(await bytesOf(source()));
    const refusal = (bytes: Buffer): Promise<string> =>
      bring(target, bytes).then(
        () => 'taken',
        (error: Error) => error.message.replace(/^422 \S+ /, ''),
      );
    expect(await refusal(Buffer.from('no zip'))).toBe('This is no package: ZIP is not as the manifest says.');
    expect(await refusal(packed(items, (files) => delete files['manifest.json']))).toBe(
      'This is no package: The package has no manifest.json.',
    );
    expect(await refusal(packed(items, (files) => delete files['rules.json']))).toBe('This is no package: The package has no rules.json.');
    expect(await refusal(packed(items, (files) => (files['rules.json'] = strToU8('[]'))))).toBe(
      'This is no package: rules.json is not as the manifest says.',
    );
    const other = strToU8(JSON.stringify(items['eventTypes']!.map(({ name }) => ({ name: `${String(name)}, changed` }))));
    expect(await refusal(packed(items, (files) => (files['eventTypes.json'] = other)))).toBe(
      'This is no package: eventTypes.json is not as the manifest says.',
    );
    const manifest = (version: number) => strToU8(JSON.stringify({ format: 'key-cellar-package', version, sections: [] }));
    expect(await refusal(packed(items, (files) => (files['manifest.json'] = manifest(2))))).toBe(
      'This is no package: This package is of version 2; version 1 can be read here.',
    );
    const deep = strToU8('['.repeat(200) + ']'.repeat(200));
    expect(await refusal(packed(items, (files) => (files['manifest.json'] = deep)))).toBe(
      'This is no package: manifest.json nests deeper than anything in a package does.',
    );
    expect(await refusal(bomb)).toBe('This is no package: It unpacks to more than 64 MB.');
  });

  chapter('give nobody more than they have', async () => {
    const bytes = await bytesOf(source());
    // A keeper of the whole repository who does not set it up.
    const deputy = world.as('deputy');
    expect(await statusOf(bring(deputy, bytes))).toBe(200);
    const items = itemsIn(bytes);
    const tried = async (change: (all: Items) => void): Promise<string[]> => {
      const all = structuredClone(items);
      change(all);
      return told((await bring(deputy, packed(all), 'take')).errors);
    };
    expect(await tried((all) => ((at(all, 'people', 'login', 'deputy')['clearance'] as { level: number }).level = 9))).toEqual([
      'people deputy: people and groups are brought by whoever sets up',
    ]);
    const administrator = {
      principal: { refers: 'person', to: 'deputy' },
      profile: 'administrator',
      from: null,
      until: null,
      reason: 'x',
      stencil: null,
    };
    expect(await tried((all) => (at(all, 'places', 'path', 'A')['grants'] as unknown[]).push(administrator))).toEqual([
      'places A: changes who is Administrator, which is more than you are; whoever sets up can bring it',
    ]);
    // Nor takes from others what they do not have themselves.
    const root = at(items, 'places', 'path', '')['grants'] as { profile: string }[];
    expect(await tried((all) => (at(all, 'places', 'path', '')['grants'] = root.filter((g) => g.profile !== 'administrator')))).toEqual([
      'places ALL: changes who is Administrator, which is more than you are; whoever sets up can bring it',
    ]);
    for (const login of ['steward', 'editor', 'auditor', 'approver', 'outsider'] as const) {
      expect([login, await statusOf(bring(world.as(login), bytes))]).toEqual([login, 403]);
      expect([login, (await world.as(login).fetch('/api/package')).status]).toEqual([login, 403]);
    }
    // Whoever brings a package that forgets them is not shut out by it.
    const forgetful = structuredClone(items);
    at(forgetful, 'places', 'path', '')['grants'] = [];
    expect(told((await bring(source(), packed(forgetful), 'take')).errors)).toEqual([]);
    expect(await statusOf(bring(source(), bytes, 'take'))).toBe(200);
  });

  chapter('open and shut a place that is there: grants, standing alone and markings reach all that is in it', async () => {
    const { A02 } = world.ids;
    const sees = async (login: 'outsider' | 'editor' | 'keeper'): Promise<number> =>
      statusOf(world.as(login).call(plan.place, { params: { id: A02 } }));
    const { id: folder } = await source().call(plan.makePlace, { body: { parentId: A02, kind: 'folder', code: 'ACC', title: 'Access' } });
    const { id: record } = await world.file('keeper', { place: folder });
    const reads = (login: 'outsider' | 'editor'): Promise<number> =>
      statusOf(world.as(login).call(records.dossier, { params: { id: record } }));
    const arrange_ = async (change: (place: Record<string, unknown>) => void): Promise<string[]> => {
      const items = itemsIn(await bytesOf(source()));
      change(at(items, 'places', 'path', 'A-02'));
      return told((await bring(source(), packed(items), 'take')).errors);
    };
    const grant = {
      principal: { refers: 'person', to: 'outsider' },
      profile: 'reader',
      from: null,
      until: null,
      reason: 'looks in',
      stencil: null,
    };
    expect([await sees('outsider'), await sees('editor'), await reads('outsider'), await reads('editor')]).toEqual([404, 200, 404, 200]);
    expect(await arrange_((place) => (place['grants'] = [grant]))).toEqual([]);
    expect([await sees('outsider'), await sees('editor'), await reads('outsider'), await reads('editor')]).toEqual([200, 200, 200, 200]);
    expect(await arrange_((place) => (place['standAlone'] = true))).toEqual([]);
    expect([await sees('outsider'), await sees('editor'), await reads('outsider'), await reads('editor')]).toEqual([200, 404, 200, 404]);
    expect(await arrange_((place) => Object.assign(place, { grants: [], standAlone: false }))).toEqual([]);
    expect([await sees('outsider'), await sees('editor'), await reads('outsider'), await reads('editor')]).toEqual([404, 200, 404, 200]);
    const named = async (): Promise<unknown> =>
      (await world.pool.query(`select reader_on_pages from place where id = $1`, [world.ids.A02])).rows[0]!.reader_on_pages;
    expect(await arrange_((place) => (place['readerOnPages'] = true))).toEqual([]);
    expect(await named()).toBeTrue();
    expect(await arrange_((place) => (place['readerOnPages'] = false))).toEqual([]);
    expect(await named()).toBeFalse();
    // Above everybody's clearance.
    expect(await arrange_((place) => (place['marking'] = { level: 9, caveats: [] }))).toEqual([]);
    expect([await sees('editor'), await sees('keeper')]).toEqual([404, 404]);
    expect(await arrange_((place) => (place['marking'] = { level: 0, caveats: [] }))).toEqual([]);
    expect(await sees('editor')).toBe(200);
  });

  chapter('say by a schema what each file may hold', async () => {
    const { files } = await source().call(exchange.packageSchema);
    const items = itemsIn(await bytesOf(source()));
    const ajv = new Ajv2020({ strict: false, validateFormats: false });
    for (const [name, list] of Object.entries(items)) {
      const validate = ajv.compile(files[`${name}.json`] as object);
      expect([name, validate(list), ajv.errorsText(validate.errors)]).toEqual([name, true, 'No errors']);
    }
  });
});
