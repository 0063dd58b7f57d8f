// npm run year: a year of the demo swept day after day, and once at its end; every record has to end alike (3.8 of docs/semantics.md).
import { cp, mkdtemp, rm } from 'node:fs/promises';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { isDeepStrictEqual } from 'node:util';
import pg from 'pg';
import { demoToday, loadDemo } from '../demo/src/index.js';
import { migrate, readConfig, startServices, sweep, type Config } from '../server/src/index.js';
import { testCluster } from './lib/cluster.mjs';

const days = 365;
const dayMs = 86_400_000;
const dayAfter = (n: number): string => new Date(Date.parse(demoToday) + n * dayMs).toISOString().slice(0, 10);

/** What became of every record, by its number: state, dates, steps taken and questions asked. Ids of what was made on the way differ. */
const outcomes = `
  select r.number, r.title, r.state, r.docket, r.outcome, r.due_on, r.next_step_on, r.vintage, r.declared_on, (select count(*)::int from hold_cover c where c.record_id = r.id and c.released_at is null) as hold_count, p.code, v.version,
    (select jsonb_agg(s - 'by' - 'at') from jsonb_array_elements(r.steps_taken) s) as taken,
    (select jsonb_agg(jsonb_build_array(t.kind, t.state, t.asked_on, t.last_asked_on, t.times, t.again_on) order by t.asked_on, t.kind)
     from step_task t where t.record_id = r.id) as asked
  from record r join place p on p.id = r.place_id left join rule_version v on v.id = r.rule_version_id order by r.number`;

/** Sweeps on some days of the repository’s clock, and gives what became of every record. */
async function after(config: Config, on: readonly string[]): Promise<Record<string, unknown>[]> {
  const { services, stop } = await startServices({ ...config, logLevel: 'warn' });
  try {
    for (const today of on) {
      const offsetDays = Math.round((Date.parse(today) - Date.parse(new Date().toISOString().slice(0, 10))) / dayMs);
      const clock = JSON.stringify({ demo: true, offsetDays });
      await services.pool.query(`update setting set value = $1 where name = 'clock'`, [clock]);
      const { jobId } = await sweep(services, { id: null, name: 'Year', from: 'tools', today });
      if (jobId && (await services.jobs.settled(jobId)).state !== 'done') throw new Error(`The sweep of ${today} did not end well.`);
    }
    return (await services.pool.query(outcomes)).rows as Record<string, unknown>[];
  } finally {
    await stop();
  }
}

const own = testCluster('year-cluster');
const folder = await mkdtemp(join(tmpdir(), 'key-cellar-year-'));
try {
  const ownerUrl: string = await own.start();
  const owner = new pg.Client({ connectionString: ownerUrl });
  await owner.connect();
  const names = ['year_daily', 'year_jump'] as const;
  for (const name of names) await owner.query(`drop database if exists ${name} with (force)`);
  const [daily, jump] = names.map((name) => {
    const url = new URL(ownerUrl);
    url.pathname = `/${name}`;
    return readConfig({ DATABASE_URL: url.href, KEYS_DIR: join(folder, name, 'keys'), STANDINS_DIR: join(folder, name) });
  }) as [Config, Config];
  await owner.query(`create database ${names[0]}`);
  await migrate(daily);
  await loadDemo(daily, (line) => process.stdout.write(`  ${line}\n`));
  await owner.query(`create database ${names[1]} template ${names[0]}`);
  await owner.end();
  await cp(join(folder, names[0]), join(folder, names[1]), { recursive: true });

  const before = await after(daily, []);
  const first = await after(
    daily,
    Array.from({ length: days }, (_, i) => dayAfter(i + 1)),
  );
  const second = await after(jump, [dayAfter(days)]);
  const other = first.filter((record, i) => !isDeepStrictEqual(record, second[i]));
  const changed = first.filter((record, i) => !isDeepStrictEqual(record, before[i])).length;
  for (const record of other.slice(0, 10)) {
    const twin = second.find((r) => r['number'] === record['number']);
    process.stdout.write(`${JSON.stringify(record)}\n${JSON.stringify(twin)}\n\n`);
  }
  process.stdout.write(`${first.length} records, ${changed} of which the year changed; ${other.length} end otherwise after one jump.\n`);
  process.exitCode = other.length > 0 || first.length !== second.length ? 1 : 0;
} finally {
  await own.stop();
  await rm(folder, { recursive: true, force: true });
}
