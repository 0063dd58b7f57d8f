import { readFileSync } from 'node:fs';
import {
  docket,
  type EffectPage,
  holds,
  ledger,
  records,
  schedule,
  setup,
  steps,
  type RuleDefinition,
  identity,
} from '@key-cellar/contract';
import { placeGrant, programActor, withUnitOfWork } from '../src/index.js';
import { asApplication, asOwner } from './support/database.js';
import { makeWorld, ruleDefinition, statusOf, today, type Refused, type World, revisionOf } from './support/world.js';

/** What laws say, from the rule to the record: through the database, the effect before publishing and the check. */
describe('what laws say', () => {
  let world: World;
  beforeEach(async () => {
    world = await makeWorld();
    await world.pool.query(`update setting set value = jsonb_build_object('on', $1::text) where name = 'swept'`, [today]);
  });
  afterEach(() => world.stop());
  const keeper = () => world.as('keeper');
  const dossier = (id: string) => keeper().call(records.dossier, { params: { id } });
  const why = async (id: string) => (await dossier(id)).why;
  const destroys = (after: string, more: Partial<RuleDefinition['steps'][number]> = {}): RuleDefinition['steps'] => [
    { kind: 'destroy', after, from: 'clockStart', approvals: 1, noticeDays: 0, ...more },
  ];
  const happened = (id: string, type: string, on: string) =>
    world.as('editor').call(schedule.addRecordEvent, { params: { id }, body: { type, on, note: '' } });
  const effectOf = async (ruleId: string, definition: RuleDefinition): Promise<EffectPage> => {
    const response = await keeper().fetch('/api/schedule/effect', {
      method: 'POST',
      headers: { 'content-type': 'application/json' },
      body: JSON.stringify({ change: { kind: 'rule', ruleId, definition, inForceFrom: today, takesOver: 'all' } }),
    });
    const last = (await response.text()).trim().split('\n').at(-1)!;
    return (JSON.parse(last) as { effect: EffectPage }).effect;
  };
  /** What a draft would do, against what it does once it is published: each date moves as was said. */
  const publishAsSaid = async (id: string, definition: RuleDefinition, ids: readonly string[]): Promise<(string | null)[]> => {
    const said = await effectOf(id, definition);
    const before = await Promise.all(ids.map(async (r) => (await dossier(r)).dueOn));
    const { revision } = await keeper().call(schedule.rule, { params: { id } });
    const saved = await keeper().call(schedule.saveDraft, { params: { id }, body: { revision, definition } });
    const { jobId } = await keeper().call(schedule.publish, {
      params: { id },
      body: { revision: saved.revision, inForceFrom: today, takesOver: 'all' },
    });
    await world.services.jobs.settled(jobId);
    const after = await Promise.all(ids.map(async (r) => (await dossier(r)).dueOn));
    const moved = ids.filter((_, i) => before[i] !== after[i]).length;
    expect(said.shift.earlier + said.shift.later + said.shift.first + said.shift.none).toBe(moved);
    for (const m of said.most) expect(m.after).toBe(after[ids.indexOf(m.id)]!);
    return after;
  };

  it('the earliest and the latest of several, stopped clocks and days before a date are dated as the effect said', async () => {
    const id = await world.rule('R-A', world.ids.A01);
    const one = await world.file('editor', { createdOn: '2020-03-10' });
    const other = await world.file('editor', { createdOn: '2021-03-10', facts: { topic: 'x', ended: '2022-01-01' } });
    const ids = [one.id, other.id];
    await happened(one.id, 'lease ended', '2021-05-05');
    const lease = { kind: 'event', eventType: 'Lease Ended', occurrence: 'last' } as const;
    const created = { kind: 'recordDate', date: 'created' } as const;
    const ended = { kind: 'fact', fact: 'ended' } as const;
    const several = (kind: 'earliest' | 'latest') =>
      ruleDefinition({
        trigger: {
          kind,
          of: [
            { trigger: lease, after: 'P6Y' },
            { trigger: ended, after: 'P8Y' },
            { trigger: created, after: 'P12Y' },
          ],
        },
        steps: destroys('P0D'),
      });
    expect(await publishAsSaid(id, several('earliest'), ids)).toEqual(['2027-05-05', '2030-01-01']);
    expect(await publishAsSaid(id, several('latest'), ids)).toEqual([null, null]);
    const stopped = ruleDefinition({ suspension: { stops: 'x', resumes: 'y' }, steps: destroys('P7Y') });
    await happened(one.id, 'x', '2022-01-01');
    await happened(one.id, 'y', '2022-03-02');
    await happened(other.id, 'X', '2023-01-01');
    expect(await publishAsSaid(id, stopped, ids)).toEqual(['2027-05-09', null]);
    expect((await why(other.id)).summary).toContain('Its clock has been stopped since 1 Jan 2023, until event “y”.');
    const { waiting } = await keeper().call(schedule.waiting);
    expect(waiting.map((w) => [w.trigger, w.eventTypes, w.records])).toEqual([['event “y”', ['y'], 1]]);
    const review = { kind: 'review', after: 'P90D', from: 'beforeTrigger', approvals: 0, noticeDays: 0 } as const;
    const before = ruleDefinition({ trigger: ended, cutoff: { kind: 'calendarYear' }, steps: [review, ...destroys('P9Y')] });
    expect(await publishAsSaid(id, before, ids)).toEqual([null, '2032-01-01']);
    expect((await why(other.id)).steps[0]!.dueOn).toBe('2021-10-03');
  });

  it('who waits for what can be asked while the rule of a record that waits has gone', async () => {
    const { id } = await world.file('editor');
    await asOwner(world.database, (client) =>
      client.query({ text: `update record set outcome = 'waiting', rule_version_id = null where id = $1`, values: [id] }),
    );
    expect((await keeper().call(schedule.waiting)).waiting).toEqual([]);
  });

  it('a named year waits for its end, and everything is dated when it is listed', async () => {
    const term = ruleDefinition({ cutoff: { kind: 'namedYear', name: 'Board term' }, steps: destroys('P5Y') });
    const make = () => keeper().call(schedule.makeRule, { body: { code: 'R-T', definition: term } });
    expect(await statusOf(make())).toBe(422);
    const list = (ends: string[]) => keeper().call(schedule.setNamedYear, { body: { name: 'Board term', ends } });
    expect((await list(['2018-06-30'])).recomputed).toBe(0);
    await world.rule('R-T', world.ids.A01, term);
    const record = await world.file('editor', { createdOn: '2020-03-10' });
    expect([(await why(record.id)).outcome, (await why(record.id)).missing]).toEqual(['waiting', ['the end of Board term']]);
    const check = async () => (await keeper().call(schedule.check)).findings.filter((f) => f.kind === 'namedYearEnds');
    expect((await check())[0]!.sentence).toContain('rolls to the end of Board term, but no end from today on is listed');
    expect((await list(['2026-12-31', '2018-06-30', '2022-06-30'])).recomputed).toBe(1);
    expect((await dossier(record.id)).dueOn).toBe('2027-07-01');
    expect(await check()).toEqual([]);
    expect((await keeper().call(schedule.namedYears)).years).toEqual([
      { name: 'Board term', ends: ['2018-06-30', '2022-06-30', '2026-12-31'], rules: 1 },
    ]);
    const drop = () => keeper().call(schedule.dropNamedYear, { body: { name: 'Board term' } });
    expect(await statusOf(drop())).toBe(409);
    await keeper().call(schedule.setNamedYear, { body: { name: 'Other', ends: [] } });
    await keeper().call(schedule.dropNamedYear, { body: { name: 'Other' } });
    expect(await statusOf(keeper().call(schedule.dropNamedYear, { body: { name: 'Other' } }))).toBe(404);
    expect(await statusOf(world.as('steward').call(schedule.setNamedYear, { body: { name: 'Board term', ends: [] } }))).toBe(403);
  });

  const ics = (events: string): string => `BEGIN:VCALENDAR\r\nVERSION:2.0\r\nPRODID:-//x//y//EN\r\n${events}END:VCALENDAR\r\n`;
  const day = (on: string, name: string, more = ''): string =>
    `BEGIN:VEVENT\r\nUID:${on}@x\r\nDTSTART;VALUE=DATE:${on}\r\n${more}SUMMARY:${name}\r\nEND:VEVENT\r\n`;

  it('working days are those of the calendar of the jurisdiction, in steps and in notices', async () => {
    for (const [name, partOf] of [
      ['Sound', null],
      ['North', 'Sound'],
    ] as const)
      await keeper().call(schedule.makeJurisdiction, { body: { name, partOf } });
    await keeper().call(schedule.placeJurisdictions, {
      params: { id: world.ids.A01 },
      body: { revision: await revisionOf(world, world.ids.A01), jurisdictions: ['North'] },
    });
    await world.rule('R-A', world.ids.A01, ruleDefinition({ steps: destroys('P5D', { workingDays: true, noticeDays: 10 }) }));
    const record = await world.file('editor', { createdOn: '2026-09-04' });
    expect((await dossier(record.id)).dueOn).toBe('2026-09-11');
    const check = async () =>
      (await keeper().call(schedule.check)).findings.filter((f) => f.kind === 'workdaysUnknown').map((f) => f.sentence);
    expect(await check()).toEqual([
      'Rule R-A counts working days, but North and Sound have no calendar: Monday to Friday count, without holidays.',
    ]);
    const set = (body: { ics?: string; holidays?: { on: string; name: string }[]; dryRun?: boolean }, name = 'Sound') =>
      keeper().call(schedule.setCalendar, { body: { name, weekend: [6, 7], ...body } });
    const text = ics(
      day('20260907', 'Sound day') +
        day('20200910', 'Founders’ day', 'RRULE:FREQ=YEARLY\r\n') +
        day('20260914', 'Fair', 'DTEND;VALUE=DATE:20260916\r\n') +
        day('20261001', 'Called off', 'STATUS:CANCELLED\r\n') +
        'BEGIN:VEVENT\r\nUID:m\r\nDTSTART:20260908T090000Z\r\nSUMMARY:A meeting\r\nEND:VEVENT\r\n',
    );
    const tried = await set({ ics: text, dryRun: true });
    expect(tried.recomputed).toBe(0);
    expect(tried.holidays.filter((h) => h.on.startsWith('2026'))).toEqual([
      { on: '2026-09-07', name: 'Sound day' },
      { on: '2026-09-10', name: 'Founders’ day' },
      { on: '2026-09-14', name: 'Fair' },
      { on: '2026-09-15', name: 'Fair' },
    ]);
    expect((await dossier(record.id)).dueOn).toBe('2026-09-11');
    expect((await set({ ics: text })).recomputed).toBe(1);
    // 7 and 10, 14 and 15 September are not worked, nor is the weekend between.
    expect((await dossier(record.id)).dueOn).toBe('2026-09-17');
    expect(await check()).toEqual([]);
    for (const wrong of ['no calendar', ics(''), 'BEGIN:VCARD\r\nEND:VCARD\r\n']) expect(await statusOf(set({ ics: wrong }))).toBe(422);
    // What goes out comes in again.
    const out = await keeper().fetch('/api/jurisdictions/calendar?name=Sound');
    expect(out.headers.get('content-type')).toContain('text/calendar');
    const again = await set({ ics: await out.text(), dryRun: true });
    expect(again.holidays).toEqual(tried.holidays);

    await world.setToday('2026-09-17');
    await keeper().call(steps.sweep);
    const { groups } = await keeper().call(docket.due);
    const { id } = await keeper().call(docket.propose, { body: { groupKey: groups[0]!.key, noticeDays: 10, announce: true } });
    // Ten working days from Thursday 17 September; every day counts where nobody said which are worked.
    expect((await keeper().call(docket.batch, { params: { id } })).noticeUntil).toBe('2026-10-01');
    await keeper().call(schedule.dropCalendar, { body: { name: 'Sound' } });
    expect((await dossier(record.id)).dueOn).toBe('2026-09-11');
    expect(await statusOf(keeper().call(schedule.dropCalendar, { body: { name: 'Sound' } }))).toBe(409);
    expect((await keeper().fetch('/api/jurisdictions/calendar?name=Sound')).status).toBe(404);
  });

  it('what says at most caps what is customary, and is in conflict with what is required', async () => {
    const required = await world.rule('R-A', world.ids.A01, ruleDefinition({ steps: destroys('P7Y') }));
    const record = await world.file('editor', { createdOn: '2020-03-10' });
    await world.rule('R-Z', world.ids.A, ruleDefinition({ authority: 'Sound Privacy Act, s. 5', basis: 'atMost', steps: destroys('P2Y') }));
    const of = await why(record.id);
    expect([of.dueOn, of.cap?.effect, of.cap?.dueOn, of.cap?.rule.authority]).toEqual([
      '2027-03-10',
      'conflict',
      '2022-03-10',
      'Sound Privacy Act, s. 5',
    ]);
    const conflicts = async () =>
      (await keeper().call(schedule.check)).findings.filter((f) => f.kind === 'capConflict').map((f) => f.sentence);
    expect(await conflicts()).toEqual([
      'One record must be kept under R-A (Sound Compact, art. 1) longer than R-Z (Sound Privacy Act, s. 5) allows.',
    ]);
    const customary = ruleDefinition({ basis: 'customary', steps: destroys('P7Y') });
    expect((await effectOf(required, customary)).conflicts).toEqual({ before: 1, after: 0 });
    expect(await publishAsSaid(required, customary, [record.id])).toEqual(['2022-03-10']);
    expect([(await why(record.id)).governing?.code, (await why(record.id)).yielded[0]?.reason]).toEqual(['R-Z', 'capped']);
    expect(await conflicts()).toEqual([]);
    // Who keeps it by hand has a say in it, and is told.
    const hand = await keeper().call(schedule.override, {
      body: { ids: [record.id], override: { kind: 'forGood' }, reason: 'of lasting worth' },
    });
    expect(hand.results[0]).toEqual(jasmine.objectContaining({ outcome: 'done', before: '10 Mar 2022 (R-Z)', after: 'kept for good' }));
    const kept = await why(record.id);
    expect([kept.outcome, kept.summary, kept.override?.reason]).toEqual([
      'permanent',
      'Kept for good by override. R-Z allows less: a conflict.',
      'of lasting worth',
    ]);
    expect(await conflicts()).toEqual(['One record is kept by override longer than R-Z (Sound Privacy Act, s. 5) allows.']);
  });

  it('a record waits while others refer to it, and is superseded by what replaces it', async () => {
    const reference = { code: 'contract', title: 'Contract', kind: 'reference' as const, required: false };
    const replaces = { code: 'instead', title: 'Instead of', kind: 'reference' as const, required: false, replaces: true };
    await keeper().call(setup.changeType, {
      params: { code: 'note' },
      body: {
        version: 1,
        dryRun: false,
        title: 'Note',
        facts: [{ code: 'topic', title: 'Topic', kind: 'text', required: true }, reference, replaces],
      },
    });
    const counted = await world.rule(
      'R-U',
      world.ids.A02,
      ruleDefinition({ trigger: { kind: 'unreferenced', fact: 'contract' }, steps: destroys('P1Y') }),
    );
    const master = await world.file('editor', { place: world.ids.A02 });
    expect((await why(master.id)).outcome).toBe('waiting');
    await world.rule('R-A', world.ids.A01);
    const first = await world.file('editor', { createdOn: '2020-01-01', facts: { topic: 'x', contract: master.id } });
    const second = await world.file('editor', { createdOn: '2026-01-01', facts: { topic: 'x', contract: master.id } });
    const edit = async (id: string, facts: Record<string, string>) => {
      const { revision, title, createdOn } = await dossier(id);
      return world.as('editor').call(records.editFacts, { params: { id }, body: { revision, title, createdOn, facts } });
    };
    await edit(second.id, { topic: 'x' });
    expect((await why(master.id)).outcome).toBe('waiting');
    // The effect sees what points at it as the recompute does.
    const longer = ruleDefinition({ trigger: { kind: 'unreferenced', fact: 'contract' }, steps: destroys('P2Y') });
    expect((await effectOf(counted, longer)).shift).toEqual({ earlier: 0, later: 0, first: 0, none: 0, otherwise: 0 });
    // The other one is destroyed: from that day on nothing refers to it.
    await world.services.pool.query(`update record set docket = 'due' where id = $1`, [first.id]);
    const { groups } = await keeper().call(docket.due);
    const { id: batch } = await keeper().call(docket.propose, { body: { groupKey: groups[0]!.key, noticeDays: 0, announce: true } });
    await world.setToday('2026-09-15');
    await world.as('approver').call(docket.approve, { params: { id: batch }, body: { note: '' } });
    const { jobId } = await keeper().call(docket.execute, { params: { id: batch } });
    await world.services.jobs.settled(jobId);
    expect((await dossier(first.id)).state).toBe('disposed');
    expect((await dossier(master.id)).dueOn).toBe('2027-09-15');
    expect((await effectOf(counted, longer)).shift.later).toBe(1);

    const old = await world.file('editor', { createdOn: '2026-01-01' });
    await world.rule('R-S', world.ids.B01, ruleDefinition({ trigger: { kind: 'recordDate', date: 'superseded' }, steps: destroys('P3Y') }));
    await keeper().call(schedule.override, {
      body: {
        ids: [old.id],
        override: { kind: 'rule', ruleId: (await keeper().call(schedule.rules)).rules.find((r) => r.code === 'R-S')!.id },
        reason: 'try',
      },
    });
    expect((await why(old.id)).outcome).toBe('waiting');
    const instead = await world.file('editor', { facts: { topic: 'x', instead: old.id } });
    expect((await dossier(old.id)).dueOn).toBe('2029-09-15');
    // Who may only read what is to be replaced cannot start its clock.
    const elsewhere = await world.file('keeper', { place: world.ids.B01 });
    await withUnitOfWork(world.pool, programActor('test', today), (uow) =>
      placeGrant(uow, { principalId: world.ids.editor, placeId: world.ids.B01, profile: 'reader', reason: 'to look at it' }),
    );
    await expectAsync(world.file('editor', { facts: { topic: 'x', instead: elsewhere.id } })).toBeRejectedWithError(
      /Instead of must name one that you may annotate/,
    );
    // It was a mistake: it replaces nothing.
    await edit(instead.id, { topic: 'x' });
    expect((await why(old.id)).outcome).toBe('waiting');
    await asApplication(world.database, async (client) => {
      await expectAsync(client.query(`update record_reference set until = '2030-01-01', ended = 'gone'`)).toBeRejectedWithError(
        /has ended stays so/,
      );
      await expectAsync(client.query('delete from record_reference')).toBeRejected();
    });
    await asOwner(world.database, async (client) => {
      await expectAsync(client.query('delete from record_reference')).toBeRejectedWithError(/is kept/);
    });
  });

  it('types of events are a list, compared without case, and what is used stays in it', async () => {
    const types = async () => (await keeper().call(schedule.eventTypes)).types.map((t) => t.name);
    await keeper().call(schedule.makeEventType, { body: { name: 'Vessel scrapped' } });
    expect(await types()).toContain('Vessel scrapped');
    const problem = await keeper()
      .call(schedule.makeEventType, { body: { name: 'vessel SCRAPPED' } })
      .catch((e: unknown) => e as Refused);
    expect((problem as Refused).status).toBe(422);
    const record = await world.file('editor');
    const wrong = (await happened(record.id, 'Vessel scraped', '2020-01-01').catch((e: unknown) => e)) as Refused;
    expect([wrong.status, wrong.problem.detail]).toEqual([
      422,
      'There is no type of event “Vessel scraped”. Did you mean “Vessel scrapped”?',
    ]);
    const byConflict = { ruleId: await world.rule('R-Q', world.ids.B01), criteria: { op: 'conflict' as const }, note: '' };
    expect(await statusOf(keeper().call(schedule.addCriteriaRule, { body: byConflict }))).toBe(422);
    const drop = (name: string) => keeper().call(schedule.dropEventType, { body: { name } });
    await happened(record.id, 'vessel scrapped', '2020-01-01');
    expect((await keeper().call(schedule.recordEvents, { params: { id: record.id } })).events[0]!.type).toBe('Vessel scrapped');
    expect(await statusOf(drop('Vessel scrapped'))).toBe(409);
    await drop('SPARE');
    expect(await types()).not.toContain('spare');
    expect(await statusOf(drop('spare'))).toBe(404);
    const waits = ruleDefinition({
      trigger: {
        kind: 'latest',
        of: [
          { trigger: { kind: 'folderClosed' }, after: 'P0D' },
          { trigger: { kind: 'event', eventType: 'moved away', occurrence: 'last' }, after: 'P1Y' },
        ],
      },
    });
    await keeper().call(schedule.makeRule, { body: { code: 'R-W', definition: waits } });
    expect(await statusOf(drop('moved away'))).toBe(409);
    const unknown = ruleDefinition({ suspension: { stops: 'flood', resumes: 'ebb' } });
    expect(await statusOf(keeper().call(schedule.makeRule, { body: { code: 'R-V', definition: unknown } }))).toBe(422);
    expect(await statusOf(world.as('steward').call(schedule.makeEventType, { body: { name: 'x y' } }))).toBe(403);
  });

  it('all of it goes out as a table and comes in again, into an empty repository with what it names', async () => {
    const rows = [
      'code,title,authority,clock,cutoff,stopped by,basis,steps,in force from',
      'L-1,Minors,Act 1,"earliest of fact born + P25Y, fact died + P8Y",,,,destroy P0D,2020-01-01',
      'L-2,Claims,Act 2,event claim arose,,claim filed until judgment,customary,"review P90D before its date; destroy P3Y, 1 approval",2020-01-01',
      'L-3,Terms,Act 3,created,named year Council term,,at most,destroy 30 working days,2020-01-01',
      'L-4,Masters,Act 4,unreferenced by contract,half-year,,,transfer P1Y,',
    ];
    const load = (text: string, dryRun: boolean) =>
      keeper().call(schedule.importSchedule, { body: { format: 'csv', data: Buffer.from(text).toString('base64'), dryRun } });
    const tried = await load(rows.join('\n'), true);
    expect(tried.errors).toEqual([]);
    expect(tried.changes.filter((c) => c.what === 'list').map((c) => c.sentence)).toEqual([
      '“claim arose” is added to the types of events',
      '“claim filed” is added to the types of events',
      '“judgment” is added to the types of events',
      '“Council term” is added to the named years; its ends are still to be listed',
    ]);
    await load(rows.join('\n'), false);
    const out = await keeper().fetch('/api/schedule/export?format=csv');
    const text = await out.text();
    expect(text).toContain('"earliest of fact born + P25Y, fact died + P8Y"');
    expect((await load(text, true)).changes).toEqual([]);
    const wrong = await load(rows[0] + '\nL-5,X,Act,never,,a until b,at most,keep for good,2020-01-01', true);
    expect(wrong.errors.map((e) => e.column).sort()).toEqual(['basis', 'stopped by']);
  });

  it('the patterns of retention are loaded with one act, into a repository that has nothing of what they name', async () => {
    const file = readFileSync(new URL('../../docs/retention-patterns.csv', import.meta.url));
    const input = { format: 'csv' as const, data: file.toString('base64') };
    await world.pool.query('delete from event_type');
    const done = await keeper().call(schedule.importSchedule, { body: { ...input, dryRun: false } });
    expect([done.errors, done.rows >= 60, done.changes.filter((c) => c.what === 'new').length]).toEqual([[], true, done.rows]);
    const { rules } = await keeper().call(schedule.rules);
    expect(rules.filter((r) => r.code.startsWith('L-') && r.version === 1).length).toBe(done.rows);
    expect((await keeper().call(schedule.importSchedule, { body: { ...input, dryRun: true } })).changes).toEqual([]);
  });

  it('records are moved with their effect first, and no place is a way around what only a keeper may shorten', async () => {
    await world.rule('R-LONG', world.ids.A01, ruleDefinition({ steps: destroys('P9Y') }));
    await world.rule('R-SHORT', world.ids.A02, ruleDefinition({ steps: destroys('P2Y') }));
    const [one, other, declared, frozen] = await Promise.all(
      Array.from({ length: 4 }, () => world.file('editor', { createdOn: '2026-01-10' })),
    );
    await world.pool.query(`update place set frozen_when_declared = '{content,facts}' where id = $1`, [world.ids.A01]);
    await world.as('steward').call(records.declare, { body: { ids: [declared!.id] } });
    const { id: matterId } = await world
      .as('counsel')
      .call(holds.makeMatter, { body: { code: 'M-1', title: 'Matter', kind: 'case', note: '' } });
    await world.as('counsel').call(holds.placeHold, {
      body: { matterId, name: 'H', reason: 'for the case', freeze: true, recordIds: [frozen!.id], custodianIds: [] },
    });
    const ids = [one!.id, other!.id, declared!.id, frozen!.id];
    const move = (login: 'keeper' | 'steward' | 'editor', placeId: string, dryRun: boolean, of = ids) =>
      world.as(login).call(records.move, { body: { ids: of, placeId, reason: 'belongs there', dryRun } });
    const said = async (login: 'keeper' | 'steward', placeId: string, dryRun: boolean, of = ids) =>
      (await move(login, placeId, dryRun, of)).results.map((r) => `${r.outcome} ${r.before} ${r.after}: ${r.why}`);

    expect(await said('steward', world.ids.A02, false)).toEqual([
      'refused 10 Jan 2035 (R-LONG) 10 Jan 2028 (R-SHORT): This shortens its retention. A keeper can do that.',
      'refused 10 Jan 2035 (R-LONG) 10 Jan 2028 (R-SHORT): This shortens its retention. A keeper can do that.',
      'refused 10 Jan 2035 (R-LONG) 10 Jan 2028 (R-SHORT): A declared record never leaves its series.',
      'refused  : A hold freezes this record. Counsel can release the hold.',
    ]);
    const tried = await move('keeper', world.ids.A02, true);
    expect([tried.effect?.looked, tried.effect?.shift.earlier, (await dossier(one!.id)).dueOn]).toEqual([2, 2, '2035-01-10']);
    expect((await said('keeper', world.ids.A02, false)).map((s) => s.split(' ')[0])).toEqual(['done', 'done', 'refused', 'refused']);
    const moved = await dossier(one!.id);
    expect([moved.dueOn, moved.number, moved.placeCode]).toEqual(['2028-01-10', one!.number, 'A-02']);
    expect((await said('keeper', world.ids.A02, false, [one!.id]))[0]).toContain('skipped');
    await world.pool.query(`update place set takes = '{"types":["spare"],"formats":null,"largest":null}' where id = $1`, [world.ids.A02]);
    const strange = await world.file('editor', { createdOn: '2026-01-10' });
    expect((await said('keeper', world.ids.A02, false, [strange.id]))[0]).toContain('A-02 does not take this record type.');
    await world.pool.query('update place set takes = null where id = $1', [world.ids.A02]);
    // Back again it is kept longer: a steward may.
    expect((await said('steward', world.ids.A01, false, [one!.id]))[0]).toBe('done 10 Jan 2028 (R-SHORT) 10 Jan 2035 (R-LONG): Moved.');
    const { entries } = await keeper().call(ledger.entries, { query: { act: 'moved' } });
    expect(entries.length).toBe(3);
    // Access is that of the new place: whoever reads there reads it, and nobody else.
    await move('keeper', world.ids.B01, false, [one!.id]);
    expect(await statusOf(world.as('reader').call(records.dossier, { params: { id: one!.id } }))).toBe(404);
    expect(await statusOf(move('editor', world.ids.A02, false, [other!.id]))).toBe(200);
    expect((await move('keeper', world.ids.A01, true, [other!.id])).results[0]!.outcome).toBe('done');
    expect(await statusOf(move('keeper', world.ids.A, false, [other!.id]))).toBe(422);
    expect(
      await statusOf(world.as('outsider').call(records.move, { body: { ids, placeId: world.ids.A02, reason: 'belongs there' } })),
    ).toBe(404);
  });

  it('a sample is kept for good when a batch is gathered, each with the reason on the batch', async () => {
    const sampling = (sample: RuleDefinition['sample']) => ruleDefinition({ sample, steps: destroys('P1Y', { noticeDays: 0 }) });
    await world.rule('R-N', world.ids.A01, sampling({ kind: 'everyNth', n: 3 }));
    await world.rule('R-C', world.ids.A02, sampling({ kind: 'criteria', criteria: { op: 'fact', fact: 'topic', value: 'unsafe' } }));
    const filed = await Promise.all(Array.from({ length: 6 }, () => world.file('editor', { createdOn: '2020-01-01' })));
    const safe = await world.file('editor', { createdOn: '2020-01-01', place: world.ids.A02, facts: { topic: 'safe' } });
    const unsafe = await world.file('editor', { createdOn: '2020-01-01', place: world.ids.A02, facts: { topic: 'unsafe' } });
    await keeper().call(steps.sweep);
    const gather = async (seriesCode: string) => {
      const group = (await keeper().call(docket.due)).groups.find((g) => g.seriesCode === seriesCode)!;
      const { id } = await keeper().call(docket.propose, { body: { groupKey: group.key, noticeDays: 0, announce: true } });
      return keeper().call(docket.batch, { params: { id } });
    };
    const batch = await gather('A-01');
    const wanted = filed.filter((r) => Number(r.number.match(/\d+/g)!.at(-1)) % 3 === 0).map((r) => r.number);
    const kept = batch.items.filter((i) => i.outcome === 'sampled');
    expect([wanted.length, kept.map((i) => i.number).sort()]).toEqual([2, wanted.sort()]);
    expect(kept[0]!.reason).toBe('Kept for good as a sample: every 3rd by number, under R-N.');
    const sampled = filed.find((r) => r.number === wanted[0])!;
    const { why: because, outcome } = await dossier(sampled.id).then((d) => ({ why: d.why, outcome: d.why.outcome }));
    expect([outcome, because.override?.reason]).toEqual(['permanent', kept[0]!.reason!]);
    await keeper().call(identity.setLanguage, { body: { language: 'de' } });
    expect((await dossier(sampled.id)).why.override?.reason).toContain('Als Auswahl dauerhaft aufbewahrt: jede 3. nach Nummer');
    await keeper().call(identity.setLanguage, { body: { language: 'en' } });
    await world.setToday('2026-09-15');
    await world.as('approver').call(docket.approve, { params: { id: batch.id }, body: { note: '' } });
    const { jobId } = await keeper().call(docket.execute, { params: { id: batch.id } });
    await world.services.jobs.settled(jobId);
    const states = await Promise.all(filed.map(async (r) => [r.number, (await dossier(r.id)).state] as const));
    expect(states.filter(([, state]) => state !== 'disposed').map(([number]) => number)).toEqual(
      filed.map((r) => r.number).filter((n) => wanted.includes(n)),
    );
    const other = await gather('A-02');
    expect(other.items.map((i) => [i.number, i.outcome]).sort()).toEqual(
      [
        [safe.number, 'open'],
        [unsafe.number, 'sampled'],
      ].sort(),
    );
    const { entries } = await keeper().call(ledger.entries, { query: { act: 'kept as a sample' } });
    expect(entries.length).toBe(3);
    // What says how much may be kept at most, or never lets go, keeps no sample.
    const refused = { ...sampling({ kind: 'share', n: 20 }), steps: [{ ...destroys('P1Y')[0]!, kind: 'transfer' as const }] };
    expect(await statusOf(keeper().call(schedule.makeRule, { body: { code: 'R-X', definition: refused } }))).toBe(422);
  });

  it('a batch of which all is a sample ends with saying so', async () => {
    const sample = { kind: 'criteria', criteria: { op: 'fact', fact: 'topic', value: 'unsafe' } } as const;
    await world.rule('R-C', world.ids.A02, ruleDefinition({ sample, steps: destroys('P1Y', { noticeDays: 0 }) }));
    await world.file('editor', { createdOn: '2020-01-01', place: world.ids.A02, facts: { topic: 'unsafe' } });
    await keeper().call(steps.sweep);
    const [group] = (await keeper().call(docket.due)).groups;
    const { id } = await keeper().call(docket.propose, { body: { groupKey: group!.key, noticeDays: 0, announce: true } });
    const { state, note } = await keeper().call(docket.batch, { params: { id } });
    expect([state, note]).toEqual(['withdrawn', 'All of it is kept as a sample']);
  });

  it('an event that is to come counts from its day', async () => {
    await world.rule(
      'R-A',
      world.ids.A01,
      ruleDefinition({ trigger: { kind: 'event', eventType: 'lease ended', occurrence: 'last' }, steps: destroys('P6Y') }),
    );
    const record = await world.file('editor');
    await happened(record.id, 'lease ended', '2031-12-31');
    expect((await dossier(record.id)).dueOn).toBe('2037-12-31');
  });
});
