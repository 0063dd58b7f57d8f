import { inEnglish } from '@key-cellar/words/testing';
import { plan, receiving, records, schedule, setup } from '@key-cellar/contract';
import type { FactDefinition, Facts } from '@key-cellar/core/records';
import { asApplication } from './support/database.js';
import { type Client, type Login, makeWorld, ruleDefinition, statusOf, today, type World } from './support/world.js';

const fact = (code: string, kind: FactDefinition['kind'], more: Partial<FactDefinition> = {}): FactDefinition => ({
  code,
  title: code.replace(/^./, (c) => c.toUpperCase()),
  kind,
  required: false,
  ...more,
});

describe('record types and facts', () => {
  let world: World;
  let keeper: Client;
  beforeEach(async () => {
    world = await makeWorld();
    keeper = world.as('keeper');
  });
  afterEach(() => world.stop());

  const makeType = (code: string, ...facts: FactDefinition[]) =>
    keeper.call(setup.makeType, { body: { code, title: `Type ${code}`, facts: facts as never } });
  async function file(type: string, facts: Facts, given: { login?: Login; place?: string; name?: string } = {}) {
    const client = world.as(given.login ?? 'editor');
    const arrivalId = await client.upload(given.name ?? 'paper.txt', `paper ${Math.random()}`);
    const filing = {
      arrivalId,
      title: 'Paper',
      recordType: type,
      placeId: given.place ?? world.ids.A01,
      createdOn: '2026-01-10',
      facts: facts as never,
    };
    const { results } = await client.call(receiving.file, { body: { filings: [filing] } });
    return results[0]!;
  }
  const dossier = (id: string, login: Login = 'keeper') => world.as(login).call(records.dossier, { params: { id } });
  const edit = async (id: string, facts: Facts) => {
    const { revision, title, createdOn } = await dossier(id, 'editor');
    return world.as('editor').call(records.editFacts, { params: { id }, body: { revision, title, createdOn, facts: facts as never } });
  };
  const entity = (kind: 'party' | 'object', name: string) => keeper.call(setup.makeEntity, { body: { kind, name, code: '', note: '' } });

  it('take every kind of value, and refuse what does not fit by its field', async () => {
    const party = await entity('party', 'Fenwick Aggregates');
    await makeType(
      'full',
      fact('name', 'text', { mask: '@@-##' }),
      fact('sum', 'money', { currency: 'EUR', min: 0 }),
      fact('tons', 'decimal', { max: 40 }),
      fact('side', 'choice', { choices: ['North', 'North / Quay', 'South'] }),
      fact('tags', 'text', { many: true }),
      fact('sent', 'date', { onlyWhen: { fact: 'side', values: ['South'] } }),
      fact('tenant', 'party'),
      fact('clerk', 'person', { default: 'me' }),
      fact('where', 'place'),
      fact('see', 'reference'),
    );
    const other = await file('note', { topic: 'x' });
    const good = {
      name: 'ab-12',
      sum: 6000.5,
      tons: 2.5,
      side: 'North / Quay',
      tags: ['a', 'b'],
      tenant: party.id,
      where: world.ids.A02,
      see: other.recordId!,
    };
    const filed = await file('full', good);
    const found = await dossier(filed.recordId!);
    expect(found.facts).toEqual({ ...good, clerk: world.ids.editor });
    expect(found.factNames[party.id]).toBe('Fenwick Aggregates');
    expect(found.factNames[world.ids.A02]).toBe('A-02 Place A-02');
    expect((await keeper.call(records.count, { query: { words: 'fenwick' } })).count).toBe(1);

    const wrong: [Facts, string][] = [
      [{ ...good, name: 'ab12' }, 'Name must look like @@-##.'],
      [{ ...good, sum: -1 }, 'Sum must be 0 or more.'],
      [{ ...good, tons: 41 }, 'Tons must be 40 or less.'],
      [{ ...good, sent: '2026-01-01' }, 'Sent is asked only when Side is South.'],
      [{ ...good, tags: ['a', 'a'] }, 'Tags must not have the same value twice.'],
      [{ ...good, tenant: world.ids.A02 }, 'Tenant must name one that exists and that you may know of.'],
      [{ ...good, see: world.ids.A02 }, 'See must name one that exists and that you may know of.'],
      [{ ...good, clerk: party.id }, 'Clerk must name one that exists and that you may know of.'],
      [{ ...good, other: 1 }, 'This record type has no fact “other”.'],
    ];
    for (const [facts, sentence] of wrong) expect((await file('full', facts)).why).toBe(sentence);
  });

  it('point only at what the person may know of, and tell nobody the name of what they may not', async () => {
    await makeType('pointing', fact('see', 'reference'), fact('where', 'place'));
    const secret = await file('note', { topic: 'secret' }, { login: 'steward', place: world.ids.B01 });
    expect((await file('pointing', { see: secret.recordId! })).why).toContain('See must name one');
    expect((await file('pointing', { where: world.ids.B01 })).why).toContain('Where must name one');
    const seen = await file('pointing', { see: secret.recordId!, where: world.ids.B01 }, { login: 'steward' });
    expect(Object.keys((await dossier(seen.recordId!, 'keeper')).factNames).length).toBe(2);
    expect((await dossier(seen.recordId!, 'editor')).factNames).toEqual({});
    const { names } = await world.as('editor').call(setup.names, { body: { ids: [secret.recordId!, world.ids.B01, world.ids.A01] } });
    expect(Object.keys(names)).toEqual([world.ids.A01]);
    const offered = await world.as('editor').call(setup.options, { query: { kind: 'reference', text: 'B-01' } });
    expect(offered.options).toEqual([]);
    expect((await world.as('editor').call(setup.options, { query: { kind: 'place', text: 'B-0' } })).options).toEqual([]);
    // Editing leaves alone what was said by somebody who may know it.
    const { revision, title, createdOn, facts } = await dossier(seen.recordId!, 'editor');
    await world
      .as('editor')
      .call(records.editFacts, { params: { id: seen.recordId! }, body: { revision, title: `${title} 2`, createdOn, facts } });
  });

  it('may be unique within a type, also under forty filings at once, and stay so', async () => {
    await makeType('order', fact('no', 'text', { unique: true }));
    const editor = world.as('editor');
    const arrivals = await Promise.all(Array.from({ length: 40 }, (_, i) => editor.upload('paper.txt', `order ${i}`)));
    // The rules have just changed: who holds a value reads them while the others, waiting for it, hold the pool's connections.
    await world.pool.query('delete from place_rule where false');
    const filed = await Promise.all(
      arrivals.map((arrivalId, i) => {
        const facts = { no: `N-${i % 4}` };
        const filing = { arrivalId, title: 'Paper', recordType: 'order', placeId: world.ids.A01, createdOn: '2026-01-10', facts };
        return editor.call(receiving.file, { body: { filings: [filing] } });
      }),
    );
    const results = filed.map((f) => f.results[0]!);
    expect(results.filter((r) => r.outcome === 'done').length).toBe(4);
    expect(
      new Set(results.filter((r) => r.outcome !== 'done').map((r) => r.why.replace(/N-\d/, 'N').replace(/A-01\S+\./, 'another.'))),
    ).toEqual(new Set(['No N is taken by another.']));
    const [first, second] = results.filter((r) => r.outcome === 'done').map((r) => r.recordId!);
    const taken = (await dossier(second!)).facts['no']!;
    expect(await statusOf(edit(first!, { no: taken }))).toBe(422);
    await edit(first!, { no: 'N-9' });
    expect((await file('order', { no: 'N-9' })).outcome).toBe('refused');
  });

  it('change by version: old records stay valid, and what they lack now is a gap', async () => {
    await makeType('paper', fact('side', 'choice', { choices: ['in', 'out'], required: true }), fact('old', 'text'));
    const a = await file('paper', { side: 'in', old: 'kept' });
    const b = await file('paper', { side: 'out' });
    const next = [fact('side', 'choice', { choices: ['in', 'through'], required: true }), fact('port', 'text', { required: true })];
    const change = (dryRun: boolean, version = 1, facts: FactDefinition[] = next) =>
      keeper.call(setup.changeType, { params: { code: 'paper' }, body: { version, title: 'Paper', facts: facts as never, dryRun } });
    const tried = await change(true);
    expect(tried.effect).toEqual({
      records: 2,
      looked: 2,
      newGaps: 2,
      closedGaps: 0,
      unfitting: [
        { fact: 'old', records: 1 },
        { fact: 'side', records: 1 },
      ],
    });
    expect((await dossier(a.recordId!)).type.version).toBe(1);
    await change(false);
    const old = await dossier(a.recordId!);
    expect([old.type.version, old.typeVersion, old.gapList, old.gaps]).toEqual([2, 1, ['Port'], 1]);
    expect(old.earlierFacts.map((f) => f.code)).toEqual(['old']);
    expect(old.facts).toEqual({ side: 'in', old: 'kept' });

    // What was said before may stay as it is; what is changed must fit the newest version.
    await edit(b.recordId!, { side: 'out', port: 'Marrowick' });
    expect(await statusOf(edit(a.recordId!, { side: 'out', old: 'kept' }))).toBe(422);
    expect(await statusOf(edit(a.recordId!, { side: 'in', old: 'other' }))).toBe(422);
    await edit(a.recordId!, { side: 'through', port: 'Marrowick', old: 'kept' });
    const now = await dossier(a.recordId!);
    expect([now.typeVersion, now.gaps]).toEqual([2, 0]);
    expect((await file('paper', { side: 'out' })).why).toContain('Side must be one of in or through.');

    expect(await statusOf(change(false, 1))).toBe(412);
    expect(await statusOf(change(false, 2, [fact('side', 'text')]))).toBe(422);
    expect(await statusOf(change(false, 2, [fact('old', 'date')]))).toBe(422);
    const page = await keeper.call(setup.type, { params: { code: 'paper' } });
    expect(page.versions.map((v) => [v.version, v.records, v.publishedBy])).toEqual([
      [2, 2, 'Person keeper'],
      [1, 0, 'Person keeper'],
    ]);
    await asApplication(world.database, async (app) => {
      await expectAsync(app.query(`update record_type_version set title = 'x'`)).toBeRejected();
      await expectAsync(app.query('delete from record_type_version')).toBeRejected();
    });
  });

  it('become unique only where they are, and take up what there is', async () => {
    await makeType('twice', fact('no', 'text'));
    for (const no of ['1', '2', '2']) await file('twice', { no });
    const change = (facts: FactDefinition[]) =>
      keeper.call(setup.changeType, { params: { code: 'twice' }, body: { version: 1, title: 'T', facts: facts as never, dryRun: false } });
    await expectAsync(change([fact('no', 'text', { unique: true })])).toBeRejectedWithError(/No cannot become unique: 2 records have 2\./);
    // A trial says the same before anything is published.
    const tried = keeper.call(setup.changeType, {
      params: { code: 'twice' },
      body: { version: 1, title: 'T', facts: [fact('no', 'text', { unique: true })] as never, dryRun: true },
    });
    await expectAsync(tried).toBeRejectedWithError(/No cannot become unique: 2 records have 2\./);
    const { records: list } = await keeper.call(records.list, { query: { recordType: 'twice', limit: 10 } });
    await edit(list[2]!.id, { no: '3' });
    const trial = await keeper.call(setup.changeType, {
      params: { code: 'twice' },
      body: { version: 1, title: 'T', facts: [fact('no', 'text', { unique: true })] as never, dryRun: true },
    });
    expect([trial.version, trial.jobId]).toEqual([1, null]);
    expect((await file('twice', { no: '1' })).outcome).toBe('done');
    const { records: again } = await keeper.call(records.list, { query: { recordType: 'twice', limit: 10 } });
    await edit(again[0]!.id === list[2]!.id ? again[1]!.id : again.at(-1)!.id, { no: '4' });
    await change([fact('no', 'text', { unique: true })]);
    expect((await file('twice', { no: '2' })).outcome).toBe('refused');
    // Case and spaces make no other value, and neither does the way an accent is written.
    expect((await file('twice', { no: 'Quay  Ä 7' })).outcome).toBe('done');
    for (const no of ['quay ä 7', ' QUAY A\u0308  7 ', 'Quay\u00a0Ä 7'])
      expect((await file('twice', { no })).outcome)
        .withContext(no)
        .toBe('refused');
    expect((await file('twice', { no: 'Quay A 7' })).outcome).toBe('done');
  });

  it('are the keepers’ of the whole repository; a retired type takes nothing more', async () => {
    for (const login of ['editor', 'steward', 'reader', 'outsider'] as const) {
      const client = world.as(login);
      expect(await statusOf(client.call(setup.makeType, { body: { code: 'x', title: 'X', facts: [] } }))).toBe(403);
      expect(await statusOf(client.call(setup.changeType, { params: { code: 'note' }, body: { version: 1, title: 'X', facts: [] } }))).toBe(
        403,
      );
      expect(await statusOf(client.call(setup.retireType, { params: { code: 'note' }, body: { retired: true } }))).toBe(403);
    }
    await keeper.call(setup.retireType, { params: { code: 'note' }, body: { retired: true } });
    expect((await file('note', { topic: 'x' })).why).toContain('the type was retired');
    await keeper.call(setup.retireType, { params: { code: 'note' }, body: { retired: false } });
    expect((await file('note', { topic: 'x' })).outcome).toBe('done');
  });

  it('counts the gaps of very many as a job', async () => {
    const { recordId } = await file('note', { topic: 'x' });
    await world.pool.query(
      `insert into record (id, number, title, medium, record_type, place_id, series_id, places, created_on, received_on, filed_on, modified_on, search, access_set_id, deposited_by, facts)
       select gen_random_uuid(), 'G-' || n, 'Many', 'electronic', record_type, place_id, series_id, places, created_on, filed_on, filed_on, filed_on, '', access_set_id, deposited_by, facts
       from record, generate_series(1, 2500) n where id = $1`,
      [recordId],
    );
    const facts = [fact('topic', 'text', { required: true }), fact('more', 'text', { required: true })];
    const { jobId, effect } = await keeper.call(setup.changeType, {
      params: { code: 'note' },
      body: { version: 1, title: 'Note', facts: facts as never, dryRun: false },
    });
    expect(effect.newGaps).toBe(2501);
    expect(inEnglish((await world.services.jobs.settled(jobId!)).told)).toBe('2,501 of 2,501 records now have other gaps.');
    expect((await keeper.call(records.count, { query: { show: 'gaps' } })).count).toBe(2501);
  });

  describe('what is around', () => {
    it('gives facts on to what is filed in a folder, the nearest first', async () => {
      await makeType(
        'lease',
        fact('berth', 'text', { required: true }),
        fact('tenant', 'party', { required: true }),
        fact('on', 'date', { default: 'today' }),
      );
      const party = await entity('party', 'Brae Chandlery');
      const folder = async (parentId: string, code: string, facts: Facts) => {
        const { id } = await keeper.call(plan.makePlace, { body: { parentId, kind: 'folder', code, title: code, note: '' } });
        await keeper.call(setup.placeFacts, { params: { id }, body: { revision: 1, facts: facts as never } });
        return id;
      };
      const outer = await folder(world.ids.A01, 'B', { berth: 'Berth 1', tenant: party.id });
      const inner = await folder(outer, 'B-04', { berth: 'Berth 4' });
      const filed = await file('lease', {}, { place: inner });
      const found = await dossier(filed.recordId!);
      expect([found.facts, found.gaps]).toEqual([{ berth: 'Berth 4', tenant: party.id, on: today }, 0]);
      expect((await dossier((await file('lease', { berth: 'Berth 9' }, { place: inner })).recordId!)).facts['berth']).toBe('Berth 9');
      const page = await keeper.call(plan.place, { params: { id: inner } });
      expect([page.facts, page.factsAround, page.factNames]).toEqual([
        { berth: 'Berth 4' },
        [{ code: 'B', facts: { berth: 'Berth 1', tenant: party.id } }],
        { [party.id]: 'Brae Chandlery' },
      ]);
      expect(await statusOf(keeper.call(setup.placeFacts, { params: { id: inner }, body: { revision: 1, facts: {} } }))).toBe(412);
      expect(await statusOf(keeper.call(setup.placeFacts, { params: { id: inner }, body: { revision: 2, facts: { no: 'x' } } }))).toBe(422);
      expect(await statusOf(world.as('reader').call(setup.placeFacts, { params: { id: inner }, body: { revision: 2, facts: {} } }))).toBe(
        403,
      );
    });

    it('says which types, formats and sizes are taken, of filings and of new versions', async () => {
      const revision = (await keeper.call(plan.place, { params: { id: world.ids.A01 } })).revision;
      const takes = { types: ['note'], formats: ['txt', 'pdf'], largest: 100 };
      await keeper.call(setup.placeTakes, { params: { id: world.ids.A01 }, body: { revision, takes } });
      await makeType('other', fact('x', 'text'));
      expect((await file('other', {})).why).toBe('A-01 does not take this record type. A keeper decides what it takes.');
      // What counts is the content, whatever it is called.
      const editor = world.as('editor');
      const fileAs = async (name: string, bytes: Buffer | string) => {
        const arrivalId = await editor.upload(name, bytes);
        const one = { arrivalId, title: name, recordType: 'note', placeId: world.ids.A01, createdOn: today, facts: { topic: 'x' } };
        return (await editor.call(receiving.file, { body: { filings: [one] } })).results[0]!;
      };
      const png = Buffer.from('89504e470d0a1a0a0000000d49484452', 'hex');
      expect((await fileAs('paper.png', png)).why).toBe('A-01 takes only txt, pdf; this is png.');
      expect((await fileAs('paper.txt', png)).why).toBe(
        'A-01 takes only txt, pdf; this file is called .txt, and its content is something else.',
      );
      expect((await fileAs('blob.pdf', Buffer.from([0, 1, 2, 3]))).why).toBe(
        'A-01 takes only txt, pdf; this file is called .pdf, and its content is something else.',
      );
      expect((await fileAs('paper.pdf', 'no PDF at all')).outcome).toBe('done');
      expect((await fileAs('scan', Buffer.from('%PDF-1.7\n'))).outcome).toBe('done');
      const large = await editor.upload('large.txt', 'x'.repeat(200));
      const filing = { arrivalId: large, title: 'L', recordType: 'note', placeId: world.ids.A01, createdOn: today, facts: { topic: 'x' } };
      const { previews } = await editor.call(receiving.preview, { body: { filings: [filing] } });
      expect(previews[0]!.problems[0]).toContain('at most');
      expect((await editor.call(receiving.file, { body: { filings: [filing] } })).results[0]!.outcome).toBe('refused');
      const filed = await file('note', { topic: 'x' });
      expect(
        await statusOf(editor.call(records.addVersion, { params: { id: filed.recordId! }, body: { arrivalId: large, note: '' } })),
      ).toBe(409);
      expect(
        await statusOf(
          world.as('steward').call(setup.placeTakes, { params: { id: world.ids.A01 }, body: { revision: revision + 1, takes: null } }),
        ),
      ).toBe(403);
      await keeper.call(setup.placeTakes, { params: { id: world.ids.A01 }, body: { revision: revision + 1, takes: null } });
      expect((await file('other', {})).outcome).toBe('done');
    });
  });

  describe('parties and business objects', () => {
    it('start the clocks of what refers to them, nearest subject first, and are found by their new name', async () => {
      await makeType('lease', fact('tenant', 'party'), fact('craft', 'object', { many: true }));
      const [tenant, tug] = [await entity('party', 'Brae Chandlery'), await entity('object', 'Tug Sable')];
      const ended = ruleDefinition({ trigger: { kind: 'event', eventType: 'it ended', occurrence: 'last' } });
      await world.rule('R-END', world.ids.A01, ended);
      const a = await file('lease', { tenant: tenant.id, craft: [tug.id] });
      const b = await file('lease', {});
      expect((await dossier(a.recordId!)).outcome).toBe('waiting');
      const { recomputed } = await keeper.call(setup.addEntityEvent, {
        params: { id: tug.id },
        body: { type: 'it ended', on: '2026-02-01', note: '' },
      });
      expect(recomputed).toBe(1);
      const dated = await dossier(a.recordId!);
      expect([dated.dueOn, dated.why.clock!.source]).toEqual(['2027-02-01', 'Tug Sable']);
      expect((await dossier(b.recordId!)).outcome).toBe('waiting');
      // An event on the record itself is nearer.
      await keeper.call(schedule.addRecordEvent, { params: { id: a.recordId! }, body: { type: 'it ended', on: '2025-03-01', note: '' } });
      expect((await dossier(a.recordId!)).dueOn).toBe('2026-03-01');
      const page = await keeper.call(setup.entity, { params: { id: tug.id } });
      expect([page.records, page.newest.map((r) => r.id), page.events.map((e) => e.type)]).toEqual([1, [a.recordId!], ['it ended']]);
      // What is filed later starts at once; an edit that lets go of the object waits again.
      const c = await file('lease', { craft: [tug.id] });
      expect((await dossier(c.recordId!)).dueOn).toBe('2027-02-01');
      await edit(c.recordId!, {});
      expect((await dossier(c.recordId!)).outcome).toBe('waiting');
      await keeper.call(schedule.withdrawEvent, { params: { id: page.events[0]!.id }, body: { reason: 'it did not' } });

      await keeper.call(setup.changeEntity, {
        params: { id: tenant.id },
        body: { revision: 1, name: 'Quill Stores', code: '', note: '', retired: false },
      });
      expect((await keeper.call(records.count, { query: { words: 'quill' } })).count).toBe(1);
      expect((await keeper.call(records.count, { query: { words: 'brae' } })).count).toBe(0);
    });

    it('have one name each, are retired rather than removed, and count only what one may discover', async () => {
      await makeType('lease', fact('tenant', 'party'));
      const { id } = await entity('party', 'Brae Chandlery');
      expect(await statusOf(entity('party', 'brae chandlery'))).toBe(422);
      await entity('object', 'Brae Chandlery');
      await file('lease', { tenant: id }, { login: 'steward', place: world.ids.B01 });
      expect((await keeper.call(setup.entity, { params: { id } })).records).toBe(1);
      const seen = await world.as('editor').call(setup.entity, { params: { id } });
      expect([seen.records, seen.newest]).toEqual([0, []]);
      expect(await statusOf(world.as('outsider').call(setup.entity, { params: { id } }))).toBe(404);
      expect(await statusOf(world.as('reader').call(setup.makeEntity, { body: { kind: 'party', name: 'N', code: '', note: '' } }))).toBe(
        403,
      );
      await keeper.call(setup.changeEntity, {
        params: { id },
        body: { revision: 1, name: 'Brae Chandlery', code: '', note: '', retired: true },
      });
      expect((await file('lease', { tenant: id })).why).toContain('Tenant must name one that exists');
      expect((await keeper.call(setup.options, { query: { kind: 'party', text: 'brae' } })).options).toEqual([]);
    });
  });
});
