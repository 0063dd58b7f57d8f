import { mkdtemp, rm } from 'node:fs/promises';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { federation, identity, ledger, people, type BodyOf } from '@key-cellar/contract';
import * as oidc from 'openid-client';
import { Secret, TOTP } from 'otpauth';
import { startIdentityProvider, type IdentityProvider, type Manner } from '../src/standins/identityProvider.js';
import { atProvider, ProviderBrowser, somebody } from './support/atProvider.js';
import { chapters } from './support/chapters.js';
import { asOwner } from './support/database.js';
import { type Client, makeWorld, password, statusOf, type World } from './support/world.js';

describe('signing in by a provider of identities', () => {
  const chapter = chapters();
  let world: World;
  let folder = '';
  let provider: IdentityProvider;
  let other: IdentityProvider;
  let [id, otherId] = ['', ''];
  /** How the provider answers next; as it should when nothing is said. */
  let manner: Partial<Manner> = {};
  const obeying: Manner = {
    claims: (claims) => manner.claims?.(claims) ?? claims,
    sends: (answer) => manner.sends?.(answer) ?? answer,
  };
  const admin = (): Client => world.as('keeper');

  const browse = (cookie = ''): ProviderBrowser => new ProviderBrowser(world.base, id, cookie);

  const details = (of: IdentityProvider, name: string): BodyOf<typeof federation.addProvider> => ({
    ...{ name, issuer: of.url, clientId: of.clientId, clientSecret: of.clientSecret, groupsClaim: 'groups', groups: [] },
    ...{ newcomers: false, byEmail: true, bringsFactor: false, active: true },
  });
  /** Changes how the provider is arranged here. */
  const arrange = async (changes: Partial<BodyOf<typeof federation.addProvider>>, which = id): Promise<void> => {
    const p = (await admin().call(federation.providers)).providers.find((one) => one.id === which)!;
    const groups = p.groups.map(({ value, group }) => ({ value, groupId: group.id }));
    await admin().call(federation.changeProvider, { params: { id: which }, body: { ...p, groups, clientSecret: null, ...changes } });
  };
  const entered = async (act: string): Promise<number> => (await admin().call(ledger.entries, { query: { act } as never })).entries.length;
  const forgetTries = () => asOwner(world.database, (client) => client.query('delete from sign_in_try; delete from sign_in_begun'));

  beforeAll(async () => {
    world = await makeWorld();
    folder = await mkdtemp(join(tmpdir(), 'providers-'));
    [provider, other] = await Promise.all([
      startIdentityProvider(join(folder, 'one'), obeying),
      startIdentityProvider(join(folder, 'other'), obeying),
    ]);
    await asOwner(world.database, async (client) => {
      await client.query(
        `insert into grant_ (id, principal_id, place_id, profile, reason) values (gen_random_uuid(), $1, $2, 'administrator', 'first keeper')`,
        [world.ids.keeper, world.ids.root],
      );
      await client.query(`update principal set email = login || '@works.example' where kind = 'person'`);
    });
    for (const one of [provider, other]) {
      await one.knows([
        somebody('editor', 'editor@works.example', ['harbour']),
        somebody('reader', 'reader@works.example'),
        somebody('liar', 'keeper@works.example', [], false),
        somebody('keeper', 'keeper@works.example'),
        somebody('wenna', 'wenna@works.example', ['harbour', 'night shift']),
      ]);
    }
    ({ id } = await admin().call(federation.addProvider, { body: details(provider, 'Works directory') }));
    ({ id: otherId } = await admin().call(federation.addProvider, { body: details(other, 'Other directory') }));
  });
  afterAll(async () => {
    await Promise.all([world.stop(), provider.stop(), other.stop()]);
    await rm(folder, { recursive: true });
  });
  beforeEach(async () => {
    manner = {};
    await forgetTries();
  });

  chapter('is arranged by those who set up, and its secret is told to nobody', async () => {
    const { providers } = await admin().call(federation.providers);
    expect(providers.map((p) => [p.name, p.hasSecret, p.redirectUri])).toContain([
      'Works directory',
      true,
      `http://127.0.0.1:4180/sign-in/from/${id}`,
    ]);
    expect(JSON.stringify(providers)).not.toContain(provider.clientSecret);
    const kept = await asOwner(world.database, (client) => client.query('select client_secret::text as sealed from identity_provider'));
    expect(JSON.stringify(kept.rows)).not.toContain(Buffer.from(provider.clientSecret).toString('hex'));
    const { entries } = await admin().call(ledger.entries, { query: { act: 'added a provider of identities' } as never });
    expect(JSON.stringify(entries)).not.toContain(provider.clientSecret);
    for (const [wrong, status] of [
      [{ issuer: 'http://sign-in.example.org' }, 422],
      [{ issuer: 'no address' }, 422],
      [{ name: 'works DIRECTORY', issuer: 'https://else.example' }, 422],
      [{ name: 'Third' }, 422],
      [{ name: 'Third', issuer: 'https://else.example', groups: [{ value: 'a', groupId: world.ids.reader }] }, 422],
    ] as const) {
      const body = { ...details(provider, 'Third'), ...wrong } as BodyOf<typeof federation.addProvider>;
      expect(await statusOf(admin().call(federation.addProvider, { body })))
        .withContext(JSON.stringify(wrong))
        .toBe(status);
    }
    // What one issuer was told is told to no other: whoever may change it does not learn it by that.
    const spare = await admin().call(federation.addProvider, {
      body: { ...details(provider, 'Spare'), issuer: 'https://spare.example', active: false },
    });
    await arrange({ name: 'Spare', issuer: 'https://elsewhere.example' }, spare.id);
    expect((await admin().call(federation.providers)).providers.find((p) => p.id === spare.id)!.hasSecret).toBeFalse();
    const found = await admin().call(federation.tryProvider, { body: { issuer: provider.url } });
    expect([found.reached, found.problems]).toEqual([true, []]);
    const away = await admin().call(federation.tryProvider, { body: { issuer: 'http://127.0.0.1:9' } });
    expect([away.reached, away.problems.length]).toEqual([false, 1]);
    // Whatever else answers there is none.
    expect((await admin().call(federation.tryProvider, { body: { issuer: world.base } })).reached).toBe(false);
  });

  chapter('signs in who is recognised by a verified address, and links them', async () => {
    const failedBefore = await entered('sign-in failed');
    const browser = browse();
    expect(await browser.signIn('editor')).toBe('in');
    expect(await browser.me()).toBe('editor');
    // Whoever calls themselves somebody without proof, and whoever is not known, is nobody.
    for (const sub of ['liar', 'wenna'])
      expect(await browse().signIn(sub))
        .withContext(sub)
        .toBe('401 provider-refused');
    const { links } = await browser.client.call(federation.links);
    expect(links.map((l) => l.provider.name)).toEqual(['Works directory']);
    expect(await entered('linked a provider')).toBe(1);
    expect(await entered('sign-in failed')).toBe(failedBefore + 2);
    // It is the subject that counts from then on, whatever the address is.
    await asOwner(world.database, (client) => client.query(`update principal set email = 'moved@works.example' where login = 'editor'`));
    const again = browse();
    expect([await again.signIn('editor'), await again.me()]).toEqual(['in', 'editor']);
  });

  chapter('does not recognise by address where that was not arranged', async () => {
    await arrange({ byEmail: false });
    expect(await browse().signIn('reader')).toBe('401 provider-refused');
    await arrange({ byEmail: true });
  });

  chapter('counts an answer once, in the browser that began, and for a while', async () => {
    const browser = browse();
    const sent = await atProvider(await browser.begin(), 'editor');
    // Somebody else’s browser, with and without something begun of its own: an answer is not handed over (session fixation).
    const stranger = browse();
    expect((await stranger.finish(sent)).status).toBe(401);
    await stranger.begin();
    expect((await stranger.finish(sent)).status).toBe(401);
    // It was not used up by that.
    const twice = await Promise.all([browser.finish(sent), browser.finish(sent)]);
    expect(twice.map((t) => t.status).sort()).toEqual([200, 401]);
    expect((await browser.finish(sent)).status).toBe(401);
    const late = browse();
    const lateSent = await atProvider(await late.begin(), 'editor');
    await asOwner(world.database, (client) => client.query(`update sign_in_begun set until = now() - interval '1 second'`));
    expect((await late.finish(lateSent)).status).toBe(401);
  });

  chapter('gives a session that nobody could have known before', async () => {
    const planted = browse('cellar_session=planted-by-somebody-else');
    expect(await planted.signIn('editor')).toBe('in');
    expect(planted.cookies.get('cellar_session')).not.toBe('planted-by-somebody-else');
    // What was begun is not a session, and what is a session was not begun.
    expect(planted.cookies.get('cellar_session')).not.toBe(planted.cookies.get('cellar_leaving'));
    expect(await browse(`cellar_session=${planted.cookies.get('cellar_leaving')!}`).me()).toBe(401);
  });

  chapter('is not mixed up between providers', async () => {
    const browser = browse();
    const sent = await atProvider(await browser.begin(otherId), 'editor');
    // The other’s answer at this one’s address, and at its own with this one’s name on it.
    expect((await browser.finish(sent, id)).status).toBe(401);
    const second = browse();
    const fake = await atProvider(await second.begin(), 'editor');
    expect((await second.finish(fake.replace(encodeURIComponent(provider.url), encodeURIComponent(other.url)))).status).toBe(401);
    const third = browse();
    const without = new URLSearchParams(await atProvider(await third.begin(), 'editor'));
    without.delete('iss');
    expect((await third.finish(`?${without.toString()}`)).status).toBe(401);
    // The same subject at another provider is somebody else.
    await arrange({ byEmail: false }, otherId);
    expect(await browse().signIn('editor', { by: otherId })).toBe('401 provider-refused');
  });

  const now = (): number => Math.floor(Date.now() / 1000);
  const forged: Record<string, Partial<Manner>> = {
    'an identity for another client': { claims: (c) => ({ ...c, aud: 'somebody-else' }) },
    'an identity by another issuer': { claims: (c) => ({ ...c, iss: 'https://else.example' }) },
    'an identity of another sign-in (nonce)': { claims: (c) => ({ ...c, nonce: 'of-before' }) },
    'an identity without a nonce': { claims: ({ nonce: _none, ...c }) => c },
    'an identity that has ended': { claims: (c) => ({ ...c, iat: now() - 900, exp: now() - 600 }) },
    'an identity without an end': { claims: ({ exp: _none, ...c }) => c },
    'an identity of nobody': { claims: ({ sub: _none, ...c }) => c },
    'an answer with another state': { sends: (a) => ({ ...a, state: 'else' }) },
    'an answer with a made-up code': { sends: (a) => ({ ...a, code: 'made-up' }) },
    'an answer with an error': { sends: ({ code: _none, ...a }) => ({ ...a, error: 'server_error' }) },
    'an answer without a code': { sends: ({ code: _none, ...a }) => a },
  };
  for (const [what, how] of Object.entries(forged)) {
    it(`does not believe ${what}`, async () => {
      manner = how;
      expect(await browse().signIn('editor')).toBe('401 provider-refused');
      manner = {};
      expect(await browse().signIn('editor')).toBe('in');
    });
  }

  it('does not believe an identity that was changed, unsigned, or signed by another key', async () => {
    for (const how of ['changed', 'unsigned', 'another key']) {
      const real = globalThis.fetch;
      // What lies between the two servers, in the hands of somebody who may change answers there.
      globalThis.fetch = async (input, init) => {
        const answer = await real(input, init);
        const url = input instanceof Request ? input.url : String(input);
        if (how === 'another key' && url === `${provider.url}/jwks`) return real(`${other.url}/jwks`);
        if (!url.endsWith('/token') || how === 'another key') return answer;
        const body = (await answer.json()) as { id_token: string };
        const [head, claims, signature] = body.id_token.split('.') as [string, string, string];
        const said = { ...(JSON.parse(Buffer.from(claims, 'base64url').toString()) as object), sub: 'keeper' };
        const part = (value: object): string => Buffer.from(JSON.stringify(value)).toString('base64url');
        const idToken = how === 'changed' ? [head, part(said), signature] : [part({ alg: 'none' }), part(said), ''];
        return Response.json({ ...body, id_token: idToken.join('.') });
      };
      try {
        // As after a start: nothing of it is known yet.
        await arrange({});
        expect(await browse().signIn('editor'))
          .withContext(how)
          .toBe('401 provider-refused');
      } finally {
        globalThis.fetch = real;
      }
    }
    await arrange({});
    expect(await browse().signIn('editor')).toBe('in');
  });

  it('forgives clocks that differ by half a minute, and not by five', async () => {
    for (const [seconds, came] of [
      [-30, 'in'],
      [30, 'in'],
      [-300, '401 provider-refused'],
      [300, '401 provider-refused'],
    ] as const) {
      manner = { claims: (c) => ({ ...c, iat: now() + seconds, nbf: now() + seconds, exp: now() + seconds + (seconds < 0 ? 0 : 300) }) };
      expect(await browse().signIn('editor'))
        .withContext(`${seconds}`)
        .toBe(came);
    }
  });

  it('says what to do when the provider is away, or somebody turned back there', async () => {
    const browser = browse();
    const cancelled = await browser.finish(await atProvider(await browser.begin(), 'nobody'));
    expect([cancelled.status, cancelled.body['detail']]).toEqual([401, 'You did not sign in at Works directory.']);
    const { id: away } = await admin().call(federation.addProvider, {
      body: { ...details(provider, 'Away'), issuer: 'http://127.0.0.1:9' },
    });
    expect(await browse().begin(away)).toBe('503');
    await arrange({ active: false }, away);
    expect(await browse().begin(away)).toBe('404');
  });

  it('begins no more than so often from one address', async () => {
    await asOwner(world.database, (client) =>
      client.query(
        `insert into sign_in_begun (token_hash, provider_id, address, until) select sha256(i::text::bytea), $1, '127.0.0.1', now() + interval '5 minutes' from generate_series(1, 100) i`,
        [id],
      ),
    );
    expect(await browse().begin()).toBe('429');
  });

  chapter('puts people into the groups that were arranged for it, out of those, and touches no other', async () => {
    const { id: harbour } = await admin().call(people.makeGroup, { body: { name: 'Harbour', memberIds: [] } });
    const { id: night } = await admin().call(people.makeGroup, { body: { name: 'Night shift', memberIds: [world.ids.editor] } });
    const { id: own } = await admin().call(people.makeGroup, { body: { name: 'Own', memberIds: [world.ids.editor] } });
    await arrange({
      groups: [
        { value: 'harbour', groupId: harbour },
        { value: 'night shift', groupId: night },
      ],
    });
    expect(await browse().signIn('editor')).toBe('in');
    const groupsOf = async (person: string): Promise<string[]> =>
      (await admin().call(people.person, { params: { id: person } })).groups.map((g) => g.id);
    expect(await groupsOf(world.ids.editor)).toEqual(jasmine.arrayWithExactContents([harbour, own]));
    expect(await entered('was put into groups by a provider')).toBe(1);
    expect(await browse().signIn('editor')).toBe('in');
    expect(await entered('was put into groups by a provider')).toBe(1);
    // One that says none at all brings none.
    manner = { claims: ({ groups: _none, ...c }) => ({ ...c, groups: [] }) };
    expect(await browse().signIn('editor')).toBe('in');
    expect(await groupsOf(world.ids.editor)).toEqual(jasmine.arrayWithExactContents([own]));
  });

  chapter('lets nobody be left without administrators', async () => {
    const { id: bosses } = await admin().call(people.makeGroup, { body: { name: 'Bosses', memberIds: [world.ids.keeper] } });
    await asOwner(world.database, async (client) => {
      await client.query(`update grant_ set principal_id = $1 where profile = 'administrator'`, [bosses]);
      await client.query(`update epoch set value = value + 1 where name = 'access'`);
    });
    await arrange({ groups: [{ value: 'bosses', groupId: bosses }] });
    expect(await browse().signIn('keeper')).toBe('409 last-administrator');
    expect(await statusOf(admin().call(federation.providers))).toBe(200);
    await arrange({ groups: [] });
  });

  chapter('adds newcomers where that was arranged, without any right', async () => {
    await arrange({ newcomers: true });
    await asOwner(world.database, (client) =>
      client.query(`insert into principal (id, kind, name, login) values (gen_random_uuid(), 'person', 'Another', 'wenna')`),
    );
    const browser = browse();
    // In two windows at once.
    expect(await Promise.all([browser.signIn('wenna'), browse().signIn('wenna')])).toEqual(['in', 'in']);
    const me = await browser.client.call(identity.me);
    expect([me.login, me.name, me.rights]).toEqual(['wenna2', 'Somebody wenna', []]);
    const { links, hasPassword } = await browser.client.call(federation.links);
    expect([links.length, hasPassword]).toEqual([1, false]);
    // Without a password it is having signed in just now that shows who they are.
    expect(await statusOf(browser.client.call(identity.beginSecond, { body: { password: '' } }))).toBe(200);
    await asOwner(world.database, (client) =>
      client.query(`update session set created_at = now() - interval '11 minutes' where principal_id = $1`, [me.id]),
    );
    expect(await statusOf(browser.client.call(identity.beginSecond, { body: { password: '' } }))).toBe(409);
    // Their only way in stays; whoever sets up may take it, and they are out at once.
    expect(await statusOf(browser.client.call(federation.unlink, { params: { id } }))).toBe(409);
    expect(await statusOf(admin().call(federation.unlinkPerson, { params: { id: me.id, providerId: id } }))).toBe(200);
    expect(await browser.me()).toBe(401);
    await arrange({ newcomers: false });
  });

  chapter('lets in nobody who was let go', async () => {
    await asOwner(world.database, (client) => client.query(`update principal set active = false where login = 'editor'`));
    expect(await browse().signIn('editor')).toBe('401 provider-refused');
    await asOwner(world.database, (client) => client.query(`update principal set active = true where login = 'editor'`));
  });

  chapter('is linked by whoever is signed in, and by nobody else', async () => {
    const reader = browse(world.as('reader').cookie);
    expect(await reader.signIn('keeper', { link: true })).toBe('linked');
    expect(await reader.me()).toBe('reader');
    const byIt = browse();
    expect([await byIt.signIn('keeper'), await byIt.me()]).toEqual(['in', 'reader']);
    // Who is linked here already is not linked again, and nobody is made somebody else.
    const keeper = browse(world.as('keeper').cookie);
    expect(await keeper.signIn('keeper', { link: true })).toBe('409 linked-elsewhere');
    expect(await reader.signIn('editor', { link: true })).toBe('409 linked-elsewhere');
    // What one begins another does not finish.
    const url = await reader.begin(id, true);
    const swapped = browse(world.as('editor').cookie);
    swapped.cookies.set('cellar_leaving', reader.cookies.get('cellar_leaving')!);
    expect((await swapped.finish(await atProvider(url, 'reader'))).status).toBe(401);
    expect(await browse().begin(id, true)).toBe('401');
    // Nor by whoever finds a session open: it has to have begun just now.
    await asOwner(world.database, (client) =>
      client.query(`update session set created_at = now() - interval '11 minutes' where principal_id = $1`, [world.ids.reader]),
    );
    expect(await reader.begin(id, true)).toBe('409');
    await reader.client.call(federation.unlink, { params: { id } });
    expect((await reader.client.call(federation.links)).links).toEqual([]);
  });

  chapter('asks for the code of whoever has a second factor, unless the provider’s own counts', async () => {
    const editor = world.as('editor');
    const { secret } = await editor.call(identity.beginSecond, { body: { password } });
    const code = (steps = 0): string =>
      new TOTP({ secret: Secret.fromBase32(secret) }).generate({ timestamp: Date.now() + steps * 30_000 });
    const { codes } = await editor.call(identity.confirmSecond, { body: { code: code() } });
    const browser = browse();
    expect(await browser.signIn('editor', { factor: true })).toBe('code');
    expect(await browser.me()).toBe(401);
    expect((await browser.post('/sign-in/code', { code: '000000' })).status).toBe(401);
    // Another browser has nothing to give a code for.
    expect((await browse().post('/sign-in/code', { code: codes[0]! })).status).toBe(401);
    expect((await browser.post('/sign-in/code', { code: codes[0]! })).status).toBe(200);
    expect(await browser.me()).toBe('editor');
    expect((await browser.post('/sign-in/code', { code: codes[1]! })).status).toBe(401);
    await arrange({ bringsFactor: true });
    expect(await browse().signIn('editor', { factor: true })).toBe('in');
    expect(await browse().signIn('editor', { factor: false })).toBe('code');
    // Codes are not guessed here either.
    const guesser = browse();
    await guesser.signIn('editor');
    const answers = [];
    for (let i = 0; i < 8; i++) answers.push((await guesser.post('/sign-in/code', { code: String(100_000 + i) })).status);
    expect(answers.filter((status) => status === 401).length).toBeLessThanOrEqual(5);
    expect(answers.at(-1)).toBe(429);
    await admin().call(people.resetSecond, { params: { id: world.ids.editor }, body: { reason: 'the telephone is gone' } });
  });

  chapter('counts as the second factor that a group asks for, in that session alone', async () => {
    const { id: asking } = await admin().call(people.makeGroup, {
      body: { name: 'Asks', memberIds: [world.ids.reader], secondFactor: true },
    });
    const withIt = browse();
    expect(await withIt.signIn('reader', { factor: true })).toBe('in');
    expect(await statusOf(withIt.client.call(identity.sessions))).toBe(200);
    expect((await withIt.client.call(identity.me)).secondFactorNeeded).toBe(false);
    const without = browse();
    expect(await without.signIn('reader')).toBe('in');
    expect(await statusOf(without.client.call(identity.sessions))).toBe(403);
    expect((await without.client.call(identity.me)).secondFactorNeeded).toBe(true);
    const { revision } = (await admin().call(people.list)).groups.find((g) => g.id === asking)!;
    await admin().call(people.changeGroup, {
      params: { id: asking },
      body: { name: 'Asks', active: true, memberIds: [], secondFactor: true, revision },
    });
  });
});

const isRefused = (asked: unknown): Promise<boolean> =>
  Promise.resolve(asked).then(
    () => false,
    () => true,
  );

describe('the stand-in of a provider', () => {
  let folder = '';
  let provider: IdentityProvider;
  const back = `http://127.0.0.1:4180/sign-in/from/${'0'.repeat(8)}-0000-4000-8000-${'0'.repeat(12)}`;
  beforeAll(async () => {
    folder = await mkdtemp(join(tmpdir(), 'provider-'));
    provider = await startIdentityProvider(folder);
    await provider.knows([somebody('ada', 'ada@works.example', ['harbour'])]);
  });
  afterAll(async () => {
    await provider.stop();
    await rm(folder, { recursive: true });
  });

  const configuration = async (secret = provider.clientSecret): Promise<oidc.Configuration> => {
    const found = await oidc.discovery(new URL(provider.url), provider.clientId, {}, oidc.ClientSecretBasic(secret), {
      execute: [oidc.allowInsecureRequests],
    });
    oidc.enableNonRepudiationChecks(found);
    return found;
  };
  async function way(changes: Record<string, string> = {}): Promise<{ came: URL; verifier: string; state: string; nonce: string }> {
    const [verifier, state, nonce] = [oidc.randomPKCECodeVerifier(), oidc.randomState(), oidc.randomNonce()];
    const url = oidc.buildAuthorizationUrl(await configuration(), {
      ...{ redirect_uri: back, scope: 'openid', state, nonce },
      ...{ code_challenge: await oidc.calculatePKCECodeChallenge(verifier), code_challenge_method: 'S256' },
      ...changes,
    });
    const fields = new URLSearchParams(url.search);
    fields.set('sub', 'ada');
    const response = await fetch(`${provider.url}/authorize`, { method: 'POST', body: fields, redirect: 'manual' });
    return { came: new URL(response.headers.get('location') ?? 'http://refused/'), verifier, state, nonce };
  }

  it('passes the checks of a client library that is not ours', async () => {
    const { came, verifier, state, nonce } = await way();
    const checks = { pkceCodeVerifier: verifier, expectedState: state, expectedNonce: nonce, idTokenExpected: true };
    const tokens = await oidc.authorizationCodeGrant(await configuration(), came, checks);
    expect(tokens.claims()?.sub).toBe('ada');
    const info = await oidc.fetchUserInfo(await configuration(), tokens.access_token, 'ada');
    expect(String(info['groups'])).toBe('harbour');
    // A code works once.
    expect(await isRefused(oidc.authorizationCodeGrant(await configuration(), came, checks))).toBeTrue();
  });

  it('gives a code to nobody without the secret and the verifier, and sends nobody elsewhere', async () => {
    const { came, state, nonce } = await way();
    const checks = { expectedState: state, expectedNonce: nonce };
    expect(
      await isRefused(
        oidc.authorizationCodeGrant(await configuration(), came, { ...checks, pkceCodeVerifier: oidc.randomPKCECodeVerifier() }),
      ),
    ).toBeTrue();
    const second = await way();
    expect(
      await isRefused(
        oidc.authorizationCodeGrant(await configuration('another'), second.came, {
          ...{ expectedState: second.state, expectedNonce: second.nonce, pkceCodeVerifier: second.verifier },
        }),
      ),
    ).toBeTrue();
    for (const wrong of [
      { redirect_uri: 'https://evil.example/sign-in/from/00000000-0000-4000-8000-000000000000' },
      { redirect_uri: `${back}/../x` },
      { code_challenge_method: 'plain' },
      { client_id: 'else' },
      { scope: 'profile' },
    ])
      expect((await way(wrong as unknown as Record<string, string>)).came.host)
        .withContext(JSON.stringify(wrong))
        .toBe('refused');
  });

  it('keeps its name over a restart', async () => {
    const { url } = provider;
    await provider.stop();
    provider = await startIdentityProvider(folder);
    expect(provider.url).toBe(url);
  });
});
