import { spawn, type ChildProcess } from 'node:child_process';
import { mkdtempSync, readdirSync, readFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import autocannon from 'autocannon';
import type pg from 'pg';
import { say } from './measure.js';
import { sessionOf } from './session.js';

/** What people open most, and what each may take: p97.5 with ten at once, in milliseconds. */
interface Asked {
  readonly what: string;
  readonly path: string;
  readonly most: number;
}

/** A server of its own, as it is started for people: its processor time is nobody else’s. */
async function serve(databaseUrl: string): Promise<{ child: ChildProcess; base: string }> {
  const folder = mkdtempSync(join(tmpdir(), 'bench-server-'));
  const child = spawn(process.execPath, ['dist/server/main.mjs'], {
    env: {
      ...process.env,
      DATABASE_URL: databaseUrl,
      PORT: '0',
      LOG_LEVEL: 'error',
      KEYS_DIR: join(folder, 'keys'),
      STANDINS_DIR: join(folder, 'stand-ins'),
      LEDGER_NAME: 'bench',
    },
    stdio: ['ignore', 'inherit', 'inherit', 'ipc'],
  });
  const port = await new Promise<number>((resolve, reject) => {
    child.once('message', (message) => resolve((message as { listening: number }).listening));
    child.once('exit', () => reject(new Error('The server did not start.')));
  });
  return { child, base: `http://127.0.0.1:${port}` };
}

/** Clock ticks of Linux are hundredths of a second everywhere that matters (`getconf CLK_TCK`). */
const msATick = 10;

/** Processor time in milliseconds that a process and all whose name is `postgres` have used so far, with those that ended since. */
function processorTime(pid: number): { server: number; database: number } {
  const ticks = (of: string, children: boolean): number => {
    const fields = readFileSync(`/proc/${of}/stat`, 'utf8')
      .replace(/^.*\) /, '')
      .split(' ')
      .slice(11, children ? 15 : 13);
    return fields.reduce((sum, field) => sum + Number(field), 0);
  };
  let database = 0;
  for (const entry of readdirSync('/proc')) {
    if (!/^\d+$/.test(entry)) continue;
    try {
      if (readFileSync(`/proc/${entry}/comm`, 'utf8').trim() === 'postgres') database += ticks(entry, true);
    } catch {
      // It has ended meanwhile.
    }
  }
  return { server: ticks(String(pid), false) * msATick, database: database * msATick };
}

/** Waits until a server has done what it does when it starts, or half a minute. */
async function quietly(pid: number): Promise<void> {
  const used = (): number => {
    const { server, database } = processorTime(pid);
    return server + database;
  };
  for (let tries = 0; tries < 30; tries++) {
    const before = used();
    await new Promise((resolve) => setTimeout(resolve, 1000));
    if (used() - before < 100) return;
  }
}

/** The pages of a repository that are measured. */
export async function pagesOf(pool: pg.Pool): Promise<readonly Asked[]> {
  const { rows } = await pool.query<{ kind: string; id: string }>(
    `(select kind, id from place where kind = 'repository')
     union all (select kind, id from place where kind = 'function' order by code limit 1)
     union all (select kind, id from place where kind = 'series' order by code limit 1)`,
  );
  const idOf = (kind: string): string => rows.find((place) => place.kind === kind)!.id;
  return [
    { what: 'me', path: '/api/me', most: 30 },
    { what: 'what needs whom', path: '/api/needs', most: 250 },
    { what: 'Today', path: '/api/today', most: 250 },
    { what: 'the rack', path: '/api/plan/rack', most: 250 },
    { what: 'the outline', path: '/api/plan', most: 250 },
    { what: 'the page of the repository', path: `/api/places/${idOf('repository')}`, most: 250 },
    { what: 'the page of a function', path: `/api/places/${idOf('function')}`, most: 250 },
    { what: 'the page of a series', path: `/api/places/${idOf('series')}`, most: 250 },
    { what: 'the folders of a series', path: `/api/places/${idOf('series')}/folders`, most: 250 },
    { what: 'what is due', path: '/api/docket/due', most: 250 },
    { what: 'the check of the schedule', path: '/api/schedule/check', most: 250 },
    { what: 'the words of criteria', path: '/api/criteria/vocabulary', most: 250 },
    { what: 'a list by number', path: '/api/records?limit=100&sort=number', most: 100 },
    { what: 'a list by due date', path: '/api/records?limit=100&sort=due', most: 100 },
    { what: 'how many a list has', path: '/api/records/count', most: 100 },
    { what: 'the middle of a list', path: '/api/records?limit=100&sort=due&skip=500000', most: 100 },
    { what: 'the end of a list', path: '/api/records?limit=100&sort=number&skip=999900', most: 100 },
    { what: 'the ledger', path: '/api/ledger?limit=100', most: 250 },
  ];
}

/** Memory of a process in megabytes. */
const memory = (pid: number): number => Number(/VmRSS:\s+(\d+)/.exec(readFileSync(`/proc/${pid}/status`, 'utf8'))![1]) / 1000;

/** Everything as a table, in each format: how much more memory the server takes meanwhile, and for how long. */
async function wholeList(base: string, cookie: string, pid: number): Promise<void> {
  for (const format of ['csv', 'json', 'xlsx']) {
    const [before, begin] = [memory(pid), performance.now()];
    let [most, bytes, began] = [before, 0, 0];
    const watch = setInterval(() => (most = Math.max(most, memory(pid))), 100);
    const response = await fetch(`${base}/api/records/export?format=${format}`, { headers: { cookie } });
    for await (const part of response.body!) {
      began ||= performance.now() - begin;
      bytes += part.length;
    }
    clearInterval(watch);
    if (!response.ok) throw new Error(`${format}: ${response.status}`);
    const took = ((performance.now() - begin) / 1000).toFixed(0);
    const note = `${(most - before).toFixed(0)} MB more; ${(bytes / 1e6).toFixed(0)} MB in ${took} s, the first after ${began.toFixed(0)} ms`;
    say(`all records as ${format.toUpperCase()}: memory`, '64 MB', (most - before) / 64, 1, note);
  }
}

/** Pages as people ask for them over HTTP: one at a time, and ten people at once; with the processor time of a request. */
export async function pagesOverHttp(pool: pg.Pool, databaseUrl: string, personId: string): Promise<void> {
  const asked = await pagesOf(pool);
  const { child, base } = await serve(databaseUrl);
  try {
    const headers = { cookie: `cellar_session=${await sessionOf(pool, personId)}`, 'accept-encoding': 'br' };
    await quietly(child.pid!);
    for (const { what, path, most } of asked) {
      const ask = (people: number, amount: number) =>
        autocannon({ url: `${base}${path}`, connections: people, amount, headers, timeout: 120 });
      // As on a server that has run for a while: with its connections open, and its code compiled.
      await ask(10, 40);
      const before = processorTime(child.pid!);
      const one = await ask(1, 20);
      const after = processorTime(child.pid!);
      const ten = await ask(10, 100);
      if (ten.non2xx > 0 || ten.errors > 0) throw new Error(`${path}: ${ten.non2xx} refused, ${ten.errors} failed`);
      const cpu = `${((after.server - before.server) / 20).toFixed(0)} + ${((after.database - before.database) / 20).toFixed(0)} ms of processor`;
      const sent = `${(one.throughput.total / 20 / 1000).toFixed(0)} KB`;
      say(
        `${what}, ten people at once`,
        `${most} ms`,
        ten.latency.p97_5 / most,
        1,
        `${ten.latency.p97_5} ms; alone ${one.latency.p50} ms, ${cpu}, ${sent}`,
      );
    }
    await wholeList(base, headers.cookie, child.pid!);
  } finally {
    const ended = new Promise((resolve) => child.once('exit', resolve));
    child.kill('SIGTERM');
    await ended;
  }
}
