import { access, exchange, identity, ledger, people, plan, programs, receiving, records, scopes, type Scope } from '@key-cellar/contract';
import { scopeOf } from '../src/http/bind.js';
import { bound } from '../src/http/table.js';
import { chapters } from './support/chapters.js';
import { Client, letSetUp, makeWorld, statusOf, today, type World } from './support/world.js';

const somewhere = '00000000-0000-4000-8000-000000000000';

/** Whoever asks with a token, and with nothing else unless said so. */
class Bearer extends Client {
  constructor(
    base: string,
    private readonly token: string,
    cookie = '',
  ) {
    super(base, cookie);
  }
  override fetch(path: string, init: RequestInit & { duplex?: 'half' } = {}): Promise<Response> {
    const { 'x-key-cellar': _none, ...headers } = (init.headers ?? {}) as Record<string, string>;
    return fetch(`${this.base}${path}`, {
      ...init,
      headers: { ...headers, ...(this.cookie ? { cookie: this.cookie } : {}), authorization: `Bearer ${this.token}` },
    });
  }
}

describe('programs with tokens', () => {
  const chapter = chapters();
  let world: World;
  let id = '';
  const admin = (): Client => world.as('keeper');
  const made = async (given: readonly Scope[], until = '2026-12-31', program = id): Promise<{ id: string; token: string }> =>
    admin().call(programs.makeToken, { params: { id: program }, body: { name: 'T', scopes: [...given], until } });
  const bearer = async (program: string, ...given: Scope[]): Promise<Bearer> =>
    new Bearer(world.base, (await made(given, '2026-12-31', program)).token);
  const grant = (profile: string, place = world.ids.root, principalId = id): Promise<unknown> =>
    admin().call(people.giveGrant, { params: { id: place }, body: { principalId, profile, reason: 'reads along', dryRun: false } });

  beforeAll(async () => {
    world = await makeWorld();
    await letSetUp(world);
    ({ id } = await admin().call(programs.make, { body: { name: 'Intake bridge', clearance: { level: 0, caveats: [] } } }));
  });
  afterAll(() => world.stop());

  chapter('may do nothing by a token alone: what they may do is granted, like to anybody', async () => {
    const record = await world.file('editor');
    const all = await bearer(id, ...scopes);
    expect((await all.call(records.list, { body: {} as never })).records).toEqual([]);
    expect(await statusOf(all.call(records.dossier, { params: { id: record.id } }))).toBe(404);
    await grant('reader');
    expect(await statusOf(all.call(records.dossier, { params: { id: record.id } }))).toBe(200);
    expect(await statusOf(all.call(records.declare, { body: { ids: [record.id] } as never }))).toBe(200);
    expect((await all.call(records.dossier, { params: { id: record.id } })).state).toBe('working');
    expect((await all.fetch(`/api/records/${record.id}/content`)).status).toBe(403);
    await grant('keeper', world.ids.A);
    const { results } = await all.call(records.declare, { body: { ids: [record.id] } as never });
    expect(results.map((r) => r.outcome)).toEqual(['done']);
    // The ledger says which program it was.
    const { entries } = await admin().call(ledger.entries, { query: { act: 'declared' } as never });
    expect(JSON.stringify(entries)).toContain('Intake bridge');
  });

  chapter('are let at what their token is for, and at nothing else: every endpoint with every scope', async () => {
    const bearers = new Map<Scope, Bearer>();
    for (const scope of scopes) bearers.set(scope, await bearer(id, scope));
    for (const { name, endpoint } of bound()) {
      const scope = scopeOf(name, endpoint);
      const ask = async (client: Client): Promise<string> => {
        const path = `/api${endpoint.path.replace(/\{\w+\}/g, somewhere)}`;
        const method = endpoint.method.toUpperCase();
        const body = method === 'GET' ? {} : { body: '[]', headers: { 'content-type': 'application/json' } };
        const response = await client.fetch(path, { method, ...body });
        const text = await response.text();
        return response.status === 403 && text.includes('scope-missing') ? 'kept away' : response.status < 500 ? 'let at it' : text;
      };
      if (scope === null) {
        for (const one of bearers.values())
          expect(await ask(one))
            .withContext(name)
            .toBe('kept away');
        continue;
      }
      expect(await ask(bearers.get(scope)!))
        .withContext(`${name} with ${scope}`)
        .toBe('let at it');
      // What lets at the acts of an area does not let at its questions, nor the other way round.
      const [area, what] = scope.split('.') as [string, string];
      const other =
        scopes.find((s) => s === `${area}.${what === 'act' ? 'read' : 'act'}`) ?? (area === 'plan' ? 'schedule.read' : 'plan.read');
      expect(await ask(bearers.get(other)!))
        .withContext(`${name} with ${other}`)
        .toBe('kept away');
    }
  });

  it('decide on nothing that is for people, and arrange nobody', () => {
    const letAt = bound().filter(({ name, endpoint }) => scopeOf(name, endpoint) !== null);
    const areas = new Set(letAt.filter(({ endpoint }) => endpoint.changes).map(({ name }) => name.split('.')[0]));
    expect([...areas].sort()).toEqual(['exchange', 'holds', 'plan', 'receiving', 'records', 'schedule', 'setup', 'stencils']);
    for (const area of ['identity', 'federation', 'programs', 'people', 'passes'])
      expect(letAt.filter(({ name }) => name.startsWith(`${area}.`)))
        .withContext(area)
        .toEqual([]);
  });

  it('lose everything with their token, at once, however it ends', async () => {
    const works = async (token: string): Promise<boolean> => (await statusOf(new Bearer(world.base, token).call(plan.rack))) === 200;
    for (const wrong of ['', 'x', 'cellar_', `cellar_${'a'.repeat(43)}`, 'Basic YTpi'])
      expect(await works(wrong))
        .withContext(wrong)
        .toBeFalse();
    const ended = await made(['plan.read']);
    expect(await works(ended.token)).toBeTrue();
    await admin().call(programs.endToken, { params: { id: ended.id } });
    expect(await works(ended.token)).toBeFalse();
    const { id: program } = await admin().call(programs.make, { body: { name: 'Short', clearance: { level: 0, caveats: [] } } });
    const short = await made(['plan.read'], today, program);
    expect(await works(short.token)).toBeTrue();
    await world.setToday('2026-09-15');
    expect(await works(short.token)).toBeFalse();
    await world.setToday(today);
    const change = (active: boolean, revision: number): Promise<unknown> =>
      admin().call(programs.change, {
        params: { id: program },
        body: { name: 'Short', clearance: { level: 0, caveats: [] }, active, revision },
      });
    await change(false, 1);
    expect(await works(short.token)).toBeFalse();
    expect(await statusOf(made(['plan.read'], today, program))).toBe(409);
    await change(true, 2);
    expect(await works(short.token)).toBeTrue();
  });

  it('end within a year, and are told to nobody but once', async () => {
    for (const until of ['2026-09-13', '2027-09-15'])
      expect(await statusOf(made(['plan.read'], until)))
        .withContext(until)
        .toBe(422);
    expect(await statusOf(made(['plan.read'], '2027-09-14'))).toBe(200);
    const { token } = await made(['plan.read']);
    const { programs: list } = await admin().call(programs.list);
    const secret = token.slice('cellar_'.length);
    expect(JSON.stringify(list)).not.toContain(secret);
    const { entries } = await admin().call(ledger.entries, { query: { act: 'made a token' } as never });
    expect(JSON.stringify(entries)).not.toContain(secret);
    const { rows } = await world.pool.query<{ row: string }>('select row_to_json(t)::text as row from api_token t');
    expect(rows.map((r) => r.row).join()).not.toContain(secret);
  });

  it('are not what a browser or a proxy sends of its own: that opens nothing, and keeps no session out', async () => {
    const headers = { authorization: 'Basic YTpi', cookie: world.as('keeper').cookie };
    expect((await fetch(`${world.base}/api/me`, { headers })).status).toBe(200);
    // Nor does it let another site in: a form there sends it along, if the browser knows it.
    const from = { ...headers, 'sec-fetch-site': 'cross-site', 'content-type': 'application/json' };
    expect((await fetch(`${world.base}/api/me/language`, { method: 'POST', headers: from, body: '{"language":null}' })).status).toBe(403);
  });

  it('say when they were last used, and from where', async () => {
    const { id: token, token: secret } = await made(['plan.read']);
    await new Bearer(world.base, secret).call(plan.rack);
    const { programs: list } = await admin().call(programs.list);
    expect(list.flatMap((p) => p.tokens).find((t) => t.id === token)?.lastUsed?.from).toBe('127.0.0.1');
  });

  it('are never somebody’s session as well: a cookie beside a token counts for nothing', async () => {
    const { token } = await made(['plan.read']);
    const both = new Bearer(world.base, token, world.as('keeper').cookie);
    expect(await statusOf(both.call(identity.me))).toBe(403);
    expect(await statusOf(both.call(people.list))).toBe(403);
    expect(await statusOf(new Bearer(world.base, 'nothing', world.as('keeper').cookie).call(identity.me))).toBe(401);
    // What a token hashes to opens no session, and what a session is opens nothing as a token.
    expect(await statusOf(new Client(world.base, `cellar_session=${token}`).call(identity.me))).toBe(401);
    expect(await statusOf(new Bearer(world.base, world.as('keeper').cookie.split('=')[1]!).call(plan.rack))).toBe(401);
  });

  it('bring files in and read them back, as they were let', async () => {
    const { id: scanner } = await admin().call(programs.make, { body: { name: 'Scanner', clearance: { level: 0, caveats: [] } } });
    await grant('editor', world.ids.A, scanner);
    const client = await bearer(scanner, 'receiving.act', 'receiving.read', 'records.read');
    const arrivalId = await client.upload('bridge.txt', 'from the bridge');
    const { results } = await client.call(receiving.file, {
      body: {
        filings: [{ arrivalId, placeId: world.ids.A01, title: 'From the bridge', recordType: 'note', createdOn: today, facts: {} }],
      } as never,
    });
    expect(results.map((r) => r.outcome)).toEqual(['done']);
    const content = await client.fetch(`/api/records/${results[0]!.recordId!}/preview`);
    expect([content.status, await content.text()]).toEqual([200, 'from the bridge']);
    const without = await bearer(id, 'plan.read');
    expect((await without.fetch(`/api/records/${results[0]!.recordId!}/preview`)).status).toBe(403);
  });

  it('hand nobody more than they have, and make nothing of themselves', async () => {
    const all = await bearer(id, ...scopes);
    for (const [endpoint, given] of [
      [
        people.giveGrant,
        { params: { id: world.ids.root }, body: { principalId: id, profile: 'administrator', reason: 'more', dryRun: false } },
      ],
      [programs.makeToken, { params: { id }, body: { name: 'T', scopes: ['plan.read'], until: '2026-12-31' } }],
      [access.askRaise, { body: { placeId: world.ids.A, profile: 'keeper', until: today, reason: 'more' } }],
    ] as const)
      expect(await statusOf(all.call(endpoint as never, given as never))).toBe(403);
    expect(
      await statusOf(all.call(exchange.importPackage, { body: { data: 'e30=', conflicts: 'refuse', dryRun: true } })),
    ).toBeGreaterThanOrEqual(400);
  });
});
