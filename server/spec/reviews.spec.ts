import { access, identity, ledger, people, records, reports } from '@key-cellar/contract';
import { tendReviews } from '../src/reviews/index.js';
import { chapters } from './support/chapters.js';
import { asApplication } from './support/database.js';
import { letSetUp, type Login, makeWorld, problemOf, statusOf, today, type World } from './support/world.js';

describe('a review of access', () => {
  const chapter = chapters();
  let world: World;
  let id = '';
  const begin = (login: Login, placeId: string, more: { dueOn?: string; endsUnconfirmed?: boolean } = {}) =>
    world
      .as(login)
      .call(access.beginReview, { body: { title: 'Autumn round', placeId, dueOn: '2026-10-31', endsUnconfirmed: false, ...more } });
  const read = (login: Login, of = id) => world.as(login).call(access.review, { params: { id: of } });
  const answer = (login: Login, ids: string[], given: 'kept' | 'ended', { dryRun = false, note = '' } = {}) =>
    world.as(login).call(access.answerReview, { body: { ids, answer: given, note, dryRun } });
  const grant = async (login: Login, place: string, profile: string) =>
    (
      await world.as('keeper').call(people.giveGrant, {
        params: { id: place },
        body: { principalId: world.ids[login], profile, reason: 'for the round', dryRun: false },
      })
    ).id;
  const letters = async (login: Login): Promise<string[]> =>
    (await world.as(login).call(identity.messages)).messages.map((m) => m.subject).filter((s) => s.startsWith('Autumn round'));

  beforeAll(async () => {
    world = await makeWorld();
    await letSetUp(world);
  });
  afterAll(() => world.stop());

  chapter('takes in what was given where one gives access, and tells who can answer', async () => {
    await grant('reader', world.ids.A01, 'editor');
    await grant('outsider', world.ids.A01, 'reader');
    await grant('outsider', world.ids.B01, 'borrower');
    for (const login of ['counsel', 'approver'] as const) await grant(login, world.ids.B01, 'borrower');
    expect(await problemOf(begin('keeper', world.ids.root, { dueOn: today }))).toContain('ahead');
    expect(await problemOf(begin('keeper', world.ids.root, { dueOn: '2027-09-15' }))).toContain('a year');
    expect(await statusOf(begin('reader', world.ids.A01))).toBe(403);
    const { id: made, lines } = await begin('keeper', world.ids.root);
    id = made;
    const { lines: all, review } = await read('keeper');
    expect([all.length, review.lines, review.answered]).toEqual([lines, lines, 0]);
    expect(all.map((l) => `${l.principal.name} ${l.as} ${l.place.code}`)).toEqual(
      jasmine.arrayContaining(['Person reader Editor A-01', 'Person outsider Reader A-01', 'Person outsider Borrower B-01']),
    );
    // A steward of one series sees, and is told of, what is there, and nothing else.
    const { lines: stewards, review: own } = await read('steward');
    expect(new Set(stewards.map((l) => l.place.code))).toEqual(new Set(['A', 'A-01']));
    expect(own.lines).toBe(stewards.length);
    expect(JSON.stringify(stewards)).not.toContain('B-01');
    const { lines: waiting } = await world.as('steward').call(reports.today);
    expect(waiting.some((l) => l.key === 'reviews')).toBeTrue();
    expect([(await letters('steward')).length, (await letters('keeper')).length, (await letters('reader')).length]).toEqual([1, 1, 0]);
    expect(await statusOf(read('reader'))).toBe(404);
    expect((await world.as('reader').call(access.reviews)).reviews).toEqual([]);
  });

  chapter('is answered by those who give access, and by nobody for themselves', async () => {
    const { lines } = await read('keeper');
    const of = (who: string, where: string) => lines.find((l) => l.principal.name === who && l.place.code === where)!;
    const own = lines.filter((l) => l.principal.id === world.ids.keeper);
    expect(own.length).toBeGreaterThan(0);
    expect(own.every((l) => !l.mayAnswer)).toBeTrue();
    const { results } = await answer('keeper', [own[0]!.id], 'kept');
    expect(results.map((r) => [r.outcome, r.why])).toEqual([['refused', 'Nobody answers for what they have themselves.']]);
    const [reader, outsider, borrower] = [of('Person reader', 'A-01'), of('Person outsider', 'A-01'), of('Person outsider', 'B-01')];
    // The steward answers in A-01 alone; what is elsewhere is as if it were not there.
    const both = await answer('steward', [reader.id, borrower.id], 'kept', { note: 'works there' });
    expect(both.results.map((r) => r.outcome)).toEqual(['done', 'refused']);
    expect(both.results[1]!.why).toBe((await answer('steward', ['00000000-0000-4000-8000-000000000000'], 'kept')).results[0]!.why);
    expect((await answer('keeper', [reader.id], 'ended')).results.map((r) => [r.outcome, r.why])).toEqual([
      ['skipped', 'Person steward answered already.'],
    ]);
    // Ending is tried first, says whose access changes, and keeps nothing.
    const tried = await answer('keeper', [outsider.id, borrower.id], 'ended', { dryRun: true });
    expect(tried.access!.loses.join()).toContain('Person outsider');
    expect((await read('keeper')).review.answered).toBe(1);
    const record = await world.file('editor');
    expect(await statusOf(world.as('outsider').call(records.dossier, { params: { id: record.id } }))).toBe(200);
    await answer('keeper', [outsider.id, borrower.id], 'ended', { note: 'left the project' });
    expect(await statusOf(world.as('outsider').call(records.dossier, { params: { id: record.id } }))).toBe(404);
    const after = (await read('keeper')).lines;
    expect(after.filter((l) => l.answeredBy).map((l) => [l.principal.name, l.place.code, l.state, l.answeredBy, l.note])).toEqual(
      jasmine.arrayWithExactContents([
        ['Person reader', 'A-01', 'kept', 'Person steward', 'works there'],
        ['Person outsider', 'A-01', 'ended', 'Person keeper', 'left the project'],
        ['Person outsider', 'B-01', 'ended', 'Person keeper', 'left the project'],
      ]),
    );
  });

  chapter('keeps what was answered: nobody changes it, not in the database either', async () => {
    const answered = `(select id from access_review_line where review_id = '${id}' and answer is not null limit 1)`;
    const open = `(select id from access_review_line where review_id = '${id}' and answer is null and principal_id = '${world.ids.keeper}' limit 1)`;
    for (const [what, sql] of [
      ['another answer', `update access_review_line set answer = 'ended' where id = ${answered}`],
      ['no answer', `update access_review_line set answer = null, answered_by = null, answered_on = null where id = ${answered}`],
      ['none at all', `delete from access_review_line where id = ${answered}`],
      ['another grant', `update access_review_line set profile = 'reader' where id = ${open}`],
      [
        'one’s own',
        `update access_review_line set answer = 'kept', answered_by = principal_id, answered_on = current_date where id = ${open}`,
      ],
      ['by nobody', `update access_review_line set answer = 'kept', answered_on = current_date where id = ${open}`],
      ['another end', `update access_review set due_on = '2030-01-01' where id = '${id}'`],
    ] as const)
      await expectAsync(asApplication(world.database, (client) => client.query(sql)))
        .withContext(what)
        .toBeRejected();
  });

  chapter('says what changed, or ended otherwise, since it began', async () => {
    const { lines } = await read('keeper');
    const borrower = (who: string) => lines.find((l) => l.principal.name === who && l.place.code === 'B-01')!;
    const grants = await world.pool.query<{ id: string; grant_id: string }>(
      'select id, grant_id from access_review_line where review_id = $1',
      [id],
    );
    const grantOf = (line: string): string => grants.rows.find((g) => g.id === line)!.grant_id;
    const [first, second] = [borrower('Person counsel'), borrower('Person approver')];
    await world.as('keeper').call(people.changeGrant, {
      params: { id: grantOf(first!.id) },
      body: { profile: 'reader', from: null, until: '2030-12-31', reason: 'shorter', dryRun: false },
    });
    await world.as('keeper').call(people.endGrant, { params: { id: grantOf(second!.id) }, body: { reason: 'gone', dryRun: false } });
    const state = async (line: string) => (await read('keeper')).lines.find((l) => l.id === line)!.state;
    expect([await state(first!.id), await state(second!.id)]).toEqual(['changed', 'gone']);
    expect((await answer('keeper', [second!.id], 'kept')).results.map((r) => r.why)).toEqual(['It has ended already.']);
    // What changed is confirmed as it is now, and so it stands in the ledger.
    await answer('keeper', [first!.id], 'kept');
    const { entries } = await world.as('keeper').call(ledger.entries, { query: { act: 'confirmed grants' } });
    expect(JSON.stringify(entries[0])).toContain('"profile":"reader"');
    expect(JSON.stringify(entries[0])).not.toContain('"profile":"counsel"');
  });

  chapter('leaves as a table', async () => {
    const response = await world.as('auditor').fetch(`/api/access/reviews/${id}/table?format=csv`);
    const text = await response.text();
    expect(response.status).toBe(200);
    expect(text).toContain('Person outsider,person,B-01,');
    expect(text.trim().split('\r\n').length).toBe(1 + (await read('auditor')).lines.length);
    // The auditor looks on.
    expect((await read('auditor')).lines.some((l) => l.mayAnswer)).toBeFalse();
    expect(await statusOf(world.as('auditor').call(access.closeReview, { params: { id }, body: { reason: 'over' } }))).toBe(403);
  });

  chapter('reminds those who have not answered, and ends with its day', async () => {
    const before = (await letters('keeper')).length;
    await tendReviews(world.services, '2026-10-20');
    expect((await letters('keeper')).length).toBe(before);
    for (const day of ['2026-10-24', '2026-10-25', '2026-10-31', '2026-10-31']) await tendReviews(world.services, day);
    expect((await letters('keeper')).length).toBe(before + 2);
    await tendReviews(world.services, '2026-11-01');
    const { review, lines } = await read('keeper');
    expect(review.closedOn).toBe('2026-11-01');
    expect(lines.some((l) => l.state === 'open')).toBeTrue();
    expect(lines.some((l) => l.state === 'not confirmed')).toBeFalse();
    const open = lines.find((l) => l.state === 'open' && l.principal.id !== world.ids.keeper)!;
    expect((await answer('keeper', [open.id], 'kept')).results.map((r) => r.why)).toEqual(['This review is closed.']);
    expect(await statusOf(world.as('keeper').call(access.closeReview, { params: { id }, body: { reason: 'again' } }))).toBe(409);
    const late = `update access_review_line set answer = 'kept', answered_by = '${world.ids.steward}', answered_on = current_date where id = '${open.id}'`;
    await expectAsync(asApplication(world.database, (client) => client.query(late))).toBeRejected();
  });

  chapter('ends what nobody confirmed, where that was said, and never the last administrator', async () => {
    await grant('outsider', world.ids.A01, 'reader');
    const { grants } = await world.as('keeper').call(people.grantsOn, { params: { id: world.ids.root } });
    const deputys = grants.find((g) => g.principal.id === world.ids.deputy)!;
    await world.as('keeper').call(people.endGrant, { params: { id: deputys.id }, body: { reason: 'alone now', dryRun: false } });
    const { id: strict } = await begin('keeper', world.ids.root, { endsUnconfirmed: true });
    const kept = (await read('keeper', strict)).lines.find((l) => l.principal.name === 'Person reader' && l.as === 'Editor')!;
    await answer('keeper', [kept.id], 'kept');
    await tendReviews(world.services, '2026-11-01');
    const { rows } = await world.pool.query<{ answer: string; profile: string; there: boolean; by: string | null }>(
      `select answer, x.profile, answered_by as by, g.id is not null as there from access_review_line x left join grant_ g on g.id = x.grant_id where review_id = $1`,
      [strict],
    );
    expect(rows.filter((r) => r.answer === 'not confirmed').every((r) => !r.there && r.by === null)).toBeTrue();
    expect(rows.some((r) => r.answer === 'not confirmed')).toBeTrue();
    // What was confirmed stays, and what nobody but its holder could have confirmed.
    const { rows: left } = await world.pool.query<{ name: string; profile: string }>(
      `select p.name, x.profile from access_review_line x join grant_ g on g.id = x.grant_id join principal p on p.id = x.principal_id
       where review_id = $1 order by 1, 2`,
      [strict],
    );
    expect(left.map((l) => `${l.name}: ${l.profile}`)).toEqual([
      'Person keeper: administrator',
      'Person keeper: keeper',
      'Person reader: editor',
    ]);
    expect(await statusOf(world.as('keeper').call(people.list))).toBe(200);
    const { rows: entries } = await world.pool.query<{ body: string }>(
      `select body from ledger_entry where act = 'took a grant back' and actor_id is null`,
    );
    expect(entries.length).toBe(rows.filter((r) => r.answer === 'not confirmed').length);
  });

  chapter('leaves the last administrator one, though somebody else could have confirmed that and did not', async () => {
    await grant('deputy', world.ids.root, 'keeper');
    const { id: strict } = await begin('keeper', world.ids.root, { endsUnconfirmed: true });
    const { lines } = await world.as('deputy').call(access.review, { params: { id: strict } });
    expect(lines.find((l) => l.principal.name === 'Person keeper' && l.as === 'Administrator')!.mayAnswer).toBeTrue();
    await tendReviews(world.services, '2026-11-01');
    const { rows } = await world.pool.query<{ profile: string }>(
      `select g.profile from access_review_line x join grant_ g on g.id = x.grant_id where review_id = $1 and x.principal_id = $2`,
      [strict, world.ids.keeper],
    );
    expect(rows.map((r) => r.profile)).toEqual(['administrator']);
    expect(await statusOf(world.as('keeper').call(people.list))).toBe(200);
  });
});
