import { createHash } from 'node:crypto';
import { createReadStream } from 'node:fs';
import { chmod, cp, mkdir, open, readdir, readFile, rename, rm, stat, writeFile } from 'node:fs/promises';
import { join, relative } from 'node:path';
import { pipeline } from 'node:stream/promises';
import { exec } from './exec.mjs';
import { postgresBin } from './install.mjs';
import { Stop } from './say.mjs';

/** What says that a backup is whole; written last. */
const manifestName = 'backup.json';
/** Settings that belong to a repository and are no secret: kept so that it is started as it was. */
const kept = [
  'LEDGER_NAME',
  'HOSTS',
  'TRUSTED_PROXIES',
  'SESSION_IDLE_MINUTES',
  'KEY_BACKUP_DAYS',
  'ARCHIVE_URL',
  'ARCHIVE_KEY',
  'TIME_AUTHORITY_URL',
  'WITNESS_URL',
  'WITNESS_KEY',
  'OBJECTS_URL',
  'OBJECTS_BUCKET',
  'OBJECTS_REGION',
  'OBJECTS_LOCK_DAYS',
  'CONTENTS_IN',
];

async function sha256Of(path) {
  const hash = createHash('sha256');
  await pipeline(createReadStream(path), hash);
  return hash.digest('hex');
}

async function filesUnder(folder) {
  const found = [];
  for (const entry of await readdir(folder, { withFileTypes: true })) {
    const path = join(folder, entry.name);
    if (entry.isDirectory()) found.push(...(await filesUnder(path)));
    else found.push(path);
  }
  return found.sort();
}

const exists = (path) =>
  stat(path).then(
    () => true,
    () => false,
  );

/** Copies a folder as it is now; what is being written into it is copied up to where it stands. */
async function copyFolder(from, to) {
  await rm(to, { recursive: true, force: true });
  await mkdir(to, { recursive: true, mode: 0o700 });
  if (await exists(from)) await cp(from, to, { recursive: true, preserveTimestamps: true });
}

/** How pg_dump and pg_restore are told where the database is: the password does not stand among their arguments. */
function reaching(url) {
  const { hostname, port, username, password, pathname } = new URL(url);
  const env = { PGHOST: hostname, PGPORT: port || '5432', PGUSER: decodeURIComponent(username), PGPASSWORD: decodeURIComponent(password) };
  return { env, database: decodeURIComponent(pathname.slice(1)) };
}

async function program(name, args, url) {
  const { env } = reaching(url);
  const result = await exec(join(postgresBin(), name), args, { env });
  if (result.code !== 0) throw new Stop(`${name} failed:\n${result.output.slice(-2000)}`);
}

/**
 * Writes a backup of a repository into a folder: the database with its rights, the keys as they were when the database was read, the
 * stand-ins and the settings. Readable by this user alone. One that was interrupted is begun again; one that is whole is left alone.
 */
export async function writeBackup(config, folder, say) {
  const { default: pg } = await import('pg');
  if (await exists(join(folder, manifestName))) throw new Stop(`${folder} holds a whole backup already. Name another folder.`);
  await mkdir(folder, { recursive: true, mode: 0o700 });
  await chmod(folder, 0o700);
  // Before the database is read: a witness that saw less than it is no contradiction, one that saw more is.
  say('Copying what the stand-ins keep …');
  await copyFolder(config.standInsDir, join(folder, 'stand-ins'));
  const client = new pg.Client({ connectionString: config.ownerUrl });
  await client.connect();
  let about;
  try {
    // Everything below is of one moment: the dump reads this snapshot, and the keys are copied while it is fresh. A content that
    // came later has a newer key, which does no harm; none that is in the snapshot lacks its own.
    await client.query('begin isolation level repeatable read read only');
    const snapshot = (await client.query('select pg_export_snapshot() as name')).rows[0].name;
    const { rows } = await client.query(
      `select (select max(name) from migration where name ~ '^[0-9]') as migration, (select count(*)::int from record) as records,
         (select max(size)::int from tree_head) as head, now() as at`,
    );
    about = rows[0];
    say('Copying keys …');
    await copyFolder(config.keysDir, join(folder, 'keys'));
    say('Reading the database …');
    await rm(join(folder, 'database'), { recursive: true, force: true });
    const args = [
      '-Fd',
      '-j',
      '2',
      '-Z',
      '1',
      `--snapshot=${snapshot}`,
      '-f',
      join(folder, 'database'),
      reaching(config.ownerUrl).database,
    ];
    await program('pg_dump', args, config.ownerUrl);
    await client.query('commit');
  } finally {
    await client.end();
  }
  const settings = Object.fromEntries(kept.flatMap((name) => (process.env[name] === undefined ? [] : [[name, process.env[name]]])));
  const files = [];
  for (const path of await filesUnder(folder)) {
    await chmod(path, 0o600);
    files.push({ path: relative(folder, path), size: (await stat(path)).size, sha256: await sha256Of(path) });
  }
  const manifest = {
    format: 'key-cellar-backup',
    formatVersion: 1,
    madeAt: about.at,
    ledgerName: config.ledgerName,
    migration: about.migration,
    records: about.records,
    head: about.head,
    settings,
    files,
  };
  say('Reading it once more …');
  await check(folder, manifest);
  const part = join(folder, `${manifestName}.part`);
  await writeFile(part, `${JSON.stringify(manifest, null, 2)}\n`, { mode: 0o600 });
  const handle = await open(part, 'r');
  await handle.sync().finally(() => handle.close());
  await rename(part, join(folder, manifestName));
  await enterBackup(config, manifest);
  return manifest;
}

/** Lets the repository know when it was backed up last: whoever sets it up is shown that. */
async function enterBackup(config, { madeAt }) {
  const { default: pg } = await import('pg');
  const client = new pg.Client({ connectionString: config.ownerUrl });
  await client.connect();
  try {
    await client.query(
      `insert into setting (name, value) values ('backup', jsonb_build_object('at', $1::timestamptz))
       on conflict (name) do update set value = excluded.value`,
      [madeAt],
    );
  } finally {
    await client.end();
  }
}

/** Compares all files of a backup with what its manifest says; throws a Stop that names the first that differs. */
async function check(folder, { files }) {
  for (const { path, size, sha256 } of files) {
    const there = join(folder, path);
    if (!(await exists(there))) throw new Stop(`The backup is damaged: ${path} is missing.`);
    if ((await stat(there)).size !== size || (await sha256Of(there)) !== sha256)
      throw new Stop(`The backup is damaged: ${path} is not what was written.`);
  }
}

/** The manifest of a whole backup that is as it was written. Throws a Stop otherwise. */
async function readBackup(folder) {
  const text = await readFile(join(folder, manifestName), 'utf8').catch(() => null);
  if (text === null) throw new Stop(`${folder} holds no whole backup: ${manifestName} is missing. One that was interrupted has none.`);
  const manifest = JSON.parse(text);
  if (manifest.format !== 'key-cellar-backup' || manifest.formatVersion !== 1)
    throw new Stop(`${folder} holds no backup that this program knows.`);
  await check(folder, manifest);
  return manifest;
}

/** Roles that a dump speaks of, and that belong to a cluster. The application's gets its password when the server starts. */
const roles = ['cellar_app', 'cellar_schema', 'cellar_criteria'];

async function emptyFolder(folder, what) {
  if ((await exists(folder)) && (await readdir(folder)).length > 0) {
    throw new Stop(`${folder} is not empty: ${what} are restored into an empty folder. Name another one, or move away what is there.`);
  }
}

/**
 * Puts a backup back: into a database that does not exist yet, and into empty folders. The database gets its name last, so that one which
 * was interrupted is begun again.
 */
export async function restoreBackup(config, folder, say) {
  const { default: pg } = await import('pg');
  const manifest = await readBackup(folder);
  const { database } = reaching(config.ownerUrl);
  if (manifest.ledgerName !== config.ledgerName) {
    throw new Stop(
      `The witness knows this ledger as “${manifest.ledgerName}”, and here it would be “${config.ledgerName}”. Set LEDGER_NAME=${manifest.ledgerName}, here and for the server.`,
    );
  }
  const putKeys = `${config.keysDir}.restoring`;
  const putStandIns = `${config.standInsDir}.restoring`;
  await emptyFolder(config.keysDir, 'keys');
  await emptyFolder(config.standInsDir, 'stand-ins');
  const url = new URL(config.ownerUrl);
  url.pathname = '/postgres';
  const client = new pg.Client({ connectionString: url.href });
  await client.connect();
  const partial = `${database}_restoring`;
  const named = (name) => pg.escapeIdentifier(name);
  try {
    if ((await client.query('select from pg_database where datname = $1', [database])).rowCount > 0) {
      throw new Stop(`There is a database “${database}” already. Name another one in DATABASE_URL, or rename that one.`);
    }
    for (const role of roles) {
      if ((await client.query('select from pg_roles where rolname = $1', [role])).rowCount === 0)
        await client.query(`create role ${role} nologin`);
    }
    say('Putting the database back …');
    await client.query(`drop database if exists ${named(partial)}`);
    await client.query(`create database ${named(partial)}`);
    await program('pg_restore', ['-j', '2', '--exit-on-error', '-d', partial, join(folder, 'database')], config.ownerUrl);
    say('Putting keys and stand-ins back …');
    await copyFolder(join(folder, 'keys'), putKeys);
    await copyFolder(join(folder, 'stand-ins'), putStandIns);
    for (const [put, there] of [
      [putKeys, config.keysDir],
      [putStandIns, config.standInsDir],
    ]) {
      await rm(there, { recursive: true, force: true });
      await rename(put, there);
    }
    await client.query(`alter database ${named(partial)} rename to ${named(database)}`);
  } finally {
    await client.end();
  }
  return manifest;
}
