import { spawn, type ChildProcess } from 'node:child_process';
import { join } from 'node:path';
import { fileURLToPath } from 'node:url';
import { asOwner, configFor, urlOf } from './database.js';

/** The program of a server: its bundle where there is one, else its sources. */
const bundles = process.env['SERVER_BUNDLES'];
export const serverProgram = bundles
  ? [join(bundles, 'main.mjs')]
  : ['--import', 'tsx', fileURLToPath(new URL('../../src/main.ts', import.meta.url))];

export interface ServerProcess {
  readonly child: ChildProcess;
  readonly base: string;
}

/** A server of its own, so that it can be killed; it keeps its keys and stand-ins where a server in the spec's own process does. */
export async function startProcess(database: string, env: NodeJS.ProcessEnv = {}): Promise<ServerProcess> {
  const { keysDir, standInsDir, ledgerName } = configFor(database);
  const child = spawn(process.execPath, serverProgram, {
    env: {
      ...process.env,
      DATABASE_URL: urlOf(database),
      PORT: '0',
      LOG_LEVEL: process.env['LOG_LEVEL'] ?? 'silent',
      KEYS_DIR: keysDir,
      STANDINS_DIR: standInsDir,
      LEDGER_NAME: ledgerName,
      ...env,
    },
    stdio: ['ignore', 'inherit', 'inherit', 'ipc'],
  });
  const port = await new Promise<number>((resolve, reject) => {
    child.once('message', (message) => resolve((message as { listening: number }).listening));
    child.once('exit', () => reject(new Error('the server did not start')));
  });
  return { child, base: `http://127.0.0.1:${port}` };
}

export const kill = ({ child }: { readonly child: ChildProcess }): Promise<void> =>
  new Promise((resolve) => {
    child.once('exit', () => resolve());
    child.kill('SIGKILL');
  });

const patienceMs = 15_000;

/**
 * Does `work` while somebody is stopped who wants to write a table. `before` gives a reason to, `after` too, once the table is locked. Who
 * was quicker than the lock is given another reason.
 */
export async function whileStopped(
  database: string,
  table: string,
  { before, after }: { readonly before?: () => Promise<unknown>; readonly after?: () => Promise<unknown> },
  work: () => Promise<void>,
): Promise<void> {
  await asOwner(database, async (client) => {
    for (;;) {
      await before?.();
      await client.query(`begin; lock table ${table} in share mode`);
      await after?.();
      for (const end = Date.now() + patienceMs; Date.now() < end;) {
        const { rowCount } = await client.query(
          `select from pg_locks l join pg_database d on d.oid = l.database where d.datname = $1 and not l.granted and l.relation = $2::regclass`,
          [database, table],
        );
        if (rowCount! > 0) {
          await work();
          await client.query('rollback');
          return;
        }
        await new Promise((resolve) => setTimeout(resolve, 20));
      }
      await client.query('rollback');
    }
  });
}
