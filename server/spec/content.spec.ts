import { createHash } from 'node:crypto';
import { readdir, readFile, stat } from 'node:fs/promises';
import { request } from 'node:http';
import { extname, join } from 'node:path';
import { fileURLToPath } from 'node:url';
import { receiving, records } from '@key-cellar/contract';
import { asOwner } from './support/database.js';
import { eventually } from './support/eventually.js';
import { beginUpload, uploadsEnded } from './support/halfUpload.js';
import { makeWorld, type Refused, statusOf, type World } from './support/world.js';

/** A few files of every ending that lie about in documentation and packages. */
async function foreignFiles(): Promise<string[]> {
  const perEnding = new Map<string, string[]>();
  const roots = [fileURLToPath(new URL('../../node_modules', import.meta.url)), '/usr/share/doc', '/usr/share/icons'];
  const visit = async (folder: string, depth: number): Promise<void> => {
    for (const entry of await readdir(folder, { withFileTypes: true }).catch(() => [])) {
      const path = join(folder, entry.name);
      if (entry.isDirectory() && depth < 5) await visit(path, depth + 1);
      if (!entry.isFile()) continue;
      const found = perEnding.get(extname(entry.name)) ?? [];
      if (found.length >= 4) continue;
      const { size } = await stat(path);
      if (size > 0 && size < 1_000_000) perEnding.set(extname(entry.name), [...found, path]);
    }
  };
  for (const root of roots) await visit(root, 0);
  return [...perEnding.values()].flat().slice(0, 200);
}

describe('what arrives', () => {
  let world: World;
  beforeAll(async () => {
    world = await makeWorld();
  });
  afterAll(() => world.stop());

  const stored = async () =>
    (
      await world.pool.query<{ contents: number; chunks: number; arrivals: number }>(
        'select (select count(*)::int from content) as contents, (select count(*)::int from content_chunk) as chunks, (select count(*)::int from arrival) as arrivals',
      )
    ).rows[0]!;

  it('is one upload a key: the same bytes again are the same arrival, and others are a mistake', async () => {
    const editor = world.as('editor');
    const first = await editor.upload('once.txt', 'Once.', { key: 'once-1' });
    expect(await editor.upload('once.txt', 'Once.', { key: 'once-1' })).toBe(first);
    expect(await statusOf(editor.upload('once.txt', 'Twice.', { key: 'once-1' }))).toBe(409);
    const large = 'x'.repeat(3_000_000);
    const second = await editor.upload('large.txt', large, { key: 'once-2' });
    expect(await editor.upload('large.txt', large, { key: 'once-2' })).toBe(second);
    expect(await statusOf(editor.upload('large.txt', `${large}y`, { key: 'once-2' }))).toBe(409);
    // A key is its sender's own.
    expect(await world.as('depositor').upload('once.txt', 'Mine.', { key: 'once-1' })).not.toBe(first);
  });

  it('of any size is kept byte by byte and read back whole and by range', async () => {
    const big = Buffer.alloc(3 * 1024 * 1024 + 17);
    for (let i = 0; i < big.length; i++) big[i] = (i * 31 + (i >> 9)) & 255;
    const arrivalId = await world.as('editor').upload('big.bin', big);
    const { results } = await world.as('editor').call(receiving.file, {
      body: { filings: [{ arrivalId, title: 'Big', recordType: 'note', placeId: world.ids.A01, createdOn: '2026-01-01', facts: {} }] },
    });
    const url = `/api/records/${results[0]!.recordId!}/content`;
    const whole = Buffer.from(await (await world.as('editor').fetch(url)).arrayBuffer());
    expect(whole.equals(big)).toBeTrue();
    const part = await world.as('editor').fetch(url, { headers: { range: 'bytes=1048570-1048590' } });
    expect(part.status).toBe(206);
    expect(Buffer.from(await part.arrayBuffer()).equals(big.subarray(1048570, 1048591))).toBeTrue();
    // With every copy and every export of a list goes the newest head that the witness has seen: size and root.
    await eventually(async () =>
      /^[1-9]\d* [0-9a-f]{64}$/.test((await world.as('editor').fetch(url)).headers.get('key-cellar-ledger-head')!),
    );
    const list = await world.as('keeper').fetch('/api/plan/export?format=csv');
    expect(list.headers.get('key-cellar-ledger-head')).toMatch(/^[1-9]\d* [0-9a-f]{64}$/);
  });

  it('twice is stored once, and also when both come at the same time', async () => {
    const before = await stored();
    const bytes = Buffer.alloc(200_000, 7);
    await Promise.all(Array.from({ length: 6 }, (_, i) => world.as('editor').upload(`same${i}.bin`, bytes)));
    const after = await stored();
    expect(after.contents - before.contents).toBe(1);
    expect(after.arrivals - before.arrivals).toBe(6);
  });

  it('again with the same key is the first arrival', async () => {
    const editor = world.as('editor');
    const ids = await Promise.all([1, 2, 3].map(() => editor.upload('retry.txt', 'retried', { key: 'retry' })));
    expect(new Set(ids).size).toBe(1);
  });

  it('broken off leaves nothing', async () => {
    const before = await stored();
    const upload = await beginUpload(world, world.base, 'broken.bin', Buffer.alloc(5_000_000, 1), 2_500_000);
    upload.destroy();
    await uploadsEnded(world);
    expect(await stored()).toEqual(before);
  });

  it('empty, oversize or with a dangerous name gets a sentence or a safe name', async () => {
    const editor = world.as('editor');
    await expectAsync(editor.upload('empty.txt', '')).toBeRejectedWith(jasmine.objectContaining({ status: 422 }) as unknown as Refused);
    const announced = await new Promise<number>((resolve) => {
      const upload = request(
        `${world.base}/api/uploads?name=huge.bin`,
        { method: 'POST', headers: { cookie: editor.cookie, 'x-key-cellar': '1', 'content-length': 3 * 1024 ** 3 } },
        (response) => {
          resolve(response.statusCode!);
          upload.destroy();
        },
      );
      upload.on('error', () => undefined);
      upload.flushHeaders();
    });
    expect(announced).toBe(413);
    for (const name of [
      '../../etc/passwd',
      'C:\\x\\y.txt',
      `${'n'.repeat(300)}.txt`,
      'a\u0000\u202Eb.txt',
      '<img src=x onerror=alert(1)>.txt',
      '=cmd|x.csv',
    ]) {
      await editor.upload(name, `content of ${name}`);
    }
    const { arrivals } = await editor.call(receiving.list);
    for (const { fileName } of arrivals) {
      expect(fileName).not.toMatch(/[/\\\p{Cc}\u202E]/u);
      expect(fileName.length).toBeLessThanOrEqual(200);
    }
    expect(await statusOf(editor.upload('x'.repeat(5000), 'x'))).toBe(422);
  });

  it('that is a page or a drawing with scripts is served into a sandbox that runs nothing', async () => {
    const { id } = await world.file('editor', {
      title: 'page',
      text: '<!doctype html><html><script>alert(document.cookie)</script></html>',
    });
    const response = await world.as('editor').fetch(`/api/records/${id}/preview`);
    expect(response.headers.get('content-security-policy')).toMatch(/^sandbox; default-src 'none'/);
    expect(response.headers.get('x-content-type-options')).toBe('nosniff');
    const page = await world.as('editor').fetch('/api/me');
    expect(page.headers.get('content-security-policy')).toContain("default-src 'none'");
    expect(page.headers.get('cache-control')).toBe('no-store');
  });

  it('and was changed in the store is never served as good', async () => {
    const { id } = await world.file('editor', { title: 'damaged', text: 'good bytes' });
    await asOwner(world.database, async (client) => {
      await client.query('alter table content_chunk disable trigger user');
      await client.query(
        `update content_chunk set bytes = 'baad bytes' where content_id = (select content_id from version where record_id = $1)`,
        [id],
      );
    });
    const response = await world.as('editor').fetch(`/api/records/${id}/preview`);
    expect(response.status).toBe(500);
    expect(await response.text()).toContain('content-damaged');
    // The good bytes arriving once more are not taken for kept because a bad copy of them is: they mend it.
    await world.as('editor').upload('again.txt', 'good bytes');
    expect(await (await world.as('editor').fetch(`/api/records/${id}/preview`)).text()).toBe('good bytes');
  });

  it('is filed in parallel without a number twice or a gap', async () => {
    const filed = await Promise.all(Array.from({ length: 40 }, (_, i) => world.file('editor', { place: world.ids.A02, title: `P ${i}` })));
    const numbers = filed.map((f) => Number(f.number.split('/')[2])).sort((a, b) => a - b);
    expect(numbers).toEqual(Array.from({ length: 40 }, (_, i) => i + 1));
  });

  it('is taken in as it is found on a machine: pages, pictures, programs, texts of every kind', async () => {
    const editor = world.as('editor');
    const files = await foreignFiles();
    expect(files.length).toBeGreaterThan(60);
    const taken = new Map<string, string>();
    for (const path of files) {
      const bytes = await readFile(path);
      taken.set(await editor.upload(path, bytes), createHash('sha256').update(bytes).digest('hex'));
    }
    const { arrivals } = await editor.call(receiving.list);
    for (const [id, sha256] of taken) expect(arrivals.find((a) => a.id === id)!.sha256).toBe(sha256);
    expect(new Set(arrivals.filter((a) => taken.has(a.id)).map((a) => a.mediaType)).size).toBeGreaterThan(6);
    const filings = [...taken.keys()].map((arrivalId, i) => ({
      arrivalId,
      title: `Foreign ${i}`,
      recordType: 'note',
      placeId: world.ids.A01,
      createdOn: '2026-01-01',
      facts: {},
    }));
    const { results } = await editor.call(receiving.file, { body: { filings } });
    expect(results.filter((r) => r.outcome !== 'done')).toEqual([]);
  }, 180_000);

  it('one filing that is wrong does not touch the others', async () => {
    const editor = world.as('editor');
    const ids = await Promise.all(['a', 'b', 'c'].map((x) => editor.upload(`${x}.txt`, `three ${x}`)));
    const filings = ids.map((arrivalId, i) => ({
      arrivalId,
      title: `T${i}`,
      recordType: i === 1 ? 'nothing' : 'note',
      placeId: world.ids.A01,
      createdOn: '2026-01-01',
      facts: {},
    }));
    const { results } = await editor.call(receiving.file, { body: { filings } });
    expect(results.map((r) => r.outcome)).toEqual(['done', 'refused', 'done']);
    expect(results[1]!.why).toContain('record type');
  });

  it('is of the depositor: another one can neither file nor discard it', async () => {
    const arrivalId = await world.as('editor').upload('mine.txt', 'mine');
    expect(await statusOf(world.as('depositor').call(receiving.discard, { params: { id: arrivalId } }))).toBe(404);
    const { results } = await world.as('steward').call(receiving.file, {
      body: { filings: [{ arrivalId, title: 'x', recordType: 'note', placeId: world.ids.A01, createdOn: '2026-01-01', facts: {} }] },
    });
    expect(results[0]!.outcome).toBe('refused');
    const { records: list } = await world.as('steward').call(records.list, { query: { words: 'mine' } });
    expect(list).toEqual([]);
  });
});
