import { access, identity, people, records, reports } from '@key-cellar/contract';
import { chapters } from './support/chapters.js';
import { asApplication } from './support/database.js';
import { makeWorld, problemOf, statusOf, today, type Login, type World } from './support/world.js';

describe('more access for some days', () => {
  const chapter = chapters();
  let world: World;
  const ask = (login: Login, placeId: string, profile: string, until: string, reason = 'the inquiry of the week') =>
    world.as(login).call(access.askRaise, { body: { placeId, profile, until, reason } });
  const decide = (login: Login, id: string, body: { approve: boolean; until?: string; note?: string }) =>
    world.as(login).call(access.decideRaise, { params: { id }, body: { note: '', ...body } });
  const raises = async (login: Login) => (await world.as(login).call(access.raises)).raises;
  const mayEdit = async (login: Login, id: string): Promise<boolean> =>
    (await world.as(login).call(records.dossier, { params: { id } })).rights.includes('edit');

  beforeAll(async () => {
    world = await makeWorld();
  });
  afterAll(() => world.stop());

  chapter('is asked for, given by somebody else for no longer than that, and ends by itself, in open sessions too', async () => {
    const { id: record } = await world.file('editor', { title: 'Asked about' });
    const { id } = await ask('reader', world.ids.A01, 'editor', '2026-09-20');
    expect((await raises('reader')).map((r) => [r.state, r.mine, r.mayDecide, r.as])).toEqual([['open', true, false, 'Editor']]);
    // Those who give access there are told, and nobody else.
    for (const [login, told] of [
      ['steward', true],
      ['keeper', true],
      ['auditor', false],
      ['editor', false],
    ] as const) {
      const { messages } = await world.as(login).call(identity.messages);
      expect(messages.some((m) => m.subject === 'Person reader asks to be Editor on A-01 Place A-01'))
        .withContext(login)
        .toBe(told);
    }
    const { lines } = await world.as('steward').call(reports.today);
    expect(lines.map((l) => l.sentence)).toContain('Somebody asks for more access');
    expect(await problemOf(ask('reader', world.ids.A01, 'editor', '2026-09-18'))).toContain('waits for an answer');
    expect(await mayEdit('reader', record)).toBe(false);
    expect(await problemOf(decide('steward', id, { approve: true, until: '2026-09-21' }))).toContain('not for longer');
    await decide('steward', id, { approve: true, until: '2026-09-16', note: 'Two days will do.' });
    expect(await mayEdit('reader', record)).toBe(true);
    expect((await raises('reader')).map((r) => [r.state, r.until, r.decidedBy, r.note])).toEqual([
      ['approved', '2026-09-16', 'Person steward', 'Two days will do.'],
    ]);
    const { messages } = await world.as('reader').call(identity.messages);
    expect(messages.map((m) => m.subject)).toContain('You are Editor on A-01 Place A-01 until 16 Sep 2026');
    await world.setToday('2026-09-17');
    expect(await mayEdit('reader', record))
      .withContext('over')
      .toBe(false);
    expect((await raises('reader'))[0]!.state).toBe('over');
    expect(await problemOf(decide('steward', id, { approve: true }))).toContain('already');
    await world.setToday(today);
    const { rows } = await world.pool.query<{ act: string }>(`select act from ledger_entry where act like '%access%' order by seq`);
    expect(rows.map((r) => r.act)).toEqual(['asked for more access', 'granted more access for some days']);
  });

  chapter('takes nothing away: what counts from farther out counts on', async () => {
    const { id: record } = await world.file('editor', { title: 'Both' });
    const rights = async () => (await world.as('editor').call(records.dossier, { params: { id: record } })).rights;
    expect(await rights()).toContain('edit');
    const { id } = await ask('editor', world.ids.A01, 'approver', '2026-09-20');
    await decide('keeper', id, { approve: true });
    expect(await rights()).toEqual(jasmine.arrayContaining(['edit', 'approve']));
    await world.setToday('2026-09-21');
    expect(await rights()).toContain('edit');
    expect(await rights()).not.toContain('approve');
    await world.setToday(today);
  });

  chapter('is refused, or withdrawn by who asked and nobody else', async () => {
    const { id } = await ask('editor', world.ids.A, 'steward', '2026-10-01');
    for (const login of ['steward', 'keeper', 'reader'] as const)
      expect(await statusOf(world.as(login).call(access.withdrawRaise, { params: { id } }))).toBe(404);
    await decide('keeper', id, { approve: false, note: 'Ask again in spring.' });
    expect((await raises('editor'))[0]!.state).toBe('refused');
    const { grants } = await world.as('keeper').call(people.grantsOn, { params: { id: world.ids.A } });
    expect(grants.filter((g) => g.principal.id === world.ids.editor).map((g) => g.profile)).toEqual(['editor']);
    const again = await ask('editor', world.ids.A, 'steward', '2026-10-01');
    await world.as('editor').call(access.withdrawRaise, { params: { id: again.id } });
    expect(await statusOf(decide('keeper', again.id, { approve: true }))).toBe(409);
  });

  chapter('is given by nobody to themselves, nor by who has less, nor beyond ninety days, nor where nothing is known', async () => {
    expect(await problemOf(ask('steward', world.ids.A, 'reader', '2026-09-20'))).toContain('all of that here already');
    const { id: own } = await ask('steward', world.ids.A, 'keeper', '2026-09-20');
    expect(await problemOf(decide('steward', own, { approve: true }))).toBe('Somebody else decides on what you ask for yourself.');
    const { id: more } = await ask('editor', world.ids.A, 'keeper', '2026-09-20');
    expect(await problemOf(decide('steward', more, { approve: true }))).toContain('more than you may do here');
    expect(await statusOf(decide('auditor', more, { approve: true }))).toBe(403);
    expect(await statusOf(decide('outsider', more, { approve: true }))).toBe(404);
    expect(await statusOf(ask('reader', world.ids.A01, 'editor', '2026-09-13'))).toBe(422);
    expect(await statusOf(ask('reader', world.ids.A01, 'editor', '2026-12-14'))).toBe(422);
    expect(await statusOf(ask('reader', world.ids.B01, 'editor', '2026-09-20'))).toBe(404);
    expect(await statusOf(ask('reader', world.ids.A01, 'no-such', '2026-09-20'))).toBe(422);
    // What nobody answered by its last day asks no more.
    const { id: late } = await ask('depositor', world.ids.A01, 'editor', '2026-09-15');
    await world.setToday('2026-09-16');
    expect(await statusOf(decide('keeper', late, { approve: true }))).toBe(422);
    expect((await raises('depositor'))[0]!.state).toBe('over');
    await world.setToday(today);
    // Whoever was let go is given nothing, and what nobody could answer is not asked.
    await world.pool.query('update principal set active = false where id = $1', [world.ids.editor]);
    expect(await statusOf(decide('keeper', more, { approve: true }))).toBe(422);
    await world.pool.query('update principal set active = true where id = $1', [world.ids.editor]);
    await world.pool.query(`update principal set active = false where login in ('keeper', 'deputy', 'steward')`);
    expect(await problemOf(ask('reader', world.ids.A01, 'approver', '2026-09-20'))).toContain('Nobody else gives access here');
    await world.pool.query(`update principal set active = true where login in ('keeper', 'deputy', 'steward')`);
    await asApplication(world.database, async (client) => {
      await expectAsync(
        client.query(`update raise set state = 'approved', decided_by = asker_id, decided_at = now() where id = $1`, [own]),
      ).toBeRejectedWithError(/violates check constraint/);
    });
  });
});
