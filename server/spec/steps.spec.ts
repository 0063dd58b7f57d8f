import { said } from '@key-cellar/words/testing';
import { holds, identity, plan, records, schedule, steps, type RuleDefinition } from '@key-cellar/contract';
import { answerToken } from '../src/docket/letters.js';
import { sweepDaily } from '../src/docket/index.js';
import { programActor } from '../src/kernel/index.js';
import { asApplication, asOwner } from './support/database.js';
import { Client, type Login, makeWorld, ruleDefinition, today, type World } from './support/world.js';

type Step = RuleDefinition['steps'][number];
const step = (kind: Step['kind'], after: string, more: Partial<Step> = {}): Step => ({
  kind,
  after,
  from: 'clockStart',
  approvals: 0,
  noticeDays: 0,
  ...more,
});
const destroy = (after: string): Step => step('destroy', after, { approvals: 1 });

describe('steps that are taken before the last one', () => {
  let world: World;
  let keeper: Client;
  beforeEach(async () => {
    world = await makeWorld();
    keeper = world.as('keeper');
  });
  afterEach(() => world.stop());

  const ruleOf = (...all: Step[]): Promise<string> => world.rule('R-1', world.ids.A01, ruleDefinition({ steps: all }));
  async function sweep(): Promise<string> {
    const { jobId } = await keeper.call(steps.sweep);
    return jobId === null ? '' : said((await world.services.jobs.settled(jobId)).told!);
  }
  const dossier = (id: string) => keeper.call(records.dossier, { params: { id } });
  const ofRecord = (id: string) => keeper.call(steps.ofRecord, { params: { id } });
  const letters = async (login: Login) =>
    (await world.as(login).call(identity.messages)).messages.filter((m) => m.kind === 'question' || m.kind === 'review');
  const tokenIn = (link: string | null): string => link!.replace('/answers/', '');
  const nobody = (): Client => new Client(world.base, '');

  describe('asking the owner', () => {
    it('sends one letter a person for all that is asked, and takes an answer from its link, once', async () => {
      await ruleOf(step('askOwner', 'P1Y', { repeatEvery: 'P30D' }), destroy('P5Y'));
      const [a, b] = [await world.file('editor', { createdOn: '2025-06-01' }), await world.file('editor', { createdOn: '2025-07-01' })];
      await world.file('editor', { createdOn: '2026-07-01' });
      expect(await sweep()).toBe('2 asked about.');
      const [letter, ...others] = await letters('editor');
      expect(others).toEqual([]);
      expect(letter!.subject).toBe('Are 2 records still needed?');
      const token = tokenIn(letter!.link);
      // An address with something like a file's ending would be taken for a file that is not there.
      expect(token).toMatch(/^[\w-]+$/);
      const asked = await nobody().call(steps.letter, { params: { token } });
      expect([asked.to, asked.tasks.map((t) => [t.number, t.keptAnew, t.then.on])]).toEqual([
        'Person editor',
        [
          [a.number, 'P1Y', '2030-06-01'],
          [b.number, 'P1Y', '2030-07-01'],
        ],
      ]);

      const [first, second] = asked.tasks.map((t) => t.id) as [string, string];
      const keep = await nobody().call(steps.answerLetter, { params: { token }, body: { ids: [first], answer: 'keep' } });
      expect(keep.results[0]!.outcome).toBe('done');
      const kept = await dossier(a.id);
      expect([kept.dueOn, kept.why.restartedOn, kept.docket]).toEqual(['2031-09-14', today, 'none']);

      const gone = await nobody().call(steps.answerLetter, { params: { token }, body: { ids: [second], answer: 'notNeeded' } });
      expect(gone.results[0]!.why).toBe('It is on the docket now.');
      expect(await dossier(b.id)).toEqual(jasmine.objectContaining({ dueOn: today, docket: 'due' }));

      const again = await nobody().call(steps.answerLetter, { params: { token }, body: { ids: [first, second], answer: 'notNeeded' } });
      expect(again.results.map((r) => [r.outcome, r.why])).toEqual([
        ['skipped', 'Already answered by Person editor.'],
        ['skipped', 'Already answered by Person editor.'],
      ]);
      const taken = (await ofRecord(a.id)).taken;
      expect(taken.map((t) => [t.outcome, t.on, t.by])).toEqual([['keep', today, 'Person editor']]);
      const { rows } = await world.pool.query<{ body: string }>(
        `select body from ledger_entry where act = 'answered a question' and subject_id = $1`,
        [a.id],
      );
      expect((JSON.parse(rows[0]!.body) as { actor: { name: string }; from: string }).from).toContain('by the link of a letter');
    });

    it('refuses links that are made up, changed or about something else', async () => {
      await ruleOf(step('askOwner', 'P1Y'), destroy('P5Y'));
      await world.file('editor', { createdOn: '2025-06-01' });
      await world.file('steward', { createdOn: '2025-06-01' });
      await sweep();
      const [own] = await letters('editor');
      const [other] = await letters('steward');
      const token = tokenIn(own!.link);
      const forged = [
        `${own!.id}${'A'.repeat(43)}`,
        token.slice(0, -2) + (token.endsWith('AA') ? 'BB' : 'AA'),
        answerToken('another key', own!.id),
        `${other!.id}${token.slice(36)}`,
        `${token}A`,
      ];
      for (const made of forged) {
        await expectAsync(nobody().call(steps.letter, { params: { token: made } })).toBeRejectedWith(
          jasmine.objectContaining({ status: 404 }),
        );
        await expectAsync(
          nobody().call(steps.answerLetter, { params: { token: made }, body: { ids: [own!.id], answer: 'notNeeded' } }),
        ).toBeRejectedWith(jasmine.objectContaining({ status: 404 }));
      }
      const foreign = (await nobody().call(steps.letter, { params: { token: tokenIn(other!.link) } })).tasks[0]!.id;
      const { results } = await nobody().call(steps.answerLetter, { params: { token }, body: { ids: [foreign], answer: 'notNeeded' } });
      expect(results).toEqual([jasmine.objectContaining({ outcome: 'refused', name: 'unknown' })]);
      // Nor may somebody signed in answer what was put to another.
      expect((await world.as('editor').call(steps.answer, { body: { ids: [foreign], answer: 'notNeeded' } })).results[0]!.outcome).toBe(
        'refused',
      );
    });

    it('tells nothing through an old letter once access is withdrawn, nor to one who left', async () => {
      await ruleOf(step('askOwner', 'P1Y'), destroy('P5Y'));
      await world.file('editor', { createdOn: '2025-06-01' });
      await sweep();
      const token = tokenIn((await letters('editor'))[0]!.link);
      const { tasks } = await nobody().call(steps.letter, { params: { token } });
      await world.pool.query('delete from grant_ where principal_id = $1', [world.ids.editor]);
      expect((await nobody().call(steps.letter, { params: { token } })).tasks).toEqual([]);
      const { results } = await nobody().call(steps.answerLetter, { params: { token }, body: { ids: [tasks[0]!.id], answer: 'keep' } });
      expect(results[0]!.outcome).toBe('refused');
      await world.pool.query('update principal set active = false where id = $1', [world.ids.editor]);
      await expectAsync(nobody().call(steps.letter, { params: { token } })).toBeRejectedWith(jasmine.objectContaining({ status: 404 }));
    });

    it('is repeated as the rule says until the next step is due', async () => {
      await ruleOf(step('askOwner', 'P1Y', { repeatEvery: 'P30D' }), step('review', 'P16M'), destroy('P5Y'));
      const { id } = await world.file('editor', { createdOn: '2025-09-14' });
      await sweep();
      expect(await sweep()).toBe('');
      await world.setToday('2026-10-13');
      expect(await sweep()).toBe('');
      await world.setToday('2026-10-14');
      expect(await sweep()).toBe('1 asked about.');
      expect((await letters('editor')).map((m) => m.subject.startsWith('Asked again: '))).toEqual([true, false]);
      expect((await ofRecord(id)).task).toEqual(jasmine.objectContaining({ times: 2, askedOn: today, lastAskedOn: '2026-10-14' }));
      await world.setToday('2027-01-14');
      expect(await sweep()).toBe('1 closed without an answer, 1 put up for review.');
      const now = await ofRecord(id);
      expect([now.task!.kind, now.taken.map((t) => t.outcome)]).toEqual(['review', ['unanswered']]);
    });

    it('goes to the owner’s smallest group when the owner is gone, and to the keepers when nobody there may see it', async () => {
      await ruleOf(step('askOwner', 'P1Y'), destroy('P5Y'));
      await world.file('editor', { createdOn: '2025-06-01' });
      await world.pool.query(`insert into principal (id, kind, name) values ('00000000-0000-7000-8000-00000000000a', 'group', 'Pilots')`);
      const join = (member: string, group: string) =>
        world.pool.query('insert into membership (member_id, group_id) values ($1, $2)', [member, group]);
      for (const login of ['editor', 'steward'] as const) await join(world.ids[login], '00000000-0000-7000-8000-00000000000a');
      for (const login of ['editor', 'reader', 'counsel', 'steward'] as const) await join(world.ids[login], world.ids.staff);
      await world.pool.query('update principal set active = false where id = $1', [world.ids.editor]);
      await sweep();
      expect([(await letters('steward')).length, (await letters('reader')).length, (await letters('keeper')).length]).toEqual([1, 0, 0]);
      expect((await letters('steward'))[0]!.body).toContain('same group');

      await world.file('steward', { createdOn: '2025-06-02', place: world.ids.A01 });
      await asOwner(world.database, (client) => client.query('delete from membership'));
      await world.pool.query('update principal set active = false where id = $1', [world.ids.steward]);
      await sweep();
      expect((await letters('keeper')).map((m) => m.body.includes('asked as a keeper'))).toEqual([true]);
      expect((await letters('deputy')).length).toBe(1);
      const task = (await keeper.call(steps.tasks)).tasks[0]!;
      expect((await keeper.call(steps.answer, { body: { ids: [task.id], answer: 'keep', note: 'still open' } })).results[0]!.outcome).toBe(
        'done',
      );
      expect((await world.as('deputy').call(steps.tasks)).tasks).toEqual([]);
    });

    it('is dropped when its rule no longer asks', async () => {
      const rule = await ruleOf(step('askOwner', 'P1Y'), destroy('P5Y'));
      const { id } = await world.file('editor', { createdOn: '2025-06-01' });
      await sweep();
      const [task] = (await world.as('editor').call(steps.tasks)).tasks;
      const page = await keeper.call(schedule.rule, { params: { id: rule } });
      const { revision } = await keeper.call(schedule.saveDraft, {
        params: { id: rule },
        body: { revision: page.revision, definition: ruleDefinition({ steps: [destroy('P9Y')] }) },
      });
      const { jobId } = await keeper.call(schedule.publish, {
        params: { id: rule },
        body: { revision, inForceFrom: today, takesOver: 'all' },
      });
      await world.services.jobs.settled(jobId);
      expect((await ofRecord(id)).task).toBeNull();
      const { results } = await world.as('editor').call(steps.answer, { body: { ids: [task!.id], answer: 'keep' } });
      expect(results).toEqual([jasmine.objectContaining({ outcome: 'skipped', why: 'Not asked any more.' })]);
    });

    it('is answered once, by whoever comes first', async () => {
      await ruleOf(step('askOwner', 'P1Y'), destroy('P5Y'));
      const filed = await Promise.all(Array.from({ length: 20 }, () => world.file('editor', { createdOn: '2025-06-01' })));
      await sweep();
      const token = tokenIn((await letters('editor'))[0]!.link);
      const ids = (await nobody().call(steps.letter, { params: { token } })).tasks.map((t) => t.id);
      const answers = await Promise.all([
        nobody().call(steps.answerLetter, { params: { token }, body: { ids, answer: 'keep' } }),
        world.as('editor').call(steps.answer, { body: { ids, answer: 'notNeeded' } }),
        keeper.call(steps.answer, { body: { ids: [...ids].reverse(), answer: 'notNeeded' } }),
      ]);
      const done = answers.flatMap((a) => a.results).filter((r) => r.outcome === 'done');
      expect(new Set(done.map((r) => r.id)).size).toBe(20);
      expect(done.length).toBe(20);
      for (const { id } of filed) expect((await ofRecord(id)).taken.length).toBe(1);
    });
  });

  it('puts records up for review, and a keeper says what becomes of them', async () => {
    await ruleOf(step('review', 'P1Y'), step('destroy', 'P1Y', { from: 'previousStep', approvals: 1 }));
    const [a, b, c] = [
      await world.file('editor', { createdOn: '2025-01-01' }),
      await world.file('editor', { createdOn: '2025-01-02' }),
      await world.file('editor', { createdOn: '2025-01-03' }),
    ];
    expect(await sweep()).toBe('3 put up for review.');
    const { tasks } = await keeper.call(steps.tasks);
    const taskOf = (id: string): string => tasks.find((t) => t.recordId === id)!.id;
    expect((await world.as('editor').call(steps.tasks)).tasks).toEqual([]);
    expect((await world.as('editor').call(steps.answer, { body: { ids: [taskOf(a.id)], answer: 'goOn' } })).results[0]!.outcome).toBe(
      'refused',
    );
    for (const [id, answer] of [
      [a.id, 'goOn'],
      [b.id, 'keep'],
      [c.id, 'notNeeded'],
    ] as const) {
      await keeper.call(steps.answer, { body: { ids: [taskOf(id)], answer } });
    }
    expect((await dossier(a.id)).dueOn).toBe('2027-09-14');
    const kept = await dossier(b.id);
    expect([kept.dueOn, kept.clockStart, kept.why.steps[0]!.dueOn]).toEqual([null, today, '2027-09-14']);
    expect(await dossier(c.id)).toEqual(jasmine.objectContaining({ dueOn: today, docket: 'due' }));
  });

  it('declares, moves and trims by itself, several steps in one sweep, and says so beforehand', async () => {
    await ruleOf(step('declare', 'P6M'), destroy('P5Y'));
    await world.rule(
      'R-2',
      world.ids.A02,
      ruleDefinition({ steps: [step('trimVersions', 'P3M'), step('move', 'P6M', { to: 'CLOSED' }), destroy('P5Y')] }),
    );
    const a = await world.file('editor', { createdOn: '2026-01-01' });
    const b = await world.file('editor', { createdOn: '2026-01-01', place: world.ids.A02, text: 'the first' });
    const editor = world.as('editor');
    const arrivalId = await editor.upload('second.txt', 'the second');
    await editor.call(records.addVersion, { params: { id: b.id }, body: { arrivalId, note: '' } });
    const { lines } = await keeper.call(steps.preview);
    expect(lines.map((l) => [l.kind, l.records, l.versions, l.bytes]).sort()).toEqual([
      ['declare', 1, 0, 0],
      ['trim', 1, 1, 9],
    ]);
    expect((await dossier(b.id)).versions.length).toBe(2);

    expect(await sweep()).toBe('1 declared, 1 rid of older versions, 1 moved.');
    expect((await dossier(a.id)).state).toBe('declared');
    const after = await dossier(b.id);
    expect([after.versions.map((v) => v.no), after.path.at(-1)!.code]).toEqual([[2], 'CLOSED']);
    const content = await world.pool.query<{ n: number }>(`select count(*)::int as n from content where sha256 = sha256('the first')`);
    expect(content.rows[0]!.n).toBe(0);
    expect((await ofRecord(b.id)).taken.map((t) => t.words)).toEqual(['older versions are removed', 'moved']);
    expect((await keeper.call(steps.preview)).lines).toEqual([]);
  });

  it('never removes versions of a held record, whoever asks, and does it after the release', async () => {
    await ruleOf(step('trimVersions', 'P3M'), destroy('P5Y'));
    const { id } = await world.file('editor', { createdOn: '2026-01-01' });
    const editor = world.as('editor');
    await editor.call(records.addVersion, { params: { id }, body: { arrivalId: await editor.upload('v2.txt', 'two'), note: '' } });
    const counsel = world.as('counsel');
    const matter = await counsel.call(holds.makeMatter, { body: { code: 'M-1', title: 'M', kind: 'case', note: '' } });
    const hold = await counsel.call(holds.placeHold, {
      body: { matterId: matter.id, name: 'H', reason: 'a reason', freeze: false, recordIds: [id], custodianIds: [] },
    });
    expect(await sweep()).toBe('1 could not be taken.');
    expect((await keeper.call(steps.preview)).lines).toEqual([jasmine.objectContaining({ kind: 'stopped', records: 1 })]);
    await asApplication(world.database, async (app) => {
      await expectAsync(app.query('select * from trim_versions($1, $2)', [id, today])).toBeRejectedWith(
        jasmine.objectContaining({ code: 'KC002' }),
      );
      await expectAsync(app.query('delete from version where record_id = $1', [id])).toBeRejected();
    });
    expect((await dossier(id)).versions.length).toBe(2);
    await counsel.call(holds.release, { params: { id: hold.id }, body: { reason: 'it is over' } });
    expect(await sweep()).toBe('1 rid of older versions.');
    expect((await dossier(id)).versions.length).toBe(1);
  });

  it('lets nobody trim, forget or rewrite what no step is due for', async () => {
    await ruleOf(step('askOwner', 'P1Y'), step('trimVersions', 'P4Y'), destroy('P5Y'));
    const { id } = await world.file('editor', { createdOn: '2025-01-01' });
    const editor = world.as('editor');
    await editor.call(records.addVersion, { params: { id }, body: { arrivalId: await editor.upload('v2.txt', 'two'), note: '' } });
    await sweep();
    const [task] = (await editor.call(steps.tasks)).tasks;
    await editor.call(steps.answer, { body: { ids: [task!.id], answer: 'keep' } });
    await asApplication(world.database, async (app) => {
      for (const [sql, values] of [
        ['select * from trim_versions($1, $2)', [id, today]],
        [`update record set steps_taken = '[]' where id = $1`, [id]],
        ['update record set steps_taken = null where id = $1', [id]],
        [`update step_task set state = 'open', answer = null, answered_by = null, answered_on = null where id = $1`, [task!.id]],
        ['delete from step_task where id = $1', [task!.id]],
      ] as const) {
        await expectAsync(app.query(sql, [...values])).toBeRejected();
      }
    });
  });

  it('says which declared record cannot be moved, and leaves it', async () => {
    await ruleOf(step('move', 'P3M', { to: 'CLOSED' }), destroy('P5Y'));
    const { id } = await world.file('editor', { createdOn: '2026-01-01' });
    await keeper.call(records.declare, { body: { ids: [id] } });
    expect(await sweep()).toBe('1 could not be taken.');
    const [line] = (await keeper.call(steps.preview)).lines;
    expect(line!.first[0]!.detail).toContain('declared');
    expect((await dossier(id)).path.at(-1)!.code).toBe('A-01');
  });

  it('gives a moved record the access of its folder', async () => {
    const { id: folder } = await keeper.call(plan.makePlace, {
      body: { parentId: world.ids.A01, kind: 'folder', code: 'CLOSED', title: 'C', note: '' },
    });
    await world.pool.query(
      `with s as (insert into access_set (anchor_place) values ($1) returning id)
       update place set stand_alone = true, access_set_id = (select id from s) where id = $1`,
      [folder],
    );
    await ruleOf(step('move', 'P3M', { to: 'CLOSED' }), destroy('P5Y'));
    const { id } = await world.file('editor', { createdOn: '2026-01-01' });
    await sweep();
    await expectAsync(world.as('reader').call(records.dossier, { params: { id } })).toBeRejectedWith(
      jasmine.objectContaining({ status: 404 }),
    );
    expect((await dossier(id)).placeId).toBe(folder);
  });

  it('works off a thousand records, and goes on after it was stopped half-way', async () => {
    const rule = await ruleOf(step('declare', 'P1Y'), destroy('P5Y'));
    const first = await world.file('editor', { createdOn: '2025-01-01' });
    await world.pool.query(
      `insert into record (id, number, title, medium, record_type, place_id, series_id, places, created_on, received_on, filed_on, modified_on, search, access_set_id, owner_id, deposited_by)
       select gen_random_uuid(), 'X-' || n, 'Many', 'electronic', record_type, place_id, series_id, places, '2025-01-01', filed_on, filed_on, filed_on, '', access_set_id, owner_id, deposited_by
       from record, generate_series(1, 1000) n where id = $1`,
      [first.id],
    );
    await keeper.call(plan.unsetRule, { params: { id: world.ids.A01 }, body: { ruleId: rule } });
    await keeper.call(plan.setRule, { params: { id: world.ids.A01 }, body: { ruleId: rule } });
    const { jobId, steps: n } = await keeper.call(steps.sweep);
    expect(n).toBe(1001);
    await keeper.call(schedule.cancelJob, { params: { id: jobId! } });
    await world.services.jobs.settled(jobId!);
    await sweep();
    const { rows } = await world.pool.query<{ state: string; n: number; acts: number }>(
      'select state, count(*)::int as n, sum(jsonb_array_length(steps_taken))::int as acts from record group by state',
    );
    expect(rows).toEqual([{ state: 'declared', n: 1001, acts: 1001 }]);
  });

  it('brings a rule version into force on its day', async () => {
    const rule = await ruleOf(destroy('P9Y'));
    const { id } = await world.file('editor', { createdOn: '2026-01-01' });
    const page = await keeper.call(schedule.rule, { params: { id: rule } });
    const { revision } = await keeper.call(schedule.saveDraft, {
      params: { id: rule },
      body: { revision: page.revision, definition: ruleDefinition({ steps: [destroy('P3Y')] }) },
    });
    const { jobId } = await keeper.call(schedule.publish, {
      params: { id: rule },
      body: { revision, inForceFrom: '2026-10-01', takesOver: 'all' },
    });
    await world.services.jobs.settled(jobId);
    expect((await dossier(id)).dueOn).toBe('2035-01-01');
    await world.pool.query(`update setting set value = '{"on":"2026-09-30"}' where name = 'swept'`);
    await world.setToday('2026-10-01');
    await sweepDaily(world.services, programActor('sweep', '2026-10-01'));
    const { rows } = await world.pool.query<{ id: string }>(
      `select id from job_progress where kind = 'steps' order by started_at desc limit 1`,
    );
    await world.services.jobs.settled(rows[0]!.id);
    expect((await dossier(id)).dueOn).toBe('2029-01-01');
    const before = await world.pool.query<{ n: number }>(`select count(*)::int as n from ledger_entry where act = 'ran the sweep'`);
    await sweepDaily(world.services, programActor('sweep', '2026-10-01'));
    const after = await world.pool.query<{ n: number }>(`select count(*)::int as n from ledger_entry where act = 'ran the sweep'`);
    expect(after.rows).toEqual(before.rows);
  });

  it('recomputes everything when asked, and tries it first', async () => {
    await ruleOf(destroy('P9Y'));
    const { id } = await world.file('editor', { createdOn: '2026-01-01' });
    await world.pool.query(`update record set due_on = '1999-01-01' where id = $1`, [id]);
    const tried = await keeper.call(steps.recompute, { body: { dryRun: true } });
    expect(said((await world.services.jobs.settled(tried.jobId)).told!)).toBe('1 of 1 records would get another date, rule or next step.');
    expect((await dossier(id)).dueOn).toBe('1999-01-01');
    const done = await keeper.call(steps.recompute, { body: { dryRun: false } });
    expect(said((await world.services.jobs.settled(done.jobId)).told!)).toBe('1 of 1 records got another date, rule or next step.');
    expect((await dossier(id)).dueOn).toBe('2035-01-01');
  });
});
