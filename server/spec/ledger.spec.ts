import { execFile } from 'node:child_process';
import { mkdtemp, writeFile } from 'node:fs/promises';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { fileURLToPath } from 'node:url';
import { ledger } from '@key-cellar/contract';
import { canonicalJson } from '@key-cellar/core/ledger';
import { entryBody, sealOnce, verifyLedger, withUnitOfWork } from '../src/index.js';
import { chapters } from './support/chapters.js';
import { asOwner } from './support/database.js';
import { makeWorld, statusOf, today, type World } from './support/world.js';

const verifier = fileURLToPath(new URL('../../tools/verify-ledger.mjs', import.meta.url));

function verify(file: string): Promise<{ code: number; output: string }> {
  return new Promise((resolve) =>
    execFile(process.execPath, [verifier, file], (error, stdout, stderr) => resolve({ code: error ? 1 : 0, output: stdout + stderr })),
  );
}

interface Export {
  head: { size: number; root: string };
  consistency: { from: { size: number }; proof: string[] } | null;
  entries: { leaf: number; entry: string; proof: string[] }[];
}

describe('the ledger', () => {
  const chapter = chapters();
  let world: World;
  let folder: string;
  const actor = { id: null, name: 'Test', from: 'test', today };
  const append = (n: number, label: string) =>
    Promise.all(
      Array.from({ length: n }, (_, i) =>
        withUnitOfWork(
          world.pool,
          actor,
          (uow) => uow.enter({ act: 'tested', subject: { kind: 'ledger', id: null, name: `${label} ${i}` } }),
          'none',
        ),
      ),
    );
  const exported = async (query = ''): Promise<Export> =>
    (await (await world.as('auditor').fetch(`/api/ledger/export?${query}`)).json()) as Export;
  const saved = async (name: string, content: unknown): Promise<string> => {
    const file = join(folder, name);
    await writeFile(file, JSON.stringify(content));
    return file;
  };

  beforeAll(async () => {
    world = await makeWorld();
    folder = await mkdtemp(join(tmpdir(), 'ledger-'));
  });
  afterAll(() => world.stop());

  chapter('works off a backlog in parts, and misses nothing that was committed late', async () => {
    const counts = async () =>
      (
        await world.pool.query<{ entries: number; sealed: number; floor: number; last: number }>(
          `select (select count(*)::int from ledger_entry) as entries, (select size::int from seal_state) as sealed,
             (select floor::int from seal_state) as floor, (select max(seq)::int from ledger_entry) as last`,
        )
      ).rows[0]!;
    await world.services.sealer.stop();
    await append(30, 'before');
    const late = await world.pool.connect();
    await late.query('begin');
    await late.query('select pg_current_xact_id()');
    const at = '2026-09-14T10:00:00.000000Z';
    await late.query(
      `insert into ledger_entry (at, actor_id, act, subject_kind, subject_id, body) values ($1, null, 'tested', 'ledger', null, $2)`,
      [at, entryBody(actor, at, { act: 'tested', subject: { kind: 'ledger', id: null, name: 'late' } })],
    );
    await append(200, 'after');
    for (let i = 0; i < 4; i++) await sealOnce(world.pool, 50);
    const waiting = await counts();
    expect(waiting.floor).toBeLessThan(waiting.last - 190);
    await late.query('commit');
    late.release();
    while ((await sealOnce(world.pool, 50)).added) continue;
    await sealOnce(world.pool, 50);
    const done = await counts();
    expect(done.sealed).toBe(done.entries);
    expect(done.floor).toBe(done.last);
    const { rows } = await world.pool.query<{ n: number; different: number }>(
      `select count(*)::int as n, count(distinct e)::int as different from ledger_tile t, unnest(t.entries) e where t.level = 0`,
    );
    expect(rows[0]).toEqual({ n: done.entries, different: done.entries });
    expect((await verifyLedger(world.pool)).ok).toBeTrue();
  });

  chapter('writes entries as canonical JSON', () => {
    const at = '2026-09-14T10:00:00.000000Z';
    const acts = [
      { act: 'tested', subject: { kind: 'record', id: null, name: 'Ü “x” \\ \n \u2028 😀' }, note: 'why' },
      {
        act: 'b',
        subject: { name: 'n', kind: 'k', id: '1' },
        before: { z: 1, a: [2, { y: null, b: 0.1 }] },
        after: { 10: 'ten', 9: 'nine' },
      },
    ];
    for (const act of acts) expect(entryBody(actor, at, act)).toBe(canonicalJson(JSON.parse(entryBody(actor, at, act))));
  });

  chapter('seals everything once, however appends and seals overlap', async () => {
    for (let round = 0; round < 8; round++) {
      await Promise.all([append(60, `round ${round}`), world.services.sealer.sealNow(), world.services.sealer.sealNow()]);
    }
    await world.services.sealer.sealNow();
    const { rows } = await world.pool.query(
      `select (select count(*)::int from ledger_entry) as entries,
              (select count(*)::int from (select distinct unnest(entries) from ledger_tile where level = 0) d) as sealed,
              (select sum(cardinality(entries))::int from ledger_tile where level = 0) as named`,
    );
    expect(rows[0].sealed).toBe(rows[0].entries);
    expect(rows[0].named).toBe(rows[0].entries);
  });

  chapter('verifies as a whole', async () => {
    const result = await world.as('auditor').call(ledger.verify);
    expect(result.ok).withContext(result.sentence).toBeTrue();
    expect(result.size).toBeGreaterThan(480);
  });

  chapter('exports entries whose proofs hold without the program, against an older head too', async () => {
    const { heads } = await world.as('auditor').call(ledger.heads);
    const older = heads.find((h) => h.size < heads[0]!.size)!;
    await world.services.sealer.sealNow();
    const file = await exported(`since=${older.size}`);
    expect(file.consistency!.from.size).toBe(older.size);
    const { code, output } = await verify(await saved('good.json', file));
    expect(output).toContain('OK');
    expect(code).toBe(0);
  });

  chapter('names the entry when one byte of it was changed', async () => {
    const file = await exported();
    const victim = file.entries[17]!;
    victim.entry = victim.entry.replace('"tested"', '"Tested"').replace('"granted"', '"Granted"');
    const { code, output } = await verify(await saved('changed.json', file));
    expect(code).toBe(1);
    expect(output).toContain(`leaf ${victim.leaf}`);
  });

  chapter('rejects a forged head, a changed proof and a changed consistency proof', async () => {
    const head = await exported();
    head.head.root = head.head.root.replace(/^./, (c) => (c === '0' ? '1' : '0'));
    expect((await verify(await saved('head.json', head))).code).toBe(1);
    const proof = await exported();
    proof.entries[3]!.proof[0] = '00'.repeat(32);
    expect((await verify(await saved('proof.json', proof))).output).toContain(`leaf ${proof.entries[3]!.leaf}`);
    const { heads } = await world.as('auditor').call(ledger.heads);
    const since = await exported(`since=${heads.at(-1)!.size}`);
    since.consistency!.proof[0] = '00'.repeat(32);
    expect((await verify(await saved('consistency.json', since))).code).toBe(1);
    expect((await verify(await saved('rubbish.json', { hello: 1 }))).code).toBe(1);
  });

  chapter('says what does not hold: a text, the signature, the order of the leaves', async () => {
    const past = (sql: string) =>
      asOwner(world.database, async (client) => {
        await client.query('set session_replication_role = replica');
        await client.query(sql);
      });
    const found = async () => {
      const { ok, sentence, broken } = await world.as('auditor').call(ledger.verify);
      return { ok, sentence, broken: broken.map((b) => b.sentence) };
    };
    // In a part that no column repeats.
    const [{ seq }] = (await world.pool.query<{ seq: number }>(`select seq from ledger_entry where act = 'tested' order by seq limit 1`))
      .rows as [{ seq: number }];
    await past(`update ledger_entry set body = replace(body, '"v":1}', '"v":2}') where seq = ${seq}`);
    expect((await found()).broken).toEqual(['The entry was changed after it was sealed.']);
    await past(`update ledger_entry set body = replace(body, '"v":2}', '"v":1}') where seq = ${seq}`);

    // With everything sealed no newer head comes in between.
    const size = await world.services.sealer.sealNow();
    const turnedOver = `update tree_head set signature = set_byte(signature, 0, 255 - get_byte(signature, 0)) where size <= ${size}`;
    await past(turnedOver);
    expect(await found()).toEqual({ ok: false, sentence: 'The signature of the newest tree head does not hold.', broken: [] });
    await past(turnedOver);

    // Two leaves with their hashes: each is as it was sealed, and the tree is another.
    const swapped = `update ledger_tile set entries = array[entries[2], entries[1]] || entries[3:],
      hashes = substring(hashes from 33 for 32) || substring(hashes from 1 for 32) || substring(hashes from 65) where level = 0 and idx = 0`;
    await past(swapped);
    expect(await found()).toEqual({
      ok: false,
      sentence: 'The entries do not give the signed root: the order or number of entries was changed.',
      broken: [],
    });
    await past(swapped);
    expect((await found()).ok).toBeTrue();
  });

  chapter('names a row that was changed, removed or relabelled behind the application’s back', async () => {
    const tamper = (sql: string) =>
      asOwner(world.database, async (client) => {
        await client.query('alter table ledger_entry disable trigger user');
        await client.query(sql);
        await client.query('alter table ledger_entry enable trigger user');
      });
    const seqs = (
      await world.pool.query<{ seq: number }>(`select seq from ledger_entry where act = 'tested' order by seq limit 3`)
    ).rows.map((r) => r.seq);
    await tamper(`update ledger_entry set body = replace(body, 'tested', 'passed') where seq = ${seqs[0]}`);
    await tamper(`update ledger_entry set act = 'passed' where seq = ${seqs[1]}`);
    await tamper(`delete from ledger_entry where seq = ${seqs[2]}`);
    const result = await world.as('auditor').call(ledger.verify);
    expect(result.ok).toBeFalse();
    expect(result.broken.map((b) => b.seq)).toEqual(seqs);
  });

  chapter('is for keepers and auditors of the whole repository', async () => {
    expect(await statusOf(world.as('editor').call(ledger.entries))).toBe(403);
    expect(await statusOf(world.as('counsel').call(ledger.verify))).toBe(403);
    expect((await world.as('reader').fetch('/api/ledger/export')).status).toBe(403);
  });
});
