import { plan, records, schedule, type RuleDefinition, type RulePage } from '@key-cellar/contract';
import { cancelJob } from '../src/kernel/index.js';
import { makeWorld, ruleDefinition, statusOf, today, type World } from './support/world.js';

const after = (period: string): RuleDefinition['steps'] => [
  { kind: 'destroy', after: period, from: 'clockStart', approvals: 1, noticeDays: 0 },
];

describe('the schedule', () => {
  let world: World;
  let folder: string;
  beforeAll(async () => {
    world = await makeWorld();
    folder = (
      await world
        .as('keeper')
        .call(plan.makePlace, { body: { parentId: world.ids.A01, kind: 'folder', code: 'F-1', title: 'Folder', note: '' } })
    ).id;
  });
  afterAll(() => world.stop());

  const why = async (id: string) => (await world.as('keeper').call(records.dossier, { params: { id } })).why;
  const keeper = () => world.as('keeper');

  it('dates by the nearest place, and lists what yielded and why', async () => {
    const { id } = await world.file('editor', { place: folder, createdOn: '2025-02-01' });
    expect((await why(id)).outcome).toBe('unscheduled');
    await world.rule('R-FAR', world.ids.A, ruleDefinition({ steps: after('P9Y') }));
    expect((await why(id)).dueOn).toBe('2034-02-01');
    await world.rule('R-NEAR', world.ids.A01, ruleDefinition({ steps: after('P2Y') }));
    await world.rule('R-NEAR-LONG', world.ids.A01, ruleDefinition({ steps: after('P3Y') }));
    const at = await why(id);
    expect([at.governing!.code, at.dueOn]).toEqual(['R-NEAR-LONG', '2028-02-01']);
    expect(at.yielded.map((y) => [y.rule.code, y.reason])).toEqual([
      ['R-NEAR', 'keeps shorter'],
      ['R-FAR', 'farther away'],
    ]);
    const ruleId = await world.rule('R-FOLDER', folder, ruleDefinition({ steps: after('P1Y') }));
    expect((await why(id)).governing!.code).toBe('R-FOLDER');
    await keeper().call(plan.unsetRule, { params: { id: folder }, body: { ruleId } });
    expect((await why(id)).governing!.code).toBe('R-NEAR-LONG');
  });

  it('applies a rule of a jurisdiction only where the place or the record belongs to it', async () => {
    const { id } = await world.file('keeper', { place: world.ids.B01, createdOn: '2025-02-01' });
    await world.rule('R-NORTH', world.ids.B01, ruleDefinition({ jurisdictions: ['Northshore'], steps: after('P5Y') }));
    expect((await why(id)).outcome).toBe('unscheduled');
    await world.pool.query(`update place set jurisdictions = '{Northshore}' where id = $1`, [world.ids.B]);
    expect((await why(id)).dueOn).toBe('2030-02-01');
    await world.pool.query(`update record set jurisdictions = '{Southshore}' where id = $1`, [id]);
    expect((await why(id)).yielded[0]!.reason).toBe('other jurisdiction');
  });

  it('publishes a new version that takes over all, or only later clocks, and recomputes in the background', async () => {
    const series = (
      await keeper().call(plan.makePlace, { body: { parentId: world.ids.A, kind: 'series', code: 'A-03', title: 'Third', note: '' } })
    ).id;
    const ruleId = await world.rule('R-VERSIONS', series, ruleDefinition({ steps: after('P2Y') }));
    const early = await world.file('editor', { place: series, createdOn: '2024-05-01' });
    const late = await world.file('editor', { place: series, createdOn: '2026-08-01' });
    const publish = async (steps: RuleDefinition['steps'], inForceFrom: string, takesOver: 'all' | 'laterClocks'): Promise<void> => {
      const { revision } = await keeper().call(schedule.rule, { params: { id: ruleId } });
      const saved = await keeper().call(schedule.saveDraft, {
        params: { id: ruleId },
        body: { revision, definition: ruleDefinition({ steps }) },
      });
      const { jobId } = await keeper().call(schedule.publish, {
        params: { id: ruleId },
        body: { revision: saved.revision, inForceFrom, takesOver },
      });
      expect((await world.services.jobs.settled(jobId)).state).toBe('done');
    };
    await publish(after('P5Y'), '2026-01-01', 'laterClocks');
    expect([(await why(early.id)).dueOn, (await why(late.id)).dueOn]).toEqual(['2026-05-01', '2031-08-01']);
    const stored = await world.pool.query<{ due_on: string }>('select due_on from record where id = any ($1::uuid[]) order by due_on', [
      [early.id, late.id],
    ]);
    expect(stored.rows.map((r) => r.due_on)).toEqual(['2026-05-01', '2031-08-01']);
    await publish(after('P7Y'), '2026-02-01', 'all');
    expect([(await why(early.id)).dueOn, (await why(late.id)).dueOn]).toEqual(['2031-05-01', '2033-08-01']);
    await publish(after('P1Y'), '2027-01-01', 'all');
    expect((await why(late.id)).governing!.version)
      .withContext('not in force yet')
      .toBe(3);
    const page = await keeper().call(schedule.rule, { params: { id: ruleId } });
    expect(page.versions.map((v) => [v.version, v.takesOver])).toEqual([
      [4, 'all'],
      [3, 'all'],
      [2, 'laterClocks'],
      [1, 'all'],
    ]);
    expect(page.draft).toBeNull();
  });

  it('takes a record out of the docket when its new date is later', async () => {
    const series = (
      await keeper().call(plan.makePlace, { body: { parentId: world.ids.A, kind: 'series', code: 'A-04', title: 'Fourth', note: '' } })
    ).id;
    const ruleId = await world.rule('R-SHORT', series, ruleDefinition({ steps: after('P1M') }));
    const { id } = await world.file('editor', { place: series, createdOn: '2026-01-01' });
    await world.pool.query(`update record set docket = 'due' where id = $1`, [id]);
    await world.rule('R-LONGER', series, ruleDefinition({ steps: after('P20Y') }));
    expect((await keeper().call(records.dossier, { params: { id } })).docket).toBe('none');
    await keeper().call(plan.unsetRule, { params: { id: series }, body: { ruleId } });
  });

  it('tells a second editor what happened, and loses nothing', async () => {
    const { id } = await keeper().call(schedule.makeRule, { body: { code: 'R-TWO', definition: ruleDefinition({ title: 'First' }) } });
    await keeper().call(schedule.saveDraft, { params: { id }, body: { revision: 1, definition: ruleDefinition({ title: 'Second' }) } });
    expect(
      await statusOf(
        world
          .as('deputy')
          .call(schedule.saveDraft, { params: { id }, body: { revision: 1, definition: ruleDefinition({ title: 'Third' }) } }),
      ),
    ).toBe(412);
    const read = (): Promise<RulePage> => keeper().call(schedule.rule, { params: { id } });
    expect((await read()).draft!.title).toBe('Second');
    expect((await read()).draftSaved!.by).toBe('Person keeper');
    await world
      .as('deputy')
      .call(schedule.saveDraft, { params: { id }, body: { revision: 2, definition: ruleDefinition({ title: 'Third' }) } });
    expect((await read()).draftSaved).toEqual({
      by: 'Person deputy',
      at: jasmine.stringMatching(/^\d{4}-\d{2}-\d{2}T.*Z$/) as unknown as string,
    });
    expect(await statusOf(keeper().call(schedule.dropDraft, { params: { id }, body: { revision: 3 } }))).toBe(409);
    expect(await statusOf(keeper().call(schedule.makeRule, { body: { code: 'R-TWO', definition: ruleDefinition() } }))).toBe(409);
  });

  const wrong: [string, Partial<RuleDefinition>][] = [
    ['no steps', { steps: [] }],
    ['a period that is none', { steps: [{ kind: 'destroy', after: '7 years', from: 'clockStart', approvals: 1, noticeDays: 0 }] }],
    [
      'something after destroying',
      { steps: [...after('P1Y'), { kind: 'review', after: 'P2Y', from: 'clockStart', approvals: 0, noticeDays: 0 }] },
    ],
    ['an end without a clock', { trigger: { kind: 'never' } }],
    ['a fiscal year from a day that no month has', { cutoff: { kind: 'fiscalYear', firstMonth: 2, firstDay: 32 } }],
    [
      'something after keeping for good',
      { steps: [{ kind: 'keepPermanently', after: 'P0D', from: 'clockStart', approvals: 0, noticeDays: 0 }, ...after('P1Y')] },
    ],
    [
      'a question repeated at once for ever',
      { steps: [{ kind: 'askOwner', after: 'P1Y', from: 'clockStart', repeatEvery: 'P0D', approvals: 0, noticeDays: 0 }, ...after('P2Y')] },
    ],
    ['no authority', { authority: '  ' }],
  ];
  for (const [name, changes] of wrong) {
    it(`refuses a rule with ${name}, naming the field`, async () => {
      const call = keeper().call(schedule.makeRule, { body: { code: 'R-WRONG', definition: ruleDefinition(changes) } });
      await expectAsync(call).toBeRejectedWith(jasmine.objectContaining({ status: 422 }) as never);
      expect(await statusOf(keeper().call(schedule.makeRule, { body: { code: 'bad code', definition: ruleDefinition() } }))).toBe(422);
    });
  }

  it('stops long work when it is cancelled; what was done stays done', async () => {
    await world.pool.query(
      `insert into record (id, number, title, medium, record_type, place_id, series_id, places, created_on, received_on, filed_on, modified_on, search, access_set_id, deposited_by)
       select gen_random_uuid(), 'BULK-' || i, 'Bulk', 'electronic', 'note', p.id, p.id, p.ancestors, '2020-01-01', '2020-01-01', '2020-01-01', '2020-01-01',
         array_to_tsvector(array['bulk']), p.access_set_id, $1 from place p, generate_series(1, 9000) i where p.code = 'A-02'`,
      [world.ids.editor],
    );
    const ruleId = await world.rule('R-BULK', world.ids.A02, ruleDefinition({ steps: after('P30Y') }));
    const running = await world.pool.query<{ id: string }>(
      `select id from job_progress where subject = 'R-BULK' and state = 'running' order by started_at desc limit 1`,
    );
    expect(running.rows.length).toBe(1);
    await cancelJob(world.pool as never, running.rows[0]!.id);
    expect((await world.services.jobs.settled(running.rows[0]!.id)).state).toBe('cancelled');
    const { revision } = await keeper().call(schedule.rule, { params: { id: ruleId } });
    await keeper().call(schedule.saveDraft, {
      params: { id: ruleId },
      body: { revision, definition: ruleDefinition({ steps: after('P31Y') }) },
    });
    const { jobId } = await keeper().call(schedule.publish, {
      params: { id: ruleId },
      body: { revision: revision + 1, inForceFrom: '2001-01-01', takesOver: 'all' },
    });
    const events = await keeper().fetch(`/api/jobs/${jobId}/events`);
    const text = await events.text();
    expect(text).toContain('"state":"done"');
    expect(text).toMatch(/of 9,\d+ records got another/);
    const { rows } = await world.pool.query<{ n: number }>(
      `select count(*)::int as n from record where title = 'Bulk' and due_on = '2051-01-01'`,
    );
    expect(rows[0]!.n).toBe(9000);
  });

  it('refuses what cannot be in a plan', async () => {
    const make = (body: object) => statusOf(keeper().call(plan.makePlace, { body: body as never }));
    const place = { parentId: world.ids.A01, kind: 'folder', code: 'F-9', title: 'T', note: '' };
    expect(await make(place)).toBe(200);
    expect(await make(place))
      .withContext('the same code twice')
      .toBe(422);
    expect(await make({ ...place, kind: 'series', code: 'X' }))
      .withContext('a series in a series')
      .toBe(422);
    expect(await make({ ...place, code: 'lower case' })).toBe(422);
    expect(await make({ ...place, code: 'F-10', title: ' ' })).toBe(422);
    expect(await make({ ...place, parentId: world.ids.root, kind: 'function', code: 'A' }))
      .withContext('a code of another place')
      .toBe(422);
    expect(await statusOf(keeper().call(plan.closeFolder, { params: { id: world.ids.A01 }, body: { on: today } }))).toBe(409);
    const event = (type: string, on: string) =>
      statusOf(keeper().call(plan.recordEvent, { params: { id: world.ids.A01 }, body: { type, on, note: '' } }));
    expect(await event('not in the list', '2020-01-01')).toBe(422);
    expect(await event('x', '2199-01-01')).toBe(422);
  });
});
