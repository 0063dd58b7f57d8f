import { createHash } from 'node:crypto';
import { ledger, people, plan, receiving, records } from '@key-cellar/contract';
import sharp from 'sharp';
import { asOwner } from './support/database.js';
import { pdfOf } from './support/pdf.js';
import { type Login, makeWorld, statusOf, type World } from './support/world.js';

describe('reading on screen', () => {
  let world: World;
  beforeAll(async () => {
    world = await makeWorld();
  });
  afterAll(() => world.stop());

  const filed = async (name: string, bytes: Uint8Array | string): Promise<string> => {
    const editor = world.as('editor');
    const arrivalId = await editor.upload(name, bytes);
    const { results } = await editor.call(receiving.file, {
      body: {
        filings: [{ arrivalId, title: name, recordType: 'note', placeId: world.ids.A01, createdOn: '2025-01-10', facts: { topic: 'x' } }],
      },
    });
    return results[0]!.recordId!;
  };
  const extent = (id: string, login: Login = 'reader') => world.as(login).call(records.pages, { params: { id } });
  const page = (id: string, no: number, login: Login = 'reader'): Promise<Response> =>
    world.as(login).fetch(`/api/records/${id}/pages/${no}`);
  const pictureOf = async (id: string, no: number) => {
    const response = await page(id, no);
    expect(response.status).toBe(200);
    expect(response.headers.get('content-type')).toBe('image/png');
    return sharp(Buffer.from(await response.arrayBuffer()));
  };

  it('gives pictures of a document’s pages, and never the document', async () => {
    const bytes = await pdfOf(3);
    const id = await filed('report.pdf', bytes);
    expect(await extent(id)).toEqual({ pages: 3, width: 300, height: 400 });
    const { width, height } = await (await pictureOf(id, 2)).metadata();
    expect([width, height]).toEqual([1440, 1920]);
    const { channels } = await (await pictureOf(id, 1)).stats();
    expect(channels[0]!.min).withContext('something is drawn').toBeLessThan(60);

    const reader = world.as('reader');
    for (const path of ['preview', 'content', 'preview?version=1', 'content?version=1']) {
      const response = await reader.fetch(`/api/records/${id}/${path}`);
      expect([403, 409]).withContext(path).toContain(response.status);
      expect(await response.text())
        .withContext(path)
        .not.toContain('%PDF');
    }
    const copy = Buffer.from(await (await world.as('editor').fetch(`/api/records/${id}/content`)).arrayBuffer());
    expect(createHash('sha256').update(copy).digest('hex')).toBe(createHash('sha256').update(bytes).digest('hex'));
  });

  it('names whoever reads on pages from where a place asks for it, and in what is in it', async () => {
    const id = await filed('plain.pdf', await pdfOf(1));
    const bytes = async (login: Login): Promise<string> => {
      const response = await page(id, 1, login);
      expect(response.status).toBe(200);
      return createHash('sha256')
        .update(Buffer.from(await response.arrayBuffer()))
        .digest('hex');
    };
    const plain = await bytes('reader');
    expect(await bytes('editor')).toBe(plain);
    const revisionOf = async (placeId: string): Promise<number> =>
      (await world.as('keeper').call(plan.place, { params: { id: placeId } })).revision;
    const name = async (placeId: string, readerOnPages: boolean, login: Login = 'keeper') =>
      world.as(login).call(people.nameReader, {
        params: { id: placeId },
        body: { revision: await revisionOf(placeId), readerOnPages, reason: 'screens are photographed' },
      });
    expect(await statusOf(name(world.ids.A01, true, 'editor'))).toBe(403);
    expect(await statusOf(name(world.ids.A, true, 'reader'))).toBe(404);
    await name(world.ids.A, true);
    const [reader, editor] = [await bytes('reader'), await bytes('editor')];
    expect(new Set([plain, reader, editor]).size).toBe(3);
    const said = async (placeId: string) => (await world.as('keeper').call(people.grantsOn, { params: { id: placeId } })).readerOnPages;
    expect([await said(world.ids.A), await said(world.ids.A01), await said(world.ids.B)]).toEqual([
      { here: true, by: 'A' },
      { here: false, by: 'A' },
      { here: false, by: null },
    ]);
    // A copy that is taken stays the document.
    expect((await world.as('editor').fetch(`/api/records/${id}/content`)).status).toBe(200);
    await name(world.ids.A01, true);
    await name(world.ids.A, false);
    expect(await bytes('reader')).not.toBe(plain);
    await name(world.ids.A01, false);
    expect(await bytes('reader')).toBe(plain);
    const entries = await world.as('auditor').call(ledger.entries, { query: { limit: 20 } });
    expect(entries.entries.map((e) => e.act)).toContain('let pages name their reader');
  });

  it('draws text on sheets for those who may not copy it, every line of it', async () => {
    const lines = Array.from({ length: 120 }, (_, i) => `Line ${i + 1} ${i === 60 ? 'very '.repeat(60) : ''}`);
    const id = await filed('log.txt', lines.join('\r\n'));
    // 53 lines on a sheet; the long one takes several.
    expect(await extent(id)).toEqual({ pages: 3, width: 595, height: 842 });
    const ink = async (no: number): Promise<number> => {
      const { data } = await (await pictureOf(id, no)).greyscale().raw().toBuffer({ resolveWithObject: true });
      return data.filter((value) => value < 128).length;
    };
    expect(await ink(1)).toBeGreaterThan(2000);
    expect(await ink(3))
      .withContext('the last sheet is not full')
      .toBeLessThan(await ink(1));
    expect((await page(id, 4)).status).toBe(422);
    expect((await world.as('reader').fetch(`/api/records/${id}/preview`)).status).toBe(403);
    // One word without a space, an empty text, and letters that are in no alphabet.
    for (const text of ['x'.repeat(100_000), '', '\uFFFD\u{1F600}\t|']) {
      const odd = await filed(`odd ${text.length}.txt`, text === '' ? ' ' : text);
      expect((await pictureOf(odd, 1)) !== null)
        .withContext(text.slice(0, 5))
        .toBeTrue();
    }
  });

  it('is one act in the ledger, however many pages are turned', async () => {
    const id = await filed('turned.pdf', await pdfOf(4));
    await extent(id);
    for (const no of [1, 2, 3, 4]) expect((await page(id, no)).status).toBe(200);
    const { entries } = await world.as('auditor').call(ledger.entries, { query: { subject: id, act: 'read content' } });
    expect(entries.map((e) => e.actor)).toEqual(['Person reader']);
  });

  it('shows a picture scaled down, a scan of many pages page by page, and a drawing without its script', async () => {
    const photo = await sharp({ create: { width: 3000, height: 1500, channels: 3, background: '#204080' } })
      .jpeg()
      .toBuffer();
    const photoId = await filed('photo.jpg', photo);
    expect(await extent(photoId)).toEqual({ pages: 1, width: 3000, height: 1500 });
    expect((await (await pictureOf(photoId, 1)).metadata()).width).toBe(1440);

    const sheets = await Promise.all(
      ['#ff0000', '#00ff00'].map((background) =>
        sharp({ create: { width: 200, height: 100, channels: 3, background } })
          .png()
          .toBuffer(),
      ),
    );
    const scan = await sharp(sheets, { join: { across: 1, animated: true } })
      .tiff({ compression: 'lzw' })
      .toBuffer();
    const scanId = await filed('scan.tiff', scan);
    expect((await extent(scanId)).pages).toBe(2);
    const [first, second] = await Promise.all([1, 2].map(async (no) => (await (await pictureOf(scanId, no)).stats()).dominant));
    expect([first!.r > first!.g, second!.g > second!.r]).toEqual([true, true]);
    // A larger one tells its kind only at its end.
    const noise = { type: 'gaussian' as const, mean: 128, sigma: 40 };
    const large = await sharp({ create: { width: 300, height: 200, channels: 3, background: '#fff', noise } })
      .tiff({ compression: 'lzw' })
      .toBuffer();
    expect(large.length).toBeGreaterThan(20_000);
    expect((await extent(await filed('large.tiff', large))).width).toBe(300);

    const svg =
      '<svg xmlns="http://www.w3.org/2000/svg" width="50" height="40"><script>alert(1)</script><rect width="50" height="40"/></svg>';
    const drawing = await filed('drawing.svg', svg);
    expect((await (await pictureOf(drawing, 1)).metadata()).format).toBe('png');
    expect((await world.as('editor').fetch(`/api/records/${drawing}/preview`)).status).toBe(409);
  });

  it('of what may not be discovered, and of what does not exist, has the same answer', async () => {
    const id = await filed('secret.pdf', await pdfOf(1));
    const hidden = await page(id, 1, 'outsider');
    const nowhere = await page('00000000-0000-4000-8000-000000000000', 1, 'outsider');
    expect([hidden.status, await hidden.text()]).toEqual([nowhere.status, await nowhere.text()]);
    expect(await statusOf(extent(id, 'outsider'))).toBe(404);
    expect((await fetch(`${world.base}/api/records/${id}/pages/1`)).status).toBe(401);
    for (const no of ['0', '-1', 'x', '1e9', '2']) {
      expect([404, 422])
        .withContext(no)
        .toContain((await page(id, no as never)).status);
    }
  });

  it('says so when a document is broken, too large to draw, or no document at all', async () => {
    const whole = await pdfOf(1);
    const broken = await filed('broken.pdf', Buffer.concat([Buffer.from(whole.subarray(0, 40)), Buffer.from('rubbish')]));
    expect(await statusOf(extent(broken))).toBe(422);
    expect((await page(broken, 1)).status).toBe(422);

    const huge = await filed('huge.pdf', await pdfOf(1, { width: 14_000, height: 14_000 }));
    const { width, height } = await (await pictureOf(huge, 1)).metadata();
    expect(width * height).toBeLessThan(6_100_000);
    const thin = await filed('thin.pdf', await pdfOf(1, { width: 3, height: 14_000 }));
    const strip = await (await pictureOf(thin, 1)).metadata();
    expect(strip.width * strip.height).toBeLessThan(6_200_000);

    // A picture that says it has four thousand million pixels.
    const bomb = Buffer.from('89504e470d0a1a0a0000000d4948445200010000000100000802000000', 'hex');
    const bombId = await filed('bomb.png', Buffer.concat([bomb, Buffer.alloc(64)]));
    expect(await statusOf(extent(bombId))).toBe(422);
    expect((await page(bombId, 1)).status).toBe(422);

    const zip = await filed('archive.bin', Buffer.from([0, 1, 2, 3, 0, 255]));
    expect(await statusOf(extent(zip))).toBe(404);
  });

  it('goes on after a document that broke the drawing thread', async () => {
    const id = await filed('good.pdf', await pdfOf(1));
    await world.services.pages.stop();
    expect((await page(id, 1)).status).toBe(200);
    const [one, two] = await Promise.all([page(id, 1), page(id, 1)]);
    expect([one.status, two.status]).toEqual([200, 200]);
  });

  it('never shows content that was changed in the store', async () => {
    const id = await filed('changed.pdf', await pdfOf(2));
    await asOwner(world.database, async (client) => {
      await client.query('set session_replication_role = replica');
      await client.query(
        `update content_chunk set bytes = overlay(bytes placing '0'::bytea from 100) where content_id = (select content_id from version where record_id = $1)`,
        [id],
      );
    });
    expect(await statusOf(extent(id))).toBe(500);
  });

  it('begins before filing: whoever may file a thing may look at it, and nobody else', async () => {
    const arrivalId = await world.as('depositor').upload('scan.pdf', await pdfOf(2, { width: 210 }));
    const noteId = await world.as('depositor').upload('note.txt', 'a note');
    const pages = (login: Login) => world.as(login).call(receiving.pages, { params: { id: arrivalId } });
    const fetch_ = async (login: Login, path: string) => (await world.as(login).fetch(`/api/arrivals/${path}`)).status;
    for (const login of ['depositor', 'keeper'] as const) {
      expect((await pages(login)).pages)
        .withContext(login)
        .toBe(2);
      expect(await fetch_(login, `${arrivalId}/pages/2`))
        .withContext(login)
        .toBe(200);
      expect(await fetch_(login, `${noteId}/preview`))
        .withContext(login)
        .toBe(200);
    }
    expect(await fetch_('depositor', `${arrivalId}/preview`)).toBe(409);
    for (const login of ['editor', 'reader', 'outsider', 'auditor'] as const) {
      expect(await statusOf(pages(login)))
        .withContext(login)
        .toBe(404);
      for (const path of [`${arrivalId}/pages/1`, `${noteId}/preview`])
        expect(await fetch_(login, path))
          .withContext(login)
          .toBe(404);
    }
    expect((await fetch(`${world.base}/api/arrivals/${arrivalId}/pages/1`)).status).toBe(401);
  });
});
