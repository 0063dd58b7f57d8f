import { ledger } from '@key-cellar/contract';
import { canonicalJson } from '@key-cellar/core/ledger';
import { entryBody, sealOnce, withUnitOfWork } from '../src/index.js';
import { chapters } from './support/chapters.js';
import { configFor } from './support/database.js';
import { exported, saved, tamper, verified, verifiedAlone, verifyOffline } from './support/ledger.js';
import { makeWorld, statusOf, today, type World } from './support/world.js';

describe('the ledger', () => {
  const chapter = chapters();
  let world: World;
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

  beforeAll(async () => {
    world = await makeWorld();
  });
  afterAll(() => world.stop());

  chapter('works off a backlog in parts, and misses nothing that was committed late', async () => {
    const { keysDir } = configFor(world.database);
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
    for (let i = 0; i < 4; i++) await sealOnce(world.pool, keysDir, 50);
    const waiting = await counts();
    expect(waiting.floor).toBeLessThan(waiting.last - 190);
    await late.query('commit');
    late.release();
    while ((await sealOnce(world.pool, keysDir, 50)).added) continue;
    await sealOnce(world.pool, keysDir, 50);
    const done = await counts();
    expect(done.sealed).toBe(done.entries);
    expect(done.floor).toBe(done.last);
    const { rows } = await world.pool.query<{ n: number; different: number }>(
      `select count(*)::int as n, count(distinct e)::int as different from ledger_tile t, unnest(t.entries) e where t.level = 0`,
    );
    expect(rows[0]).toEqual({ n: done.entries, different: done.entries });
    expect((await verifiedAlone(world.database, world.pool)).findings).toEqual([]);
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

  chapter('verifies as a whole, says how far it is, and enters what came of it', async () => {
    const report = await verified(world);
    expect(report.findings).toEqual([]);
    expect(report.unchecked).toEqual([]);
    expect(report.ok).withContext(report.sentence).toBeTrue();
    expect(report.sentence).toBe(
      `All ${report.size.toLocaleString('en-GB')} sealed entries are as they were sealed, under every tree head, and as the witness saw them.`,
    );
    expect(report.size).toBeGreaterThan(480);
    const heads = (await world.pool.query<{ n: number }>('select count(*)::int as n from tree_head')).rows[0]!.n;
    expect(report.checked.entries).toBe(report.size);
    expect(report.checked.heads).toBe(heads);
    const state = await world.as('auditor').call(ledger.state);
    expect(state.lastVerified).toEqual(jasmine.objectContaining({ by: 'Person auditor', ok: true, size: report.size }));
  });

  chapter('exports entries that give the root without the program, and the roots of older heads on the way', async () => {
    const { heads } = await world.as('auditor').call(ledger.state);
    const older = heads.find((h) => h.size < heads[0]!.size)!;
    await world.services.sealer.sealNow();
    const file = await exported(world, `since=${older.size}`);
    expect(file.entries.length).toBe(file.header.head.size);
    const kept = await saved([{ format: 'ledger-export', formatVersion: 2, head: older }]);
    const { code, output } = await verifyOffline(await saved(file.lines), '--head', kept);
    expect(output).toContain(`OK: ${file.entries.length} entries are as they were sealed in the tree of ${file.header.head.size}`);
    expect(output).toContain(`OK: that tree extends the one of ${older.size} entries in`);
    expect(code).toBe(0);
  });

  chapter('exports a part with hashes for the rest, and says what it cannot show', async () => {
    for (let i = 0; i < 5; i++) {
      await append(1, 'between');
      await world.services.sealer.sealNow();
    }
    const { heads } = await world.as('auditor').call(ledger.state);
    // Of an odd size within what is left out: no complete subtree ends there.
    const older = heads.find((h) => h.size < heads[0]!.size && h.size % 2 === 1)!;
    const kept = await saved([{ head: older }]);
    const query = `act=${encodeURIComponent('sealed the ledger')}`;
    expect((await exported(world, query)).entries).toEqual([]);
    const part = await exported(world, 'act=verified%20the%20ledger');
    expect(part.entries.map(({ entry }) => (JSON.parse(entry) as { act: string }).act)).toEqual(['verified the ledger']);
    const bare = await verifyOffline(await saved(part.lines), '--head', kept);
    expect(bare.output).toContain(
      `Not checked: ${kept}: the export shows no root of ${older.size} entries; ask for it again with since=${older.size}.`,
    );
    const asked = await exported(world, `act=verified%20the%20ledger&since=${older.size},999999999`);
    const { code, output } = await verifyOffline(await saved(asked.lines), '--head', kept);
    expect(code).withContext(output).toBe(0);
    expect(output).toContain(`OK: that tree extends the one of ${older.size} entries`);
    // Of one person: found by their index instead of walking the whole tree.
    const own = await exported(world, `actor=${world.ids.auditor}`);
    expect(own.entries.length).toBeGreaterThan(1);
    expect(own.entries.every(({ entry }) => entry.includes(world.ids.auditor))).toBeTrue();
    expect((await verifyOffline(await saved(own.lines))).code).toBe(0);
  });

  chapter('lets go of an export that nobody takes', async () => {
    const given = async (): Promise<number> => {
      const response = await world.as('auditor').fetch('/api/ledger/export');
      await response.body!.cancel();
      return response.status;
    };
    for (let i = 0; i < 6; i++) expect(await given()).toBe(200);
    expect((await exported(world)).entries.length).toBeGreaterThan(480);
  });

  chapter('names the entry when one byte of it was changed', async () => {
    const file = await exported(world);
    const victim = file.entries[17]!;
    victim.entry = victim.entry.replace('"tested"', '"Tested"').replace('"granted"', '"Granted"');
    const { code, output } = await verifyOffline(await saved(file.lines));
    expect(code).toBe(1);
    expect(output).toContain(`Entry at leaf ${victim.leaf} is not what was sealed there.`);
  });

  chapter('rejects a forged head, a forged leaf, a changed hash, lines left out, and what is no export', async () => {
    const forged = async (change: (file: Awaited<ReturnType<typeof exported>>) => void, query = ''): Promise<string> => {
      const file = await exported(world, query);
      change(file);
      const { code, output } = await verifyOffline(await saved(file.lines));
      expect(code).withContext(output).toBe(1);
      return output;
    };
    const flip = (hash: string): string => hash.replace(/^./, (c) => (c === '0' ? '1' : '0'));
    expect(await forged((f) => (f.header.head.root = flip(f.header.head.root)))).toContain('do not give the tree head');
    expect(await forged((f) => (f.entries[3]!.hash = flip(f.entries[3]!.hash)))).toContain('Entry at leaf 3');
    // Entry and hash changed together: then the root tells.
    expect(
      await forged((f) => {
        f.entries[5]!.entry = f.entries[6]!.entry;
        f.entries[5]!.hash = f.entries[6]!.hash;
      }),
    ).toContain('do not give the tree head');
    const part = 'act=verified%20the%20ledger';
    expect(await forged((f) => (f.gaps[0]!.hashes[0] = flip(f.gaps[0]!.hashes[0]!)), part)).toContain('do not give the tree head');
    expect(await forged((f) => f.gaps[0]!.hashes.pop(), part)).toContain('does not fit');
    expect(await forged((f) => f.lines.splice(9, 1))).toContain('Entry at leaf 9');
    expect(await forged((f) => f.lines.pop())).toContain('do not give the tree head');
    expect(await forged((f) => (f.lines.length = 0))).toContain('This file is empty.');
    expect((await verifyOffline(await saved([{ hello: 1 }]))).output).toContain('This is not an export');
    expect((await verifyOffline(await saved(['no json at all\n']))).output).toContain('This file cannot be checked');
  });

  chapter('says what does not hold: a text, the signature, the order of the leaves, a tile, a head', async () => {
    const findings = async () => (await verified(world)).findings.map((f) => f.sentence);
    // In a part that no column repeats.
    const [{ seq }] = (await world.pool.query<{ seq: number }>(`select seq from ledger_entry where act = 'tested' order by seq limit 1`))
      .rows as [{ seq: number }];
    await tamper(world, `update ledger_entry set body = replace(body, '"v":1}', '"v":2}') where seq = ${seq}`);
    expect(await findings()).toContain('The entry was changed after it was sealed.');
    await tamper(world, `update ledger_entry set body = replace(body, '"v":2}', '"v":1}') where seq = ${seq}`);

    const [{ size }] = (await world.pool.query<{ size: number }>('select size from tree_head order by size offset 2 limit 1')).rows as [
      { size: number },
    ];
    // An older head, not only the newest.
    const turnedOver = `update tree_head set signature = set_byte(signature, 0, 255 - get_byte(signature, 0)) where size = ${size}`;
    await tamper(world, turnedOver);
    expect(await findings()).toEqual([`The signature of the tree head of ${size} entries does not hold.`]);
    await tamper(world, turnedOver);

    // Two leaves with their hashes: each is as it was sealed, and the tree is another.
    const swapped = `update ledger_tile set entries = array[entries[2], entries[1]] || entries[3:],
      hashes = substring(hashes from 33 for 32) || substring(hashes from 1 for 32) || substring(hashes from 65) where level = 0 and idx = 0`;
    await tamper(world, swapped);
    expect((await findings())[0]).toContain('do not give the tree head');
    await tamper(world, swapped);

    const above = `update ledger_tile set hashes = set_byte(hashes, 0, 255 - get_byte(hashes, 0)) where level = 1`;
    await tamper(world, above);
    expect(await findings()).toEqual(['The tile 1/0 of the tree does not say what the entries give.']);
    await tamper(world, above);

    await tamper(world, `update seal_state set size = size + 1`);
    expect(await findings()).toEqual(['The size that is said to be sealed is not that of the newest tree head.']);
    await tamper(world, `update seal_state set size = size - 1`);
    expect(await findings()).toEqual([]);
  });

  chapter('names an entry that was never sealed', async () => {
    await world.services.sealer.sealNow();
    // Where nobody looks for new entries any more: below the sealer's floor.
    await tamper(
      world,
      `insert into ledger_entry (seq, at, act, subject_kind, body) overriding system value
       select 0, at, act, subject_kind, body from ledger_entry order by seq limit 1`,
    );
    const report = await verified(world);
    expect(report.findings).toEqual([
      { what: 'entry', place: '', seq: 0, sentence: 'Entry 0 is in the ledger and was never sealed: it was put there by another way.' },
    ]);
    await tamper(world, 'delete from ledger_entry where seq = 0');
    expect((await verified(world)).ok).toBeTrue();
  });

  chapter('names a row that was changed, removed or relabelled behind the application’s back', async () => {
    const seqs = (
      await world.pool.query<{ seq: number }>(`select seq from ledger_entry where act = 'tested' order by seq limit 3`)
    ).rows.map((r) => r.seq);
    await tamper(world, `update ledger_entry set body = replace(body, 'tested', 'passed') where seq = ${seqs[0]}`);
    await tamper(world, `update ledger_entry set act = 'passed' where seq = ${seqs[1]}`);
    await tamper(world, `delete from ledger_entry where seq = ${seqs[2]}`);
    const report = await verified(world);
    expect(report.ok).toBeFalse();
    expect(report.findings.flatMap((f) => (f.seq === undefined ? [] : [f.seq]))).toEqual(seqs);
    expect(report.sentence).toContain('The first: The entry was changed after it was sealed.');
  });

  chapter(
    'folds what the program did between what people did, and opens any part of it',
    async () => {
      const auditor = world.as('auditor');
      await world.as('keeper').call(ledger.seal);
      await world.file('editor', { title: 'First' });
      await append(7, 'between');
      await world.file('editor', { title: 'Second' });
      await append(4, 'newest');
      await world.file('editor', { title: 'Third' });
      await append(2, 'few');
      const read = async (query: object) => auditor.call(ledger.entries, { query: { folded: true, ...query } as never });
      const whole = await read({ limit: 500 });
      // So few are listed as they are.
      expect(whole.entries.filter((e) => e.act === 'tested').length).toBe(2);
      const [newest, between] = whole.folds;
      expect(newest!.acts.find((a) => a.act === 'tested')!.count).toBe(4);
      expect(between!.acts.find((a) => a.act === 'tested')!.count).toBe(7);
      const seqs = whole.entries.map((e) => e.seq);
      for (const { newest: to, oldest: from, more } of whole.folds) {
        expect(seqs.some((seq) => seq >= from && seq <= to)).toBeFalse();
        expect(more).toBeFalse();
      }
      const opened = await auditor.call(ledger.entries, { query: { before: between!.newest + 1, after: between!.oldest - 1, limit: 500 } });
      expect(opened.folds).toEqual([]);
      expect(opened.entries.length).toBe(between!.acts.reduce((sum, a) => sum + a.count, 0));
      const { rows: machine } = await world.pool.query<{ seq: string }>('select seq from ledger_entry where actor_id is null');
      const byProgram = new Set(machine.map((r) => Number(r.seq)));
      // In pages of one, nothing is counted twice and nothing is missed.
      const counts = new Map<string, number>();
      for (let before: number | undefined; ;) {
        const page = await read({ limit: 1, before });
        for (const { act, seq } of page.entries) if (byProgram.has(seq)) counts.set(act, (counts.get(act) ?? 0) + 1);
        for (const fold of page.folds) for (const { act, count } of fold.acts) counts.set(act, (counts.get(act) ?? 0) + count);
        if (page.next === null) break;
        before = page.next;
      }
      const { rows } = await world.pool.query<{ act: string; n: number }>(
        'select act, count(*)::int as n from ledger_entry where actor_id is null group by act',
      );
      for (const { act, n } of rows) expect(counts.get(act)).withContext(act).toBe(n);
      expect((await read({ act: 'filed' })).folds).toEqual([]);
    },
    300_000,
  );

  chapter('is for keepers and auditors of the whole repository', async () => {
    expect(await statusOf(world.as('editor').call(ledger.entries))).toBe(403);
    expect(await statusOf(world.as('counsel').call(ledger.state))).toBe(403);
    expect((await world.as('counsel').fetch('/api/ledger/verify', { method: 'POST', body: '{}' })).status).toBe(403);
    expect((await world.as('reader').fetch('/api/ledger/export')).status).toBe(403);
    expect(await statusOf(world.as('auditor').call(ledger.changeKey, { body: { why: 'x' } }))).toBe(403);
  });
});
