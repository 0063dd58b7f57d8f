import { said } from '@key-cellar/words/testing';
import { spawn } from 'node:child_process';
import { chmod, mkdir, mkdtemp, writeFile } from 'node:fs/promises';
import { createServer } from 'node:net';
import type { AddressInfo } from 'node:net';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { fileURLToPath } from 'node:url';
import { plan, schedule, steps } from '@key-cellar/contract';
import { migrate } from '../src/kernel/index.js';
import { chapters } from './support/chapters.js';
import { asOwner, configFor, dropDatabase, freshName, urlOf } from './support/database.js';
import { serverProgram } from './support/process.js';
import { makeWorld, ruleDefinition, type World } from './support/world.js';

const root = fileURLToPath(new URL('../..', import.meta.url));

interface Ended {
  readonly code: number | null;
  readonly said: string;
}

/** Runs a program until it ends, and gives what it said. */
function ran(args: string[], env: NodeJS.ProcessEnv): Promise<Ended> {
  return new Promise((resolve) => {
    const child = spawn(process.execPath, args, { cwd: root, env: { ...process.env, ...env } });
    let said = '';
    child.stdout.on('data', (part: Buffer) => (said += part.toString()));
    child.stderr.on('data', (part: Buffer) => (said += part.toString()));
    child.on('exit', (code) => resolve({ code, said }));
  });
}
const server = (env: NodeJS.ProcessEnv): Promise<Ended> => ran([...serverProgram], { LOG_LEVEL: 'silent', ...env });
const tool = (script: string, env: NodeJS.ProcessEnv): Promise<Ended> =>
  ran(['--input-type=module', '-e', `import { run } from '${root}/tools/lib/say.mjs'; await run(async () => { ${script} });`], env);

describe('a start that cannot succeed ends with a sentence', () => {
  let database: string;
  beforeAll(async () => {
    database = freshName();
    await asOwner('postgres', (client) => client.query(`create database ${database}`));
    await migrate(configFor(database));
  }, 30_000);
  afterAll(() => dropDatabase(database));

  it('when the port is taken: which one, and how to take another', async () => {
    const other = createServer();
    await new Promise<void>((resolve) => other.listen({ port: 0, host: '127.0.0.1', exclusive: true }, resolve));
    const { port } = other.address() as AddressInfo;
    const { code, said } = await server({ DATABASE_URL: urlOf(database), PORT: String(port) });
    other.close();
    expect(code).toBe(1);
    expect(said).toContain(`Port ${port} is taken by another program.`);
    expect(said).toContain('PORT=4190 npm start');
    expect(said).not.toMatch(/^\s+at /m);
  });

  const wrong: [string, NodeJS.ProcessEnv, string][] = [
    ['no database', { DATABASE_URL: '' }, 'DATABASE_URL names no database.'],
    ['a number that is none', { KEY_BACKUP_DAYS: 'a month' }, 'KEY_BACKUP_DAYS is “a month”, and is to be a number above 0.'],
    [
      'a file that is not there',
      { ARCHIVE_URL: 'http://archive', ARCHIVE_KEY: '/nowhere' },
      'ARCHIVE_KEY names /nowhere, which cannot be read',
    ],
    ['an outside service that signs with nothing', { WITNESS_URL: 'http://witness' }, 'WITNESS_KEY does not say whose signatures count'],
    ['an object store without a bucket', { OBJECTS_URL: 'http://objects' }, 'OBJECTS_BUCKET or OBJECTS_CREDENTIALS is not'],
    ['mail to nowhere', { SMTP_URL: 'mail.example.org' }, 'is to be an address such as smtp://'],
    ['mail in nobody’s name', { SMTP_URL: 'smtp://mail.example.org' }, 'MAIL_FROM does not say'],
    [
      'returns to nowhere',
      { SMTP_URL: 'smtp://mail.example.org', MAIL_FROM: 'a@example.org', MAIL_RETURNS: 'example.org' },
      'is to be a domain and where to listen for its mail',
    ],
    ['contents in no object store', { CONTENTS_IN: 'objects' }, 'OBJECTS_URL does not say where they are'],
    ['contents nowhere', { CONTENTS_IN: 'the cloud' }, 'is to be “database” or “objects”'],
  ];
  for (const [what, env, sentence] of wrong) {
    it(`when the configuration names ${what}`, async () => {
      const { code, said } = await server({ DATABASE_URL: urlOf(database), PORT: '0', ...env });
      expect(code).toBe(1);
      expect(said).toContain(sentence);
      expect(said).not.toMatch(/^\s+at /m);
    });
  }

  it('when another program has the port for mails that come back', async () => {
    const taken = createServer().listen(0, '127.0.0.1');
    await new Promise((resolve) => taken.once('listening', resolve));
    const { port } = taken.address() as AddressInfo;
    const mail = { SMTP_URL: 'smtp://127.0.0.1:1', MAIL_FROM: 'a@example.org', MAIL_RETURNS: `returns.example.org@127.0.0.1:${port}` };
    const { code, said } = await server({ DATABASE_URL: urlOf(database), PORT: '0', ...mail });
    taken.close();
    expect(code).toBe(1);
    expect(said).toContain(`MAIL_RETURNS says 127.0.0.1:${port}, where nothing can listen`);
    expect(said).not.toMatch(/^\s+at /m);
  });

  it('when the secret of an object store is for others to read, or is none', async () => {
    const credentials = join(await mkdtemp(join(tmpdir(), 'objects-')), 'credentials');
    const env = { OBJECTS_URL: 'http://objects', OBJECTS_BUCKET: 'b', OBJECTS_CREDENTIALS: credentials };
    const says = async (): Promise<string> => (await server({ DATABASE_URL: urlOf(database), PORT: '0', ...env })).said;
    await writeFile(credentials, 'key:secret', { mode: 0o644 });
    expect(await says()).toContain(`Others may read ${credentials}`);
    await chmod(credentials, 0o600);
    await writeFile(credentials, 'only a key');
    expect(await says()).toContain('a key and its secret, with a colon between them');
  });

  it('when the database is newer than the program', async () => {
    await asOwner(database, (client) => client.query(`insert into migration (name, checksum) values ('9999_future.sql', 'x')`));
    const { code, said } = await server({ DATABASE_URL: urlOf(database), PORT: '0' });
    await asOwner(database, (client) => client.query(`delete from migration where name = '9999_future.sql'`));
    expect(code).toBe(1);
    expect(said).toContain('newer than this program');
    expect(said).not.toMatch(/^\s+at /m);
  });

  it('and builds indexes anew whose order another version of ICU made', async () => {
    await asOwner(database, async (client) => {
      const versionOf = async (): Promise<string> =>
        (await client.query<{ v: string }>("select collversion as v from pg_collation where collname = 'by_words'")).rows[0]!.v;
      const version = await versionOf();
      await client.query("update pg_collation set collversion = '1' where collname = 'by_words'");
      const before = await client.query("select relfilenode from pg_class where relname = 'record_title'");
      const others = await client.query("select relfilenode from pg_class where relname = 'record_pkey'");
      // Whoever reads the log finds which.
      expect(await migrate(configFor(database))).toContain('record_title');
      expect(await versionOf()).toBe(version);
      expect((await client.query("select relfilenode from pg_class where relname = 'record_title'")).rows).not.toEqual(before.rows);
      expect((await client.query("select relfilenode from pg_class where relname = 'record_pkey'")).rows).toEqual(others.rows);
    });
  });
  it('when no database answers', async () => {
    const { code, said } = await tool(
      `const { ensureDatabase } = await import('${root}/tools/lib/database.mjs'); await ensureDatabase('postgres://a:b@127.0.0.1:9/postgres', 'x');`,
      {},
    );
    expect(code).toBe(1);
    expect(said).toContain('The database at 127.0.0.1:9 does not answer');
  });

  it('when a file stands where the data should be, or the data is not a database’s', async () => {
    const folder = await mkdtemp(join(tmpdir(), 'data-'));
    await writeFile(join(folder, 'cluster'), 'not a folder');
    const start = `const { cluster } = await import('${root}/tools/lib/cluster.mjs'); await cluster('cluster').start();`;
    const blocked = await tool(start, { KEY_CELLAR_DATA: folder });
    expect(blocked.code).toBe(1);
    expect(blocked.said).toContain('cannot be written');
    expect(blocked.said).toContain('KEY_CELLAR_DATA');

    const old = await mkdtemp(join(tmpdir(), 'data-'));
    await mkdir(join(old, 'cluster', 'data'), { recursive: true });
    await writeFile(join(old, 'cluster', 'data', 'PG_VERSION'), '9.1\n');
    const made = await tool(start, { KEY_CELLAR_DATA: old });
    expect(made.code).toBe(1);
    expect(made.said).toContain('was made by PostgreSQL 9.1');
    expect(made.said).toContain('postgresql-9.1');
  });
});

describe('the job thread', () => {
  const chapter = chapters();
  let world: World;
  beforeAll(async () => {
    world = await makeWorld();
  });
  afterAll(() => world.stop());

  chapter('does work that was left by a server that died, however it was left', async () => {
    for (let i = 0; i < 5; i++) await world.file('editor', { createdOn: '2024-01-01' });
    const keeper = world.as('keeper');
    const { id } = await keeper.call(schedule.makeRule, { body: { code: 'R-J', definition: ruleDefinition() } });
    await keeper.call(schedule.publish, { params: { id }, body: { revision: 1, inForceFrom: '2000-01-01', takesOver: 'all' } });
    await keeper.call(plan.setRule, { params: { id: world.ids.A01 }, body: { ruleId: id } });
    // A job that somebody added and nobody was told of.
    const [row] = (
      await world.pool.query<{ id: string }>(
        `insert into job_progress (id, kind, subject, data, state, total) values (gen_random_uuid(), 'recompute', 'R-J', $1, 'running', 5) returning id`,
        [JSON.stringify({ reach: { placeIds: [world.ids.A01] } })],
      )
    ).rows;
    const other = await (await import('../src/index.js')).startServices(configFor(world.database));
    const done = await other.services.jobs.settled(row!.id);
    await other.stop();
    expect([done.state, done.done]).toEqual(['done', 5]);
  });

  chapter('says that work failed when it did, and goes on with the next', async () => {
    const add = async (data: unknown): Promise<string> =>
      (
        await world.pool.query<{ id: string }>(
          `insert into job_progress (id, kind, subject, data, state, total) values (gen_random_uuid(), 'execute', 'D-0', $1, 'running', 1) returning id`,
          [JSON.stringify(data)],
        )
      ).rows[0]!.id;
    const id = await add({ batchId: '00000000-0000-4000-8000-000000000000', by: { id: world.ids.keeper, name: 'K' } });
    world.services.jobs.wake(id);
    const failed = await world.services.jobs.settled(id);
    expect(failed.state).toBe('failed');
    expect(said(failed.told!)).toContain('This batch does not exist here');
    await world.file('editor', { createdOn: '2024-01-01' });
    expect((await world.as('keeper').call(steps.sweep)).newlyDue).toBeGreaterThan(0);
  });
});
