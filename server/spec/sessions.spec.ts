import { identity, people, schedule } from '@key-cellar/contract';
import { asOwner } from './support/database.js';
import { Client, letSetUp, type Login, makeWorld, password, statusOf, type World } from './support/world.js';

describe('a session', () => {
  let world: World;
  beforeAll(async () => {
    world = await makeWorld();
  });
  afterAll(() => world.stop());

  const signIn = (login: string, wrong = ''): Promise<number> =>
    fetch(`${world.base}/api/session`, {
      method: 'POST',
      body: JSON.stringify({ login, password: password + wrong }),
      headers: { 'x-key-cellar': '1' },
    }).then((r) => r.status);
  const me = (login: Login): Promise<number> => statusOf(world.as(login).call(identity.me));

  it('ends when its time is over, though its cookie is still sent', async () => {
    expect(await me('reader')).toBe(200);
    await world.pool.query(`update session set expires_at = now() - interval '1 second' where principal_id = $1`, [world.ids.reader]);
    expect(await me('reader')).toBe(401);
  });

  it('ends at once for who is let go, who cannot sign in again either', async () => {
    expect(await me('steward')).toBe(200);
    await world.pool.query('update principal set active = false where id = $1', [world.ids.steward]);
    expect(await me('steward')).toBe(401);
    expect(await signIn('steward')).toBe(401);
    await world.pool.query('update principal set active = true where id = $1', [world.ids.steward]);
    expect(await signIn('steward')).toBe(200);
  });

  it('ends when nobody has used it for an hour, and is not listed then', async () => {
    expect(await me('deputy')).toBe(200);
    await world.pool.query(`update session set last_seen_at = now() - interval '61 minutes' where principal_id = $1`, [world.ids.deputy]);
    expect(await me('deputy')).toBe(401);
    await world.pool.query(`update session set last_seen_at = now() - interval '58 minutes' where principal_id = $1`, [world.ids.deputy]);
    expect(await me('deputy')).toBe(200);
    // Used: an hour from now.
    const { rows } = await world.pool.query<{ fresh: boolean }>(
      `select last_seen_at > now() - interval '10 seconds' as fresh from session where principal_id = $1`,
      [world.ids.deputy],
    );
    expect(rows).toEqual([{ fresh: true }]);
  });

  it('ends as whoever sets up says, an open one as well', async () => {
    await letSetUp(world);
    const keeper = world.as('keeper');
    const limit = (idleMinutes: number, hours: number) => keeper.call(people.limitSessions, { body: { idleMinutes, hours } });
    expect(await keeper.call(people.sessionLimits)).toEqual({ idleMinutes: 60, hours: 12 });
    for (const login of ['counsel', 'outsider'] as const)
      expect(await statusOf(world.as(login).call(people.limitSessions, { body: { idleMinutes: 1440, hours: 168 } })))
        .withContext(login)
        .toBe(403);
    for (const [idleMinutes, hours] of [
      [4, 8],
      [60, 0],
      [60, 169],
    ] as const)
      expect(await statusOf(limit(idleMinutes, hours))).toBe(422);
    const aged = (column: string, age: string) =>
      world.pool.query(`update session set ${column} = now() - interval '${age}' where principal_id = $1`, [world.ids.counsel]);
    await aged('last_seen_at', '21 minutes');
    await limit(20, 8);
    expect(await me('counsel')).toBe(401);
    await limit(30, 8);
    expect(await me('counsel')).toBe(200);
    await aged('created_at', '9 hours');
    expect(await me('counsel')).toBe(401);
    await limit(30, 10);
    expect(await me('counsel')).toBe(200);
    expect((await world.as('counsel').call(identity.sessions)).hours).toBe(10);
    await asOwner(world.database, (client) => client.query(`delete from setting where name = 'sessionLimits'`));
  });

  it('is seen by its owner with where it is from, and ended from another, alone or with all others', async () => {
    await world.pool.query('delete from sign_in_try');
    const another = async (): Promise<Client> => {
      const response = await fetch(`${world.base}/api/session`, {
        method: 'POST',
        body: JSON.stringify({ login: 'auditor', password }),
        headers: { 'x-key-cellar': '1', 'user-agent': 'A browser' },
      });
      return new Client(world.base, response.headers.get('set-cookie')!.split(';')[0]!);
    };
    const [first, second, third] = [await another(), await another(), await another()];
    const { sessions } = await first.call(identity.sessions);
    expect(sessions.length).toBe(4);
    expect(sessions.filter((s) => s.here).length).toBe(1);
    expect(sessions.find((s) => s.here)).toEqual(jasmine.objectContaining({ from: '127.0.0.1', agent: 'A browser' }));
    const [other] = (await second.call(identity.sessions)).sessions.filter((s) => s.here);
    // Nobody ends what is somebody else's.
    expect(await statusOf(world.as('keeper').call(identity.endSession, { params: { id: other!.id } }))).toBe(404);
    await first.call(identity.endSession, { params: { id: other!.id } });
    expect(await statusOf(second.call(identity.me))).toBe(401);
    expect(await statusOf(third.call(identity.me))).toBe(200);
    expect(await first.call(identity.endOtherSessions)).toEqual({ ended: 2 });
    expect(await statusOf(third.call(identity.me))).toBe(401);
    expect(await statusOf(first.call(identity.me))).toBe(200);
    expect(await first.call(identity.endOtherSessions)).toEqual({ ended: 0 });
  });

  describe('is not given', () => {
    beforeEach(async () => {
      await world.pool.query('delete from sign_in_try');
      await world.pool.query('delete from known_address');
    });

    it('to an address that has guessed sixty times at as many logins', async () => {
      expect(await signIn('somebody-0', '!')).toBe(401);
      await world.pool.query(
        `insert into sign_in_try (login, address, at)
         select 'somebody-' || n, address, now() from sign_in_try, generate_series(1, 58) n`,
      );
      expect(await signIn('somebody-59', '!')).toBe(401);
      expect(await signIn('somebody-60', '!')).toBe(429);
      expect(await signIn('editor')).toBe(429);
      await world.pool.query(`update sign_in_try set at = now() - interval '16 minutes'`);
      expect(await signIn('editor')).toBe(200);
    });

    it('to fifty guesses at once: five are looked at', async () => {
      const answers = await Promise.all(Array.from({ length: 50 }, () => signIn('counsel', '!')));
      expect(answers.filter((status) => status === 401).length).toBe(5);
      expect(answers.filter((status) => status === 429).length).toBe(45);
    });

    it('to guesses from many addresses, while who has signed in here before still gets in', async () => {
      await world.pool.query(
        `insert into sign_in_try (login, address) select l, '10.0.0.' || n from generate_series(1, 25) n, unnest('{counsel,approver}'::text[]) l`,
      );
      await world.pool.query('insert into known_address (principal_id, address) values ($1, $2)', [world.ids.counsel, '127.0.0.1']);
      expect(await signIn('approver')).toBe(429);
      expect(await signIn('counsel')).toBe(200);
      // What is tried at the known address itself counts.
      for (let i = 0; i < 5; i++) expect(await signIn('counsel', '!')).toBe(401);
      expect(await signIn('counsel')).toBe(429);
    });

    it('to the right password of yesterday’s tries: what was right is forgotten', async () => {
      for (let i = 0; i < 4; i++) expect(await signIn('editor', '!')).toBe(401);
      expect(await signIn('editor')).toBe(200);
      for (let i = 0; i < 5; i++) expect(await signIn('editor', '!')).toBe(401);
      expect(await signIn('editor')).toBe(429);
    });
  });

  it('is needed while a stream goes on: it ends with it', async () => {
    const { rows } = await world.pool.query<{ id: string }>(
      `insert into job_progress (id, kind, subject, data, state, total, started_by)
       values (gen_random_uuid(), 'recompute', 'all', '{}', 'running', 10, $1) returning id`,
      [world.ids.depositor],
    );
    const path = `/api/jobs/${rows[0]!.id}/events`;
    // Of somebody else's work nobody is told, but the keepers of the repository.
    expect((await world.as('editor').fetch(path)).status).toBe(404);
    expect(await statusOf(world.as('editor').call(schedule.job, { params: { id: rows[0]!.id } }))).toBe(404);
    expect((await world.as('keeper').call(schedule.job, { params: { id: rows[0]!.id } })).total).toBe(10);
    await world.pool.query(`update session set expires_at = now() + interval '1 day' where principal_id = $1`, [world.ids.depositor]);
    const stream = await world.as('depositor').fetch(path);
    expect(stream.status).toBe(200);
    await world.pool.query('delete from session where principal_id = $1', [world.ids.depositor]);
    expect(await stream.text()).toContain('"total":10');
  }, 20_000);
});
