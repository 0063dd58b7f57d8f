import { docket, holds, identity, records, reports, schedule, steps, type TodayLine } from '@key-cellar/contract';
import { approvedBatch, executeAndWait, type Login, makeWorld, ruleDefinition, statusOf, today, type World } from './support/world.js';

describe('today', () => {
  let world: World;
  beforeAll(async () => {
    world = await makeWorld();
    await world.rule(
      'R-1',
      world.ids.A01,
      ruleDefinition({ steps: [{ kind: 'destroy', after: 'P1Y', from: 'clockStart', approvals: 1, noticeDays: 14 }] }),
    );
  });
  afterAll(() => world.stop());

  const linesOf = async (login: Login): Promise<TodayLine[]> => (await world.as(login).call(reports.today)).lines;
  const acts = async (login: Login): Promise<string[]> => (await linesOf(login)).map((l) => l.act);
  const needs = async (login: Login) => world.as(login).call(reports.needs);

  it('has nothing for somebody who has nothing to do', async () => {
    expect(await linesOf('outsider')).toEqual([]);
    expect(await needs('outsider')).toEqual({ receiving: 0, holds: 0, docket: 0, today: 0 });
  });

  it('asks a depositor to file what arrived, and a keeper for what arrived for anybody', async () => {
    await world.as('editor').upload('one.txt', 'one');
    await world.as('depositor').upload('two.txt', 'two');
    expect((await linesOf('editor')).find((l) => l.act === 'File')!.sentence).toBe('One thing has arrived and is not filed');
    expect((await linesOf('keeper')).find((l) => l.act === 'File')!.sentence).toBe('2 things have arrived and are not filed');
    expect((await needs('depositor')).receiving).toBe(1);
    expect((await needs('reader')).receiving).toBe(0);
  });

  it('leads a batch from the one whose turn it is to the next', async () => {
    const { id: recordId } = await world.file('editor', { createdOn: '2024-01-01', title: 'Comes due' });
    const keeper = world.as('keeper');
    await keeper.call(steps.sweep);
    expect(await acts('keeper')).toContain('Propose batch');
    expect(await acts('approver')).toEqual([]);

    const { groups } = await keeper.call(docket.due);
    const { id } = await keeper.call(docket.propose, { body: { groupKey: groups[0]!.key, noticeDays: 14, announce: false } });
    expect(await acts('deputy')).toContain('Announce');
    expect(await acts('keeper')).not.toContain('Propose batch');

    await keeper.call(docket.announce, { params: { id } });
    const [letter] = (await world.as('editor').call(identity.messages)).messages;
    expect(letter!.subject).toContain('one of your records');
    expect(letter!.link).toBe(`/docket/${id}`);
    await world.as('editor').call(docket.object, { params: { id }, body: { recordId, reason: 'still in use' } });
    expect(await acts('keeper')).toContain('Answer');

    const { objectionList } = await keeper.call(docket.batch, { params: { id } });
    await keeper.call(docket.answer, {
      params: { id: objectionList[0]!.id },
      body: { keep: false, answer: 'It is not: see the new file.' },
    });
    await world.setToday('2026-09-29');
    expect((await linesOf('approver')).map((l) => [l.when, l.act])).toEqual([['today', 'Decide']]);
    await world.setToday('2026-10-10');
    expect((await linesOf('approver')).map((l) => l.when)).toEqual(['late']);

    await world.as('approver').call(docket.approve, { params: { id }, body: { note: '' } });
    expect(await acts('approver')).toEqual([]);
    expect(await acts('keeper')).toContain('Execute');
    await executeAndWait(world, id);
    expect(await acts('keeper')).not.toContain('Execute');
    await world.setToday(today);
  });

  it('asks custodians to acknowledge, and counsel to remind those who did not', async () => {
    const counsel = world.as('counsel');
    const { id: record } = await world.file('editor', { title: 'Wanted' });
    const { id: matterId } = await counsel.call(holds.makeMatter, { body: { code: 'M-7', title: 'Grounding', kind: 'inquiry', note: '' } });
    const { id } = await counsel.call(holds.placeHold, {
      body: {
        matterId,
        name: 'H',
        reason: 'asked for',
        freeze: false,
        recordIds: [record],
        custodianIds: [world.ids.editor, world.ids.reader],
      },
    });
    expect((await linesOf('reader')).map((l) => l.sentence)).toEqual([
      'You are a custodian of “Grounding” and have not acknowledged its notice',
    ]);
    expect((await linesOf('counsel')).find((l) => l.act === 'Remind')!.sentence).toBe(
      '2 custodians of “Grounding” have not acknowledged the notice',
    );
    await world.as('reader').call(holds.acknowledge, { params: { id } });
    expect(await linesOf('reader')).toEqual([]);
    expect((await linesOf('counsel')).find((l) => l.act === 'Remind')!.detail).toBe('not reminded yet');
    await counsel.call(holds.remind, { params: { id } });
    expect((await linesOf('counsel')).find((l) => l.act === 'Remind')!.detail).toBe('reminded once');
  });

  it('tells keepers which records have no rule', async () => {
    await world.file('editor', { place: world.ids.A02, title: 'No rule here' });
    expect((await linesOf('keeper')).find((l) => l.act === 'See which')!.sentence).toMatch(
      /^(One record in one series has|\d+ records in \d+ series have) no rule$/,
    );
    expect(await acts('editor')).not.toContain('See which');
  });

  it('shows a horizon of two years that counts only what the person may discover', async () => {
    await world.file('editor', { createdOn: '2026-03-01', title: 'Due next spring' });
    const horizon = async (login: Login) => (await world.as(login).call(reports.today)).horizon;
    expect((await horizon('keeper'))!.length).toBe(24);
    expect((await horizon('keeper'))!.find((b) => b.month === '2027-03')!.destroy).toBe(1);
    for (const login of ['approver', 'counsel', 'auditor'] as const)
      expect(await horizon(login))
        .withContext(login)
        .not.toBeNull();
    for (const login of ['outsider', 'reader', 'depositor', 'editor'] as const)
      expect(await horizon(login))
        .withContext(login)
        .toBeNull();
  });

  it('shows an auditor, and nobody else, what undoes a protection, disposes of records or changes a rule, a few of each act', async () => {
    const filed = [];
    for (let i = 0; i < 6; i++)
      filed.push(await world.file('editor', { title: `Overridden ${i}`, place: world.ids.A02, createdOn: '2026-03-02' }));
    const ids = filed.map((r) => r.id);
    await world.as('keeper').call(records.declare, { body: { ids: ids.slice(0, 1) } });
    await world.as('keeper').call(records.revoke, { body: { ids: ids.slice(0, 1), reason: 'declared by mistake' } });
    for (const id of ids)
      await world
        .as('keeper')
        .call(schedule.override, { body: { ids: [id], override: { kind: 'forGood' }, reason: 'asked for by the board' } });
    const watch = (await world.as('auditor').call(reports.today)).watch!;
    const overridden = watch.filter((e) => e.act === 'set an override');
    expect(overridden.map((e) => e.subjectId)).toEqual(ids.slice(2).reverse());
    expect(watch.filter((e) => e.act === 'revoked a declaration').map((e) => [e.actor, e.note])).toEqual([
      ['Person keeper', 'declared by mistake'],
    ]);
    expect(watch.some((e) => e.act === 'filed')).toBeFalse();
    expect(watch.map((e) => e.seq)).toEqual(watch.map((e) => e.seq).sort((a, b) => b - a));
    for (const login of ['keeper', 'counsel', 'approver', 'editor', 'reader', 'outsider'] as const)
      expect((await world.as(login).call(reports.today)).watch)
        .withContext(login)
        .toBeNull();
  });

  it('asks an auditor to verify the ledger when nobody has for a month, or when it was found wrong', async () => {
    const asked = async (login: Login) => (await linesOf(login)).filter((l) => l.act === 'Verify').map((l) => l.detail);
    expect([await asked('auditor'), await asked('keeper')]).toEqual([['never done yet'], []]);
    await (await world.as('auditor').fetch('/api/ledger/verify', { method: 'POST', body: '{}' })).text();
    expect(await asked('auditor')).toEqual([]);
    await world.setToday('2026-10-13');
    expect(await asked('auditor')).toEqual([]);
    await world.setToday('2026-10-14');
    expect(await asked('auditor')).toEqual(['last done on 14 Sep 2026']);
    await world.setToday(today);
  });

  it('shows those who dispose of nothing what they read and sent in, as long as they may see it', async () => {
    const own = await world.file('depositor', { title: 'Sent in' });
    const other = await world.file('editor', { title: 'Read by a reader' });
    await (await world.as('reader').fetch(`/api/records/${other.id}/pages/1`)).arrayBuffer();
    const seen = async (login: Login, what: 'recent' | 'sentIn') => (await world.as(login).call(reports.today))[what].map((r) => r.title);
    expect(await seen('depositor', 'sentIn')).toEqual(['Sent in']);
    expect(await seen('depositor', 'recent')).toEqual(['Sent in']);
    expect(await seen('reader', 'recent')).toEqual(['Read by a reader']);
    expect(await seen('reader', 'sentIn')).toEqual([]);
    expect(await seen('keeper', 'recent')).toEqual([]);
    // Moved to where the reader may not look.
    const body = { ids: [other.id], placeId: world.ids.B01, reason: 'misfiled', dryRun: false };
    await world.as('keeper').call(records.move, { body });
    expect(await seen('reader', 'recent')).toEqual([]);
    expect(own.id).toBeTruthy();
  });
});

describe('messages', () => {
  let world: World;
  beforeAll(async () => {
    world = await makeWorld();
    await world.rule('R-1', world.ids.A01);
    await world.file('editor', { createdOn: '2024-01-01' });
    await approvedBatch(world);
  });
  afterAll(() => world.stop());

  it('are counted until they are read, once', async () => {
    const editor = world.as('editor');
    expect((await editor.call(identity.me)).unread).toBe(1);
    const [message] = (await editor.call(identity.messages)).messages;
    expect(message!.readAt).toBeNull();
    await editor.call(identity.readMessage, { params: { id: message!.id } });
    expect((await editor.call(identity.me)).unread).toBe(0);
    const [read] = (await editor.call(identity.messages)).messages;
    await editor.call(identity.readMessage, { params: { id: message!.id } });
    expect((await editor.call(identity.messages)).messages[0]!.readAt).toBe(read!.readAt);
  });

  it('belong to their reader: nobody else sees them, nor can mark them', async () => {
    const [message] = (await world.as('editor').call(identity.messages)).messages;
    for (const login of ['keeper', 'auditor', 'outsider'] as const) {
      const theirs = (await world.as(login).call(identity.messages)).messages;
      expect(theirs.some((m) => m.id === message!.id))
        .withContext(login)
        .toBeFalse();
      expect(await statusOf(world.as(login).call(identity.readMessage, { params: { id: message!.id } })))
        .withContext(login)
        .toBe(404);
    }
  });
});

describe('the demo clock', () => {
  let world: World;
  beforeAll(async () => {
    world = await makeWorld();
    await world.rule('R-1', world.ids.A01);
  });
  afterAll(() => world.stop());

  it('moves forward only, finds what comes due on the way, and is nobody’s outside a demo', async () => {
    await world.file('editor', { createdOn: '2026-01-10' });
    const keeper = world.as('keeper');
    expect(await statusOf(keeper.call(identity.moveClock, { body: { to: '2026-09-01' } }))).toBe(422);
    expect(await keeper.call(identity.moveClock, { body: { to: '2027-01-10' } })).toEqual({
      today: '2027-01-10',
      newlyDue: 1,
      jobId: null,
    });
    expect((await world.as('reader').call(identity.me)).today).toBe('2027-01-10');
    await world.pool.query(`update setting set value = '{"demo": false, "offsetDays": 0}' where name = 'clock'`);
    expect(await statusOf(keeper.call(identity.moveClock, { body: { to: '2099-01-01' } }))).toBeGreaterThanOrEqual(400);
  });
});
