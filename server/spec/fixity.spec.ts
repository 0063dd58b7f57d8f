import { createHash, randomBytes } from 'node:crypto';
import { chmod, cp, readdir, rename, stat } from 'node:fs/promises';
import { join } from 'node:path';
import { buffer } from 'node:stream/consumers';
import { docket, fixity, ledger, receiving, reports } from '@key-cellar/contract';
import { mendFromBackup, startServer } from '../src/index.js';
import { openPool, withUnitOfWork } from '../src/kernel/index.js';
import { contentKeys, openContents } from '../src/records/index.js';
import { checkContents, pauseAfter, reconcileDaily } from '../src/records/fixity.js';
import { asApplication, asOwner, configFor, copyOf, dropDatabase, freshDatabase, pastTheGuards } from './support/database.js';
import { eventually } from './support/eventually.js';
import { approvedBatch, Client, executeAndWait, makeWorld, statusOf, today, type Login, type World } from './support/world.js';

const chunk = 1024 * 1024;
const actor = { id: null, name: 'Test', from: 'test', today };

describe('contents', () => {
  let world: World;
  let stopped: boolean;
  beforeEach(async () => {
    world = await makeWorld();
    stopped = false;
  });
  afterEach(() => (stopped ? dropDatabase(world.database) : world.stop()));
  const stopServer = async (): Promise<void> => {
    stopped = true;
    await world.running.stop();
  };

  const file = async (bytes: Buffer | string, name = 'one.bin'): Promise<string> => {
    const editor = world.as('editor');
    const arrivalId = await editor.upload(name, bytes);
    const filing = { arrivalId, title: name, recordType: 'note', placeId: world.ids.A01, createdOn: '2024-01-01', facts: { topic: 'x' } };
    const { results } = await editor.call(receiving.file, { body: { filings: [filing] } });
    return results[0]!.recordId!;
  };
  const contentOf = async (recordId: string) =>
    (
      await world.pool.query<{ id: string; key_slot: number; sha256: Buffer; size: number; damaged: boolean; checked: boolean }>(
        `select c.id, c.key_slot, c.sha256, c.size, c.damaged_at is not null as damaged, c.checked_at is not null as checked
         from version v join content c on c.id = v.content_id where v.record_id = $1`,
        [recordId],
      )
    ).rows[0]!;
  const damage = (id: string, seq = 0): Promise<unknown> =>
    pastTheGuards(world.database, (client) =>
      client.query(
        `update content_chunk set bytes = set_byte(bytes, 3, get_byte(bytes, 3) # 255)
         where seq = $2 and content_id = (select content_id from version where record_id = $1)`,
        [id, seq],
      ),
    );
  const get = (id: string): Promise<Response> => world.as('editor').fetch(`/api/records/${id}/content`);
  const state = () => world.as('auditor').call(fixity.state);
  const acts = async (id: string): Promise<string[]> => {
    const { entries } = await world.as('auditor').call(ledger.entries, { query: { subject: id, subjectKind: 'record' } });
    return entries.map((e) => e.act);
  };
  const keysDir = (): string => configFor(world.database).keysDir;
  /** Contents as somebody reads them who has a database and a folder of keys. */
  async function readsWith<T>(
    database: string,
    folder: string,
    work: (read: (id: string, size: number) => Promise<Buffer>) => Promise<T>,
  ): Promise<T> {
    const pool = openPool(configFor(database).appUrl, 2);
    const contents = openContents({ keys: contentKeys(pool, folder), objects: null, contentsIn: 'database', pool, found: () => undefined });
    try {
      return await work((id, size) => buffer(contents.read(pool, id, 0, size)));
    } finally {
      await contents.close();
      await pool.end();
    }
  }
  /** Everything is due: as if the keeper’s days had passed. */
  const everythingDue = (): Promise<unknown> =>
    pastTheGuards(world.database, (client) => client.query(`update content set stored_at = '2020-01-01', checked_at = null`));
  const check = () => checkContents(world.services, actor);

  describe('encrypted', () => {
    it('lie under a key of their own, and nothing of them can be read where they lie', async () => {
      const text = 'The pilot’s secret statement. '.repeat(40);
      const [one, large] = [await file(text), await file(randomBytes(2 * chunk + 5))];
      const { rows } = await world.pool.query<{ bytes: Buffer }>('select bytes from content_chunk');
      expect(rows.length).toBe(4);
      for (const { bytes } of rows) expect(bytes.includes('secret')).toBeFalse();
      const [a, b] = [await contentOf(one), await contentOf(large)];
      expect(a.key_slot).not.toBe(b.key_slot);
      expect(await (await get(one)).text()).toBe(text);
      expect((await (await get(large)).arrayBuffer()).byteLength).toBe(2 * chunk + 5);
      // What is stored is a tag longer than what came in.
      expect(rows.reduce((sum, { bytes }) => sum + bytes.length, 0)).toBe(a.size + b.size + 4 * 16);
    });

    it('have keys that only the server’s own account reads', async () => {
      const id = await file('x');
      const names = (await readdir(keysDir())).filter((name) => name.startsWith('contents-'));
      expect(names.length).toBe(2);
      for (const name of names) expect((await stat(join(keysDir(), name))).mode & 0o077).toBe(0);
      const outer = join(
        keysDir(),
        names.find((name) => name.endsWith('.pem'))!,
      );
      await chmod(outer, 0o644);
      const { id: contentId, size } = await contentOf(id);
      await expectAsync(readsWith(world.database, keysDir(), (read) => read(contentId, size))).toBeRejectedWithError(/Others may read/);
      await chmod(outer, 0o600);
    });

    it('are not read with the keys of another repository, nor without any', async () => {
      const { id, size } = await contentOf(await file('x'));
      const other = await makeWorld();
      await other.file('editor');
      const copy = await copyOfKeys(other);
      const [mine] = (await readdir(keysDir())).filter((name) => name.endsWith('.keys'));
      const outer = mine!.replace('.keys', '.pem');
      const [theirs] = (await readdir(copy)).filter((name) => name.endsWith('.keys'));
      // Their keys under our name.
      await rename(join(copy, theirs!), join(copy, mine!));
      await rename(join(copy, theirs!.replace('.keys', '.pem')), join(copy, outer));
      await expectAsync(readsWith(world.database, copy, (read) => read(id, size))).toBeRejectedWithError(/fingerprint|key of this content/);
      await rename(join(copy, mine!), join(copy, 'away'));
      await expectAsync(readsWith(world.database, copy, (read) => read(id, size))).toBeRejectedWithError(/key of this content is missing/);
      await other.stop();
    });

    async function copyOfKeys(of: World): Promise<string> {
      const folder = `${configFor(of.database).keysDir}-copy-${randomBytes(3).toString('hex')}`;
      await cp(configFor(of.database).keysDir, folder, { recursive: true });
      return folder;
    }

    it('of before were stored as they came, and are read all the same', async () => {
      const bytes = Buffer.from('of before');
      const id = await file('of now');
      const { id: contentId } = await contentOf(id);
      await pastTheGuards(world.database, async (client) => {
        await client.query('update content_chunk set bytes = $2 where content_id = $1', [contentId, bytes]);
        await client.query('update content set key_slot = null, sha256 = sha256($2), tree = sha256(sha256($2)), size = 9 where id = $1', [
          contentId,
          bytes,
        ]);
      });
      expect(await (await get(id)).text()).toBe('of before');
      await damage(id);
      expect((await get(id)).status).toBe(500);
      // As on a disk that went bad: what was noted of the chunk stays.
      await pastTheGuards(world.database, async (client) => {
        await client.query('update content set damaged_at = null');
        await client.query('alter table content_chunk alter sha256 drop expression');
        await client.query('update content_chunk set bytes = $2, sha256 = sha256($3) where content_id = $1', [
          contentId,
          Buffer.from('of bEfore'),
          bytes,
        ]);
      });
      // Each chunk is compared with its own fingerprint, not only the whole with its.
      const part = await world.as('editor').fetch(`/api/records/${id}/content`, { headers: { range: 'bytes=0-6' } });
      expect(part.status).toBe(500);
      expect((await get(id)).status).toBe(500);
    });

    it('never share a key: not in two servers, nor in a copy of the database beside it', async () => {
      const original = await freshDatabase();
      const first = openPool(configFor(original).appUrl, 2);
      const begun = contentKeys(first, keysDir());
      await begun.take();
      await begun.close();
      await first.end();
      // One folder for all, as when somebody forgets to give a copy one of its own.
      const names = [original, await copyOf(original), await copyOf(original)];
      const pools = [original, ...names].map((name) => openPool(configFor(name).appUrl, 2));
      const rings = pools.map((pool) => contentKeys(pool, keysDir()));
      const taken: { slot: number; key: Buffer }[] = [];
      for (const ring of rings) for (let i = 0; i < 300; i++) taken.push(await ring.take());
      expect(new Set(taken.map((t) => t.slot)).size).toBe(1200);
      expect(new Set(taken.map((t) => t.key.toString('hex'))).size).toBe(1200);
      for (const { slot, key } of taken.slice(0, 20)) expect(await rings[3]!.of(slot)).toEqual(key);
      await Promise.all(rings.map((ring) => ring.close()));
      await Promise.all(pools.map((pool) => pool.end()));
      await Promise.all(names.map(dropDatabase));
    });
  });

  describe('destroyed', () => {
    const approved = async (): Promise<{ id: string; content: Awaited<ReturnType<typeof contentOf>>; batchId: string }> => {
      await world.rule('R-D', world.ids.A01);
      const id = await file('To be destroyed for good.');
      const content = await contentOf(id);
      return { id, content, batchId: await approvedBatch(world) };
    };

    it('are gone from every copy of the database that was made before, as soon as their keys are', async () => {
      const { content, batchId } = await approved();
      await stopServer();
      const before = await copyOf(world.database);
      const keysBefore = `${keysDir()}-before`;
      await cp(keysDir(), keysBefore, { recursive: true });
      const again = await startAgain();
      try {
        expect(await executeAndWait({ ...world, services: again.services, as: again.as }, batchId)).toBe('1 destroyed, 0 not.');
      } finally {
        await again.stop();
      }
      await expectAsync(readsWith(before, keysDir(), (read) => read(content.id, content.size))).toBeRejectedWithError(
        /key of this content is missing/,
      );
      // With a backup of both it can be brought back: the certificate says until when there may be one.
      expect(String(await readsWith(before, keysBefore, (read) => read(content.id, content.size)))).toBe('To be destroyed for good.');
      await dropDatabase(before);
    });

    async function startAgain() {
      const running = await startServer(configFor(world.database));
      const base = `http://127.0.0.1:${running.port}`;
      return { services: running.services, stop: () => running.stop(), as: (login: Login) => new Client(base, world.as(login).cookie) };
    }

    it('leave a certificate that says so, with the last day of backups of keys and the newest cosigned head', async () => {
      const { batchId } = await approved();
      await executeAndWait(world, batchId);
      const { certificate } = await world.as('keeper').call(docket.batch, { params: { id: batchId } });
      const pdf = Buffer.from(await (await world.as('keeper').fetch(`/api/certificates/${certificate!.id}`)).arrayBuffer());
      const { text } = await world.services.pages.text({
        sha256: createHash('sha256').update(pdf).digest(),
        mediaType: 'application/pdf',
        load: () => Promise.resolve(pdf),
      });
      const words = text.replace(/\s+/g, ' ');
      expect(words).toContain('The content was encrypted, and its key is destroyed.');
      expect(words).toMatch(/Backups of keys are kept until \d+ \w{3} 20\d\d; from then on no backup of any kind can bring it back/);
      expect(words).toMatch(/The ledger at issue: \d+ entries, head signed .* cosigned by tarrin-sound-witness/);
      expect((await state()).keysToDestroy).toBe(0);
      const { entries } = await world.as('auditor').call(ledger.entries, { query: { act: 'destroyed keys of contents' } });
      expect(entries.length).toBeGreaterThan(0);
    });

    it('lose their keys after the transaction that let them go, and never before it', async () => {
      const id = await file('Stays after all.');
      const { id: contentId, key_slot } = await contentOf(id);
      await stopServer();
      const pool = openPool(configFor(world.database).appUrl, 2);
      const client = await pool.connect();
      await pastTheGuards(world.database, (owner) => owner.query('delete from version where record_id = $1', [id]));
      // Let go, and rolled back: nothing is to be destroyed.
      await client.query('begin');
      expect((await client.query('select drop_unused_content($1) as gone', [contentId])).rows[0].gone).toBeTrue();
      expect((await client.query('select slot, erased_at from key_erasure')).rows).toEqual([{ slot: key_slot, erased_at: null }]);
      await client.query('rollback');
      expect((await client.query('select from key_erasure')).rowCount).toBe(0);
      // Let go, and killed before anybody destroyed the key: the next server does.
      await client.query('select drop_unused_content($1)', [contentId]);
      client.release();
      await pool.end();
      const again = await startAgain();
      await eventually(async () => (await again.services.contents.seal(Buffer.of(1))) && (await pending(again.services.pool)) === 0);
      await again.stop();
    });

    const pending = async (pool: World['pool']): Promise<number> =>
      (await pool.query<{ n: number }>('select count(*)::int as n from key_erasure where erased_at is null')).rows[0]!.n;

    it('are in the database’s own hands: no account of it forgets, uses again or changes a key', async () => {
      const { id: contentId } = await contentOf(await file('x'));
      await asApplication(world.database, async (client) => {
        const code = (sql: string, values: unknown[] = []): Promise<string> =>
          client.query(sql, values).then(
            () => 'done',
            (error: { code: string }) => error.code,
          );
        expect(await code('update content set key_slot = 77 where id = $1', [contentId])).toBe('42501');
        expect(await code('delete from key_erasure')).toBe('42501');
        expect(await code('insert into key_erasure (slot, content_id) values (1, gen_random_uuid())')).toBe('42501');
        expect(await code('update key_erasure set slot = 1')).toBe('42501');
      });
      await pastTheGuards(world.database, (client) =>
        client.query('insert into key_erasure (slot, content_id) values (99999, gen_random_uuid())'),
      );
      await asOwner(world.database, async (client) => {
        const code = (sql: string): Promise<string> =>
          client.query(sql).then(
            () => 'done',
            (error: { code: string }) => error.code,
          );
        expect(await code('delete from key_erasure')).toBe('KC001');
        expect(await code('insert into content (id, key_slot) values (gen_random_uuid(), 99999)')).toBe('KC001');
        expect(await code('update content set key_slot = 12345')).toBe('KC001');
      });
    });
  });

  describe('checked', () => {
    it('are read through their keys when their days have passed, oldest first, and not again before that', async () => {
      const ids = [await file('one'), await file(randomBytes(chunk + 1)), await file('three')];
      expect(await check()).toBeNull();
      expect((await state()).due).toBe(0);
      // Stored by the repository’s clock, as it is checked.
      expect((await state()).oldest!.slice(0, 10)).toBe(today);
      await everythingDue();
      expect((await state()).due).toBe(3);
      expect((await state()).oldest!.slice(0, 10)).toBe('2020-01-01');
      await eventually(async () => (await check()) === null);
      for (const id of ids) expect((await contentOf(id)).checked).toBeTrue();
      expect((await state()).due).toBe(0);
      expect((await state()).oldest!.slice(0, 10)).toBe(today);
    });

    it('are not read by two app servers at once', async () => {
      await file('one');
      await everythingDue();
      const other = await world.pool.connect();
      await other.query('begin');
      await other.query('select pg_advisory_xact_lock(4246)');
      expect(await check()).toBeNull();
      await other.query('rollback');
      other.release();
      await eventually(async () => (await check()) === null);
    });

    it('as the keeper says: within how many days, and how fast', async () => {
      expect(await pauseAfter(world.services, 40_000_000)).toBe(2000);
      expect(await statusOf(world.as('editor').call(fixity.schedule, { body: { days: 30, megabytesPerSecond: 10 } }))).toBe(403);
      expect(await statusOf(world.as('keeper').call(fixity.schedule, { body: { days: 0, megabytesPerSecond: 10 } }))).toBe(422);
      await world.as('keeper').call(fixity.schedule, { body: { days: 30, megabytesPerSecond: 10 } });
      expect(await pauseAfter(world.services, 40_000_000)).toBe(4000);
      expect((await state()).days).toBe(30);
      await file('x');
      await pastTheGuards(world.database, (client) => client.query(`update content set stored_at = '2026-08-10', checked_at = null`));
      expect((await state()).due).toBe(1);
      await world.as('keeper').call(fixity.schedule, { body: { days: 60, megabytesPerSecond: 10 } });
      expect((await state()).due).toBe(0);
      const { entries } = await world.as('auditor').call(ledger.entries, { query: { act: 'said how contents are checked' } });
      expect(entries[0]!.before).toEqual({ days: 30, megabytesPerSecond: 10 });
      expect(entries[0]!.after).toEqual({ days: 60, megabytesPerSecond: 10 });
    });

    it('show damage: set apart, entered on what has it, told to keepers, never given to anybody, and the others go on', async () => {
      const [bad, good] = [await file('bad'), await file('good')];
      const { id: contentId } = await contentOf(bad);
      await damage(bad);
      await everythingDue();
      await eventually(async () => (await check()) === null);
      expect((await contentOf(bad)).damaged).toBeTrue();
      expect((await contentOf(good)).checked).toBeTrue();
      expect((await acts(bad)).filter((act) => act === 'found damaged content').length).toBe(1);
      const { damaged, damagedCount } = await state();
      expect(damagedCount).toBe(1);
      expect(damaged[0]).toEqual(jasmine.objectContaining({ contentId, size: 3 }));
      expect(damaged[0]!.holders).toEqual([jasmine.objectContaining({ kind: 'record', id: bad })]);
      expect((await get(bad)).status).toBe(500);
      const { lines } = await world.as('keeper').call(reports.today);
      expect(lines[0]).toEqual(jasmine.objectContaining({ key: 'damaged', when: 'late', link: '/proof' }));
      expect((await world.as('editor').call(reports.today)).lines.some((line) => line.key === 'damaged')).toBeFalse();
      expect(await statusOf(world.as('editor').call(fixity.state))).toBe(403);
      // What is set apart is not looked at again and again.
      await everythingDue();
      await eventually(async () => (await check()) === null);
      expect((await acts(bad)).filter((act) => act === 'found damaged content').length).toBe(1);
    });

    it('and records belong together: what does not is counted once a day, and told', async () => {
      const [one, two] = [await file('one'), await file('two')];
      const count = async (on: string) => {
        await reconcileDaily(world.services, { today: on });
        return (await state()).reconciled;
      };
      expect(await count('2026-09-20')).toEqual({ on: '2026-09-20', contentsOfNothing: 0, recordsWithout: 0 });
      await pastTheGuards(world.database, (client) => client.query('delete from version where record_id = any ($1::uuid[])', [[one, two]]));
      // Looked at already on that day.
      expect((await count('2026-09-20'))!.recordsWithout).toBe(0);
      expect(await count('2026-09-21')).toEqual({ on: '2026-09-21', contentsOfNothing: 2, recordsWithout: 2 });
    });

    it('are set apart as well when somebody reads what is damaged', async () => {
      const bad = await file('bad');
      await damage(bad);
      expect((await get(bad)).status).toBe(500);
      await eventually(async () => (await contentOf(bad)).damaged);
      await eventually(async () => (await acts(bad)).includes('found damaged content'));
    });

    it('are damaged without their key, and with a key that was changed', async () => {
      const id = await file('keyless');
      const { key_slot } = await contentOf(id);
      const keys = contentKeys(world.pool, keysDir());
      await keys.destroy([key_slot]);
      await keys.close();
      const response = await get(id);
      expect(response.status).toBe(500);
      expect(await response.text()).toContain('The key of this content is missing.');
      await eventually(async () => (await contentOf(id)).damaged);
      // Without a key nothing can say that it is what it was.
      const error = await world
        .as('editor')
        .upload('again.txt', 'keyless')
        .catch((e: Error) => e);
      expect(String(error)).toContain('its stored copy is damaged. This file was not taken in');
    });
  });

  describe('mended', () => {
    it('by the same bytes, brought again: of one chunk and of several', async () => {
      const large = randomBytes(2 * chunk + 99);
      for (const [bytes, seq] of [
        [Buffer.from('small'), 0],
        [large, 1],
      ] as const) {
        const id = await file(bytes);
        await damage(id, seq);
        expect((await get(id)).status).toBe(500);
        await eventually(async () => (await contentOf(id)).damaged);
        const before = await world.pool.query('select count(*)::int as n from content');
        await world.as('depositor').upload('again.bin', bytes);
        expect((await contentOf(id)).damaged).toBeFalse();
        expect(Buffer.from(await (await get(id)).arrayBuffer()).equals(bytes)).toBeTrue();
        expect((await acts(id)).slice(0, 3)).toContain('mended damaged content');
        expect((await world.pool.query('select count(*)::int as n from content')).rows).toEqual(before.rows);
      }
    });

    it('by a copy from before, chunk by chunk as they were stored; by nothing else', async () => {
      const id = await file(randomBytes(2 * chunk + 99));
      const { id: contentId } = await contentOf(id);
      const { rows } = await world.pool.query<{ bytes: Buffer }>('select bytes from content_chunk where content_id = $1 order by seq', [
        contentId,
      ]);
      await damage(id, 2);
      const mend = (chunks: readonly Buffer[]): Promise<boolean> =>
        withUnitOfWork(
          world.pool,
          actor,
          async (uow) => {
            const mended = await world.services.contents.mend(uow, contentId, stream(chunks));
            if (!mended) throw new Error('not mended');
            return mended;
          },
          'none',
        );
      const good = rows.map((r) => r.bytes);
      await expectAsync(mend([good[1]!, good[0]!, good[2]!])).toBeRejectedWithError('not mended');
      await expectAsync(mend(good.slice(0, 2))).toBeRejectedWithError('not mended');
      await expectAsync(mend([...good, Buffer.of(1)])).toBeRejectedWithError('not mended');
      expect(await mend(good)).toBeTrue();
      expect((await get(id)).status).toBe(200);
    });

    async function* stream(chunks: readonly Buffer[]): AsyncGenerator<Buffer> {
      yield* chunks;
    }

    it('from another database of the same repository, where that has what it was', async () => {
      const [one, two] = [await file('one'), await file(randomBytes(chunk + 5))];
      await stopServer();
      const backup = await copyOf(world.database);
      const ids = [await contentFrom(one), await contentFrom(two)];
      for (const id of [one, two]) await damage(id);
      await pastTheGuards(backup, (client) =>
        client.query('update content_chunk set bytes = set_byte(bytes, 3, 7) where content_id = $1', [ids[0]]),
      );
      const mend = () => mendFromBackup(configFor(world.database), configFor(backup).appUrl);
      // Only what was found to be damaged is mended.
      expect(await mend()).toEqual({ damaged: 0, mended: 0 });
      await pastTheGuards(world.database, (client) => client.query('update content set damaged_at = now()'));
      expect(await mend()).toEqual({ damaged: 2, mended: 1 });
      await asOwner(world.database, async (client) => {
        const { rows } = await client.query('select id, damaged_at is null as sound from content order by size');
        expect(rows).toEqual([
          { id: ids[0], sound: false },
          { id: ids[1], sound: true },
        ]);
        const entered = await client.query(`select subject_id from ledger_entry where act = 'mended damaged content'`);
        expect(entered.rows).toEqual([{ subject_id: two }]);
      });
      await dropDatabase(backup);
    });

    const contentFrom = (recordId: string): Promise<string> =>
      asOwner(world.database, async (client) => {
        const { rows } = await client.query<{ id: string }>('select content_id as id from version where record_id = $1', [recordId]);
        return rows[0]!.id;
      });

    it('only where there is damage, and said to be over only when it is', async () => {
      const { id: contentId } = await contentOf(await file('sound'));
      const bad = await file('bad');
      const { id: badId } = await contentOf(bad);
      await damage(bad);
      for (const as of [asApplication, asOwner]) {
        await as(world.database, async (client) => {
          const code = (sql: string, id: string): Promise<string> =>
            client.query(sql, [id]).then(
              () => 'done',
              (error: { code: string }) => error.code,
            );
          expect(await code(`select mend_chunk($1, 0, 'x')`, contentId)).toBe('KC001');
          expect(await code('update content set damaged_at = now() where id = $1', badId)).toBe('done');
          expect(await code('update content set damaged_at = null where id = $1', badId)).toBe('KC001');
          expect(await code(`select mend_chunk($1, 0, 'x')`, badId)).toBe('done');
          expect(await code('update content set damaged_at = null where id = $1', badId)).toBe('KC001');
        });
      }
    });
  });
});
