import { Validator } from '@seriousme/openapi-schema-validator';
import { cp, mkdtemp, readdir, readFile, writeFile } from 'node:fs/promises';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { identity } from '@key-cellar/contract';
import { migrate, MigrationRefused } from '../src/kernel/index.js';
import { startServer } from '../src/index.js';
import { asOwner, configFor, dropDatabase, freshDatabase, freshName } from './support/database.js';
import { Client, makeWorld, password, statusOf, type World } from './support/world.js';

/** What a reference within a document points at (RFC 6901). */
const lookedUp = (document: object, reference: string): unknown =>
  reference
    .replace('#/', '')
    .split('/')
    .map((part) => part.replaceAll('~1', '/').replaceAll('~0', '~'))
    .reduce<unknown>((at, part) => (at as Record<string, unknown> | undefined)?.[part], document);

describe('the entrance', () => {
  let world: World;
  beforeAll(async () => {
    world = await makeWorld();
  });
  afterAll(() => world.stop());

  const post = (body: unknown, cookie = ''): Promise<Response> =>
    fetch(`${world.base}/api/session`, { method: 'POST', body: JSON.stringify(body), headers: { 'x-key-cellar': '1', cookie } });

  it('gives a fresh session that no script can read and no other site can send', async () => {
    const planted = 'cellar_session=planted-by-somebody';
    const response = await post({ login: 'Reader', password }, planted);
    expect(response.status).toBe(200);
    const cookie = response.headers.get('set-cookie')!;
    expect(cookie).toMatch(/HttpOnly/i);
    expect(cookie).toMatch(/SameSite=Strict/i);
    expect(cookie).not.toContain('planted');
    const client = new Client(world.base, cookie.split(';')[0]!);
    expect((await client.call(identity.me)).login).toBe('reader');
    await client.call(identity.signOut);
    expect(await statusOf(client.call(identity.me))).toBe(401);
    expect(await statusOf(new Client(world.base, planted).call(identity.me))).toBe(401);
  });

  it('answers a wrong password and an unknown login alike, and stops guessing', async () => {
    const wrong = await (await post({ login: 'editor', password: 'wrong' })).text();
    const unknown = await (await post({ login: 'nobody', password: 'wrong' })).text();
    expect(wrong).toBe(unknown);
    for (let i = 0; i < 4; i++) await post({ login: 'editor', password: `guess ${i}` });
    expect((await post({ login: 'editor', password })).status).toBe(429);
    expect((await post({ login: 'steward', password })).status).toBe(200);
    const failed = await world.pool.query(`select count(*)::int as n from ledger_entry where act = 'sign-in failed'`);
    expect(failed.rows[0].n).toBe(6);
  });

  it('makes the first keeper once, however many try', async () => {
    const name = await freshDatabase();
    const running = await startServer(configFor(name));
    try {
      const client = new Client(`http://127.0.0.1:${running.port}`, '');
      expect((await client.call(identity.entrance)).needsFirstKeeper).toBeTrue();
      const body = { repository: 'New', name: 'First Keeper', login: 'first', password };
      const short = { ...body, password: 'short' };
      expect(await statusOf(client.call(identity.makeFirstKeeper, { body: short }))).toBe(422);
      const tries = await Promise.all(Array.from({ length: 5 }, () => statusOf(client.call(identity.makeFirstKeeper, { body }))));
      expect(tries.sort()).toEqual([200, 409, 409, 409, 409]);
      await client.call(identity.signIn, { body: { login: 'first', password } });
    } finally {
      await running.stop();
      await dropDatabase(name);
    }
  }, 30_000);

  it('answers with problem documents, never with a stack', async () => {
    const client = world.as('keeper');
    for (const [path, init, status] of [
      ['/api/nothing', {}, 404],
      ['/api/records/not-an-id', {}, 404],
      ['/api/rules', { method: 'POST', body: '{' }, 400],
      ['/api/rules', { method: 'POST', body: '{"code": 1}' }, 422],
      ['/api/records?limit=99999', {}, 422],
    ] as [string, RequestInit, number][]) {
      const response = await client.fetch(path, init);
      expect(response.status).withContext(path).toBe(status);
      expect(response.headers.get('content-type')).toBe('application/problem+json');
      const text = await response.text();
      expect((JSON.parse(text) as { detail: string }).detail.length).toBeGreaterThan(10);
      expect(text).not.toMatch(/\.ts:\d|at async|node_modules/);
    }
  });

  it('describes itself in OpenAPI 3.1', async () => {
    const document = (await (await world.as('keeper').fetch('/api/openapi.json')).json()) as {
      openapi: string;
      paths: Record<string, unknown>;
    };
    expect(document.openapi).toBe('3.1.0');
    const { valid, errors } = await new Validator().validate(structuredClone(document));
    expect(errors).toBeUndefined();
    expect(valid).toBeTrue();
    const names = new Set<string>();
    JSON.stringify(document, (key, value: unknown) => {
      if (key === '$ref') names.add(String(value));
      return value;
    });
    expect(names.size).toBeGreaterThan(0);
    for (const name of names) expect(lookedUp(document, name)).withContext(name).toBeInstanceOf(Object);
    expect(Object.keys(document.paths)).toContain('/batches/{id}/execute');
    expect(await (await world.as('keeper').fetch('/api')).text()).toContain('/api/records');
  });

  it('says whether it lives and is ready', async () => {
    expect(await (await fetch(`${world.base}/health`)).json()).toEqual({ status: 'alive' });
    expect((await fetch(`${world.base}/ready`)).status).toBe(200);
  });
});

describe('migrations', () => {
  it('run once, refuse to be edited, and refuse a newer database', async () => {
    const name = freshName();
    await asOwner('postgres', (client) => client.query(`create database ${name}`));
    const home = await mkdtemp(join(tmpdir(), 'migrations-'));
    const folder = join(home, 'migrations');
    const config = configFor(name);
    await cp(config.migrationsDir, folder, { recursive: true });
    await cp(join(config.migrationsDir, '..', 'functions'), join(home, 'functions'), { recursive: true });
    const copy = { ...config, migrationsDir: folder };
    try {
      const functions = join(home, 'functions');
      expect((await migrate(copy)).length).toBe((await readdir(folder)).length + (await readdir(functions)).length);
      expect(await migrate(copy)).toEqual([]);
      // Functions and triggers are made anew when their text changed, and only then.
      const text = await readFile(join(functions, 'common.sql'), 'utf8');
      await writeFile(join(functions, 'common.sql'), `${text}-- Changed.\n`);
      expect(await migrate(copy)).toEqual(['functions/common.sql']);
      expect(await migrate(copy)).toEqual([]);
      await writeFile(join(functions, 'common.sql'), text);
      expect(await migrate(copy)).toEqual(['functions/common.sql']);
      await writeFile(join(folder, '9999_future.sql'), 'create table future (id integer);');
      expect(await migrate(copy)).toEqual(['9999_future.sql']);
      await expectAsync(migrate(config)).toBeRejectedWithError(MigrationRefused, /newer than this program/);
      await writeFile(join(folder, '9999_future.sql'), 'create table other (id integer);');
      await expectAsync(migrate(copy)).toBeRejectedWithError(MigrationRefused, /was changed after/);
      await writeFile(join(folder, '9999_future.sql'), 'create table future (id integer);');
      await writeFile(join(folder, '9999_half.sql'), 'create table half (id integer); select 1/0;');
      await expectAsync(migrate(copy)).toBeRejected();
      const half = await asOwner(name, (client) => client.query(`select to_regclass('half') as there`));
      expect(half.rows[0].there).toBeNull();
    } finally {
      await dropDatabase(name);
    }
  }, 30_000);
});
