import { execFileSync } from 'node:child_process';
import { identity, ledger, people } from '@key-cellar/contract';
import { Secret, TOTP } from 'otpauth';
import { chapters } from './support/chapters.js';
import { asOwner } from './support/database.js';
import { Client, letSetUp, makeWorld, password, statusOf, type World } from './support/world.js';

describe('a second factor', () => {
  const chapter = chapters();
  let world: World;
  let secret = '';
  let recovery: string[] = [];
  const stepMs = 30_000;
  const totp = () => new TOTP({ secret: Secret.fromBase32(secret) });
  /** The code of a moment so many steps from now. */
  const codeAt = (steps = 0): string => totp().generate({ timestamp: Date.now() + steps * stepMs });
  const admin = () => world.as('keeper');
  const signIn = async (
    login: string,
    code: string | null = null,
    given = password,
  ): Promise<{ status: number; type: string; client: Client }> => {
    const response = await new Client(world.base, '').fetch('/api/session', {
      method: 'POST',
      body: JSON.stringify({ login, password: given, code }),
      headers: { 'content-type': 'application/json' },
    });
    const body = (await response.json()) as { type?: string };
    return {
      status: response.status,
      type: (body.type ?? '').split(':').at(-1)!,
      client: new Client(world.base, response.headers.get('set-cookie')?.split(';')[0] ?? ''),
    };
  };
  const forgetTries = () => asOwner(world.database, (client) => client.query('delete from sign_in_try'));
  /** As if no code had been used yet: steps are half a minute long. */
  const forgetSteps = () => asOwner(world.database, (client) => client.query('update second_factor set last_step = 0'));

  const step = () => Math.floor(Date.now() / stepMs);
  /** Does something within one step: once more, with no code used yet, when the half minute turned meanwhile. */
  const withinStep = async <T>(work: () => Promise<T>): Promise<T> => {
    for (;;) {
      await forgetTries();
      await forgetSteps();
      const began = step();
      const result = await work();
      if (step() === began) return result;
    }
  };

  beforeAll(async () => {
    world = await makeWorld();
    await letSetUp(world);
  });
  afterAll(() => world.stop());

  chapter('counts once its owner has shown that they have it, and not before', async () => {
    await forgetTries();
    const editor = world.as('editor');
    expect(await statusOf(editor.call(identity.beginSecond, { body: { password: 'not this one' } }))).toBe(422);
    const begun = await editor.call(identity.beginSecond, { body: { password } });
    secret = begun.secret;
    expect(begun.uri).toMatch(/^otpauth:\/\/totp\/Test:editor\?.*secret=[A-Z2-7]{32}/);
    expect((await signIn('editor')).status).toBe(200);
    expect(await statusOf(editor.call(identity.confirmSecond, { body: { code: '000000' } }))).toBe(422);
    const other = (await signIn('editor')).client;
    ({ codes: recovery } = await editor.call(identity.confirmSecond, { body: { code: codeAt() } }));
    expect(recovery.length).toBe(10);
    expect(new Set(recovery).size).toBe(10);
    // Whoever was signed in without it is not any more; here it goes on.
    expect([await statusOf(other.call(identity.me)), await statusOf(editor.call(identity.me))]).toEqual([401, 200]);
    expect(await editor.call(identity.secondFactor)).toEqual({ on: true, asked: false, codesLeft: 10 });
    await forgetTries();
    expect(await statusOf(editor.call(identity.beginSecond, { body: { password } }))).toBe(409);
    expect(await statusOf(editor.call(identity.confirmSecond, { body: { code: codeAt(1) } }))).toBe(409);
  });

  chapter('is asked for after the password, each code once, and half a minute of skew is forgiven', async () => {
    await forgetTries();
    expect(await signIn('editor', null, 'a wrong password')).toEqual(jasmine.objectContaining({ status: 401, type: 'wrong-sign-in' }));
    expect(await signIn('editor', codeAt(), 'a wrong password')).toEqual(jasmine.objectContaining({ status: 401, type: 'wrong-sign-in' }));
    expect(await signIn('editor')).toEqual(jasmine.objectContaining({ status: 401, type: 'code-needed' }));
    expect((await signIn('editor', '123456')).type).toBe('wrong-code');
    const used = await withinStep(async () => {
      const now = codeAt();
      // The same code twice, and twice at once.
      const both = await Promise.all([signIn('editor', now), signIn('editor', now)]);
      const then = [];
      // One from before what was used is worth nothing, one from after it is.
      for (const code of [now, codeAt(-1), codeAt(1)]) then.push((await signIn('editor', code)).status);
      return [both.map((r) => r.status).sort(), then];
    });
    expect(used).toEqual([
      [200, 401],
      [401, 401, 200],
    ]);
    for (const [steps, status] of [
      [-3, 401],
      [-2, 401],
      [2, 401],
      [3, 401],
      [-1, 200],
    ] as const) {
      const answer = await withinStep(() => signIn('editor', codeAt(steps)));
      expect(answer.status).withContext(`${steps}`).toBe(status);
    }
  });

  chapter('has codes that another program makes as well (RFC 6238)', async () => {
    await forgetTries();
    await forgetSteps();
    // Python knows nothing of ours: HMAC, truncation and digits as the standard says them.
    const program = `
import base64,hmac,hashlib,struct,sys,time
key=base64.b32decode(sys.argv[1]); t=int(time.time())//30
h=hmac.new(key,struct.pack('>Q',t),hashlib.sha1).digest(); o=h[-1]&15
print('%06d'%((struct.unpack('>I',h[o:o+4])[0]&0x7fffffff)%1000000))`;
    const code = execFileSync('python3', ['-c', program, secret]).toString().trim();
    expect((await signIn('editor', code)).status).toBe(200);
  });

  chapter('is not guessed', async () => {
    await forgetTries();
    await forgetSteps();
    let codes = 0;
    for (let i = 0; i < 8; i++) if ((await signIn('editor', String(100_000 + i))).type === 'wrong-code') codes++;
    expect(codes).toBeLessThanOrEqual(5);
    expect((await signIn('editor', codeAt())).status).toBe(429);
  });

  chapter('gives way to recovery codes, each of which works once', async () => {
    await forgetTries();
    const [first, second] = recovery;
    expect((await signIn('editor', first)).status).toBe(200);
    expect((await signIn('editor', first)).status).toBe(401);
    // As somebody types it.
    expect((await signIn('editor', second!.toLowerCase().replaceAll('-', ' '))).status).toBe(200);
    const { client } = await signIn('editor', recovery[2]!);
    expect((await client.call(identity.secondFactor)).codesLeft).toBe(7);
    const entries = await world.as('auditor').call(ledger.entries, { query: { act: 'used a recovery code', limit: 10 } });
    expect(entries.entries.length).toBe(3);
    // Whoever took one that was lying about, and sits before an open session, cannot make more of them without the password.
    expect(await statusOf(client.call(identity.newCodes, { body: { password: 'guessed', code: recovery[3]! } }))).toBe(422);
    expect(await statusOf(client.call(identity.newCodes, { body: { password, code: '999999' } }))).toBe(422);
    const { codes } = await client.call(identity.newCodes, { body: { password, code: recovery[3]! } });
    await forgetTries();
    expect((await signIn('editor', recovery[4]!)).status).toBe(401);
    expect((await signIn('editor', codes[0]!)).status).toBe(200);
    recovery = codes;
  });

  chapter('does not lie about in the database', async () => {
    await forgetTries();
    const { rows } = await world.pool.query<{ all: string; secret: Buffer }>(
      `select f.secret, (select string_agg(c::text, ' ') from recovery_code c) as all from second_factor f`,
    );
    const bytes = Buffer.from(Secret.fromBase32(secret).buffer);
    expect(rows[0]!.secret.includes(bytes)).toBeFalse();
    for (const code of recovery) expect(rows[0]!.all).not.toContain(code.replaceAll('-', ''));
    // The secret of one person, put into the row of another, opens for nobody.
    await asOwner(world.database, (client) =>
      client.query(
        `insert into second_factor (principal_id, secret, confirmed_at) select $1, secret, now() from second_factor where principal_id = $2`,
        [world.ids.counsel, world.ids.editor],
      ),
    );
    expect((await signIn('counsel', codeAt(1))).status).not.toBe(200);
    await asOwner(world.database, (client) => client.query('delete from second_factor where principal_id = $1', [world.ids.counsel]));
  });

  chapter('is not passed by with a link to choose another password', async () => {
    await forgetTries();
    const { token } = (await admin().call(people.invite, { params: { id: world.ids.editor }, body: { byMail: false } })) as {
      token: string;
    };
    const response = await new Client(world.base, '').fetch('/api/invitation/accept', {
      method: 'POST',
      body: JSON.stringify({ token, password: 'another good long one' }),
      headers: { 'content-type': 'application/json' },
    });
    const cookie = response.headers.get('set-cookie')?.split(';')[0] ?? '';
    expect([response.status, await statusOf(new Client(world.base, cookie).call(identity.me))]).toEqual([200, 401]);
    expect((await signIn('editor', null, 'another good long one')).type).toBe('code-needed');
  });

  chapter('is asked for by groups, also through others, and until then nothing else is done', async () => {
    await forgetTries();
    const staff = (await admin().call(people.list)).groups.find((g) => g.id === world.ids.staff)!;
    const { id: outer } = await admin().call(people.makeGroup, {
      body: { name: 'Whoever decides', memberIds: [world.ids.staff], secondFactor: true },
    });
    await admin().call(people.changeGroup, {
      params: { id: staff.id },
      body: { name: staff.name, active: true, memberIds: [world.ids.reader], revision: staff.revision },
    });
    const reader = world.as('reader');
    const me = await reader.call(identity.me);
    expect(me.secondFactorNeeded).toBeTrue();
    for (const path of [
      '/records',
      '/plan',
      '/today',
      '/messages',
      '/setup/people',
      '/access',
      '/matters',
      `/records/${world.ids.root}/pages/1`,
    ])
      expect((await reader.fetch(`/api${path}`)).status)
        .withContext(path)
        .toBe(403);
    expect(await statusOf(world.as('counsel').call(identity.people))).toBe(200);
    secret = (await reader.call(identity.beginSecond, { body: { password } })).secret;
    await reader.call(identity.confirmSecond, { body: { code: codeAt() } });
    expect((await reader.call(identity.me)).secondFactorNeeded).toBeFalse();
    expect((await reader.fetch('/api/records')).status).toBe(200);
    expect(await statusOf(reader.call(identity.endSecond, { body: { password, code: codeAt(1) } }))).toBe(409);
    // A change of the group that does not speak of it leaves it as it is; out of use it asks for nothing.
    const group = () =>
      admin()
        .call(people.list)
        .then(({ groups }) => groups.find((g) => g.id === outer)!);
    const change = async (more: object) => {
      const now = await group();
      await admin().call(people.changeGroup, {
        params: { id: outer },
        body: { name: now.name, active: true, memberIds: now.members.map((m) => m.id), revision: now.revision, ...more },
      });
    };
    await change({});
    expect((await group()).secondFactor).toBeTrue();
    await change({ active: false });
    expect((await reader.call(identity.secondFactor)).asked).toBeFalse();
    await forgetTries();
    await reader.call(identity.endSecond, { body: { password, code: codeAt(1) } });
    expect((await signIn('reader')).status).toBe(200);
  });

  chapter('is reset by whoever sets up when it is lost, and by nobody else', async () => {
    await forgetTries();
    const reset = (login: 'keeper' | 'deputy' | 'auditor' | 'editor') =>
      statusOf(world.as(login).call(people.resetSecond, { params: { id: world.ids.editor }, body: { reason: 'lost the telephone' } }));
    for (const login of ['deputy', 'auditor'] as const)
      expect(await reset(login))
        .withContext(login)
        .toBe(403);
    const { client } = await signIn('editor', recovery[1]!, 'another good long one');
    expect(await statusOf(client.call(identity.me))).toBe(200);
    expect((await admin().call(people.list)).people.find((p) => p.id === world.ids.editor)!.secondFactor).toBeTrue();
    expect(await reset('keeper')).toBe(200);
    expect(await statusOf(client.call(identity.me))).toBe(401);
    expect((await signIn('editor', null, 'another good long one')).status).toBe(200);
    expect(await reset('keeper')).toBe(409);
  });
});
