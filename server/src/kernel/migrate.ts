import { createHash } from 'node:crypto';
import { readdir, readFile } from 'node:fs/promises';
import { dirname, join } from 'node:path';
import pg from 'pg';
import PgBoss from 'pg-boss';
import { orderAnew } from './collationStore.js';
import { applicationRole, appPassword, type Config } from './config.js';
import { rows, run } from './connect.js';
import { keepKey } from './keyFiles.js';
import { noteSound } from './soundnessStore.js';

/** The database cannot be brought to what this program needs; the message says what to do. */
export class MigrationRefused extends Error {}

/** Who owns what: run after all others whenever one of them was. */
const owners = 'functions/owners.sql';

interface Migration {
  readonly name: string;
  readonly sql: string;
  readonly checksum: string;
}

async function readMigrations(folder: string): Promise<Migration[]> {
  const names = (await readdir(folder)).filter((name) => /^\d{4}_\w+\.sql$/.test(name)).sort();
  return Promise.all(
    names.map(async (name) => {
      const sql = await readFile(join(folder, name), 'utf8');
      return { name, sql, checksum: createHash('sha256').update(sql).digest('hex') };
    }),
  );
}

/** Functions and triggers in their newest text, a file an area: run again whenever one changed. */
async function readFunctions(folder: string): Promise<Migration[]> {
  const names = (await readdir(folder)).filter((name) => name.endsWith('.sql')).sort();
  return Promise.all(
    names.map(async (name) => {
      const sql = await readFile(join(folder, name), 'utf8');
      return { name: `functions/${name}`, sql, checksum: createHash('sha256').update(sql).digest('hex') };
    }),
  );
}

async function applicationMayLogIn(appUrl: string): Promise<boolean> {
  const client = new pg.Client({ connectionString: appUrl });
  try {
    await client.connect();
    return true;
  } catch {
    return false;
  } finally {
    await client.end().catch(() => undefined);
  }
}

/**
 * Makes the application's role, or gives it its password. A role belongs to all databases of a cluster, and no lock of this
 * one keeps a server on another from doing the same at the same moment: whoever loses finds it done.
 */
async function ensureApplicationRole(client: pg.Client, { ownerUrl, appUrl }: Config): Promise<void> {
  if (await applicationMayLogIn(appUrl)) return;
  const exists = await rows(client, 'role.exists', 'select from pg_roles where rolname = $1', [applicationRole]);
  // Role names and hex digits only: nothing here comes from outside.
  const password = appPassword(ownerUrl);
  try {
    await client.query(`${exists.length > 0 ? 'alter' : 'create'} role ${applicationRole} with login password '${password}'`);
  } catch (error) {
    if (!(await applicationMayLogIn(appUrl))) throw error;
  }
}

async function prepareQueue(config: Config, client: pg.Client): Promise<void> {
  const boss = new PgBoss({ connectionString: config.ownerUrl, supervise: false, schedule: false });
  boss.on('error', () => undefined);
  await boss.start();
  for (const queue of ['work']) await boss.createQueue(queue);
  await boss.stop({ graceful: false, wait: true });
  await client.query(`grant usage on schema pgboss to ${applicationRole}`);
  await client.query(`grant all on all tables in schema pgboss to ${applicationRole}`);
  await client.query(`grant all on all sequences in schema pgboss to ${applicationRole}`);
  await client.query(`grant execute on all functions in schema pgboss to ${applicationRole}`);
}

/** Keys that lay in the database go into files before the column goes that they lay in. */
async function takeKeysOut(client: pg.Client, { keysDir }: Config): Promise<void> {
  const found = await rows<{ id: string; private_key: string }>(client, 'key.private', 'select id, private_key from signing_key');
  for (const { id, private_key } of found) await keepKey(keysDir, id, private_key);
}

/** What has to be done outside the database before a migration. */
const before: Readonly<Record<string, (client: pg.Client, config: Config) => Promise<void>>> = { '0031_witness.sql': takeKeysOut };

async function carryOut(client: pg.Client, { name, sql, checksum }: Migration): Promise<void> {
  await client.query('begin');
  try {
    await client.query(sql);
    await run(
      client,
      'migration.add',
      'insert into migration (name, checksum) values ($1, $2) on conflict (name) do update set checksum = excluded.checksum, applied_at = now()',
      [name, checksum],
    );
    await client.query('commit');
  } catch (error) {
    await client.query('rollback');
    throw error;
  }
}

/**
 * Brings the database forward: every migration that it has not had, each in its own transaction, in order; then functions and
 * triggers in their newest text. Indexes are built anew first where the machine orders words otherwise than it did.
 * `again` puts back what somebody changed since: functions, triggers, owners and who may call what.
 * Throws MigrationRefused when a migration it has had was edited since, or when it has had ones that this
 * program does not know.
 */
export async function migrate(config: Config, { again = false } = {}): Promise<string[]> {
  const client = new pg.Client({ connectionString: config.ownerUrl });
  await client.connect();
  try {
    await client.query('select pg_advisory_lock(4241)');
    await client.query(
      'create table if not exists migration (name text primary key, checksum text not null, applied_at timestamptz not null default now())',
    );
    const applied = new Map(
      (await rows<{ name: string; checksum: string }>(client, 'migration.all', 'select name, checksum from migration')).map((m) => [
        m.name,
        m.checksum,
      ]),
    );
    const known = await readMigrations(config.migrationsDir);
    const functions = await readFunctions(join(dirname(config.migrationsDir), 'functions'));
    for (const name of applied.keys()) {
      if (![...known, ...functions].some((m) => m.name === name)) {
        throw new MigrationRefused(
          `The database is newer than this program: it has had ${name}. Start the newer program, or name another database.`,
        );
      }
    }
    const ordered = await orderAnew(client);
    await ensureApplicationRole(client, config);
    const done: string[] = [];
    for (const migration of known) {
      const had = applied.get(migration.name);
      if (had === migration.checksum) continue;
      if (had !== undefined) {
        throw new MigrationRefused(
          `${migration.name} was changed after this database had it. Migrations are never edited: put the file back and add a new one.`,
        );
      }
      await before[migration.name]?.(client, config);
      await carryOut(client, migration);
      done.push(migration.name);
    }
    for (const file of functions.filter((f) => f.name !== owners)) {
      if (!again && applied.get(file.name) === file.checksum) continue;
      await carryOut(client, file);
      done.push(file.name);
    }
    // Last of all, since whatever was made until then belongs to whoever made it.
    const last = functions.find((f) => f.name === owners)!;
    const changed = applied.get(owners) !== last.checksum;
    if (changed || done.length > 0) await carryOut(client, last);
    if (changed) done.push(owners);
    if (done.length > 0) await noteSound(client);
    await prepareQueue(config, client);
    return [...ordered, ...done];
  } finally {
    await client.end();
  }
}
