import { identity } from '@key-cellar/contract';
import { makeWorld, password, statusOf, type Login, type World } from './support/world.js';

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

  it('is not given to an address that has guessed sixty times at as many logins', async () => {
    await world.pool.query('delete from sign_in_failure');
    expect(await signIn('somebody-0', '!')).toBe(401);
    await world.pool.query(
      `insert into sign_in_failure (login, address, at)
       select 'somebody-' || n, address, now() from sign_in_failure, generate_series(1, 58) n`,
    );
    expect(await signIn('somebody-59', '!')).toBe(401);
    expect(await signIn('somebody-60', '!')).toBe(429);
    expect(await signIn('editor')).toBe(429);
    await world.pool.query(`update sign_in_failure set at = now() - interval '16 minutes'`);
    expect(await signIn('editor')).toBe(200);
  });
});
