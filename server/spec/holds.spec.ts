import { docket, holds, identity, ledger, plan, receiving, records, reports, steps, type TodayLine } from '@key-cellar/contract';
import { canonicalJson } from '@key-cellar/core/ledger';
import { getOrMakeSet } from '../src/access/index.js';
import { programActor, run, withUnitOfWork } from '../src/kernel/index.js';
import { chapters } from './support/chapters.js';
import { approvedBatch, executeAndWait, makeWorld, problemOf, ruleDefinition, statusOf, type World } from './support/world.js';

describe('holds and those they concern', () => {
  const chapter = chapters();
  let world: World;
  let matterId: string;
  let first: { id: string };
  let second: { id: string };
  let listed: string;
  let frozen: string;

  beforeAll(async () => {
    world = await makeWorld();
    await world.rule('R-1', world.ids.A01);
    matterId = (
      await world.as('counsel').call(holds.makeMatter, { body: { code: 'I-1', title: 'The inquiry', kind: 'inquiry', note: '' } })
    ).id;
    first = await world.file('editor', { title: 'First paper', createdOn: '2024-01-01' });
    second = await world.file('editor', { title: 'Second paper', createdOn: '2024-01-01' });
  });
  afterAll(() => world.stop());

  const counsel = () => world.as('counsel');
  const lines = async (login: Parameters<World['as']>[0]): Promise<TodayLine[]> => (await world.as(login).call(reports.today)).lines;

  chapter('tell custodians, who acknowledge once, and are reminded until then', async () => {
    const placed = await counsel().call(holds.placeHold, {
      body: {
        matterId,
        name: 'Listed',
        reason: 'The inquiry asks for it.',
        freeze: false,
        recordIds: [first.id],
        custodianIds: [world.ids.editor, world.ids.reader],
      },
    });
    listed = placed.id;
    const { messages } = await world.as('editor').call(identity.messages);
    expect(messages[0]!.subject).toBe('Hold: Listed');
    expect((await lines('editor')).map((l) => l.act)).toContain('Acknowledge');
    await world.as('editor').call(holds.acknowledge, { params: { id: listed } });
    expect(await statusOf(world.as('editor').call(holds.acknowledge, { params: { id: listed } }))).toBe(409);
    expect(await statusOf(world.as('approver').call(holds.acknowledge, { params: { id: listed } }))).toBe(404);
    expect((await counsel().call(holds.remind, { params: { id: listed } })).reminded).toBe(1);
    expect((await lines('counsel')).find((l) => l.act === 'Remind')!.sentence).toContain('One custodian');
    const page = await counsel().call(holds.hold, { params: { id: listed } });
    expect(page.custodians.map((c) => [c.acknowledgedOn !== null, c.reminders])).toEqual([
      [true, 0],
      [false, 1],
    ]);
    expect(page.coverage.at(-1)!.covered).toBe(1);
  });

  chapter('are looked at by counsel, keepers, auditors and their custodians, nobody else', async () => {
    for (const login of ['counsel', 'keeper', 'auditor', 'reader'] as const) {
      expect(await statusOf(world.as(login).call(holds.hold, { params: { id: listed } })))
        .withContext(login)
        .toBe(200);
    }
    for (const login of ['steward', 'approver', 'outsider'] as const) {
      expect(await statusOf(world.as(login).call(holds.hold, { params: { id: listed } })))
        .withContext(login)
        .toBe(404);
    }
  });

  chapter('with freeze stop edits, new versions and facts of working records too', async () => {
    frozen = (
      await counsel().call(holds.placeHold, {
        body: { matterId, name: 'Frozen', reason: 'Nothing may change.', freeze: true, recordIds: [first.id, second.id], custodianIds: [] },
      })
    ).id;
    const editor = world.as('editor');
    const { revision, frozenByHold } = await editor.call(records.dossier, { params: { id: second.id } });
    expect(frozenByHold).toBeTrue();
    expect(
      await statusOf(
        editor.call(records.editFacts, { params: { id: second.id }, body: { revision, title: 'x', createdOn: '2024-01-01', facts: {} } }),
      ),
    ).toBe(409);
    const arrivalId = await editor.upload('v2.txt', 'version two');
    expect(await statusOf(editor.call(records.addVersion, { params: { id: second.id }, body: { arrivalId, note: '' } }))).toBe(409);
    expect((await world.as('steward').call(records.declare, { body: { ids: [second.id] } })).results[0]!.outcome).toBe('done');
    const undone = await world.as('keeper').call(records.revoke, { body: { ids: [second.id], reason: 'by mistake' } });
    expect(undone.results[0]).toEqual(jasmine.objectContaining({ outcome: 'refused' }));
  });

  chapter('several cover one record; it goes free only with the last', async () => {
    const held = async (): Promise<number> => (await counsel().call(records.dossier, { params: { id: first.id } })).held;
    expect(await held()).toBe(2);
    await counsel().call(holds.letOut, { params: { id: frozen }, body: { recordIds: [first.id], reason: 'not in the scope' } });
    expect(await held()).toBe(1);
    expect(
      (await counsel().call(holds.addRecords, { params: { id: frozen }, body: { recordIds: [first.id, second.id] } })).results
        .map((r) => r.outcome)
        .sort(),
    ).toEqual(['already covered', 'covered']);
    await counsel().call(holds.release, { params: { id: listed }, body: { reason: 'settled' } });
    expect(await held()).toBe(1);
    // Refused by the core in its words, before the database has to.
    const params = { id: listed };
    const refusals = [
      await problemOf(counsel().call(holds.release, { params, body: { reason: 'again' } })),
      await problemOf(counsel().call(holds.addRecords, { params, body: { recordIds: [second.id] } })),
      await problemOf(counsel().call(holds.letOut, { params, body: { recordIds: [first.id], reason: 'again' } })),
      await problemOf(counsel().call(holds.remind, { params })),
    ];
    expect(refusals).toEqual([
      'Only an open hold can be released.',
      'This hold was released. Place a new one.',
      'Records can only be let out of an open hold.',
      'This hold was released, so nobody needs a reminder.',
    ]);
    expect(await held()).toBe(1);
    // What a hold does not cover is not let out of it, and no history says that it was.
    const out = await counsel().call(holds.letOut, { params: { id: frozen }, body: { recordIds: [first.id], reason: 'again' } });
    expect([out.released, out.results.map((r) => r.outcome)]).toEqual([1, ['done']]);
    const again = await counsel().call(holds.letOut, { params: { id: frozen }, body: { recordIds: [first.id], reason: 'again' } });
    expect([again.released, again.results.map((r) => r.outcome)]).toEqual([0, ['skipped']]);
    const { entries } = await world.as('auditor').call(ledger.entries, { query: { subject: first.id, subjectKind: 'record' } });
    expect(entries.filter((e) => e.act === 'let out of a hold').length).toBe(2);
    await counsel().call(holds.addRecords, { params: { id: frozen }, body: { recordIds: [first.id] } });
  });

  chapter('by criteria say what they would cover, and cover what comes later', async () => {
    const criteria = {
      op: 'and' as const,
      of: [
        { op: 'words' as const, text: 'grounding' },
        { op: 'under' as const, placeId: world.ids.A, name: 'A' },
      ],
    };
    expect(await counsel().call(holds.countScope, { body: { criteria } })).toEqual({
      count: 0,
      words: 'has words “grounding” and under A',
    });
    const { id } = await counsel().call(holds.placeHold, {
      body: { matterId, name: 'Criteria', reason: 'whatever comes', freeze: false, recordIds: [], custodianIds: [], criteria },
    });
    const later = await world.file('editor', { title: 'Report on the grounding' });
    const elsewhere = await world.file('steward', { title: 'Grounding elsewhere', place: world.ids.B01 });
    // What is written past every service is covered in the very statement, too.
    const straight = await world.pool.connect();
    try {
      await straight.query('begin');
      const { rows } = await straight.query<{ id: string }>(
        `insert into record select (jsonb_populate_record(r, jsonb_build_object('id', gen_random_uuid(), 'number', 'X-1'))).*
         from record r where r.id = $1 returning id`,
        [later.id],
      );
      const covers = await straight.query('select from hold_cover where hold_id = $1 and record_id = $2', [id, rows[0]!.id]);
      expect(covers.rowCount).toBe(1);
    } finally {
      await straight.query('rollback');
      straight.release();
    }
    const page = await counsel().call(holds.hold, { params: { id } });
    expect(page.records.map((r) => [r.id, r.because])).toEqual([[later.id, 'came to match its criteria']]);
    expect((await world.as('keeper').call(records.dossier, { params: { id: elsewhere.id } })).held).toBe(0);
    const deep = Array.from({ length: 14 }).reduce<object>((inner) => ({ op: 'not', of: inner }), { op: 'held' });
    expect(await statusOf(counsel().call(holds.countScope, { body: { criteria: deep as never } }))).toBe(422);
  });

  chapter('keep their records out of a batch from the beginning', async () => {
    const keeper = world.as('keeper');
    const free = await world.file('editor', { title: 'Free paper', createdOn: '2024-01-01' });
    await keeper.call(steps.sweep);
    const group = (await keeper.call(docket.due)).groups.find((g) => g.seriesCode === 'A-01')!;
    expect([group.count, group.held]).toEqual([1, 3]);
    const batchId = await approvedBatch(world);
    expect(await executeAndWait(world, batchId)).toBe('1 destroyed, 0 not.');
    expect((await keeper.call(records.dossier, { params: { id: free.id } })).state).toBe('disposed');
    const late = await counsel().call(holds.placeHold, {
      body: {
        matterId,
        name: 'Too late',
        reason: 'after the fact',
        freeze: false,
        recordIds: [free.id, second.id, world.ids.box],
        custodianIds: [],
      },
    });
    expect(late.results.map((r) => r.outcome)).toEqual(['gone before the hold', 'covered', 'not found']);
  });

  chapter('show in the rack, in lists and in what comes due', async () => {
    const { count } = await counsel().call(records.count, { query: { show: 'held' } });
    const { series } = await counsel().call(plan.rack);
    expect(series.flatMap((s) => s.held).reduce((sum, n) => sum + n, 0)).toBe(count);
    const { records: list } = await counsel().call(records.list, { query: { show: 'held' } });
    expect(list.every((r) => r.heldSince !== null)).toBeTrue();
    const { horizon } = await counsel().call(reports.today);
    expect(horizon![0]!.held).toBe(3);
  });

  chapter(
    'that freezes takes in what is filed, whole, and freezes it from the moment after; what will be held is not discarded',
    async () => {
      const criteria = {
        op: 'and',
        of: [
          { op: 'words', text: 'frostbite' },
          { op: 'person', field: 'depositor', personId: world.ids.editor },
        ],
      } as const;
      const placed = await counsel().call(holds.placeHold, {
        body: { matterId, name: 'Frost', reason: 'It was asked for.', freeze: true, criteria: { ...criteria, of: [...criteria.of] } },
      });
      const editor = world.as('editor');
      const kept = await editor.upload('frostbite report.txt', 'It was cold.');
      const other = await editor.upload('weather.txt', 'It was mild.');
      const mine = await world.as('depositor').upload('frostbite of others.txt', 'Elsewhere.');
      const { arrivals } = await editor.call(receiving.list);
      expect(arrivals.filter((a) => a.held).map((a) => a.fileName)).toEqual(['frostbite report.txt']);
      expect(await problemOf(editor.call(receiving.discard, { params: { id: kept } }))).toContain(
        'An open hold covers papers like this one',
      );
      await editor.call(receiving.discard, { params: { id: other } });
      await world.as('depositor').call(receiving.discard, { params: { id: mine } });
      const filing = {
        arrivalId: kept,
        title: 'Frostbite report',
        recordType: 'note',
        placeId: world.ids.A01,
        createdOn: '2026-09-01',
        facts: {},
      };
      const [filed] = (await editor.call(receiving.file, { body: { filings: [filing] } })).results;
      expect([filed!.outcome, filed!.why]).toEqual(['done', `Filed as ${filed!.number}.`]);
      const dossier = await editor.call(records.dossier, { params: { id: filed!.recordId! } });
      expect([dossier.held, dossier.frozenByHold, dossier.versions.length]).toEqual([1, true, 1]);
      expect(await (await editor.fetch(`/api/records/${dossier.id}/content`)).text()).toBe('It was cold.');
      const again = await editor.upload('frostbite two.txt', 'Colder.');
      expect(await statusOf(editor.call(records.addVersion, { params: { id: dossier.id }, body: { arrivalId: again } }))).toBe(409);
      await counsel().call(holds.release, { params: { id: placed.id }, body: { reason: 'It is over.' } });
      // Nothing holds it now.
      await editor.call(receiving.discard, { params: { id: again } });
    },
  );

  chapter('is entered on each record that it comes to cover, lets out or is released from, by whoever brought that about', async () => {
    const name = 'Words: "quay" \\ é\u2028\u{1f5dd}/';
    const placed = await counsel().call(holds.placeHold, {
      body: { matterId, name, reason: 'It was asked for.', freeze: false, criteria: { op: 'words', text: 'quaysideentry' } },
    });
    const filed = await world.file('editor', { title: 'Quaysideentry, filed' });
    const edited = await world.file('editor', { title: 'Another' });
    const { revision } = await world.as('editor').call(records.dossier, { params: { id: edited.id } });
    await world.as('editor').call(records.editFacts, {
      params: { id: edited.id },
      body: { revision, title: 'Another quaysideentry', createdOn: '2026-09-01', facts: {} },
    });
    const listed = await world.file('editor', { title: 'Listed later' });
    // A hold by criteria takes what is listed, too.
    await counsel().call(holds.addRecords, { params: { id: placed.id }, body: { recordIds: [listed.id] } });
    await counsel().call(holds.letOut, { params: { id: placed.id }, body: { recordIds: [filed.id], reason: 'Not that one.' } });
    await counsel().call(holds.release, { params: { id: placed.id }, body: { reason: 'The inquiry is over.' } });
    const of = async (id: string) => {
      const { rows } = await world.pool.query<{ body: string }>(
        `select body from ledger_entry where subject_id = $1 and act in ('held', 'let out of a hold', 'released from a hold') order by seq`,
        [id],
      );
      return rows.map(({ body }) => {
        const entry = JSON.parse(body) as {
          act: string;
          actor: { name: string };
          after: object | null;
          before: object | null;
          note: string | null;
        };
        // As the verifier and everybody else writes it (RFC 8785).
        expect(body).toBe(canonicalJson(entry));
        return [entry.act, entry.actor.name, entry.after ?? entry.before, entry.note];
      });
    };
    const which = { hold: name, holdId: placed.id };
    expect(await of(filed.id)).toEqual([
      ['held', 'Person editor', { ...which, because: 'came to match its criteria' }, null],
      ['let out of a hold', 'Person counsel', which, 'Not that one.'],
    ]);
    expect(await of(edited.id)).toEqual([
      ['held', 'Person editor', { ...which, because: 'came to match its criteria' }, null],
      ['released from a hold', 'Person counsel', which, 'The inquiry is over.'],
    ]);
    expect(await of(listed.id)).toEqual([
      ['held', 'Person counsel', { ...which, because: 'listedLater' }, null],
      ['released from a hold', 'Person counsel', which, 'The inquiry is over.'],
    ]);
  });
});

describe('what holds and the sweep’s preview show to those who may not discover all', () => {
  const chapter = chapters();
  let world: World;
  let shown: { id: string };
  let marked: { id: string };
  let asked: { id: string };
  let holdId: string;
  const criteria = { op: 'words' as const, text: 'grounding' };

  beforeAll(async () => {
    world = await makeWorld();
    await world.rule('R-1', world.ids.A01);
    const due = (title: string) => world.file('editor', { title, createdOn: '2024-01-01' });
    shown = await due('Grounding, report');
    marked = await due('Grounding, secret annex');
    const asks = { kind: 'askOwner', after: 'P1Y', from: 'clockStart', approvals: 0, noticeDays: 0 } as const;
    await world.rule('R-2', world.ids.A02, ruleDefinition({ steps: [asks, { ...asks, kind: 'destroy', after: 'P50Y', approvals: 1 }] }));
    asked = await world.file('editor', { title: 'Asked about', createdOn: '2024-01-01', place: world.ids.A02 });
    const askedInSecret = await world.file('editor', { title: 'Asked about in secret', createdOn: '2024-01-01', place: world.ids.A02 });
    await withUnitOfWork(world.pool, programActor('test', '2026-09-01'), async (uow) => {
      const set = await getOrMakeSet(uow, { anchorPlace: world.ids.root, recordId: null, level: 5, caveats: [], tags: [] });
      await run(uow, 'test.mark', 'update record set access_set_id = $2 where id = any ($1)', [[marked.id, askedInSecret.id], set]);
    });
  });
  afterAll(() => world.stop());
  const counsel = () => world.as('counsel');
  const covers = async (recordId: string): Promise<boolean> =>
    (await world.pool.query('select from hold_cover where record_id = $1 and released_at is null', [recordId])).rowCount === 1;

  chapter('the preview of a hold and of the sweep counts and names what may be discovered', async () => {
    expect((await counsel().call(holds.countScope, { body: { criteria } })).count).toBe(1);
    const { lines } = await world.as('keeper').call(steps.preview);
    const due = lines.find((line) => line.kind === 'due')!;
    expect([due.records, due.first.map((r) => r.id)]).toEqual([1, [shown.id]]);
    const asks = lines.find((line) => line.kind === 'ask')!;
    expect([asks.records, asks.first.map((r) => r.id)]).toEqual([1, [asked.id]]);
  });

  chapter('a hold by criteria reaches all, and its page names what its placer may discover', async () => {
    const { id: matterId } = await counsel().call(holds.makeMatter, { body: { code: 'M', title: 'M', kind: 'case', note: '' } });
    const placed = await counsel().call(holds.placeHold, {
      body: { matterId, name: 'All of it', reason: 'a case', freeze: false, recordIds: [], custodianIds: [], criteria },
    });
    holdId = placed.id;
    expect([placed.covered, placed.doing, placed.results]).toEqual([2, null, []]);
    expect([await covers(shown.id), await covers(marked.id)]).toEqual([true, true]);
    const page = await counsel().call(holds.hold, { params: { id: holdId } });
    expect(page.records.map((r) => r.id)).toEqual([shown.id]);
  });

  chapter('what may not be discovered is not let out blindly, and nothing is let out of a hold that is released', async () => {
    const letOut = (...recordIds: string[]) =>
      counsel().call(holds.letOut, { params: { id: holdId }, body: { recordIds, reason: 'not part of it' } });
    const blind = await letOut(marked.id);
    expect([blind.released, blind.results.map((r) => [r.outcome, r.name])]).toEqual([0, [['refused', 'unknown']]]);
    const { released, results } = await letOut(shown.id, marked.id);
    expect([released, results.map((r) => r.outcome)]).toEqual([1, ['done', 'refused']]);
    expect([await covers(shown.id), await covers(marked.id)]).toEqual([false, true]);
    await counsel().call(holds.release, { params: { id: holdId }, body: { reason: 'the case is closed' } });
    expect(await statusOf(letOut(shown.id))).toBe(409);
  });
});

describe('what the ask bar offers', () => {
  let world: World;
  beforeAll(async () => {
    world = await makeWorld();
    await world.rule('R-ASK', world.ids.A01);
    await world.file('editor', { title: 'Mooring of the Quill' });
  });
  afterAll(() => world.stop());

  const ask = async (text: string): Promise<string[]> =>
    (await world.as('keeper').call(reports.ask, { query: { text } })).suggestions.map((s) => `${s.kind} ${s.code}`);

  it('finds places, records and rules by beginnings and parts', async () => {
    expect(await ask('A-0')).toEqual(['place A-01', 'place A-02', jasmine.stringMatching(/^record A-01/) as unknown as string]);
    expect(await ask('quil')).toEqual([jasmine.stringMatching(/^record A-01\/2026/) as unknown as string]);
    expect(await ask('R-ASK')).toContain('rule R-ASK');
    expect(await ask('nothing like it')).toEqual([]);
  });

  it('takes what is typed as text, not as a pattern', async () => {
    expect(await ask('%')).toEqual([]);
    expect(await ask('_')).toEqual([]);
    expect(await ask(`' or 1=1 --`)).toEqual([]);
  });
});
