import { createHash } from 'node:crypto';
import { ledger, passes, people } from '@key-cellar/contract';
import * as fc from 'fast-check';
import sharp from 'sharp';
import { chapters } from './support/chapters.js';
import { asApplication, asOwner } from './support/database.js';
import { pdfOf } from './support/pdf.js';
import { Client, letSetUp, type Login, logins, makeWorld, problemOf, statusOf, today, type World } from './support/world.js';
import { receiving } from '@key-cellar/contract';

const dayAfter = (n: number): string => new Date(Date.parse(today) + n * 86_400_000).toISOString().slice(0, 10);

describe('visitor passes', () => {
  const chapter = chapters();
  let world: World;
  const ids: Record<string, string> = {};
  const anybody = (): Client => new Client(world.base, '');
  const make = (login: Login, body: object) =>
    world.as(login).call(passes.make, {
      body: {
        ...{ visitor: 'Ann Lee', reason: 'is asked for her opinion', recordIds: [], placeId: null, until: null },
        ...{ passphrase: null, openings: null, copyOut: false, ...body },
      },
    });
  const openWith = (token: string, passphrase: string | null = null): Promise<Response> =>
    anybody().fetch('/api/pass/open', {
      method: 'POST',
      body: JSON.stringify({ token, passphrase }),
      headers: { 'content-type': 'application/json' },
    });
  /** Opens a pass and gives the visitor, who is nobody else. */
  const visit = async (token: string, passphrase: string | null = null): Promise<Client> => {
    const response = await openWith(token, passphrase);
    if (response.status !== 200) throw new Error(`${response.status} ${await response.text()}`);
    return new Client(world.base, response.headers.get('set-cookie')!.split(';')[0]!);
  };
  const shown = async (visitor: Client): Promise<string[]> =>
    (await visitor.call(passes.shown, { query: { from: 0 } })).records.map((r) => r.id).sort();
  const stateOf = async (id: string): Promise<string> =>
    (await world.as('keeper').call(passes.list)).passes.find((p) => p.id === id)!.state;

  beforeAll(async () => {
    world = await makeWorld();
    await letSetUp(world);
    const arrivalId = await world.as('editor').upload('report.pdf', await pdfOf(2));
    const { results } = await world.as('editor').call(receiving.file, {
      body: {
        filings: [
          { arrivalId, title: 'Report', recordType: 'note', placeId: world.ids.A01, createdOn: '2025-01-10', facts: { topic: 'x' } },
        ],
      },
    });
    ids['report'] = results[0]!.recordId!;
    ids['note'] = (await world.file('editor', { title: 'A note', text: 'in words' })).id;
    ids['other'] = (await world.file('editor', { title: 'Another', place: world.ids.A02 })).id;
    ids['apart'] = (await world.file('keeper', { title: 'Set apart', place: world.ids.B01 })).id;
  });
  afterAll(() => world.stop());

  chapter('are made by those who may, for what they may, and for a year at most', async () => {
    for (const login of logins.filter((l) => !['keeper', 'deputy', 'steward'].includes(l)))
      expect([403, 404])
        .withContext(login)
        .toContain(await statusOf(make(login, { recordIds: [ids['note']!] })));
    expect(await statusOf(make('steward', { recordIds: [ids['note']!, ids['apart']!] }))).toBe(403);
    expect(await statusOf(make('steward', { placeId: world.ids.B01 }))).toBe(403);
    expect(await statusOf(make('steward', {}))).toBe(422);
    expect(await statusOf(make('steward', { recordIds: [ids['note']!], placeId: world.ids.A01 }))).toBe(422);
    expect(await statusOf(make('keeper', { placeId: world.ids.root }))).toBe(422);
    expect(await statusOf(make('steward', { recordIds: [ids['note']!], passphrase: 'short' }))).toBe(422);
    expect(await statusOf(make('steward', { recordIds: [ids['note']!], until: dayAfter(-1) }))).toBe(422);
    expect(await statusOf(make('steward', { recordIds: [ids['note']!], until: '2027-09-15' }))).toBe(422);
    expect((await make('steward', { recordIds: [ids['note']!], until: '2027-09-14' })).until).toBe('2027-09-14');
    const { id, token, until } = await make('steward', { recordIds: [ids['note']!] });
    expect(until).toBe(dayAfter(30));
    // What the link is made of is in the answer and nowhere else.
    const { rows } = await world.pool.query<{ all: string }>(`select string_agg(p::text, ' ') as all from visitor_pass p`);
    expect(rows[0]!.all).not.toContain(token);
    expect(JSON.stringify(await world.as('auditor').call(ledger.entries, { query: { limit: 100 } }))).not.toContain(token);
    // Listed for whoever made it, and for those who give access there or audit.
    const lists = async (login: Login) => (await world.as(login).call(passes.list)).passes.some((p) => p.id === id);
    for (const login of logins)
      expect(await lists(login))
        .withContext(login)
        .toBe(['keeper', 'deputy', 'auditor', 'steward'].includes(login));
  });

  chapter('show what they are for, page by page with the visitor’s name on it, and nothing else', async () => {
    const { id, token } = await make('steward', { recordIds: [ids['report']!, ids['note']!] });
    expect(await anybody().call(passes.door, { body: { token } })).toEqual({
      ...{ repository: 'Test', visitor: 'Ann Lee', until: dayAfter(30), passphrase: false },
    });
    const ann = await visit(token);
    expect(await shown(ann)).toEqual([ids['report']!, ids['note']!].sort());
    const picture = async (client: Client, path: string) => {
      const response = await client.fetch(path);
      expect([response.status, response.headers.get('content-type')])
        .withContext(path)
        .toEqual([200, 'image/png']);
      return sharp(Buffer.from(await response.arrayBuffer()));
    };
    const page = `/records/${ids['report']}/pages/1`;
    const [marked, plain] = [await picture(ann, `/api/pass${page}`), await picture(world.as('editor'), `/api${page}`)];
    expect((await marked.metadata()).width).toBe((await plain.metadata()).width);
    const different = async (): Promise<number> => {
      const [a, b] = await Promise.all([marked, plain].map((p) => p.removeAlpha().raw().toBuffer()));
      let n = 0;
      for (let i = 0; i < a!.length; i += 3) if (Math.abs(a![i]! - b![i]!) > 8) n++;
      return n / (a!.length / 3);
    };
    expect(await different()).toBeGreaterThan(0.01);
    expect((await ann.call(passes.pages, { params: { id: ids['report']! } })).pages).toBe(2);
    // A text is drawn as well, and nobody is told more than pictures of it.
    await picture(ann, `/api/pass/records/${ids['note']}/pages/1`);
    expect((await ann.fetch(`/api/pass/records/${ids['note']}/content`)).status).toBe(403);
    expect((await ann.fetch(`/api/pass/records/${ids['other']}/pages/1`)).status).toBe(404);
    // The visitor’s cookie opens nothing of what people have, and that of people opens no pass.
    for (const path of ['/api/me', '/api/records', `/api/records/${ids['report']}`, `/api/records/${ids['report']}/pages/1`, '/api/passes'])
      expect((await ann.fetch(path)).status)
        .withContext(path)
        .toBe(401);
    expect((await world.as('keeper').fetch('/api/pass/records')).status).toBe(401);
    expect((await anybody().fetch('/api/pass/records')).status).toBe(401);
    const said = await world.as('auditor').call(ledger.entries, { query: { limit: 20 } });
    const by = said.entries.filter((e) => e.actor === 'Ann Lee (visitor)').map((e) => e.act);
    expect(by).toContain('opened a visitor pass');
    expect(by.filter((act) => act === 'read content').length).toBe(2);
    expect((await world.as('keeper').call(passes.list)).passes.find((p) => p.id === id)!.opened).toBe(1);
  });

  chapter('give the bytes where they say so, and their maker may', async () => {
    expect(await statusOf(make('auditor', { recordIds: [ids['report']!], copyOut: true }))).toBe(403);
    const { token } = await make('steward', { recordIds: [ids['report']!], copyOut: true });
    const ann = await visit(token);
    const copy = await ann.fetch(`/api/pass/records/${ids['report']}/content`);
    const original = await world.as('editor').fetch(`/api/records/${ids['report']}/content`);
    const hash = async (r: Response) =>
      createHash('sha256')
        .update(Buffer.from(await r.arrayBuffer()))
        .digest('hex');
    expect(copy.headers.get('content-disposition')).toContain('attachment');
    expect(copy.headers.get('content-security-policy')).toContain('sandbox');
    expect(await hash(copy)).toBe(await hash(original));
  });

  chapter('ask for their passphrase, and are not guessed', async () => {
    const { id, token } = await make('steward', { recordIds: [ids['note']!], passphrase: 'a grey heron', openings: 2 });
    expect((await anybody().call(passes.door, { body: { token } })).passphrase).toBeTrue();
    expect((await openWith(token)).status).toBe(401);
    expect((await openWith(token, 'a grey herring')).status).toBe(401);
    expect(await shown(await visit(token, 'a grey heron'))).toEqual([ids['note']!]);
    for (let i = 0; i < 5; i++)
      expect((await openWith(token, `guess ${i}`)).status)
        .withContext(`${i}`)
        .toBe(401);
    expect((await openWith(token, 'a grey heron')).status).toBe(429);
    const entries = await world.as('auditor').call(ledger.entries, { query: { act: 'refused a visitor pass', limit: 50 } });
    expect(entries.entries.length).toBe(7);
    await asOwner(world.database, (client) => client.query('delete from sign_in_try'));
    // Two openings, however many at once; whoever has it open goes on.
    const all = await Promise.all(Array.from({ length: 5 }, () => openWith(token, 'a grey heron').then((r) => r.status)));
    expect(all.sort()).toEqual([200, 409, 409, 409, 409]);
    expect(await stateOf(id)).toBe('used');
    expect(await problemOf(anybody().call(passes.door, { body: { token } }))).toContain('does not work any more');
    // Guessing the link itself: nothing is there.
    expect((await openWith(`${token.slice(0, -1)}x`)).status).toBe(404);
  });

  chapter('end at once: when revoked, over, or their maker may not any more', async () => {
    const all = { recordIds: [ids['note']!, ids['other']!] };
    const revoked = await make('steward', all);
    const ann = await visit(revoked.token);
    for (const login of ['editor', 'reader', 'auditor', 'counsel'] as const)
      expect([403, 404])
        .withContext(login)
        .toContain(await statusOf(world.as(login).call(passes.revoke, { params: { id: revoked.id }, body: { reason: 'no more' } })));
    await world.as('deputy').call(passes.revoke, { params: { id: revoked.id }, body: { reason: 'no more' } });
    expect((await ann.fetch('/api/pass/records')).status).toBe(401);
    expect((await openWith(revoked.token)).status).toBe(409);
    expect(await statusOf(world.as('steward').call(passes.revoke, { params: { id: revoked.id }, body: { reason: 'no more' } }))).toBe(409);

    const ended = await make('steward', { ...all, until: dayAfter(2) });
    const ben = await visit(ended.token);
    await world.setToday(dayAfter(2));
    expect((await shown(ben)).length).toBe(2);
    await world.setToday(dayAfter(3));
    expect((await ben.fetch('/api/pass/records')).status).toBe(401);
    expect([await stateOf(ended.id), (await openWith(ended.token)).status]).toEqual(['ended', 409]);
    await world.setToday(today);

    // The steward has only what they have at a place now.
    const narrowed = await make('steward', { ...all, copyOut: true });
    const folder = await make('steward', { placeId: world.ids.A02 });
    const [cy, dee] = [await visit(narrowed.token), await visit(folder.token)];
    expect([(await shown(cy)).length, (await shown(dee)).length]).toEqual([2, 1]);
    const { id: grant } = await world.as('keeper').call(people.giveGrant, {
      params: { id: world.ids.A02 },
      body: { principalId: world.ids.steward, profile: 'reader', from: null, until: null, reason: 'less here', dryRun: false },
    });
    expect(await shown(cy)).toEqual([ids['note']!]);
    expect((await cy.fetch(`/api/pass/records/${ids['other']}/pages/1`)).status).toBe(404);
    expect((await dee.fetch('/api/pass/records')).status).toBe(401);
    expect(await stateOf(folder.id)).toBe('powerless');
    await world.as('keeper').call(people.endGrant, { params: { id: grant }, body: { reason: 'again', dryRun: false } });
    expect((await shown(dee)).length).toBe(1);
    // What is filed there later shows as well, and what is disposed of does not any more.
    const later = (await world.file('editor', { title: 'Later', place: world.ids.A02 })).id;
    expect(await shown(dee)).toContain(later);
    await asOwner(world.database, async (client) => {
      await client.query('set session_replication_role = replica');
      await client.query(`update record set state = 'disposed' where id = $1`, [later]);
    });
    expect(await shown(dee)).not.toContain(later);
    // A maker who is let go takes them along.
    await world.as('keeper').call(people.letGo, { params: { id: world.ids.steward }, body: { reason: 'leaves', heirId: null } });
    for (const visitor of [cy, dee]) expect((await visitor.fetch('/api/pass/records')).status).toBe(401);
    expect(await stateOf(narrowed.id)).toBe('powerless');
  });

  chapter('do not go on for ever in a browser, and are not changed behind the application', async () => {
    const { id, token } = await make('keeper', { recordIds: [ids['note']!] });
    for (const [column, age] of [
      ['last_seen_at', '31 minutes'],
      ['opened_at', '13 hours'],
    ] as const) {
      const visitor = await visit(token);
      expect((await shown(visitor)).length).toBe(1);
      await asOwner(world.database, (client) => client.query(`update visitor_session set ${column} = now() - interval '${age}'`));
      expect((await visitor.fetch('/api/pass/records')).status)
        .withContext(column)
        .toBe(401);
    }
    for (const sql of [
      `update visitor_pass set until = until + 1`,
      `update visitor_pass set copy_out = true`,
      `delete from visitor_pass`,
      `delete from visitor_pass_record`,
    ])
      await expectAsync(asApplication(world.database, (client) => client.query(sql)))
        .withContext(sql)
        .toBeRejectedWithError(/permission denied/);
    await expectAsync(
      asOwner(world.database, (client) => client.query('update visitor_pass set until = until + 400 where id = $1', [id])),
    ).toBeRejectedWithError(/visitor_pass_a_year/);
  });

  chapter('never show what their maker may not make a pass for, whatever is in them', async () => {
    // By rows that no act makes: a record of another place, listed in a pass all the same.
    const { id, token } = await make('deputy', { recordIds: [ids['note']!] });
    const all = [ids['report']!, ids['note']!, ids['other']!, ids['apart']!];
    await asOwner(world.database, (client) =>
      client.query('insert into visitor_pass_record select $1, unnest($2::uuid[]) on conflict do nothing', [id, all]),
    );
    const visitor = await visit(token);
    const profiles = ['reader', 'editor', 'steward', 'keeper', 'auditor', 'counsel'] as const;
    const mayLink = new Set<string>(['steward', 'keeper']);
    const deputy = world.ids.deputy;
    const samples = fc.sample(fc.tuple(fc.constantFrom(...profiles), fc.constantFrom(...profiles)), { numRuns: 12, seed: 7 });
    for (const [onA01, onB] of samples) {
      await asOwner(world.database, async (client) => {
        await client.query('delete from grant_ where principal_id = $1', [deputy]);
        for (const [place, profile] of [
          [world.ids.A01, onA01],
          [world.ids.B, onB],
        ])
          await client.query(
            `insert into grant_ (id, principal_id, place_id, profile, reason) values (gen_random_uuid(), $1, $2, $3, 'sample')`,
            [deputy, place, profile],
          );
      });
      const wanted = [...(mayLink.has(onA01) ? [ids['report']!, ids['note']!] : []), ...(mayLink.has(onB) ? [ids['apart']!] : [])].sort();
      const response = await visitor.fetch('/api/pass/records');
      const got = response.status === 200 ? ((await response.json()) as { records: { id: string }[] }).records.map((r) => r.id).sort() : [];
      expect(got).withContext(`${onA01} ${onB}`).toEqual(wanted);
    }
  });
});
