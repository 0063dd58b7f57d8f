import { type EffectPage, type OverrideInput, plan, receiving, records, schedule, setup, steps } from '@key-cellar/contract';
import { uuidv7 } from 'uuidv7';
import { runSteps } from '../src/docket/index.js';
import { startServer, sweep } from '../src/index.js';
import { JobWaits, programActor } from '../src/kernel/index.js';
import { asApplication, configFor, copyOf, dropDatabase } from './support/database.js';
import { eventually } from './support/eventually.js';
import { inStillness } from './support/still.js';
import { setClock, makeWorld, ruleDefinition, statusOf, today, type Refused, type World } from './support/world.js';

/** Dates on every way that a record comes by one. */
describe('clocks', () => {
  let world: World;
  beforeEach(async () => {
    world = await makeWorld();
    await world.pool.query(`update setting set value = jsonb_build_object('on', $1::text) where name = 'swept'`, [today]);
  });
  afterEach(() => world.stop());
  const keeper = () => world.as('keeper');
  const dossier = (id: string) => keeper().call(records.dossier, { params: { id } });
  const lasting = (after: string) => [{ kind: 'destroy' as const, after, from: 'clockStart' as const, approvals: 1, noticeDays: 0 }];
  const sweep = async (): Promise<void> => {
    const { jobId } = await keeper().call(steps.sweep);
    if (jobId) expect((await world.services.jobs.settled(jobId)).state).toBe('done');
  };
  const publish = async (id: string, after: string, inForceFrom: string): Promise<void> => {
    const { revision } = await keeper().call(schedule.rule, { params: { id } });
    const saved = await keeper().call(schedule.saveDraft, {
      params: { id },
      body: { revision, definition: ruleDefinition({ steps: lasting(after) }) },
    });
    const { jobId } = await keeper().call(schedule.publish, {
      params: { id },
      body: { revision: saved.revision, inForceFrom, takesOver: 'all' },
    });
    if (jobId) await world.services.jobs.settled(jobId);
  };

  it('a version announced for later stays announced when another is published now', async () => {
    const id = await world.rule('R-A', world.ids.A01);
    const record = await world.file('editor', { createdOn: '2026-01-01' });
    await publish(id, 'P2Y', '2027-01-01');
    await publish(id, 'P3Y', today);
    expect((await dossier(record.id)).dueOn).toBe('2029-01-01');
    await world.setToday('2027-01-01');
    await sweep();
    expect([(await dossier(record.id)).dueOn, (await dossier(record.id)).why.governing?.version]).toEqual(['2028-01-01', 2]);
  });

  it('a version that is announced can be withdrawn, and one in force cannot', async () => {
    const id = await world.rule('R-A', world.ids.A01);
    const record = await world.file('editor', { createdOn: '2026-01-01' });
    await publish(id, 'P2Y', '2027-01-01');
    const withdraw = (version: number) =>
      keeper().call(schedule.withdrawVersion, { params: { id, version }, body: { reason: 'The ministry took it back.' } });
    expect(await Promise.all([1, 9].map((version) => statusOf(withdraw(version))))).toEqual([409, 404]);
    await withdraw(2);
    expect(await statusOf(withdraw(2))).toBe(409);
    const { versions } = await keeper().call(schedule.rule, { params: { id } });
    expect(versions.map((v) => [v.version, v.withdrawn && [v.withdrawn.by, v.withdrawn.reason]])).toEqual([
      [2, ['Person keeper', 'The ministry took it back.']],
      [1, null],
    ]);
    // Numbers are not given twice.
    await publish(id, 'P3Y', '2028-01-01');
    await world.setToday('2027-06-01');
    await sweep();
    expect((await dossier(record.id)).why.governing?.version).toBe(1);
    await world.setToday('2028-01-01');
    await sweep();
    expect((await dossier(record.id)).why.governing?.version).toBe(3);
    const { rows } = await world.pool.query<{ id: string }>('select id from rule_version where version = 3');
    const guarded = asApplication(world.database, (client) =>
      client.query(`insert into rule_withdrawal values ($1, $2, now(), 'x')`, [rows[0]!.id, world.ids.keeper]),
    );
    await expectAsync(guarded).toBeRejectedWith(jasmine.objectContaining({ code: 'KC001' }));
  });

  it('a version published last, and in force from an earlier day, beats none from a later one', async () => {
    const id = await world.rule('R-A', world.ids.A01);
    const record = await world.file('editor', { createdOn: '2026-01-01' });
    await publish(id, 'P2Y', '2024-01-01');
    await publish(id, 'P3Y', '2022-01-01');
    expect((await dossier(record.id)).why.governing?.version).toBe(2);
  });

  it('a fact with many dates starts a clock with the last of them, or the first', async () => {
    await keeper().call(setup.makeType, {
      body: {
        code: 'hearing',
        title: 'Hearing',
        facts: [{ code: 'heldOn', title: 'Held on', kind: 'date', required: false, many: true }],
      },
    });
    const arrivalId = await world.as('editor').upload('h.txt', 'hearings');
    const { results } = await world.as('editor').call(receiving.file, {
      body: {
        filings: [
          {
            arrivalId,
            title: 'Hearings',
            recordType: 'hearing',
            placeId: world.ids.A01,
            createdOn: '2020-01-01',
            facts: { heldOn: ['2024-05-01', '2025-05-01', '2023-05-01'] },
          },
        ],
      },
    });
    const id = results[0]!.recordId!;
    const rule = await world.rule('R-LAST', world.ids.A01, ruleDefinition({ trigger: { kind: 'fact', fact: 'heldOn' } }));
    expect((await dossier(id)).dueOn).toBe('2026-05-01');
    const first = ruleDefinition({ trigger: { kind: 'fact', fact: 'heldOn', occurrence: 'first' } });
    const change = { kind: 'rule' as const, ruleId: rule, definition: first, inForceFrom: today, takesOver: 'all' as const };
    const answer = await keeper().fetch('/api/schedule/effect', { method: 'POST', body: JSON.stringify({ change }) });
    const { effect } = JSON.parse((await answer.text()).trim().split('\n').at(-1)!) as { effect: EffectPage };
    expect(effect.most.map((m) => [m.id, m.before, m.after])).toEqual([[id, '2026-05-01', '2024-05-01']]);
  });

  it('a clock starts with the last day on which the content was read, by whoever may', async () => {
    await world.rule('R-USE', world.ids.A01, ruleDefinition({ trigger: { kind: 'recordDate', date: 'lastUsed' } }));
    const { id } = await world.file('editor', { createdOn: '2020-01-01' });
    await world.as('steward').call(records.declare, { body: { ids: [id] } });
    expect((await dossier(id)).outcome).toBe('waiting');
    const use = async (login: 'editor' | 'reader', path: string) => (await world.as(login).fetch(`/api/records/${id}/${path}`)).status;
    const dueOn = (day: string) => eventually(async () => (await dossier(id)).dueOn === day);
    expect(await use('editor', 'content')).toBe(200);
    await dueOn('2027-09-14');
    await world.setToday('2026-10-02');
    expect(await use('reader', 'content')).toBe(403);
    expect((await dossier(id)).dueOn).toBe('2027-09-14');
    expect(await use('reader', 'pages/1')).toBe(200);
    await dueOn('2027-10-02');
  });

  it('a clock starts on the day on which a newer version came', async () => {
    await world.rule('R-NEW', world.ids.A01, ruleDefinition({ trigger: { kind: 'recordDate', date: 'superseded' } }));
    const { id } = await world.file('editor', { createdOn: '2020-01-01' });
    expect((await dossier(id)).outcome).toBe('waiting');
    await world.setToday('2026-10-02');
    const arrivalId = await world.as('editor').upload('again.txt', 'The second version.');
    await world.as('editor').call(records.addVersion, { params: { id }, body: { arrivalId, note: '' } });
    expect((await dossier(id)).dueOn).toBe('2027-10-02');
  });

  it('a folder may have been opened, and closed, before it came here', async () => {
    const make = (openedOn?: string) =>
      world.as('editor').call(plan.makePlace, {
        body: { parentId: world.ids.A01, kind: 'folder', code: `F-${openedOn ?? 'NOW'}`, title: 'F', note: '', openedOn },
      });
    const close = (id: string, on: string) => world.as('steward').call(plan.closeFolder, { params: { id }, body: { on } });
    const [old, now] = [await make('1998-03-01'), await make()];
    await close(old.id, '2004-12-31');
    expect((await keeper().call(plan.place, { params: { id: old.id } })).closedOn).toBe('2004-12-31');
    const refused = await close(now.id, '2004-12-31').catch((error: Refused) => error);
    expect((refused as Refused).problem.fields?.[0]?.sentence).toContain('If that was earlier');
    const page = await keeper().call(plan.place, { params: { id: now.id } });
    const { code, title, note, notHere, message, revision } = page;
    const describe = (openedOn: string, at = revision) =>
      keeper().call(plan.editPlace, { params: { id: now.id }, body: { revision: at, code, title, note, notHere, message, openedOn } });
    const { revision: next } = await describe('2001-01-01');
    await close(now.id, '2004-12-31');
    expect(await statusOf(describe('2005-01-01', next + 1))).toBe(422);
    expect((await keeper().call(plan.place, { params: { id: now.id } })).openedOn).toBe('2001-01-01');
  });

  it('a folder may open, and close, on days that are still to come', async () => {
    await world.rule('R-CLOSED', world.ids.A01, ruleDefinition({ trigger: { kind: 'folderClosed' }, cutoff: { kind: 'none' } }));
    const steward = world.as('steward');
    const body = { parentId: world.ids.A01, kind: 'folder' as const, code: 'F-1', title: 'F', note: '', openedOn: '2026-09-20' };
    const { id } = await world.as('editor').call(plan.makePlace, { body });
    const page = () => keeper().call(plan.place, { params: { id } });
    const close = (on: string) => statusOf(steward.call(plan.closeFolder, { params: { id }, body: { on } }));
    expect((await page()).shut).toBe('notYet');
    await expectAsync(world.file('editor', { place: id })).toBeRejectedWithError(/opens on 20 Sep 2026/);
    expect(await close('2026-09-19'))
      .withContext('before it opens')
      .toBe(422);
    expect(await close('2026-10-01')).toBe(200);

    await world.setToday('2026-09-20');
    expect((await page()).shut).toBeNull();
    await world.pool.query(`update place set declare_on = 'folderClosed' where id = $1`, [id]);
    const record = await world.file('editor', { place: id });
    const dated = async () => {
      const { state, declaredOn, dueOn } = await dossier(record.id);
      return { state, declaredOn, dueOn };
    };
    expect(await dated()).toEqual({ state: 'working', declaredOn: null, dueOn: '2027-10-01' });
    // The day can be another, or none.
    expect(await close('2026-10-05')).toBe(200);
    expect((await dated()).dueOn).toBe('2027-10-05');
    await steward.call(plan.reopenFolder, { params: { id }, body: { reason: 'works on' } });
    expect((await dated()).dueOn).toBeNull();
    expect(await close('2026-10-03')).toBe(200);
    const entered = await world.pool.query<{ act: string }>(`select act from ledger_entry where subject_id = $1 order by seq`, [id]);
    expect(entered.rows.map((r) => r.act)).toEqual([
      'made a folder',
      'closed a folder',
      'closed a folder',
      'called off a closing',
      'closed a folder',
    ]);

    await sweep();
    await world.setToday('2026-10-02');
    await sweep();
    expect((await dated()).state).toBe('working');
    await world.setToday('2026-10-09');
    await sweep();
    expect(await dated()).toEqual({ state: 'declared', declaredOn: '2026-10-03', dueOn: '2027-10-03' });
    expect((await page()).shut).toBe('closed');
    await expectAsync(world.file('editor', { place: id })).toBeRejectedWithError(/closed on 3 Oct 2026/);
  });

  it('what is set by hand has an effect, or is refused; and is taken back whole', async () => {
    await keeper().call(schedule.makeJurisdiction, { body: { name: 'North', partOf: null } });
    await keeper().call(schedule.makeJurisdiction, { body: { name: 'South', partOf: null } });
    await world.rule('R-ALL', world.ids.A01);
    const north = await world.rule('R-NORTH', world.ids.A02, ruleDefinition({ jurisdictions: ['North'], steps: lasting('P9Y') }));
    const record = await world.file('editor', { createdOn: '2026-01-01' });
    const set = async (override: OverrideInput | null) =>
      (
        await keeper().call(schedule.override, {
          body: { ids: [record.id], override, reason: 'board decision', dryRun: false },
        })
      ).results[0]!;
    expect(await set({ kind: 'rule', ruleId: north })).toEqual(
      jasmine.objectContaining({
        outcome: 'refused',
        why: 'Rule R-NORTH applies in North only, and this record is not there. It would change nothing.',
      }),
    );
    expect((await set({ kind: 'jurisdictions', jurisdictions: ['North'] })).outcome).toBe('done');
    expect((await set({ kind: 'rule', ruleId: north })).outcome).toBe('done');
    expect((await dossier(record.id)).dueOn).toBe('2035-01-01');
    expect((await set(null)).outcome).toBe('done');
    const { dueOn, why, jurisdictions } = await dossier(record.id);
    expect([dueOn, why.override, jurisdictions]).toEqual(['2027-01-01', null, []]);
    expect((await set(null)).outcome).toBe('skipped');
  });

  it('words without a letter or digit are refused wherever they are taken', async () => {
    const nothing = { op: 'words' as const, text: '???' };
    const rule = await world.rule('R-A', world.ids.A01);
    const calls = [
      keeper().call(schedule.addCriteriaRule, { body: { ruleId: rule, criteria: nothing, note: '' } }),
      keeper().call(schedule.countCriteria, { body: { criteria: nothing } }),
      keeper().call(records.list, { query: { words: '—' } }),
      keeper().call(records.list, { query: { criteria: JSON.stringify({ op: 'not', of: nothing }) } }),
    ];
    expect(await Promise.all(calls.map((call) => statusOf(call)))).toEqual(calls.map(() => 422));
  });
});

/** A repository that is swept day after day, and one that is swept once after all of them. */
describe('a sweep after many days', () => {
  const step = (kind: 'askOwner' | 'review' | 'declare' | 'move' | 'trimVersions' | 'destroy' | 'transfer', after: string, more = {}) => ({
    kind,
    after,
    from: 'clockStart' as const,
    approvals: kind === 'destroy' || kind === 'transfer' ? 1 : 0,
    noticeDays: 0,
    ...more,
  });
  let world: World;
  let database: string;
  beforeAll(async () => {
    world = await makeWorld();
    const keeper = world.as('keeper');
    const settled = async (id: string, definition: ReturnType<typeof ruleDefinition>, inForceFrom: string) => {
      const { revision } = await keeper.call(schedule.rule, { params: { id } });
      const draft = await keeper.call(schedule.saveDraft, { params: { id }, body: { revision, definition } });
      const { jobId } = await keeper.call(schedule.publish, {
        params: { id },
        body: { revision: draft.revision, inForceFrom, takesOver: 'all' },
      });
      if (jobId) await world.services.jobs.settled(jobId);
    };
    const first = await world.rule(
      'R-A',
      world.ids.A01,
      ruleDefinition({
        steps: [
          step('declare', 'P2D'),
          step('askOwner', 'P10D', { repeatEvery: 'P7D' }),
          step('move', 'P40D', { to: 'CLOSED' }),
          step('destroy', 'P60D'),
        ],
      }),
    );
    // From the middle of it on all keep a month longer, and another rule counts from its own step.
    await settled(
      first,
      ruleDefinition({ steps: [step('declare', 'P2D'), step('askOwner', 'P30D', { repeatEvery: 'P7D' }), step('destroy', 'P90D')] }),
      '2026-11-01',
    );
    const second = await world.rule(
      'R-B',
      world.ids.A02,
      ruleDefinition({ steps: [step('trimVersions', 'P5D'), step('destroy', 'P20D', { from: 'previousStep' })] }),
    );
    await settled(
      second,
      ruleDefinition({ steps: [step('trimVersions', 'P5D'), step('transfer', 'P35D', { from: 'previousStep' })] }),
      '2026-10-15',
    );
    for (let i = 0; i < 24; i++) {
      const createdOn = new Date(Date.parse('2026-07-20') + i * 4 * 86_400_000).toISOString().slice(0, 10);
      if (createdOn <= today)
        await world.file('editor', { createdOn, place: i % 3 === 0 ? world.ids.A02 : world.ids.A01, title: `Record ${i}` });
    }
    // A folder that closes on the way declares what is in it.
    const { id } = await world.as('editor').call(plan.makePlace, {
      body: { parentId: world.ids.A02, kind: 'folder', code: 'F-1', title: 'F', note: '' },
    });
    await world.pool.query(`update place set declare_on = 'folderClosed' where id = $1`, [id]);
    await world.rule('R-C', id, ruleDefinition({ trigger: { kind: 'recordDate', date: 'declared' }, steps: [step('destroy', 'P20D')] }));
    await world.file('editor', { place: id, title: 'Record in a folder' });
    await world.as('steward').call(plan.closeFolder, { params: { id }, body: { on: '2026-10-20' } });
    await world.pool.query(`update setting set value = jsonb_build_object('on', $1::text) where name = 'swept'`, [today]);
    await world.running.stop();
    database = await copyOf(world.database);
  });
  afterAll(async () => {
    await dropDatabase(database);
    await dropDatabase(world.database);
  });

  /** Sweeps on each of some days, and gives what became of every record. */
  async function after(name: string, days: readonly string[]): Promise<{ title: string }[]> {
    const { services, stop } = await startServer(configFor(name));
    for (const day of days) {
      await setClock(services.pool, day);
      const { jobId } = await sweep(services, { id: null, name: 'Test', from: 'test', today: day });
      if (jobId) expect((await services.jobs.settled(jobId)).state).toBe('done');
    }
    const { rows } = await services.pool.query<{ title: string }>(
      `select r.title, r.state, r.docket, r.outcome, r.due_on, r.next_step_on, r.vintage, r.declared_on, p.code, v.version,
         (select jsonb_agg(s - 'by') from jsonb_array_elements(r.steps_taken) s) as taken,
         (select jsonb_agg(jsonb_build_array(t.kind, t.state, t.asked_on, t.last_asked_on, t.times, t.again_on) order by t.asked_on)
          from step_task t where t.record_id = r.id) as asked
       from record r join place p on p.id = r.place_id left join rule_version v on v.id = r.rule_version_id order by r.title`,
    );
    await stop();
    return rows;
  }

  it('ends as one on each of them would have', async () => {
    const days = Array.from({ length: 120 }, (_, i) => new Date(Date.parse(today) + (i + 1) * 86_400_000).toISOString().slice(0, 10));
    const daily = await after(world.database, days);
    const jump = await after(database, days.slice(-1));
    expect(daily.length).toBeGreaterThan(12);
    for (const [i, record] of daily.entries()) expect(jump[i]).withContext(record.title).toEqual(record);
  }, 300_000);

  it('is one however many ask for it, and one of a later day waits for it', async () => {
    const name = await copyOf(database);
    await inStillness(name, async (services) => {
      const begun = async (until: string): Promise<string> => {
        const id = uuidv7();
        await services.pool.query(
          `insert into job_progress (id, kind, subject, data, state, total)
           values ($1, 'steps', 'steps of rules', jsonb_build_object('after', null, 'until', $2::text), 'running', 1)`,
          [id, until],
        );
        return id;
      };
      const first = await begun('2030-01-02');
      await services.pool.query(
        `update record set next_step_on = '2030-01-01' where id = (select id from record where state <> 'disposed' order by number limit 1)`,
      );
      expect((await sweep(services, { id: null, name: 'Test', from: 'test', today: '2030-01-02' })).jobId).toBe(first);
      const id = await begun('2030-01-03');
      const data = { after: '2030-01-02', until: '2030-01-03' };
      const run = () =>
        runSteps(services, { id, subject: '', data, cursor: null, advance: () => Promise.resolve() }, programActor('sweep', '2030-01-03'));
      await expectAsync(run()).toBeRejectedWithError(JobWaits);
      await services.pool.query(`update job_progress set state = 'done' where id = $1`, [first]);
      await expectAsync(run()).toBeResolved();
    });
    await dropDatabase(name);
  }, 120_000);
});
