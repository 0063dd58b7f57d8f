import { startServer } from '@key-cellar/server';
import pg from 'pg';
import { say } from './measure.js';
import { pagesOf } from './pages.js';
import { sessionOf } from './session.js';

interface Statement {
  readonly text: string;
  readonly values: readonly unknown[];
}

/** The named statements that are run while `work` goes on, each with what it was asked last. */
async function statementsOf(work: () => Promise<void>): Promise<ReadonlyMap<string, Statement>> {
  const seen = new Map<string, Statement>();
  const query = pg.Client.prototype.query as (this: pg.Client, ...given: unknown[]) => unknown;
  const listening = function (this: pg.Client, ...given: unknown[]): unknown {
    const [config] = given as [{ name?: string; text?: string; values?: unknown[] } | string];
    if (typeof config === 'object' && config.name && config.text) seen.set(config.name, { text: config.text, values: config.values ?? [] });
    return query.apply(this, given);
  };
  pg.Client.prototype.query = listening as typeof pg.Client.prototype.query;
  try {
    await work();
  } finally {
    pg.Client.prototype.query = query as typeof pg.Client.prototype.query;
  }
  return seen;
}

function literal(value: unknown): string {
  if (value === null || value === undefined) return 'null';
  if (Array.isArray(value))
    return pg.escapeLiteral(`{${value.map((one) => (one === null ? 'null' : JSON.stringify(String(one)))).join(',')}}`);
  if (Buffer.isBuffer(value)) return `'\\x${value.toString('hex')}'`;
  return pg.escapeLiteral(typeof value === 'object' ? JSON.stringify(value) : String(value as string));
}

interface Explained {
  readonly Plan: { readonly 'Shared Hit Blocks': number; readonly 'Shared Read Blocks': number };
}

const rounds = 8;
/** Pages of the buffer below which a plan may do what it likes. */
const worthLooking = 1000;

/** Pages that a statement touches in each of eight runs on one connection: after five PostgreSQL may take one plan for all values. */
async function pagesTouched(client: pg.Client, { text, values }: Statement): Promise<number[]> {
  await client.query('deallocate all');
  await client.query(`prepare looked as ${text}`);
  const touched: number[] = [];
  for (let round = 0; round < rounds; round++) {
    const { rows } = await client.query<{ 'QUERY PLAN': [Explained] }>(
      `explain (analyze, buffers, format json) execute looked${values.length > 0 ? `(${values.map(literal).join(', ')})` : ''}`,
    );
    const { Plan: plan } = rows[0]!['QUERY PLAN'][0];
    touched.push(plan['Shared Hit Blocks'] + plan['Shared Read Blocks']);
  }
  return touched;
}

/** No statement that keeps its plan on a connection comes to a worse one there. */
export async function plansStay(pool: pg.Pool, config: Parameters<typeof startServer>[0], personId: string): Promise<void> {
  const asked = await pagesOf(pool);
  const running = await startServer(config);
  const cookie = `cellar_session=${await sessionOf(pool, personId)}`;
  const statements = await statementsOf(async () => {
    for (const { path } of asked) {
      const response = await fetch(`http://127.0.0.1:${running.port}${path}`, { headers: { cookie } });
      if (!response.ok) throw new Error(`${path}: ${response.status}`);
      await response.arrayBuffer();
    }
  });
  await running.stop();
  const client = new pg.Client({ connectionString: config.appUrl });
  await client.connect();
  let worst = { name: '', ratio: 1, touched: [] as number[] };
  let looked = 0;
  for (const [name, statement] of statements) {
    if (!/^\s*(select|with)/.test(statement.text) || /\bfor (update|share|no key)|\b(insert into|update|delete from) /.test(statement.text))
      continue;
    looked += 1;
    const touched = await pagesTouched(client, statement);
    const ratio = Math.max(...touched.slice(5)) / Math.max(worthLooking, ...touched.slice(0, 5));
    if (ratio > worst.ratio) worst = { name, ratio, touched };
  }
  await client.end();
  say(
    `pages touched by the worst of ${looked} kept statements, 8 runs`,
    'its first runs',
    worst.ratio,
    2,
    worst.name && `${worst.name}: ${worst.touched.join(', ')}`,
  );
}
