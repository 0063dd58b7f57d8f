import { spawn } from 'node:child_process';
import { once } from 'node:events';
import { createReadStream } from 'node:fs';
import { readdir, stat } from 'node:fs/promises';
import { join } from 'node:path';
import { pipeline } from 'node:stream/promises';
import { fileURLToPath } from 'node:url';
import { createGunzip } from 'node:zlib';
import { identity, ledger, receiving, records } from '@key-cellar/contract';
import { encryptOfBefore, startServer, type Running } from '../src/index.js';
import { judgeAnew } from '../src/schedule/index.js';
import { eventually } from './support/eventually.js';
import { migrate } from '../src/kernel/index.js';
import { asApplication, asOwner, configFor, dropDatabase, freshName, template, urlOf } from './support/database.js';
import { Client, password } from './support/world.js';

const fixtures = fileURLToPath(new URL('fixtures', import.meta.url));

/** Puts a dump of an earlier schema into a database of its own. */
async function restored(file: string): Promise<string> {
  // The roles that it speaks of are the cluster’s.
  await template();
  const name = freshName();
  await asOwner('postgres', (client) => client.query(`create database ${name}`));
  const psql = spawn('psql', ['-q', '-v', 'ON_ERROR_STOP=1', urlOf(name)], { stdio: ['pipe', 'ignore', 'inherit'] });
  await pipeline(createReadStream(join(fixtures, file)), createGunzip(), psql.stdin);
  const [code] = (await once(psql, 'exit')) as [number];
  if (code !== 0) throw new Error(`${file} could not be put back`);
  return name;
}

/** Repositories as earlier programs left them: with a held record, one that was destroyed, and one that is not due. */
describe('a repository of schema 0030, of before keys lay outside', () => {
  let database: string;
  let running: Running & { port: number };
  let keeper: Client;
  beforeAll(async () => {
    database = await restored('schema-0030.sql.gz');
    await asOwner(database, async (client) => {
      await client.query(`update record set search = search || array_to_tsvector(array['große', 'łodz']) where title = 'Young'`);
      await client.query(
        `insert into hold (id, matter_id, name, reason, state, criteria, scope_sql, scope_params, placed_by, placed_at)
         select gen_random_uuid(), matter_id, 'Words', 'r', 'open', '{"op":"words","text":"Größe"}',
           '(r.search @@ ($2->>0)::tsquery) and r.title <> ($2->>1)', '["''große''", "große"]', placed_by, placed_at from hold limit 1`,
      );
    });
    await migrate(configFor(database));
    running = await startServer(configFor(database));
    const base = `http://127.0.0.1:${running.port}`;
    const signedIn = await fetch(`${base}/api${identity.signIn.path}`, {
      method: 'POST',
      headers: { 'content-type': 'application/json', 'x-key-cellar': 'test' },
      body: JSON.stringify({ login: 'keeper', password }),
    });
    keeper = new Client(base, signedIn.headers.getSetCookie()[0]!.split(';')[0]!);
  });
  afterAll(async () => {
    await running.stop();
    await dropDatabase(database);
  });

  const find = async (title: string): Promise<string> =>
    (await running.services.pool.query<{ id: string }>('select id from record where title = $1', [title])).rows[0]!.id;

  it('judges all records anew, once', async () => {
    const { pool } = running.services;
    const asked = async (): Promise<{ state: string }[]> =>
      (await pool.query<{ state: string }>(`select state from job_progress where kind = 'recompute' and subject = 'all records'`)).rows;
    await eventually(async () => (await asked())[0]?.state === 'done', 20_000);
    await judgeAnew(running.services, { id: null, name: 'Test', from: 'test', today: '2026-09-14' });
    expect((await asked()).length).toBe(1);
    const { rowCount } = await pool.query(
      `select from ledger_entry where act = 'asked for a recompute' and body like '%after an upgrade%'`,
    );
    expect(rowCount).toBe(1);
  });

  it('finds what has letters that are folded now, and holds go on to look for it', async () => {
    for (const words of ['Größe', 'GROSSE', 'Łódź', 'lodz']) {
      expect((await keeper.call(records.list, { query: { words } })).records.map((r) => r.title))
        .withContext(words)
        .toEqual(['Young']);
    }
    const { rows } = await running.services.pool.query<{ scope_params: unknown }>(`select scope_params from hold where name = 'Words'`);
    // What is compared letter by letter stays as it was.
    expect(rows[0]!.scope_params).toEqual([`'grosse'`, 'große']);
    await asOwner(database, async (client) => {
      await expectAsync(client.query(`update hold set scope_params = '[]' where name = 'Words'`)).toBeRejectedWithError(/never changes/);
    });
  });

  it('has its signing key in a file, and nowhere in the database', async () => {
    const { keysDir } = configFor(database);
    const { rows } = await running.services.pool.query<{ id: string }>('select id from signing_key');
    expect((await readdir(keysDir)).filter((name) => /^[0-9a-f]{16}\.pem$/.test(name))).toEqual([`${rows[0]!.id}.pem`]);
    expect((await stat(join(keysDir, `${rows[0]!.id}.pem`))).mode & 0o077).toBe(0);
    const { rowCount } = await running.services.pool.query(`select from information_schema.columns where column_name = 'private_key'`);
    expect(rowCount).toBe(0);
  });

  it('is ready, goes on with the same tree and key, and is cosigned', async () => {
    expect((await fetch(`${keeper.base}/ready`)).status).toBe(200);
    await running.services.sealer.sealNow();
    const { heads, troubles } = await keeper.call(ledger.state);
    expect(troubles).toEqual([]);
    expect(heads.length).toBeGreaterThan(1);
    expect(new Set(heads.map((head) => head.keyId)).size).toBe(1);
    expect(heads[0]!.witness).not.toBeNull();
    const response = await keeper.fetch('/api/ledger/verify', { method: 'POST', body: '{}' });
    const lines = (await response.text()).trim().split('\n');
    const { report } = JSON.parse(lines.at(-1)!) as { report: { findings: { what: string }[]; checked: { entries: number } } };
    // Who stamped then is not trusted by whoever runs it now: everything else is as it was sealed.
    expect(report.findings.filter((finding) => finding.what !== 'stamp')).toEqual([]);
    expect(report.checked.entries).toBeGreaterThan(30);
  });

  it('reads what it had, keeps what is held, and encrypts what comes', async () => {
    const [held, young] = [await find('Held'), await find('Young')];
    expect(await (await keeper.fetch(`/api/records/${held}/content`)).text()).toBe('Held for the inquiry.');
    expect(await (await keeper.fetch(`/api/records/${young}/content`)).text()).toBe('Not due yet.');
    expect((await keeper.call(records.dossier, { params: { id: await find('Gone') } })).state).toBe('disposed');
    await asOwner(database, async (client) => {
      await expectAsync(client.query(`update record set state = 'disposed' where id = '${held}'`)).toBeRejected();
    });
    const id = await keeper.upload('new.txt', 'New, and encrypted.');
    expect((await keeper.call(receiving.list)).arrivals.some((arrival) => arrival.id === id)).toBeTrue();
    const { rows } = await running.services.pool.query<{ keyed: boolean; n: number }>(
      'select key_slot is not null as keyed, count(*)::int as n from content group by 1 order by 1',
    );
    expect(rows).toEqual([
      { keyed: false, n: 2 },
      { keyed: true, n: 1 },
    ]);

    // What was there before is encrypted by the owner of the database, once, and by nobody else.
    const config = configFor(database);
    await asApplication(database, async (client) => {
      await expectAsync(client.query('update content set key_slot = 1 where key_slot is null')).toBeRejectedWithError(/permission denied/);
    });
    // Whole and undamaged, it is not given a key by a mere word either.
    await asOwner(database, async (client) => {
      await expectAsync(client.query('update content set key_slot = 9999 where key_slot is null')).toBeRejectedWithError(/keeps its key/);
    });
    expect(await encryptOfBefore(config)).toEqual({ encrypted: 2, damaged: 0 });
    expect(await encryptOfBefore(config)).toEqual({ encrypted: 0, damaged: 0 });
    const chunks = await running.services.pool.query<{ bytes: Buffer }>('select bytes from content_chunk');
    for (const { bytes } of chunks.rows) expect(bytes.toString('latin1')).not.toMatch(/inquiry|due yet/);
    expect(await (await keeper.fetch(`/api/records/${held}/content`)).text()).toBe('Held for the inquiry.');
    const { entries } = await keeper.call(ledger.entries, { query: { act: 'encrypted content' } });
    expect(entries.length).toBe(2);
  });
});
