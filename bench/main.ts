// Benchmarks as ratios against the bare work in the same run; machines are shared, so absolute times mean little.
import { createHash, randomBytes } from 'node:crypto';
import { mkdtempSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { addPeriod, civilDate, epochDay, period, yearMonthDay } from '@key-cellar/core/calendar';
import { leafHash, MerkleFrontier } from '@key-cellar/core/ledger';
import { compileGoverning, dateSlots, type FastVerdict, type RuleVersion } from '@key-cellar/core/schedule';
import {
  entryBody,
  getOrMakeSet,
  migrate,
  openPool,
  closeConnections,
  openServices,
  placeGrant,
  programActor,
  receive,
  row,
  rows,
  run,
  sealOnce,
  startServices,
  sweep,
  verifyLedger,
  withUnitOfWork,
  writeSetting,
  type Services,
  type SignedIn,
} from '@key-cellar/server';
import type pg from 'pg';
import { pino } from 'pino';
import { accessCosts } from './access.js';
import { keeperId, makeDatabase, type Size } from './database.js';
import { executionCosts } from './execution.js';
import { holdCosts } from './holds.js';
import { listPage } from './listPage.js';
import { median, p95, ratio, say } from './measure.js';
import { pagesOverHttp } from './pages.js';
import { plansStay } from './plans.js';
import { criteriaPage, publishing, rack, whatIf } from './schedule.js';

const today = '2026-09-14';
const ownerUrl = process.env['BENCH_DATABASE_URL']!;
const quick = process.argv.includes('--quick');
/** Only what access costs. */
const accessOnly = process.argv.includes('--access');
/** Only pages as people ask for them, and the plans of their statements. */
const pagesOnly = process.argv.includes('--pages');
/** The database of the run before, as it was left. */
const again = process.argv.includes('--again');
/** Only what holds and declaring cost. */
const holdsOnly = process.argv.includes('--holds');
/** Only what the schedule and the plan do. */
const scheduleOnly = process.argv.includes('--schedule');
const large: Size = quick ? { records: 50_000, entries: 50_000 } : { records: 1_000_000, entries: 5_000_000 };
const small: Size = { records: 10_000, entries: 10_000 };
const sha256 = (data: Uint8Array): Uint8Array => createHash('sha256').update(data).digest();

async function evaluation(): Promise<void> {
  const rule: RuleVersion = {
    id: 'r',
    code: 'R',
    version: 1,
    title: '',
    authority: '',
    jurisdictions: [],
    trigger: { kind: 'recordDate', date: 'created' },
    cutoff: { kind: 'calendarYear' },
    steps: [{ kind: 'destroy', after: 'P10Y', from: 'clockStart', approvals: 1, noticeDays: 14 }],
    inForceFrom: '2000-01-01',
    takesOver: 'all',
  };
  const from = civilDate('1998-01-01');
  const days = Int32Array.from({ length: 1_000_000 }, (_, i) => from + ((i * 7919) % 10_400));
  const out = new Int32Array(days.length);
  const ten = period('P10Y');
  const bare = (): void => {
    for (let i = 0; i < days.length; i++) out[i] = addPeriod(days[i]!, ten);
  };
  // As what-if evaluates them: one function for all records that differ only in their dates.
  const slots = dateSlots([rule]);
  const candidate = { level: 'planNode', distance: 0, setOn: 'series', versions: [rule] } as const;
  const judge = compileGoverning([candidate], { folderClosed: undefined, events: [] }, [], from, slots);
  const dates = new Int32Array(slots.length);
  const verdict: FastVerdict = { outcome: 'unscheduled', rule: null, triggerOn: 0, clockStart: 0, dueOn: 0, conflict: null };
  const core = (): void => {
    for (let i = 0; i < days.length; i++) {
      dates[0] = days[i]!;
      judge(dates, verdict);
      out[i] = verdict.dueOn;
    }
  };
  await ratio('evaluate a rule for 1,000,000 records, one thread', 'adding the period with integers', core, bare, 5);
  const whole = yearMonthDay(epochDay(2026, 9, 14));
  if (whole.year !== 2026) throw new Error('the calendar is broken');
}

async function verifying(): Promise<void> {
  const entries = Array.from({ length: 200_000 }, (_, i) =>
    Buffer.from(`{"act":"tested","at":"2026-09-14","n":${i},"filler":"${'x'.repeat(300)}"}`),
  );
  const bare = (): void => {
    for (const entry of entries) sha256(entry);
  };
  const tree = (): void => {
    const frontier = new MerkleFrontier(sha256);
    for (const entry of entries) frontier.append(leafHash(entry, sha256));
    frontier.root();
  };
  await ratio('ledger: compute the whole tree', 'SHA-256 of the same bytes', tree, bare, 3);
}

/** Content of 48 MB: taken in, read whole as fixity does, and read in a part, each against the bare work on the same chunks. */
async function largeContent({ contents, uploadPool: pool }: Services, person: SignedIn): Promise<void> {
  const size = 48 * 1024 * 1024;
  let bytes = randomBytes(size);
  const chunks = (): Buffer[] => Array.from({ length: size / 1048576 }, (_, i) => bytes.subarray(i * 1048576, (i + 1) * 1048576));
  const stream = async function* (): AsyncGenerator<Buffer> {
    yield* chunks();
  };
  let id = '';
  const bareIn = async (): Promise<void> => {
    const client = await pool.connect();
    await client.query('begin');
    for (const chunk of chunks()) {
      await client.query({
        name: 'bare.chunk',
        text: 'insert into bench_bare (sha, bytes) values ($1, $2)',
        values: [sha256(chunk), chunk],
      });
    }
    await client.query('commit');
    client.release();
  };
  const take = (): Promise<void> =>
    withUnitOfWork(
      pool,
      person,
      async (uow) => {
        id = (await contents.write(uow, stream(), 'large.bin')).id;
      },
      'none',
    );
  await ratio(
    'take in one large file',
    'hash and bare insert of the same chunks',
    take,
    bareIn,
    1.5,
    () => void (bytes = randomBytes(size)),
  );
  const read = async (from: number, to: number): Promise<void> => {
    for await (const piece of contents.read(pool, id, from, to)) void piece;
  };
  const whole = async (): Promise<void> => {
    for await (const piece of contents.readWhole(pool, { id, size, sha256: sha256(bytes) as Buffer })) void piece;
  };
  const bareRead = async (first: number, count: number): Promise<void> => {
    for (let seq = first; seq < first + count; seq++) {
      await pool.query({
        name: 'bare.read',
        text: 'select bytes from content_chunk where content_id = $1 and seq = $2',
        values: [id, seq],
      });
    }
  };
  const bareWhole = async (): Promise<void> => {
    await bareRead(0, size / 1048576);
    for (const chunk of chunks()) sha256(chunk);
  };
  await ratio('fixity of a large content', 'bare read and SHA-256 of the same bytes', whole, bareWhole, 1.5);
  await ratio(
    'read a part of a large content',
    'bare read of its chunks',
    () => read(5_000_000, 13_000_000),
    () => bareRead(4, 9),
    1.5,
  );
}

/** All that verifying looks at, from the database, against SHA-256 of the same texts read in the same way. */
async function wholeLedger({ pool, outside }: Services): Promise<void> {
  const ours = async (): Promise<void> => {
    for await (const line of verifyLedger(pool, outside)) {
      if (!('report' in line)) continue;
      if (!line.report.ok) throw new Error(line.report.sentence.say);
    }
  };
  const bare = async (): Promise<void> => {
    for (let after = 0; ;) {
      const part = await rows<{ seq: number; body: string }>(
        pool,
        'bench.bodies',
        'select seq, body from ledger_entry where seq > $1 order by seq limit 10000',
        [after],
      );
      for (const { body } of part) sha256(Buffer.from(body));
      if (part.length < 10_000) return;
      after = part.at(-1)!.seq;
    }
  };
  await ratio('ledger: verify everything from the database', 'read and SHA-256 of the same entries', ours, bare, 3);
}

async function keeper(services: Services, id: string): Promise<SignedIn> {
  const epoch = await row<{ value: number }>(services.pool, 'bench.epoch', `select value from epoch where name = 'access'`);
  return {
    id,
    name: 'Bench',
    login: 'bench',
    from: 'bench',
    today,
    clearance: { level: 9, caveats: [] },
    accessEpoch: epoch!.value,
    demo: false,
    repository: 'Bench',
    timeZone: 'UTC',
    sessionHash: Buffer.alloc(0),
    factorMissing: false,
    scopes: null,
    language: null,
  };
}

async function intake(services: Services, person: SignedIn, perRound: number): Promise<void> {
  let files: Buffer[] = [];
  const pool = services.uploadPool;
  const bare = async (): Promise<void> => {
    for (const bytes of files) {
      const client = await pool.connect();
      await client.query('begin');
      await client.query({ name: 'bare', text: 'insert into bench_bare (sha, bytes) values ($1, $2)', values: [sha256(bytes), bytes] });
      await client.query('commit');
      client.release();
    }
  };
  const ours = async (): Promise<void> => {
    for (const [i, bytes] of files.entries()) {
      await receive(services, person, {
        name: `file ${i}.bin`,
        source: 'bench',
        placeId: null,
        idempotencyKey: null,
        bytes: (async function* () {
          yield bytes;
        })(),
      });
    }
  };
  await ratio('take in files of 20 KB, one commit each', 'hash and bare insert, one commit each', ours, bare, 2, () => {
    files = Array.from({ length: perRound }, () => randomBytes(20_000));
  });
}

async function sealAll(pool: pg.Pool): Promise<void> {
  while ((await sealOnce(pool, keysDir)).added) continue;
}

async function appendAndSeal(pool: pg.Pool, perRound: number): Promise<void> {
  const actor = programActor('bench', today);
  const acts = Array.from({ length: 1000 }, (_, i) => ({
    act: 'tested',
    subject: { kind: 'ledger', id: null, name: `n ${i}` },
    after: { filler: 'x'.repeat(200) },
  }));
  const bodies = acts.map((act) => entryBody(actor, '2026-09-14T10:00:00.000000Z', act));
  const inParts = async (work: () => Promise<unknown>): Promise<void> => {
    for (let i = 0; i < perRound / 1000; i++) await work();
  };
  const bare = (): Promise<void> =>
    inParts(() => run(pool, 'bench.json', 'insert into bench_json (body) select * from unnest($1::text[])', [bodies]));
  const append = (): Promise<void> => inParts(() => withUnitOfWork(pool, actor, (uow) => uow.enterAll(acts), 'none'));
  await ratio('ledger: append entries', 'bare insert of the same JSON', append, bare, 1.5);
  await sealAll(pool);
  await ratio('ledger: seal entries', 'bare insert of the same JSON', () => sealAll(pool), bare, 1.5, append);
}

async function sweeping(): Promise<void> {
  const times: number[] = [];
  for (const size of [small, large]) {
    const services = await open(size);
    const person = await keeper(services.services, services.person);
    const taken: number[] = [];
    for (let i = 0; i < 5; i++) {
      await run(
        services.services.pool,
        'bench.due',
        `update record set due_on = $1, action = 'destroy' where id in (select id from record where docket = 'none' and due_on > $1 limit 1000)`,
        [today],
      );
      const begin = performance.now();
      const { newlyDue: found } = await sweep(services.services, person);
      taken.push(performance.now() - begin);
      if (found !== 1000) throw new Error(`the sweep found ${found}`);
    }
    times.push(median(taken));
    await services.stop();
  }
  say(
    `daily sweep, 1,000 due in ${large.records}`,
    `1,000 due in ${small.records}`,
    times[1]! / times[0]!,
    1.3,
    `${times[1]!.toFixed(0)} ms`,
  );
}

const databases = new Map<Size, { url: string; person: string }>();

async function open(size: Size) {
  const { url, person } = databases.get(size)!;
  const running = await startServices({ ...configOf(url), logLevel: 'silent' });
  return { services: running.services, person, stop: () => running.stop() };
}

const unreachable = 'http://127.0.0.1:9';
const keysDir = mkdtempSync(join(tmpdir(), 'bench-keys-'));

function configOf(url: string) {
  return {
    ownerUrl: url,
    appUrl: appUrl(url),
    port: 0,
    host: '127.0.0.1',
    webDir: null,
    migrationsDir: 'server/migrations',
    assetsDir: 'server/assets',
    standIns: [],
    logLevel: 'silent',
    archiveUrl: unreachable,
    archiveKey: '',
    timeAuthorityUrl: unreachable,
    timeAuthorityCertificates: '',
    witnessUrl: unreachable,
    witnessKey: '',
    ledgerName: 'bench',
    keysDir,
    keyBackupDays: 30,
    metricsToken: null,
    objects: null,
    contentsIn: 'database' as const,
    scanLanguages: 'eng',
    mail: null,
    identityProvider: null,
    publicUrl: 'http://127.0.0.1',
    standInsDir: '',
    hosts: [],
    proxies: [],
    idleMinutes: 60,
  };
}

function appUrl(url: string): string {
  const app = new URL(url);
  app.password = createHash('sha256').update(`cellar_app:${app.password}`).digest('hex');
  app.username = 'cellar_app';
  return app.href;
}

async function lists(): Promise<void> {
  const results = [];
  for (const size of [small, large]) {
    const opened = await open(size);
    const person = await keeper(opened.services, opened.person);
    results.push(await listPage(opened.services, person));
    await opened.stop();
  }
  const [few, many] = results as [Awaited<ReturnType<typeof listPage>>, Awaited<ReturnType<typeof listPage>>];
  say(
    'list page, 100 rows, any place and sort, access-filtered',
    'the same without access filter',
    median(many.ours) / median(many.bare),
    1.5,
    `p95 ${p95(many.ours).toFixed(1)} ms, target 50`,
  );
  say(`list page at ${large.records}`, `at ${small.records}`, median(many.ours) / median(few.ours), 1.5);
}

async function main(): Promise<void> {
  process.stdout.write(`${'what'.padEnd(58)} ${'against'.padEnd(42)} ratio  target\n`);
  const someOnly = scheduleOnly || accessOnly || pagesOnly || holdsOnly;
  if (!someOnly) {
    await evaluation();
    await verifying();
  }
  for (const size of someOnly ? [large] : [small, large]) {
    const name = `bench_${size.records}`;
    const url = new URL(ownerUrl);
    url.pathname = `/${name}`;
    if (again) {
      await migrate(configOf(url.href));
      databases.set(size, { url: url.href, person: keeperId });
      continue;
    }
    const admin = openPool(ownerUrl, 1);
    await admin.query(`drop database if exists ${name} with (force)`);
    await admin.query(`create database ${name}`);
    await admin.end();
    await migrate(configOf(url.href));
    const person = await makeDatabase(url.href, size, { withUnitOfWork, writeSetting, getOrMakeSet, placeGrant });
    databases.set(size, { url: url.href, person });
    // Sealed now, so that the sealer has nothing to do while the rest is measured.
    const pool = openPool(appUrl(url.href), 1);
    await sealAll(pool);
    await pool.end();
  }
  if (!someOnly) {
    await lists();
    await sweeping();
  }
  const { url, person } = databases.get(large)!;
  if (pagesOnly || !someOnly) {
    const owner = openPool(url, 1);
    // What is folded leaves its rows behind; nobody takes them away by themselves here.
    for (const table of [
      'rack_delta',
      'due_delta',
      'place_delta',
      'plan_note',
      'rack_total',
      'rack_cell',
      'due_sum',
      'place_sum',
      'batch',
      'hold',
    ])
      await owner.query(`vacuum (analyze) ${table}`);
    await plansStay(owner, configOf(url), person);
    await pagesOverHttp(owner, url, person);
    await owner.end();
    if (pagesOnly) return;
  }
  // Without the sealer and the jobs of a running server, so that only what is measured runs.
  const quiet = await openServices(configOf(url), pino({ level: 'silent' }), {
    connections: 4,
    sealer: () => ({ sealNow: () => Promise.resolve(0), troubles: () => [], stop: () => Promise.resolve() }),
  });
  if (holdsOnly || !someOnly) {
    const owner = openPool(url, 4);
    await holdCosts(quiet, owner, await keeper(quiet, person), url, quick ? 10_000 : 100_000);
    await executionCosts(quiet, owner, await keeper(quiet, person), quick ? 500 : 2000);
    await owner.end();
    if (holdsOnly) return closeQuiet(quiet);
  }
  if (!scheduleOnly) await accessCosts(quiet, await keeper(quiet, person), (id) => keeper(quiet, id));
  if (accessOnly) return closeQuiet(quiet);
  const kept = await keeper(quiet, person);
  await rack(quiet, kept);
  await criteriaPage(quiet, kept);
  await whatIf(quiet, kept);
  await publishing(quiet, kept);
  if (scheduleOnly) {
    await closeQuiet(quiet);
    return;
  }
  await intake(quiet, kept, quick ? 100 : 400);
  await largeContent(quiet, kept);
  await appendAndSeal(quiet.pool, quick ? 5000 : 20_000);
  await wholeLedger(quiet);
  await closeQuiet(quiet);
}

async function closeQuiet(quiet: Services): Promise<void> {
  await Promise.all([quiet.jobs.stop(), quiet.effects.stop()]);
  await closeConnections(quiet);
}

await main();
