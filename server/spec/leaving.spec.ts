import { randomBytes } from 'node:crypto';
import { receiving } from '@key-cellar/contract';
import { asOwner } from './support/database.js';
import { eventually } from './support/eventually.js';
import { pdfOf } from './support/pdf.js';
import { makeWorld, type Client, type World } from './support/world.js';

const chunk = 1024 * 1024;

/** Every way in which the content of a record leaves to a person, and what the ledger calls it. */
const ways: [string, 'read content' | 'took a copy', string, Record<string, string>?][] = [
  ['a page', 'read content', 'pages/1'],
  ['a page that nobody counted', 'read content', 'pages/2'],
  ['the number of pages', 'read content', 'pages'],
  ['a copy', 'took a copy', 'content'],
  ['a part from the beginning', 'took a copy', 'content', { range: 'bytes=0-99' }],
  ['a part from further on', 'took a copy', 'content', { range: 'bytes=1-' }],
  ['a part with its end', 'took a copy', 'content', { range: 'bytes=5-9' }],
];

async function file(world: World, bytes: Buffer, name: string): Promise<string> {
  const editor = world.as('editor');
  const arrivalId = await editor.upload(name, bytes);
  const filing = { arrivalId, title: name, recordType: 'note', placeId: world.ids.A01, createdOn: '2026-01-01', facts: { topic: 'x' } };
  const { results } = await editor.call(receiving.file, { body: { filings: [filing] } });
  return results[0]!.recordId!;
}

const get = (as: Client, id: string, path: string, headers: Record<string, string> = {}): Promise<Response> =>
  as.fetch(`/api/records/${id}/${path}`, { headers });

/** Changes one byte of a chunk past all triggers. The fingerprint of the chunk follows it, or, as on a disk that went bad, does not. */
async function damage(world: World, id: string, seq: number, followed = true): Promise<void> {
  await asOwner(world.database, async (client) => {
    await client.query('alter table content_chunk disable trigger content_chunk_fixed');
    if (!followed) await client.query('alter table content_chunk alter sha256 drop expression');
    await client.query(
      `update content_chunk set bytes = set_byte(bytes, 3, get_byte(bytes, 3) # 255)
       where seq = $2 and content_id = (select content_id from version where record_id = $1)`,
      [id, seq],
    );
    await client.query('alter table content_chunk enable trigger content_chunk_fixed');
  });
}

describe('bytes leave by one gate', () => {
  let world: World;
  let document: Uint8Array;
  beforeAll(async () => {
    world = await makeWorld();
    document = await pdfOf(2);
  });
  afterAll(() => world.stop());

  const filed = (bytes: Buffer, name: string): Promise<string> => file(world, bytes, name);
  /** A document of its own: the same bytes would be the same content. */
  const own = (): Buffer => Buffer.concat([document, Buffer.from(`\n% ${randomBytes(8).toString('hex')}\n`)]);

  async function entered(id: string): Promise<string[]> {
    const { rows } = await world.pool.query<{ act: string }>(
      `select act from ledger_entry where subject_id = $1 and act in ('read content', 'took a copy') order by seq`,
      [id],
    );
    return rows.map((r) => r.act);
  }

  for (const [way, act, path, headers] of ways) {
    const begins = path === 'content' && (!headers || headers['range']!.startsWith('bytes=0-'));
    it(`${way} is said in the ledger, ${begins ? 'each time' : 'once for one sitting'}`, async () => {
      const id = await filed(own(), 'one.pdf');
      for (let i = 0; i < 3; i++) expect((await get(world.as('editor'), id, path, headers)).ok).toBeTrue();
      const said = begins ? [act, act, act] : [act];
      expect(await entered(id)).toEqual(said);
      // Somebody else’s is another.
      expect((await get(world.as('steward'), id, path, headers)).ok).toBeTrue();
      expect(await entered(id)).toEqual([...said, act]);
    });

    it(`${way} of damaged content is refused, and nothing is said to have been given`, async () => {
      const id = await filed(own(), 'damaged.pdf');
      await damage(world, id, 0);
      const response = await get(world.as('editor'), id, path, headers);
      expect(response.status).toBe(500);
      expect(await response.text()).toContain('content-damaged');
      expect(await entered(id)).toEqual([]);
    });

    it(`${way} is not for those who may not`, async () => {
      const id = await filed(own(), 'refused.pdf');
      expect((await get(world.as('outsider'), id, path, headers)).status).toBe(404);
      const reader = await get(world.as('reader'), id, path, headers);
      expect(reader.status).toBe(act === 'took a copy' ? 403 : 200);
      await reader.text();
      expect(await entered(id)).toEqual(act === 'took a copy' ? [] : [act]);
    });
  }

  it('text is said as it is shown, and not when its copy is damaged', async () => {
    const id = await filed(Buffer.from(`words ${randomBytes(8).toString('hex')}`), 'text.txt');
    expect((await get(world.as('editor'), id, 'preview')).status).toBe(200);
    expect(await entered(id)).toEqual(['read content']);
    await damage(world, id, 0);
    expect((await get(world.as('editor'), id, 'preview')).status).toBe(500);
    expect(await entered(id)).toEqual(['read content']);
  });

  it('looking at what has arrived is said of the arrival', async () => {
    const editor = world.as('editor');
    const arrivalId = await editor.upload('arrived.pdf', own());
    for (const path of ['pages/1', 'pages/2']) expect((await editor.fetch(`/api/arrivals/${arrivalId}/${path}`)).status).toBe(200);
    expect(await entered(arrivalId)).toEqual(['read content']);
  });

  it('fingerprints of chunks that were made to agree with changed bytes do not agree with the tree', async () => {
    const id = await filed(randomBytes(2 * chunk), 'forged.bin');
    // The fingerprint of a chunk follows its bytes, so damage makes the two agree; the tree is what tells.
    await damage(world, id, 0);
    expect((await get(world.as('editor'), id, 'content', { range: `bytes=${chunk}-` })).status).toBe(500);
  });
});

describe('a disk that went bad', () => {
  let world: World;
  beforeAll(async () => {
    world = await makeWorld();
  });
  afterAll(() => world.stop());

  it('gives what is good of large content, and no byte of a damaged chunk, not even in a part', async () => {
    const bytes = randomBytes(3 * chunk + 17);
    const id = await file(world, bytes, 'large.bin');
    await damage(world, id, 1, false);
    const editor = world.as('editor');
    const part = async (range: string): Promise<Buffer | number> => {
      const response = await get(editor, id, 'content', { range });
      return response.status === 206 ? Buffer.from(await response.arrayBuffer()) : response.status;
    };
    expect(await part(`bytes=0-${chunk - 1}`)).toEqual(bytes.subarray(0, chunk));
    expect(await part(`bytes=${3 * chunk}-`)).toEqual(bytes.subarray(3 * chunk));
    // Begun in what is good: it breaks off before the first byte of what is not.
    await expectAsync(part(`bytes=10-${chunk + 10}`)).toBeRejected();
    for (const range of [`bytes=${chunk}-${chunk}`, `bytes=${2 * chunk - 1}-${2 * chunk - 1}`, `bytes=${chunk + 5}-`]) {
      expect(await part(range))
        .withContext(range)
        .toBe(500);
    }
    expect((await get(editor, id, 'content')).status).toBe(500);
    // Once it was found, all of it is set apart: nobody knows what else the disk did.
    await eventually(async () => (await part(`bytes=0-${chunk - 1}`)) === 500);
  });
});
