import { ledger, people, programs, type Scope } from '@key-cellar/contract';
import { chapters } from './support/chapters.js';
import { letSetUp, makeWorld, statusOf, type World } from './support/world.js';

interface Answer {
  readonly status: number;
  readonly headers: Headers;
  // What the protocol says is compared, whatever it is.
  // eslint-disable-next-line @typescript-eslint/no-explicit-any
  readonly json: any;
}

const user = 'urn:ietf:params:scim:schemas:core:2.0:User';
const patchOp = 'urn:ietf:params:scim:api:messages:2.0:PatchOp';

describe('people and groups from a directory (SCIM 2.0)', () => {
  const chapter = chapters();
  let world: World;
  let token: string;
  let program: string;
  const ids: Record<string, string> = {};
  const admin = () => world.as('keeper');
  const ask = async (method: string, path: string, body?: unknown, more: Record<string, string> = {}): Promise<Answer> => {
    const response = await fetch(`${world.base}/scim/v2${path}`, {
      method,
      headers: { connection: 'close', authorization: `Bearer ${token}`, 'content-type': 'application/scim+json', ...more },
      ...(body === undefined ? {} : { body: typeof body === 'string' ? body : JSON.stringify(body) }),
    });
    const text = await response.text();
    return { status: response.status, headers: response.headers, json: text === '' ? null : JSON.parse(text) };
  };
  const patch = (path: string, ...Operations: object[]) => ask('PATCH', path, { schemas: [patchOp], Operations });
  const made = async (scopes: Scope[], on = program): Promise<string> =>
    (await admin().call(programs.makeToken, { params: { id: on }, body: { name: 'T', scopes, until: '2026-12-31' } })).token;
  const person = async (id: string) => (await admin().call(people.list)).people.find((p) => p.id === id)!;
  const group = async (id: string) => (await admin().call(people.list)).groups.find((g) => g.id === id)!;
  const give = (placeId: string, principalId: string, profile: string) =>
    admin().call(people.giveGrant, {
      params: { id: placeId },
      body: { principalId, profile, from: null, until: null, reason: 'as agreed', dryRun: false },
    });

  beforeAll(async () => {
    world = await makeWorld();
    await letSetUp(world);
    ({ id: program } = await admin().call(programs.make, { body: { name: 'Directory', clearance: { level: 0, caveats: [] } } }));
    token = await made(['scim.act']);
  });
  afterAll(() => world.stop());

  chapter('come by the token of a program that looks after people, and by nothing else', async () => {
    expect((await ask('GET', '/Users')).status).toBe(403);
    await give(world.ids.root, program, 'peopleDesk');
    expect((await ask('GET', '/Users')).status).toBe(200);
    const own = token;
    for (const [what, other, status] of [
      ['no token', '', 401],
      ['a wrong one', 'kc_wrong', 401],
      ['one for records', await made(['records.read', 'records.act']), 403],
    ] as const) {
      token = other;
      for (const path of ['/Users', '/Groups', '/ServiceProviderConfig', '/Schemas', '/nowhere']) {
        const came = await ask('GET', path);
        expect([what, path, came.status]).toEqual([what, path, status]);
        expect(came.json.schemas).toEqual(['urn:ietf:params:scim:api:messages:2.0:Error']);
      }
    }
    token = own;
    // Whoever is signed in in a browser has no way in here, and the token none elsewhere.
    expect((await world.as('keeper').fetch('/scim/v2/Users')).status).toBe(401);
    const elsewhere = await fetch(`${world.base}/api/setup/people`, { headers: { authorization: `Bearer ${token}`, connection: 'close' } });
    expect(elsewhere.status).toBe(403);
  });

  chapter('are described as the standard wants it', async () => {
    const config = (await ask('GET', '/ServiceProviderConfig')).json;
    expect([config.patch.supported, config.bulk.supported, config.filter.maxResults]).toEqual([true, false, 200]);
    const types = (await ask('GET', '/ResourceTypes')).json;
    expect(types.Resources.map((t: { endpoint: string }) => t.endpoint)).toEqual(['/Users', '/Groups']);
    expect((await ask('GET', `/Schemas/${user}`)).json.attributes[0].name).toBe('userName');
    for (const path of ['/Schemas/nothing', '/ResourceTypes/Nothing', '/Bulk', '/Me']) expect((await ask('GET', path)).status).toBe(404);
  });

  chapter('join, are found, move and leave', async () => {
    const came = await ask('POST', '/Users', {
      ...{ schemas: [user], userName: 'Wren', externalId: 'x-1', name: { givenName: 'Wren', familyName: 'Ashby' }, active: true },
      emails: [{ value: 'wren@example.org', primary: true }],
    });
    expect(came.status).toBe(201);
    expect(came.headers.get('content-type')).toContain('application/scim+json');
    expect(came.headers.get('location')).toBe(came.json.meta.location);
    const { id } = came.json;
    ids['wren'] = id;
    expect(await person(id)).toEqual(
      jasmine.objectContaining({ login: 'wren', name: 'Wren Ashby', email: 'wren@example.org', active: true }),
    );
    for (const filter of ['userName eq "WREN"', 'externalId eq "x-1"', 'emails.value eq "Wren@example.org"', `id eq "${id}"`]) {
      const { json } = await ask('GET', `/Users?filter=${encodeURIComponent(filter)}`);
      expect([filter, json.totalResults, json.Resources[0]?.id]).toEqual([filter, 1, id]);
    }
    expect((await ask('GET', `/Users?filter=${encodeURIComponent('externalId eq "X-1"')}`)).json.totalResults).toBe(0);
    const again = await ask('POST', '/Users', { userName: 'WREN' });
    expect([again.status, again.json.scimType]).toEqual([409, 'uniqueness']);
    // Moved: another name and address, and back whole by PUT.
    expect((await patch(`/Users/${id}`, { op: 'Replace', path: 'emails[type eq "work"].value', value: 'w@example.org' })).status).toBe(200);
    expect((await patch(`/Users/${id}`, { op: 'replace', value: { displayName: 'Wren Moss' } })).json.displayName).toBe('Wren Moss');
    const put = await ask('PUT', `/Users/${id}`, { userName: 'wren.moss', displayName: 'Wren Moss', externalId: 'x-1', active: true });
    expect([put.json.userName, put.json.emails]).toEqual(['wren.moss', undefined]);
    // Left, come back, taken away, and made again by the same name.
    expect((await patch(`/Users/${id}`, { op: 'replace', path: 'active', value: 'False' })).json.active).toBeFalse();
    expect((await person(id)).active).toBeFalse();
    expect((await patch(`/Users/${id}`, { op: 'replace', path: 'active', value: true })).json.active).toBeTrue();
    expect((await ask('DELETE', `/Users/${id}`)).status).toBe(204);
    expect((await person(id)).active).toBeFalse();
    for (const [method, body] of [
      ['GET', undefined],
      ['DELETE', undefined],
      ['PUT', { userName: 'wren.moss' }],
      ['PATCH', { Operations: [{ op: 'replace', path: 'active', value: true }] }],
    ] as const)
      expect([method, (await ask(method, `/Users/${id}`, body)).status]).toEqual([method, 404]);
    expect((await ask('GET', `/Users?filter=${encodeURIComponent('userName eq "wren.moss"')}`)).json.totalResults).toBe(0);
    const back = await ask('POST', '/Users', { userName: 'wren.moss', displayName: 'Wren Moss', externalId: 'x-2' });
    expect([back.status, back.json.id, (await person(id)).active]).toEqual([201, id, true]);
    const { entries } = await world.as('auditor').call(ledger.entries, { query: { limit: 60 } });
    const mine = entries.filter((e) => JSON.stringify(e).includes('Directory')).map((e) => e.act);
    for (const act of ['added a person', 'changed a person', 'let a person go', 'brought a person back']) expect(mine).toContain(act);
  });

  chapter('are in groups that a directory fills', async () => {
    const { wren } = ids as Record<'wren', string>;
    const came = await ask('POST', '/Groups', { displayName: 'Quay office', externalId: 'g-1', members: [{ value: wren }] });
    expect(came.status).toBe(201);
    const { id } = came.json;
    ids['group'] = id;
    expect((await group(id)).members.map((m) => m.id)).toEqual([wren]);
    expect((await ask('GET', `/Users/${wren}`)).json.groups.map((g: { value: string }) => g.value)).toEqual([id]);
    expect((await ask('POST', '/Groups', { displayName: 'QUAY office' })).status).toBe(409);
    expect((await patch(`/Groups/${id}`, { op: 'remove', path: `members[value eq "${wren}"]` })).json.members).toEqual([]);
    expect((await patch(`/Groups/${id}`, { op: 'Add', path: 'members', value: [{ value: wren }] })).json.members.length).toBe(1);
    expect((await patch(`/Groups/${id}`, { op: 'replace', path: 'displayName', value: 'Quay' })).json.displayName).toBe('Quay');
    const bare = await ask('GET', `/Groups?excludedAttributes=members&filter=${encodeURIComponent('displayName eq "quay"')}`);
    expect([bare.json.totalResults, bare.json.Resources[0].members]).toEqual([1, undefined]);
    for (const wanted of ['displayName', 'DISPLAYNAME', 'urn:ietf:params:scim:schemas:core:2.0:Group:displayName'])
      expect(Object.keys((await ask('GET', `/Groups/${id}?attributes=${wanted}`)).json).sort()).toEqual([
        'displayName',
        'id',
        'meta',
        'schemas',
      ]);
    expect((await ask('DELETE', `/Groups/${id}`)).status).toBe(204);
    expect((await group(id)).active).toBeFalse();
    expect((await ask('GET', `/Groups/${id}`)).status).toBe(404);
    expect((await ask('POST', '/Groups', { displayName: 'Quay', members: [{ value: wren }] })).json.id).toBe(id);
    // Everyone is nobody’s to fill.
    const everyone = (await admin().call(people.list)).groups.find((g) => g.everyone)!;
    expect((await ask('GET', `/Groups/${everyone.id}`)).status).toBe(404);
  });

  chapter('bring nobody to what the program may not do itself', async () => {
    const { wren, group: id } = ids as Record<'wren' | 'group', string>;
    await give(world.ids.A, id, 'borrower');
    const beyond = await patch(`/Groups/${id}`, { op: 'add', path: 'members', value: [{ value: world.ids.outsider }] });
    expect([beyond.status, beyond.json.detail]).toEqual([403, jasmine.stringContaining('was given more than you may do')]);
    expect((await patch(`/Users/${wren}`, { op: 'replace', path: 'emails', value: [{ value: 'thief@example.org' }] })).status).toBe(403);
    expect((await patch(`/Users/${world.ids.keeper}`, { op: 'replace', path: 'active', value: false })).status).toBe(403);
    expect((await ask('DELETE', `/Users/${world.ids.keeper}`)).status).toBe(403);
    expect((await person(world.ids.keeper)).active).toBeTrue();
    // Who lets the program hand it out gives it as much.
    await give(world.ids.A, program, 'borrower');
    expect((await patch(`/Groups/${id}`, { op: 'add', path: 'members', value: [{ value: world.ids.outsider }] })).status).toBe(200);
    expect(await statusOf(world.as('outsider').call(people.list))).toBe(403);
  });

  chapter('are told page by page, and changed by whoever has seen the newest', async () => {
    const all = (await ask('GET', '/Users')).json;
    expect(all.totalResults).toBeGreaterThan(5);
    const seen: string[] = [];
    for (let from = 1; from <= all.totalResults; from += 3) {
      const { json } = await ask('GET', `/Users?startIndex=${from}&count=3`);
      expect(json.totalResults).toBe(all.totalResults);
      for (const { id } of json.Resources as { id: string }[]) seen.push(id);
    }
    expect(seen).toEqual(all.Resources.map((r: { id: string }) => r.id));
    expect((await ask('GET', '/Users?count=0')).json.Resources).toEqual([]);
    for (const query of ['count=many', 'startIndex=1.5', 'filter=userName%20co%20%22w%22'])
      expect([query, (await ask('GET', `/Users?${query}`)).status]).toEqual([query, 400]);
    const { wren } = ids as Record<'wren', string>;
    const etag = (await ask('GET', `/Users/${wren}`)).headers.get('etag')!;
    const rename = (name: string) =>
      ask('PATCH', `/Users/${wren}`, { Operations: [{ op: 'replace', path: 'displayName', value: name }] }, { 'if-match': etag });
    expect((await rename('Wren Fell')).status).toBe(200);
    expect((await rename('Wren Tarn')).status).toBe(412);
  });

  chapter('that say nonsense are told so, and nothing is left of it', async () => {
    const { wren } = ids as Record<'wren', string>;
    const before = await admin().call(people.list);
    for (const [method, path, body, status] of [
      ['POST', '/Users', '{', 400],
      ['POST', '/Users', {}, 400],
      ['POST', '/Users', { userName: 'a b' }, 400],
      ['POST', '/Users', { userName: 'new', emails: [{ value: 'no address' }] }, 400],
      ['POST', '/Groups', { displayName: 'G', members: [{ value: '00000000-0000-4000-8000-000000000000' }] }, 400],
      ['POST', '/Groups', { displayName: '' }, 400],
      ['PATCH', `/Users/${wren}`, { Operations: [{ op: 'replace', path: '__proto__', value: { userName: 'x' } }] }, 400],
      ['PATCH', `/Users/${wren}`, { Operations: [{ op: 'replace', path: 'userName', value: 'keeper' }] }, 409],
      ['PATCH', `/Users/${wren}`, { Operations: [] }, 400],
      ['GET', '/Users/nobody', undefined, 404],
      ['DELETE', '/Users/00000000-0000-4000-8000-000000000000', undefined, 404],
      ['POST', '/Users', `{"userName":"${'x'.repeat(1_100_000)}"}`, 413],
    ] as const)
      expect([method, path, JSON.stringify(body)?.slice(0, 60), (await ask(method, path, body)).status]).toEqual([
        method,
        path,
        JSON.stringify(body)?.slice(0, 60),
        status,
      ]);
    expect(await admin().call(people.list)).toEqual(before);
  });
});
