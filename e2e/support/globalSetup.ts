import { execFile } from 'node:child_process';
import { rm } from 'node:fs/promises';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { fileURLToPath } from 'node:url';
import { promisify } from 'node:util';
import pg from 'pg';

export const templateName = 'journeys_demo';
/** Where keys and stand-ins of the demo keep what is theirs. */
export const demoFolder = join(tmpdir(), 'key-cellar-journeys');
/** What says so to a server; the witness knows all of them as the demo. */
export const keptIn = (folder: string) => ({
  STANDINS_DIR: join(folder, 'stand-ins'),
  KEYS_DIR: join(folder, 'keys'),
  LEDGER_NAME: 'demo',
});
const root = fileURLToPath(new URL('../..', import.meta.url));

/** The demo, loaded once; each file of journeys gets a copy. */
export default async function globalSetup(): Promise<void> {
  const base = process.env['TEST_DATABASE_URL'];
  if (!base) throw new Error('TEST_DATABASE_URL names the test cluster; "npm test journeys" sets it.');
  const client = new pg.Client({ connectionString: base });
  await client.connect();
  // For working on one journey: the demo of the run before serves again.
  if (process.env['REUSE_DEMO']) return client.end();
  // Witness and keys of the demo that was before belong to that one.
  await rm(demoFolder, { recursive: true, force: true });
  await client.query(`drop database if exists ${templateName} with (force)`);
  await client.query(`create database ${templateName}`);
  await client.end();
  const url = new URL(base);
  url.pathname = `/${templateName}`;
  await promisify(execFile)(process.execPath, ['--import', 'tsx', 'demo/src/main.ts'], {
    cwd: root,
    env: { ...process.env, DATABASE_URL: url.href, IDENTITY_PROVIDER: 'stand-in', ...keptIn(demoFolder) },
  });
}
