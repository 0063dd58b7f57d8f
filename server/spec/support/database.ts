import cluster from 'node:cluster';
import { randomBytes } from 'node:crypto';
import { existsSync } from 'node:fs';
import { cp } from 'node:fs/promises';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { fileURLToPath } from 'node:url';
import pg from 'pg';
import { appUrlFor, type Config, migrate } from '../../src/kernel/index.js';

// Where files run side by side each worker has a cluster of its own: transactions of one hold up the sealer of every database
// in a cluster, and one spec kills its cluster.
const clusters = (process.env['TEST_DATABASE_URL'] ?? '').split(' ').filter(Boolean);
const ownerBase = clusters[((cluster.worker?.id ?? 1) - 1) % clusters.length];
if (!ownerBase) throw new Error('TEST_DATABASE_URL names the test cluster; "npm test server" sets it.');

const folder = (path: string): string => fileURLToPath(new URL(`../../${path}`, import.meta.url));

export function urlOf(database: string): string {
  const url = new URL(ownerBase!);
  url.pathname = `/${database}`;
  // A busy machine is not a fault.
  url.searchParams.set('connect_timeout', '90');
  return url.href;
}

export function configFor(database: string): Config {
  const ownerUrl = urlOf(database);
  return {
    ownerUrl,
    appUrl: appUrlFor(ownerUrl),
    port: 0,
    host: '127.0.0.1',
    hosts: [],
    proxies: [],
    idleMinutes: 60,
    webDir: null,
    migrationsDir: folder('migrations'),
    assetsDir: folder('assets'),
    logLevel: process.env['LOG_LEVEL'] ?? 'silent',
    archiveUrl: null,
    archiveKey: null,
    timeAuthorityUrl: null,
    timeAuthorityCertificates: null,
    witnessUrl: null,
    witnessKey: null,
    ledgerName: database,
    keysDir: join(tmpdir(), `stand-ins-${database}`, 'keys'),
    keyBackupDays: 30,
    standIns: [],
    metricsToken: null,
    objects: null,
    contentsIn: 'database',
    mail: null,
    identityProvider: null,
    publicUrl: 'http://127.0.0.1:4180',
    scanLanguages: 'eng',
    standInsDir: join(tmpdir(), `stand-ins-${database}`),
  };
}

export async function asOwner<T>(database: string, work: (client: pg.Client) => Promise<T>): Promise<T> {
  const client = new pg.Client({ connectionString: urlOf(database) });
  await client.connect();
  try {
    return await work(client);
  } finally {
    await client.end();
  }
}

export async function asApplication<T>(database: string, work: (client: pg.Client) => Promise<T>): Promise<T> {
  const client = new pg.Client({ connectionString: appUrlFor(urlOf(database)) });
  await client.connect();
  try {
    return await work(client);
  } finally {
    await client.end();
  }
}

/** As the owner with every trigger asleep: for making what no account could. Only a superuser can do so. */
export function pastTheGuards<T>(database: string, work: (client: pg.Client) => Promise<T>): Promise<T> {
  return asOwner(database, async (client) => {
    await client.query('set session_replication_role = replica');
    return work(client);
  });
}

export const freshName = (): string => `t_${randomBytes(6).toString('hex')}`;

let made: Promise<string> | null = null;

/** A migrated, empty database to copy; the migrations run once a process. From then on the cluster has the roles that a dump speaks of. */
export function template(): Promise<string> {
  return (made ??= (async () => {
    const name = freshName();
    await asOwner('postgres', (client) => client.query(`create database ${name}`));
    await migrate(configFor(name));
    return name;
  })());
}

/** A migrated, empty database of its own. */
export const freshDatabase = async (): Promise<string> => copyOf(await template());

/** A copy of a database that nobody is connected to. */
export async function copyOf(database: string): Promise<string> {
  const name = freshName();
  await asOwner('postgres', (client) => client.query(`create database ${name} template ${database}`));
  const { keysDir } = configFor(database);
  if (existsSync(keysDir)) await cp(keysDir, configFor(name).keysDir, { recursive: true });
  return name;
}

export async function dropDatabase(name: string): Promise<void> {
  await asOwner('postgres', (client) => client.query(`drop database if exists ${name} with (force)`));
}
