import { docket, identity, ledger, people, plan, records, reports, setup, type Invitation } from '@key-cellar/contract';
import { chapters } from './support/chapters.js';
import { asOwner, configFor, dropDatabase, freshDatabase } from './support/database.js';
import { Client, letSetUp, makeWorld, password, problemOf, statusOf, type World } from './support/world.js';
import { startServer, type Running } from '../src/index.js';

const better = 'a good long one, indeed';

describe('people and groups', () => {
  const chapter = chapters();
  let world: World;
  const ids: Record<string, string> = {};
  const admin = () => world.as('keeper');
  const base = () => world.base;
  const details = (login: string, more: object = {}) => ({
    name: `Person ${login}`,
    login,
    email: `${login}@example.org`,
    clearance: { level: 0, caveats: [] },
    groupIds: [] as string[],
    ...more,
  });
  const page = (id: string) => admin().call(people.person, { params: { id } });
  /** Chooses a password by a link; the client is signed in then. */
  const accept = async ({ token }: Pick<Invitation, 'token'>, chosen = better): Promise<Client> => {
    const response = await new Client(base(), '').fetch('/api/invitation/accept', {
      method: 'POST',
      body: JSON.stringify({ token, password: chosen }),
      headers: { 'content-type': 'application/json' },
    });
    if (response.status !== 200) throw new Error(`${response.status} ${await response.text()}`);
    return new Client(base(), response.headers.get('set-cookie')!.split(';')[0]!);
  };
  const signIn = (login: string, given: string): Promise<number> =>
    statusOf(new Client(base(), '').call(identity.signIn, { body: { login, password: given } }));

  beforeAll(async () => {
    world = await makeWorld();
    await letSetUp(world);
  });
  afterAll(() => world.stop());

  chapter('are arranged by whoever sets up the whole repository, and by nobody else', async () => {
    for (const login of ['editor', 'steward', 'deputy', 'auditor', 'reader'] as const) {
      expect(await statusOf(world.as(login).call(people.list)))
        .withContext(login)
        .toBe(403);
      expect(await statusOf(world.as(login).call(people.make, { body: { ...details('x'), invite: false } })))
        .withContext(login)
        .toBe(403);
    }
    const { id, invitation } = await admin().call(people.make, { body: { ...details('Wren'), invite: true } });
    ids['wren'] = id;
    const [line] = (await admin().call(people.list)).people.filter((p) => p.id === id);
    expect([line!.login, line!.hasPassword, line!.invitedUntil === null]).toEqual(['wren', false, false]);
    expect(await signIn('wren', better)).toBe(401);
    expect(await problemOf(admin().call(people.make, { body: { ...details('WREN'), invite: false } }))).toContain('signs in as WREN');
    // The token is in the answer only: the ledger and the database know what it hashes to.
    const entries = await world.as('auditor').call(ledger.entries, { query: { limit: 50 } });
    expect(JSON.stringify(entries)).not.toContain(invitation!.token!);
    const { rows } = await world.pool.query<{ all: string }>('select string_agg(i::text, $1) as all from invitation i', [' ']);
    expect(rows[0]!.all).not.toContain(invitation!.token!);
    ids['token'] = invitation!.token!;
  });

  chapter('choose their password by a link that works once, and for a while', async () => {
    const stranger = new Client(base(), '');
    const { token } = { token: ids['token']! };
    const told = await stranger.call(people.invitation, { body: { token } });
    expect([told.name, told.login]).toEqual(['Person Wren', 'wren']);
    expect(await statusOf(stranger.call(people.invitation, { body: { token: `${token}x` } }))).toBe(404);
    for (const [bad, why] of [
      ['short', 'at least 12'],
      ['wren wren wren wren', 'must not contain a name'],
      ['aaaaaaaaaaaaaaaaaa', 'too few different'],
      ['Password1234!', 'everyone tries first'],
    ] as const)
      await expectAsync(accept({ token }, bad)).withContext(bad).toBeRejectedWithError(new RegExp(why));
    const both = await Promise.allSettled([accept({ token }), accept({ token }, `${better}!`)]);
    expect(both.map((r) => r.status).sort()).toEqual(['fulfilled', 'rejected']);
    expect(await statusOf(stranger.call(people.invitation, { body: { token } }))).toBe(404);
    const chosen = both[0]!.status === 'fulfilled' ? better : `${better}!`;
    expect(await signIn('wren', chosen)).toBe(200);
    // A new link ends the one of before; whoever uses it ends what was open.
    const first = await admin().call(people.invite, { params: { id: ids['wren']! } });
    const second = await admin().call(people.invite, { params: { id: ids['wren']! } });
    await expectAsync(accept(first)).toBeRejectedWithError(/^404/);
    expect((await page(ids['wren']!)).sessions.length).toBeGreaterThan(1);
    const wren = await accept(second);
    expect((await page(ids['wren']!)).sessions.length).toBe(1);
    expect(await statusOf(wren.call(identity.me))).toBe(200);
    const late = await admin().call(people.invite, { params: { id: ids['wren']! } });
    await asOwner(world.database, (client) => client.query(`update invitation set until = now() - interval '1 minute'`));
    await expectAsync(accept(late)).toBeRejectedWithError(/^404/);
    expect(await statusOf(stranger.call(people.invitation, { body: { token: late.token! } }))).toBe(404);
    expect((await page(ids['wren']!)).invitedUntil).toBeNull();
  });

  chapter('change their own password, which ends all other sessions, and is not guessed from an open one', async () => {
    const wren = await accept(await admin().call(people.invite, { params: { id: ids['wren']! } }));
    expect(await signIn('wren', better)).toBe(200);
    const change = (old: string, to: string) => statusOf(wren.call(people.changePassword, { body: { old, password: to } }));
    expect(await change('not this one', 'another good long one')).toBe(422);
    expect(await change(better, 'wren is my name here')).toBe(422);
    expect(await wren.call(people.changePassword, { body: { old: better, password: 'another good long one' } })).toEqual({ ended: 1 });
    expect(await statusOf(wren.call(identity.me))).toBe(200);
    expect([await signIn('wren', better), await signIn('wren', 'another good long one')]).toEqual([401, 200]);
    for (let i = 0; i < 5; i++) await change('wrong again', 'whatever it may be');
    expect(await change('another good long one', 'whatever it may be')).toBe(429);
  });

  chapter('are in groups, which are in groups, and never in themselves', async () => {
    const { id: inner } = await admin().call(people.makeGroup, { body: { name: 'Inner', memberIds: [ids['wren']!] } });
    const { id: outer } = await admin().call(people.makeGroup, { body: { name: 'Outer', memberIds: [inner] } });
    [ids['inner'], ids['outer']] = [inner, outer];
    expect(await problemOf(admin().call(people.makeGroup, { body: { name: 'OUTER', memberIds: [] } }))).toContain('There is a group');
    const group = async (id: string) => (await admin().call(people.list)).groups.find((g) => g.id === id)!;
    const change = async (id: string, more: object) => {
      const { name, active, members, revision } = await group(id);
      const body = { name, active, memberIds: members.map((m) => m.id), revision, ...more };
      return admin().call(people.changeGroup, { params: { id }, body });
    };
    expect(await problemOf(change(inner, { memberIds: [outer] }))).toContain('would be a member of itself');
    expect(await problemOf(change(inner, { memberIds: [inner] }))).toContain('would be a member of itself');
    expect(await problemOf(change(inner, { memberIds: [world.ids.A01] }))).toContain('no person or group');
    expect(await statusOf(change(inner, { revision: 77 }))).toBe(412);
    // What the outer one is given reaches whoever is in the inner one, at once and in sessions that are open.
    const wren = await accept(await admin().call(people.invite, { params: { id: ids['wren']! } }));
    const { id: record } = await world.file('editor');
    const status = () => statusOf(wren.call(records.dossier, { params: { id: record } }));
    expect(await status()).toBe(404);
    const grant = { principalId: outer, profile: 'reader', reason: 'they read', dryRun: false } as const;
    await admin().call(people.giveGrant, { params: { id: world.ids.A01 }, body: grant });
    expect(await status()).toBe(200);
    await change(outer, { active: false });
    expect(await status()).toBe(404);
    await change(outer, { active: true });
    expect(await status()).toBe(200);
    const { name, login, email, clearance, revision } = await page(ids['wren']!);
    await admin().call(people.change, {
      params: { id: ids['wren']! },
      body: { name: `${name} West`, login, email, clearance, groupIds: [], revision },
    });
    expect(await status()).toBe(404);
    expect(await statusOf(admin().call(people.change, { params: { id: ids['wren']! }, body: { ...details('wren'), revision } }))).toBe(412);
    await change(inner, { memberIds: [ids['wren']!] });
    expect(await status()).toBe(200);
  });

  chapter('move with the effect seen first: groups, clearance and members are tried, and nothing of a trial is kept', async () => {
    const { name, login, email, revision } = await page(ids['wren']!);
    const moved = (groupIds: string[], level: number, dryRun: boolean, of = revision) =>
      admin().call(people.change, {
        params: { id: ids['wren']! },
        body: { name, login, email, clearance: { level, caveats: [] }, groupIds, revision: of, dryRun },
      });
    const changes = async () => (await world.as('auditor').call(ledger.entries, { query: { act: 'changed a person' } })).entries.length;
    const before = await changes();
    const left = (await moved([], 0, true)).access!;
    expect(left.gains).toEqual([]);
    expect(left.loses.length).toBe(1);
    expect(left.loses[0]).toMatch(/^Person Wren West: discover, read on one record and one place$/);
    expect((await moved([ids['inner']!], 0, true)).access).toEqual({ gains: [], loses: [], people: 0 });
    const members = (await admin().call(people.list)).groups.find((g) => g.id === ids['outer'])!;
    const shut = await admin().call(people.changeGroup, {
      params: { id: ids['outer']! },
      body: { name: members.name, active: false, memberIds: members.members.map((m) => m.id), revision: members.revision, dryRun: true },
    });
    expect(shut.access!.loses).toEqual(left.loses);
    // Nothing was kept: neither who is in what, nor a word in the ledger.
    expect((await page(ids['wren']!)).groups.map((g) => g.id)).toEqual([ids['inner']!]);
    expect((await page(ids['wren']!)).revision).toBe(revision);
    expect(await changes()).toBe(before);
    expect((await moved([], 0, false)).access).toBeNull();
    expect((await page(ids['wren']!)).groups).toEqual([]);
    expect(await statusOf(moved([], 0, true))).toBe(412);
    await moved([ids['inner']!], 0, false, revision + 1);
  });

  chapter('are given access with a trial that says whose it changes; nobody gives more than they have', async () => {
    const { id: record } = await world.file('steward', { place: world.ids.B01 });
    const give = (login: 'keeper' | 'steward' | 'reader', placeId: string, profile: 'reader' | 'editor' | 'keeper', dryRun = false) =>
      world.as(login).call(people.giveGrant, {
        params: { id: placeId },
        body: { principalId: world.ids.depositor, profile, reason: 'asked for it', dryRun },
      });
    const tried = await give('keeper', world.ids.B01, 'reader', true);
    expect(tried.access).toEqual({ gains: ['Person depositor: discover, read on one record and one place'], loses: [], people: 1 });
    const reads = () => statusOf(world.as('depositor').call(records.dossier, { params: { id: record } }));
    expect(await reads()).toBe(404);
    const given = await give('keeper', world.ids.B01, 'reader');
    expect([given.access, await reads()]).toEqual([null, 200]);
    // A steward of A may grant there, and no more than a steward has.
    expect(await statusOf(give('steward', world.ids.A01, 'editor'))).toBe(200);
    expect(await problemOf(give('steward', world.ids.A01, 'keeper'))).toContain('more than you may do here');
    expect(await statusOf(give('reader', world.ids.A01, 'reader'))).toBe(403);
    expect(await statusOf(world.as('reader').call(people.grantsOn, { params: { id: world.ids.A01 } }))).toBe(403);
    const { grants, mayGrant } = await world.as('steward').call(people.grantsOn, { params: { id: world.ids.A01 } });
    expect(mayGrant).toBeTrue();
    const own = grants.find((g) => g.place.id === world.ids.A01 && g.principal.id === world.ids.depositor)!;
    expect([own.profile, own.reason, own.madeBy]).toEqual(['editor', 'asked for it', 'Person steward']);
    // Days: over, ahead, and one that ends before it begins.
    const days = (from: string | null, until: string | null) =>
      admin().call(people.changeGrant, {
        params: { id: given.id },
        body: { profile: 'reader', from, until, reason: 'for a while', dryRun: false },
      });
    await days(null, '2026-09-13');
    expect(await reads()).toBe(404);
    await days('2026-09-14', '2026-09-14');
    expect(await reads()).toBe(200);
    await days('2026-09-15', null);
    expect(await reads()).toBe(404);
    expect(await statusOf(days('2026-09-15', '2026-09-14'))).toBe(422);
    await days(null, null);
    const end = (login: 'keeper' | 'steward', id: string, dryRun: boolean) =>
      world.as(login).call(people.endGrant, { params: { id }, body: { reason: 'no longer', dryRun } });
    expect((await end('keeper', given.id, true)).access!.loses).toEqual(['Person depositor: discover, read on one record and one place']);
    expect(await reads()).toBe(200);
    expect(await statusOf(end('steward', given.id, false))).toBe(403);
    await end('keeper', given.id, false);
    expect(await reads()).toBe(404);
    expect(await statusOf(end('keeper', given.id, false))).toBe(404);
  });

  chapter('places stand alone, or do not, with a trial of whose access that changes', async () => {
    const { id: record } = await world.file('editor');
    const reads = () => statusOf(world.as('steward').call(records.dossier, { params: { id: record } }));
    const set = async (standAlone: boolean, dryRun: boolean, login: 'keeper' | 'editor' = 'keeper') => {
      const { revision } = await admin().call(plan.place, { params: { id: world.ids.A01 } });
      return world.as(login).call(people.setStandAlone, {
        params: { id: world.ids.A01 },
        body: { revision, standAlone, reason: 'set apart', dryRun },
      });
    };
    expect(await reads()).toBe(200);
    const tried = await set(true, true);
    expect(tried.access!.loses.join()).toContain('Person steward: discover, read, copy out');
    expect(await reads()).toBe(200);
    expect(await statusOf(set(true, false, 'editor'))).toBe(403);
    await set(true, false);
    expect(await reads()).toBe(404);
    // Keepers and auditors reach in all the same.
    expect(await statusOf(admin().call(records.dossier, { params: { id: record } }))).toBe(200);
    expect((await admin().call(plan.place, { params: { id: world.ids.A01 } })).standAlone).toBeTrue();
    expect((await set(false, true)).access!.gains.join()).toContain('Person steward: discover, read, copy out');
    await set(false, false);
    expect(await reads()).toBe(200);
    const { revision } = await admin().call(plan.place, { params: { id: world.ids.root } });
    const body = { revision, standAlone: true, reason: 'set apart', dryRun: false };
    expect(await statusOf(admin().call(people.setStandAlone, { params: { id: world.ids.root }, body }))).toBe(409);
    expect(await statusOf(admin().call(people.setStandAlone, { params: { id: world.ids.A01 }, body: { ...body, revision: 77 } }))).toBe(
      412,
    );
  });

  chapter('leave the repository to somebody who can set it up', async () => {
    const { grants } = await page(world.ids.keeper);
    const administrator = grants.find((g) => g.profile === 'administrator')!;
    // Whoever has no password yet is nobody who could.
    const { id: invited } = await admin().call(people.make, { body: { ...details('later'), invite: true } });
    await admin().call(people.giveGrant, {
      params: { id: world.ids.root },
      body: { principalId: invited, profile: 'administrator', reason: 'from next week', dryRun: false },
    });
    expect(
      await problemOf(admin().call(people.endGrant, { params: { id: administrator.id }, body: { reason: 'no longer', dryRun: false } })),
    ).toContain('nobody could set up');
    // Nor through the group by which somebody has it.
    const { id: setters } = await admin().call(people.makeGroup, { body: { name: 'Setters', memberIds: [world.ids.keeper] } });
    await admin().call(people.giveGrant, {
      params: { id: world.ids.root },
      body: { principalId: setters, profile: 'administrator', reason: 'by the group', dryRun: false },
    });
    await admin().call(people.endGrant, { params: { id: administrator.id }, body: { reason: 'by the group now', dryRun: false } });
    expect(
      await problemOf(
        admin().call(people.changeGroup, { params: { id: setters }, body: { name: 'Setters', active: true, memberIds: [], revision: 1 } }),
      ),
    ).toContain('nobody could set up');
    await admin().call(people.giveGrant, {
      params: { id: world.ids.root },
      body: { principalId: world.ids.keeper, profile: 'administrator', reason: 'again', dryRun: false },
    });
    await admin().call(people.changeGroup, {
      params: { id: setters },
      body: { name: 'Setters', active: true, memberIds: [], revision: 1 },
    });
    expect(
      await problemOf(admin().call(people.letGo, { params: { id: world.ids.keeper }, body: { reason: 'leaves', heirId: null } })),
    ).toContain('Nobody lets themselves go');
    const { name, login, email, groups, revision } = await page(world.ids.keeper);
    expect(groups).toEqual([]);
    await admin().call(people.change, {
      params: { id: world.ids.keeper },
      body: { name, login, email, clearance: { level: 1, caveats: [] }, groupIds: [], revision },
    });
  });

  chapter('who leave sign in no more, and what was theirs goes to somebody else', async () => {
    const { id: record } = await world.file('editor');
    const { id: declared } = await world.file('editor');
    await admin().call(records.declare, { body: { ids: [declared] } });
    await asOwner(world.database, (client) =>
      client.query('update record set owner_id = $1 where id = any ($2::uuid[])', [world.ids.editor, [record, declared]]),
    );
    await admin().call(people.makeGroup, { body: { name: 'Left behind', memberIds: [world.ids.editor] } });
    const before = await page(world.ids.editor);
    expect(before.groups.map((g) => g.name)).toContain('Left behind');
    expect(before.owns).toBeGreaterThanOrEqual(2);
    expect(before.grants.map((g) => [g.place.code, g.profile])).toEqual([['A', 'editor']]);
    const letGo = (heirId: string | null) =>
      admin().call(people.letGo, { params: { id: world.ids.editor }, body: { reason: 'moves to the museum', heirId, grantsToo: true } });
    expect(await statusOf(letGo(world.ids.editor))).toBe(422);
    expect(await statusOf(letGo(world.ids.staff))).toBe(422);
    const editor = world.as('editor');
    expect(await statusOf(editor.call(identity.me))).toBe(200);
    const done = await letGo(ids['wren']!);
    expect([done.records, done.grants, done.sessions > 0]).toEqual([before.owns, 1, true]);
    expect(await statusOf(editor.call(identity.me))).toBe(401);
    expect(await signIn('editor', password)).toBe(401);
    const after = await page(world.ids.editor);
    expect([after.active, after.hasPassword, after.grants, after.owns]).toEqual([false, false, [], 0]);
    const wren = await page(ids['wren']!);
    expect([wren.owns, wren.grants.map((g) => [g.place.code, g.profile, g.reason])]).toEqual([
      before.owns,
      [['A', 'editor', 'Person editor left']],
    ]);
    const { entries } = await world.as('auditor').call(ledger.entries, { query: { subject: declared, limit: 20 } });
    expect(entries.map((e) => e.act)).toContain('became the owner');
    expect(await statusOf(admin().call(people.invite, { params: { id: world.ids.editor } }))).toBe(409);
    expect(await statusOf(letGo(null))).toBe(409);
    // Brought back, they are who they were, with nothing that they had.
    await admin().call(people.bringBack, { params: { id: world.ids.editor } });
    expect(await statusOf(editor.call(identity.me))).toBe(401);
    expect((await page(world.ids.editor)).groups).toEqual([]);
    const again = await accept(await admin().call(people.invite, { params: { id: world.ids.editor } }));
    expect(await statusOf(again.call(plan.place, { params: { id: world.ids.A01 } }))).toBe(404);
    expect(await admin().call(people.endSessions, { params: { id: world.ids.editor } })).toEqual({ ended: 1 });
    expect(await statusOf(again.call(identity.me))).toBe(401);
  });
});

describe('an empty repository', () => {
  let database: string;
  let running: Running & { port: number };
  beforeAll(async () => {
    database = await freshDatabase();
    running = await startServer(configFor(database));
  });
  afterAll(async () => {
    await running.stop();
    await dropDatabase(database);
  });

  it('comes to have the second person that a destruction needs, by its own means', async () => {
    const base = `http://127.0.0.1:${running.port}`;
    const begin = async (path: string, body: object): Promise<Client> => {
      const response = await new Client(base, '').fetch(path, {
        method: 'POST',
        body: JSON.stringify(body),
        headers: { 'content-type': 'application/json' },
      });
      expect(response.status).toBe(200);
      return new Client(base, response.headers.get('set-cookie')!.split(';')[0]!);
    };
    await new Client(base, '').call(identity.makeFirstKeeper, { body: { repository: 'Empty', name: 'Ada Moor', login: 'ada', password } });
    const ada = await begin('/api/session', { login: 'ada', password });
    const steps = async (who: Client) => (await who.call(reports.today)).firstSteps?.map((s) => `${s.key} ${s.done}`);
    expect(await steps(ada)).toEqual([
      'plan false',
      'types false',
      'schedule false',
      'people false',
      'decide false',
      'file false',
      'outside false',
      'backup false',
    ]);
    const { places } = await ada.call(plan.outline, { query: { folders: true } });
    const root = places[0]!.id;
    const { id: group } = await ada.call(people.makeGroup, { body: { name: 'Approvers', memberIds: [] } });
    await ada.call(people.giveGrant, {
      params: { id: root },
      body: { principalId: group, profile: 'approver', reason: 'two persons decide', dryRun: false },
    });
    const { invitation } = await ada.call(people.make, {
      body: { name: 'Bo Hale', login: 'bo', email: null, clearance: { level: 0, caveats: [] }, groupIds: [group], invite: true },
    });
    const bo = await begin('/api/invitation/accept', { token: invitation!.token, password: better });
    expect((await bo.call(identity.me)).rights).toContain('approve');
    // Quicker ways are offered to those who may go them.
    const quick = async () => (await ada.call(reports.today)).firstSteps!.filter((s) => s.quick).map((s) => s.key);
    expect(await quick()).toEqual(['plan', 'types', 'schedule']);
    // Whoever sets up is led; nobody else is.
    expect(await steps(ada)).toEqual([
      'plan false',
      'types false',
      'schedule false',
      'people true',
      'decide true',
      'file false',
      'outside false',
      'backup false',
    ]);
    expect(await steps(bo)).toBeUndefined();
    expect(await statusOf(bo.call(docket.batches))).toBe(200);
    expect(await statusOf(bo.call(setup.makeType, { body: { code: 'x', title: 'X', facts: [] } }))).toBe(403);
  });
});
