import { randomBytes, randomUUID } from 'node:crypto';
import { readdir, readFile, rm, writeFile } from 'node:fs/promises';
import { join } from 'node:path';
import { fixity, ledger, receiving, reports } from '@key-cellar/contract';
import { withUnitOfWork } from '../src/index.js';
import { checkContents } from '../src/records/fixity.js';
import type { Objects } from '../src/records/objects.js';
import { openObjects } from '../src/records/openObjects.js';
import { startObjects, type ObjectStandIn } from '../src/standins/objects.js';
import { asApplication, asOwner, configFor, freshName, pastTheGuards } from './support/database.js';
import { eventually } from './support/eventually.js';
import { beginUpload, writersOfChunks } from './support/halfUpload.js';
import { approvedBatch, executeAndWait, makeWorld, today, type Login, type Refused, type World } from './support/world.js';

const chunk = 1024 * 1024;
const actor = { id: null, name: 'Test', from: 'test', today };
const folderFor = (name: string): string => join(configFor(name).standInsDir, 'objects-of-spec');
async function* pieces(parts: readonly Buffer[]): AsyncGenerator<Buffer> {
  yield* parts;
}
const portOf = (standIn: ObjectStandIn): { port: number; host: string } => ({ port: Number(new URL(standIn.url).port), host: '127.0.0.1' });

describe('an object store', () => {
  let standIn: ObjectStandIn;
  let objects: Objects;
  const folder = folderFor(freshName());
  beforeAll(async () => {
    standIn = await startObjects(folder);
    objects = await openObjects(standIn.reached);
  });
  afterAll(async () => {
    objects.close();
    await standIn.stop();
  });

  const inPieces = (bytes: Buffer, size = 700_000): AsyncGenerator<Buffer> =>
    pieces(Array.from({ length: Math.ceil(bytes.length / size) }, (_, i) => bytes.subarray(i * size, (i + 1) * size)));
  const read = async (id: string, version: string, from = 0, of = objects): Promise<Buffer> => {
    const parts: Buffer[] = [];
    for await (const part of of.read(id, version, from)) parts.push(part);
    return Buffer.concat(parts);
  };

  it('gives back what was written, by version and from anywhere; what is not there is nothing', async () => {
    const [small, large] = [randomBytes(17), randomBytes(20 * chunk + 3)];
    const first = await objects.put('one', inPieces(small));
    const second = await objects.put('one', inPieces(large));
    expect((await read('one', first)).equals(small)).toBeTrue();
    expect((await read('one', second)).equals(large)).toBeTrue();
    expect((await read('one', second, 19 * chunk + 1)).equals(large.subarray(19 * chunk + 1))).toBeTrue();
    expect((await read('one', second, large.length)).length).toBe(0);
    expect((await read('two', second)).length).toBe(0);
    expect((await read('one', randomBytes(16).toString('hex'))).length).toBe(0);
  });

  it('leaves nothing of what its source broke off, and tells the mistake of the source', async () => {
    const before = await readdir(join(folder, 'uploads'));
    const broken = (async function* () {
      yield* inPieces(randomBytes(18 * chunk));
      throw new Error('the sender hung up');
    })();
    await expectAsync(objects.put('broken', broken)).toBeRejectedWithError('the sender hung up');
    expect((await read('broken', 'x')).length).toBe(0);
    expect(await readdir(join(folder, 'uploads'))).toEqual(before);
  });

  it('deletes nothing that is locked, and makes no lock shorter', async () => {
    const version = await objects.put('kept', inPieces(Buffer.from('kept')));
    await objects.lock('kept', version, new Date(Date.now() + 60_000));
    await expectAsync(objects.lock('kept', version, new Date(Date.now() + 1000))).toBeRejectedWithError(/does not answer, or refuses/);
    expect(await objects.remove('kept')).toBeFalse();
    // Written over: what was is there as it was.
    await objects.put('kept', inPieces(Buffer.from('else')));
    expect(String(await read('kept', version))).toBe('kept');
    const free = await objects.put('free', inPieces(Buffer.from('free')));
    await objects.remove('free');
    expect((await read('free', free)).length).toBe(0);
  });

  it('is nobody’s without the secret', async () => {
    const version = await objects.put('secret', inPieces(Buffer.from('secret')));
    for (const changed of [{ secretAccessKey: 'guessed' }, { accessKeyId: 'somebody' }, { region: 'elsewhere' }]) {
      const stranger = await openObjects({ ...standIn.reached, ...changed });
      await expectAsync(read('secret', version, 0, stranger)).toBeRejectedWithError(/does not answer, or refuses/);
      stranger.close();
    }
    expect((await fetch(`${standIn.url}/key-cellar/contents%2Fsecret`)).status).toBe(403);
  });
});

/** Where contents may lie, and from where each mends by itself. */
const places = [
  { name: 'in the database, with copies', contentsIn: 'database', mendsItself: true },
  { name: 'in the object store', contentsIn: 'objects', mendsItself: false },
] as const;

for (const { name, contentsIn, mendsItself } of places) {
  describe(`contents ${name}`, () => {
    let world: World;
    let standIn: ObjectStandIn;
    /** Locks end while a spec looks on. */
    const lockSeconds = 3;
    const folder = folderFor(freshName());
    beforeAll(async () => {
      standIn = await startObjects(folder);
      world = await makeWorld({ objects: { ...standIn.reached, lockDays: lockSeconds / 86_400 }, contentsIn });
    });
    afterAll(async () => {
      await world.stop();
      await standIn.stop();
    });

    const file = async (bytes: Buffer | string, createdOn = '2026-01-01'): Promise<string> => {
      const editor = world.as('editor');
      const arrivalId = await editor.upload('one.bin', bytes);
      const filing = { arrivalId, title: 'One', recordType: 'note', placeId: world.ids.A01, createdOn, facts: { topic: 'x' } };
      const { results } = await editor.call(receiving.file, { body: { filings: [filing] } });
      return results[0]!.recordId!;
    };
    interface ContentRow {
      id: string;
      store: string;
      chunks: number;
      copied: boolean;
      damaged: boolean;
      checked: boolean;
      version: string | null;
      locked: boolean;
    }
    const contentOf = async (recordId: string): Promise<ContentRow> =>
      (
        await world.pool.query<ContentRow>(
          `select c.id, c.store, (select count(*)::int from content_chunk k where k.content_id = c.id) as chunks, c.copied_at is not null as copied,
             c.damaged_at is not null as damaged, c.checked_at is not null as checked, o.version, o.locked_until > now() as locked
           from version v join content c on c.id = v.content_id left join content_object o on o.content_id = c.id where v.record_id = $1`,
          [recordId],
        )
      ).rows[0]!;
    const objectFile = async (id: string, version: string): Promise<string> =>
      join(folder, 'key-cellar', encodeURIComponent(`contents/${id}`), version);
    const get = (id: string, headers: Record<string, string> = {}): Promise<Response> =>
      world.as('editor').fetch(`/api/records/${id}/content`, { headers });
    const bytesOf = async (id: string): Promise<Buffer> => Buffer.from(await (await get(id)).arrayBuffer());
    const acts = async (id: string): Promise<string[]> => {
      const { entries } = await world.as('auditor').call(ledger.entries, { query: { subject: id, subjectKind: 'record' } });
      return entries.map((e) => e.act);
    };
    const everythingDue = (): Promise<unknown> =>
      pastTheGuards(world.database, (client) => client.query(`update content set stored_at = '2020-01-01', checked_at = null`));
    const settled = (id: string): Promise<void> =>
      eventually(async () => {
        const content = await contentOf(id);
        return content.version !== null && content.locked;
      });
    /** Flips a byte of a stored chunk, where the content itself lies. */
    const damage = async (recordId: string, seq = 0): Promise<void> => {
      const { id, version } = await contentOf(recordId);
      if (contentsIn === 'objects') return damageObject(id, version!, seq);
      await pastTheGuards(world.database, (client) =>
        client.query('update content_chunk set bytes = set_byte(bytes, 3, get_byte(bytes, 3) # 255) where content_id = $1 and seq = $2', [
          id,
          seq,
        ]),
      );
    };
    const damageObject = async (id: string, version: string, seq = 0): Promise<void> => {
      const path = await objectFile(id, version);
      const bytes = await readFile(path);
      bytes[seq * (chunk + 16) + 3]! ^= 255;
      await writeFile(path, bytes);
    };

    it('are read back whole and by range, encrypted where they lie, and locked', async () => {
      const large = randomBytes(2 * chunk + 99);
      const [one, two] = [await file('The pilot’s secret statement.'), await file(large)];
      expect(String(await bytesOf(one))).toBe('The pilot’s secret statement.');
      expect((await bytesOf(two)).equals(large)).toBeTrue();
      const part = await get(two, { range: `bytes=${chunk - 5}-${chunk + 4}` });
      expect(part.status).toBe(206);
      expect(Buffer.from(await part.arrayBuffer()).equals(large.subarray(chunk - 5, chunk + 5))).toBeTrue();
      for (const [id, chunks] of [
        [one, 1],
        [two, 3],
      ] as const) {
        await settled(id);
        const content = await contentOf(id);
        expect([content.store, content.chunks]).toEqual(contentsIn === 'objects' ? ['objects', 0] : ['database', chunks]);
        const stored = await readFile(await objectFile(content.id, content.version!));
        expect(stored.length).toBe((id === one ? 31 : large.length) + chunks * 16);
        expect(stored.includes('secret')).toBeFalse();
      }
    });

    it('are there once, whoever brings them and when', async () => {
      const count = async (): Promise<number> =>
        (await world.pool.query<{ n: number }>('select count(*)::int as n from content')).rows[0]!.n;
      for (const bytes of [randomBytes(2000), randomBytes(chunk + 2000)]) {
        const before = await count();
        await Promise.all(Array.from({ length: 4 }, (_, i) => world.as('editor').upload(`same${i}.bin`, bytes)));
        await world.as('depositor').upload('again.bin', bytes);
        expect((await count()) - before).toBe(1);
      }
    });

    it('that went bad are set apart and never given to anybody', async () => {
      const bytes = randomBytes(chunk + 50);
      const id = await file(bytes);
      await settled(id);
      await damage(id, 1);
      const [whole, beyond] = [await get(id), await get(id, { range: `bytes=${chunk + 10}-${chunk + 20}` })];
      // A file of this size is known to be bad before its first byte is sent.
      expect([whole.status, beyond.status]).toEqual([500, 500]);
      if (mendsItself) {
        await eventually(async () => !(await contentOf(id)).damaged && (await acts(id)).includes('mended damaged content'));
      } else {
        await eventually(async () => (await contentOf(id)).damaged);
        expect((await get(id)).status).toBe(500);
        await world.as('depositor').upload('again.bin', bytes);
        expect((await contentOf(id)).damaged).toBeFalse();
      }
      expect((await bytesOf(id)).equals(bytes)).toBeTrue();
      expect((await acts(id)).filter((act) => act.endsWith('damaged content')).sort()).toEqual([
        'found damaged content',
        'mended damaged content',
      ]);
      expect((await world.as('auditor').call(fixity.state)).damagedCount).toBe(0);
    });

    it('are mended by what they were, and by nothing else', async () => {
      const bytes = randomBytes(chunk + 50);
      const id = await file(bytes);
      await settled(id);
      const { id: contentId } = await contentOf(id);
      const { contents, pool } = world.services;
      const mend = (chunks: AsyncIterable<Buffer>): Promise<boolean> =>
        withUnitOfWork(
          pool,
          actor,
          async (uow) => {
            if (!(await contents.mend(uow, contentId, chunks))) throw new Error('not mended');
            uow.enter({ act: 'mended damaged content', subject: { kind: 'content', id: contentId, name: 'content' } });
            return true;
          },
          'none',
        );
      const good: Buffer[] = [];
      for await (const part of contents.stored(pool, contentId, 'itself')) good.push(part);
      const other = [good[0]!, randomBytes(good[1]!.length)];
      await expectAsync(mend(pieces(other))).toBeRejectedWithError('not mended');
      expect(await mend(pieces(good))).toBeTrue();
      expect((await bytesOf(id)).equals(bytes)).toBeTrue();
    });

    it('are checked where they lie, and their copies too', async () => {
      const id = await file(randomBytes(chunk + 7));
      await settled(id);
      const { id: contentId, version } = await contentOf(id);
      if (mendsItself) await damageObject(contentId, version!, 1);
      await everythingDue();
      await eventually(async () => (await checkContents(world.services, actor)) === null && (await contentOf(id)).checked);
      await settled(id);
      expect((await contentOf(id)).version === version).toBe(!mendsItself);
      if (!mendsItself) return;
      const givenUp = async (): Promise<number> => (await acts(id)).filter((act) => act === 'gave up a damaged copy').length;
      const before = await givenUp();
      expect(before).toBeGreaterThan(0);
      const damaged = (await contentOf(id)).version!;
      await rm(await objectFile(contentId, damaged));
      await everythingDue();
      // Whoever comes first, the check or the renewal of its lock, enters it.
      await eventually(async () => {
        await checkContents(world.services, actor);
        const { version: now, locked } = await contentOf(id);
        return now !== null && now !== damaged && locked && (await givenUp()) > before;
      });
    });

    it('stay locked as long as they are here, and are removed when they are gone and their lock has ended', async () => {
      await world.rule('R-S', world.ids.A01);
      const [kept, gone] = [await file('Stays.'), await file('Goes.', '2024-01-01')];
      for (const id of [kept, gone]) await settled(id);
      const [mine, theirs] = [await contentOf(kept), await contentOf(gone)];
      expect(await executeAndWait(world, await approvedBatch(world))).toMatch(/^1 destroyed/);
      const object = async () =>
        (
          await world.pool.query<{ gone: boolean }>('select gone_since is not null as gone from content_object where content_id = $1', [
            theirs.id,
          ])
        ).rows[0];
      await eventually(async () => (await object()) === undefined, 30_000);
      await expectAsync(readFile(await objectFile(theirs.id, theirs.version!))).toBeRejected();
      // The lock of what stays was renewed meanwhile, more than once; a busy machine may be a moment late.
      await eventually(async () => (await contentOf(kept)).locked);
      expect((await contentOf(kept)).version).toBe(mine.version);
    });

    it('wait while the store does not answer: nothing is half done, and nothing is held to be damaged', async () => {
      const id = await file('Said before.');
      await settled(id);
      await standIn.stop();
      try {
        const read = await get(id);
        const brought = await world
          .as('editor')
          .upload('meanwhile.bin', 'Brought meanwhile.')
          .catch((error: Refused) => error.problem.type);
        if (contentsIn === 'objects') {
          expect([read.status, brought]).toEqual([503, 'urn:key-cellar:problem:object-store-away']);
        } else {
          expect(read.status).toBe(200);
          expect(brought).toMatch(/^[0-9a-f-]{36}$/);
        }
        await everythingDue();
        // What lies here is checked all the same, though not its copy; what lies there waits.
        await eventually(async () => (await checkContents(world.services, actor)) === null);
        expect(await contentOf(id)).toEqual(jasmine.objectContaining({ damaged: false, checked: contentsIn === 'database' }));
      } finally {
        standIn = await startObjects(folder, portOf(standIn));
      }
      expect(String(await bytesOf(id))).toBe('Said before.');
      expect(await world.as('editor').upload('meanwhile.bin', 'Brought meanwhile.')).toMatch(/^[0-9a-f-]{36}$/);
    });

    /** Whether an upload is being stored, wherever that is. */
    const storing = async (): Promise<boolean> =>
      contentsIn === 'objects' ? (await readdir(join(folder, 'uploads'))).length > 0 : (await writersOfChunks(world.database)) > 0;

    if (mendsItself) {
      it('are mended from their copy as soon as that can be reached, and from no copy that is damaged as well', async () => {
        const bytes = [randomBytes(200), randomBytes(300)];
        const [one, both] = [await file(bytes[0]!), await file(bytes[1]!)];
        for (const id of [one, both]) await settled(id);
        const { id: bothId, version } = await contentOf(both);
        await standIn.stop();
        for (const id of [one, both]) {
          await damage(id);
          expect((await get(id)).status).toBe(500);
          await eventually(async () => (await contentOf(id)).damaged);
        }
        await damageObject(bothId, version!);
        standIn = await startObjects(folder, portOf(standIn));
        await eventually(async () => !(await contentOf(one)).damaged);
        expect((await bytesOf(one)).equals(bytes[0]!)).toBeTrue();
        await eventually(async () => !(await contentOf(both)).copied);
        expect((await contentOf(both)).damaged).toBeTrue();
        // Brought again, it is whole, and is copied again.
        await world.as('depositor').upload('again.bin', bytes[1]!);
        await settled(both);
        expect(await contentOf(both)).toEqual(jasmine.objectContaining({ damaged: false, copied: true }));
      });
    }

    it('that wait too long for a copy or a lock are told of, to those who can have it seen to', async () => {
      const id = await file(randomBytes(60));
      await settled(id);
      const behind = async (): Promise<boolean> => (await world.as('auditor').call(fixity.state)).objects!.behind;
      const told = async (login: Login): Promise<boolean> =>
        (await world.as(login).call(reports.today)).lines.some((line) => line.key === 'copies');
      const hoursAgo = (sql: string): Promise<unknown> => pastTheGuards(world.database, (client) => client.query(sql));
      await eventually(async () => !(await behind()));
      expect(await told('keeper')).toBeFalse();
      await standIn.stop();
      await hoursAgo(
        contentsIn === 'objects'
          ? `update content_object set locked_until = null, begun_at = now() - interval '2 hours'`
          : `update content set copied_at = null, stored_at = repository_now() - interval '2 hours'`,
      );
      expect(await behind()).toBeTrue();
      expect([await told('keeper'), await told('editor')]).toEqual([true, false]);
      standIn = await startObjects(folder, portOf(standIn));
      await eventually(async () => !(await behind()));
      expect(await told('keeper')).toBeFalse();
    });

    it('leave nothing of an upload that came to nothing', async () => {
      const before = (await world.pool.query<{ n: number }>('select count(*)::int as n from content')).rows[0]!.n;
      const upload = await beginUpload(world, world.base, 'half.bin', randomBytes(12 * chunk), 9 * chunk, undefined, storing);
      upload.destroy();
      const begun = async (): Promise<string[]> =>
        (
          await world.pool.query<{ id: string }>(
            `select content_id as id from content_object o where not exists (select from content c where c.id = o.content_id) and gone_since is null`,
          )
        ).rows.map((r) => r.id);
      await eventually(async () => (await readdir(join(folder, 'uploads'))).length === 0);
      expect((await world.pool.query<{ n: number }>('select count(*)::int as n from content')).rows[0]!.n).toBe(before);
      // Whatever was begun is removed a day later.
      await pastTheGuards(world.database, (client) => client.query(`update content_object set begun_at = now() - interval '2 days'`));
      await eventually(async () => (await begun()).length === 0);
    });

    it('are in the database’s own hands: nobody says that an object goes, or is another', async () => {
      const id = await file(randomBytes(100));
      await settled(id);
      const { id: contentId, version } = await contentOf(id);
      const elsewhere = contentsIn === 'objects' ? ['database', null] : ['objects', randomBytes(32)];
      await asApplication(world.database, async (client) => {
        const code = (sql: string): Promise<string> =>
          client.query(sql.includes('$1') ? { text: sql, values: [contentId] } : sql).then(
            () => 'done',
            (error: { code: string }) => error.code,
          );
        expect(await code('delete from content_object where content_id = $1')).toBe('KC001');
        expect(await code(`update content_object set gone_since = now() where content_id = $1`)).toBe('42501');
        expect(await code(`update content_object set locked_until = now() where content_id = $1`)).toBe('KC001');
        expect(await code(`update content_object set version = 'other' where content_id = $1`)).toBe(
          contentsIn === 'objects' ? 'KC001' : 'done',
        );
        expect(await code(`update content set store = 'objects' where id = $1`)).toBe('42501');
        expect(await code(`update content set fingerprints = '' where id = $1`)).toBe('42501');
        // Not locked: still needed. Not needed: still locked.
        const loose = randomUUID();
        await pastTheGuards(world.database, async (past) => {
          await past.query('update content_object set locked_until = null, version = null where content_id = $1', [contentId]);
          await past.query(`insert into content_object (content_id, locked_until) values ($1, now() + interval '1 hour')`, [loose]);
        });
        expect(await code('delete from content_object where content_id = $1')).toBe('KC001');
        expect(await code(`delete from content_object where content_id = '${loose}'`)).toBe('KC001');
        await pastTheGuards(world.database, (past) => past.query('delete from content_object where content_id = $1', [loose]));
      });
      await asOwner(world.database, async (client) => {
        await expectAsync(
          client.query('update content set store = $2, fingerprints = $3 where id = $1', [contentId, ...elsewhere]),
        ).toBeRejectedWithError(/never updated/);
        await pastTheGuards(world.database, (past) =>
          past.query('update content_object set version = $2 where content_id = $1', [contentId, version]),
        );
        await expectAsync(
          client.query('update content_object set gone_since = now() where content_id = $1', [contentId]),
        ).toBeRejectedWithError(/stays what it is/);
      });
    });
  });
}
