import { inEnglish } from '@key-cellar/words/testing';
import { createHash, generateKeyPairSync, sign } from 'node:crypto';
import { mkdir, mkdtemp, readdir, readFile, writeFile } from 'node:fs/promises';
import { createServer, type IncomingMessage, type Server, type ServerResponse } from 'node:http';
import type { AddressInfo } from 'node:net';
import { tmpdir } from 'node:os';
import { dirname, join } from 'node:path';
import { fileURLToPath } from 'node:url';
import { Readable } from 'node:stream';
import { buffer } from 'node:stream/consumers';
import { execFileSync } from 'node:child_process';
import { docket, holds, ledger, records, steps } from '@key-cellar/contract';
import { open as openZip, type ZipFile } from 'yauzl';
import { canonicalJson } from '@key-cellar/core/ledger';
import { packBag, type PayloadFile, safePart, text } from '../src/docket/bag.js';
import { packageXml } from '../src/docket/packageXml.js';
import { wrongReceipt } from '../src/docket/receipt.js';
import { startArchive, type Archive } from '../src/standins/archive.js';
import type { StandIn } from '../src/standins/listen.js';
import { asApplication, pastTheGuards } from './support/database.js';
import { approvedBatch, executeAndWait, makeWorld, ruleDefinition, statusOf, type World } from './support/world.js';

/** Every file of a ZIP by name. */
async function unzip(path: string): Promise<Map<string, Buffer>> {
  const zip = await new Promise<ZipFile>((resolve, reject) =>
    openZip(path, { lazyEntries: true }, (error, opened) => (error ? reject(error) : resolve(opened))),
  );
  const files = new Map<string, Buffer>();
  await new Promise<void>((resolve, reject) => {
    zip.on('entry', (entry) =>
      zip.openReadStream(entry, (error, stream) => {
        if (error) return reject(error);
        buffer(stream).then((content) => {
          files.set(entry.fileName, content);
          zip.readEntry();
        }, reject);
      }),
    );
    zip.on('end', resolve);
    zip.on('error', reject);
    zip.readEntry();
  });
  return files;
}

const sha256 = (bytes: Uint8Array): string => createHash('sha256').update(bytes).digest('hex');

describe('a bag', () => {
  let folder: string;
  let archive: Archive;
  beforeAll(async () => {
    folder = await mkdtemp(join(tmpdir(), 'bag-'));
    archive = await startArchive(join(folder, 'archive'));
  });
  afterAll(() => archive.stop());

  const file = (path: string, content: string): PayloadFile => ({
    path,
    open: () => Readable.from([content], { objectMode: false }),
  });
  /** The description as it is written for real; `forge` changes it before it goes in. */
  const mets = (paths: readonly string[], forge: (xml: string) => string = (xml) => xml): PayloadFile => ({
    path: 'mets.xml',
    open: (before) => {
      const files = paths.map((p) => ({ path: `data/${p}`, fileName: p, mediaType: 'text/plain', use: 'content' as const }));
      const event = { act: 'filed', at: '2026-09-14T10:00:00Z', agent: 'Ines', note: null };
      const record = {
        id: 'r',
        number: 'A/1',
        title: 'T',
        typeTitle: 'Note',
        dublinCore: [['title', 'T']] as const,
        rule: 'R',
        files,
        events: [event],
      };
      const description = { repository: 'H', batch: 'D-1', what: 'x', madeAt: '2026-09-14T10:00:00Z', records: [record] };
      return Readable.from(text(packageXml(description, (path) => before.get(path)!).then(forge)), { objectMode: false });
    },
  });
  const pack = (payload: readonly PayloadFile[]): Promise<Buffer> =>
    buffer(
      packBag({
        name: 'D-1',
        payload,
        info: [['Source-Organization', 'Harbour\nAuthority']],
        madeOn: new Date('2026-09-14T12:00:00Z'),
      }),
    );
  const send = (bag: Uint8Array): Promise<Response> =>
    fetch(`${archive.url}/accessions`, { method: 'POST', body: bag as never, headers: { 'x-sent-on': '2026-09-14' } });

  it('holds its files, with manifests that sha256sum accepts', async () => {
    const path = join(folder, 'D-1.zip');
    await writeFile(path, await pack([file('records/A_1/1-letter.txt', 'Dear Sir'), mets(['records/A_1/1-letter.txt'])]));
    for (const [name, bytes] of await unzip(path)) {
      await mkdir(join(folder, dirname(name)), { recursive: true });
      await writeFile(join(folder, name), bytes);
    }
    for (const name of ['manifest-sha256.txt', 'tagmanifest-sha256.txt']) {
      const said = execFileSync('sha256sum', ['-c', '--strict', name], { cwd: join(folder, 'D-1'), encoding: 'utf8' });
      expect(said).not.toContain('FAILED');
    }
    const description = join(folder, 'D-1', 'data', 'mets.xml');
    expect(execFileSync('xmllint', ['--noout', '--nonet', description], { encoding: 'utf8', stdio: 'pipe' })).toBe('');
    const ask = (path: string): string => execFileSync('xmllint', ['--nonet', '--xpath', path, description], { encoding: 'utf8' }).trim();
    expect(ask("count(//*[local-name()='file' and namespace-uri()='http://www.loc.gov/METS/'])")).toBe('1');
    expect(ask("string(//*[local-name()='FLocat']/@*[local-name()='href'])")).toBe('data/records/A_1/1-letter.txt');
    const info = await readFile(join(folder, 'D-1', 'bag-info.txt'), 'utf8');
    expect(info).toContain('Source-Organization: Harbour Authority\n');
    expect(info).toMatch(/^Payload-Oxum: \d+\.2$/m);
  });

  it('is the same to the byte when made again', async () => {
    const twice = await Promise.all([1, 2].map(() => pack([file('a.txt', 'a'), mets(['a.txt'])])));
    expect(sha256(twice[0]!)).toBe(sha256(twice[1]!));
  });

  it('fails as a whole when one file cannot be read', async () => {
    const broken: PayloadFile = { path: 'b.txt', open: () => Promise.reject(new Error('gone')) };
    await expectAsync(pack([file('a.txt', 'a'), broken])).toBeRejected();
    const midway: PayloadFile = {
      path: 'c.txt',

      open: async function* () {
        throw new Error('damaged');
      },
    };
    await expectAsync(pack([midway])).toBeRejected();
  });

  it('keeps no name that a file system or a manifest would trip over', () => {
    const table: [string, string][] = [
      ['../../etc/passwd', '.._.._etc_passwd'],
      ['a\nb\u0000c', 'a_b_c'],
      ['100 %.txt', '100 _.txt'],
      ['..', '_'],
      ['', '_'],
      ['Prüfung 7.pdf', 'Prüfung 7.pdf'],
      ['a\ud800\ufffeb', 'a__b'],
      [`${'水'.repeat(200)}.pdf`, `${'水'.repeat(78)}.pdf`],
      ['x'.repeat(240), 'x'.repeat(240)],
      ['x'.repeat(241), 'x'.repeat(240)],
      [`${'\u{1f5dd}'.repeat(100)}.a long ending`, '\u{1f5dd}'.repeat(60)],
    ];
    for (const [name, safe] of table) expect(safePart(name)).toBe(safe);
    for (const [name] of table) expect(Buffer.byteLength(`123-${safePart(name)}`)).toBeLessThanOrEqual(255);
  });

  it('is accepted once: the same bag gets the same receipt', async () => {
    const bag = await pack([file('x y&z’s.txt', 'x'), mets(['x y&z’s.txt'])]);
    const first = (await (await send(bag)).json()) as { accession: string; bagSha256: string };
    const second = (await (await send(bag)).json()) as { accession: string };
    expect(first.bagSha256).toBe(sha256(bag));
    expect(second.accession).toBe(first.accession);
  });

  const refusals: [string, () => Promise<Uint8Array>, RegExp][] = [
    ['what is no ZIP', () => Promise.resolve(Buffer.from('hello')), /not a ZIP/],
    ['a bag without METS', () => pack([file('a.txt', 'a')]), /mets\.xml is missing/],
    [
      'a METS that is not well-formed',
      () => pack([file('a.txt', 'a'), mets(['a.txt'], (xml) => xml.replace('</mets>', ''))]),
      /not well-formed/,
    ],
    [
      'a METS with a character that XML has not',
      () => pack([file('a.txt', 'a'), mets(['a.txt'], (xml) => xml.replace('T<', 'T\u0001<'))]),
      /not well-formed/,
    ],
    [
      'a METS with another fingerprint',
      () => pack([file('a.txt', 'a'), mets(['a.txt'], (xml) => xml.replace(/CHECKSUM="./, 'CHECKSUM="x'))]),
      /says something else of data\/a\.txt \(METS\)/,
    ],
    [
      'a METS with another size',
      () => pack([file('a.txt', 'a'), mets(['a.txt'], (xml) => xml.replace('SIZE="1"', 'SIZE="2"'))]),
      /\(METS\)/,
    ],
    [
      'a PREMIS with another fingerprint',
      () => pack([file('a.txt', 'a'), mets(['a.txt'], (xml) => xml.replace(/<premis:messageDigest>./, '<premis:messageDigest>x'))]),
      /says something else of data\/a\.txt \(PREMIS\)/,
    ],
    [
      'a PREMIS without the file',
      () =>
        pack([
          file('a.txt', 'a'),
          mets(['a.txt'], (xml) => xml.replace(/<premis:objectIdentifierValue>[^<]*/, '<premis:objectIdentifierValue>other')),
        ]),
      /does not name data\/a\.txt \(PREMIS\)/,
    ],
    [
      'a PREMIS with an agent that it does not describe',
      () =>
        pack([
          file('a.txt', 'a'),
          mets(['a.txt'], (xml) => xml.replace('<premis:agentIdentifierValue>Ines', '<premis:agentIdentifierValue>Tomas')),
        ]),
      /does not describe the agent Ines/,
    ],
    [
      'a METS that names a file which is not there',
      () =>
        pack([
          file('a.txt', 'a'),
          mets(['a.txt'], (xml) =>
            xml.replace('<fileSec>', '<fileSec><fileGrp><file SIZE="1" CHECKSUM="x"><FLocat xlink:href="data/b.txt"/></file></fileGrp>'),
          ),
        ]),
      /names data\/b\.txt, which is not in the bag/,
    ],
    ['a METS that leaves a file out', () => pack([file('a.txt', 'a'), mets([])]), /does not name data\/a\.txt/],
    [
      'a changed payload',
      async () => {
        // Stored, not deflated, so that one byte can be changed where it lies; the ZIP's own checksum is changed with it.
        const bag = await pack([file('a.txt', 'a'.repeat(40)), mets(['a.txt'])]);
        const other = await pack([file('a.txt', 'b'.repeat(40)), mets(['a.txt'])]);
        const at = bag.indexOf('manifest-sha256.txt');
        return Buffer.concat([other.subarray(0, at), bag.subarray(at)]);
      },
      /fingerprint|cannot be read|Payload-Oxum|not a ZIP/,
    ],
  ];
  for (const [name, make, sentence] of refusals) {
    it(`is refused with a sentence: ${name}`, async () => {
      const response = await send(await make());
      expect(response.status).toBe(422);
      expect(((await response.json()) as { detail: string }).detail).toMatch(sentence);
    });
  }
});

/** Stands between the repository and the archive, to be away, to refuse, to lose an answer, or to do something meanwhile. */
interface Between {
  readonly url: string;
  behave: (forward: () => Promise<{ status: number; body: string }>, response: ServerResponse) => Promise<void>;
  stop(): Promise<void>;
}

async function between(archive: StandIn): Promise<Between> {
  const pass: Between['behave'] = async (forward, response) => {
    const { status, body } = await forward();
    response.writeHead(status, { 'content-type': 'application/json' }).end(body);
  };
  const server: Server = createServer((request: IncomingMessage, response: ServerResponse) => {
    const forward = async (): Promise<{ status: number; body: string }> => {
      const answer = await fetch(`${archive.url}${request.url}`, {
        method: 'POST',
        body: (await buffer(request)) as never,
        headers: { 'x-sent-on': request.headers['x-sent-on'] as string },
      });
      return { status: answer.status, body: await answer.text() };
    };
    here.behave(forward, response).catch(() => response.destroy());
  });
  await new Promise<void>((resolve) => server.listen({ port: 0, host: '127.0.0.1', exclusive: true }, resolve));
  const here: Between = {
    url: `http://127.0.0.1:${(server.address() as AddressInfo).port}`,
    behave: pass,
    stop: () =>
      new Promise((resolve) => {
        server.close(() => resolve());
        server.closeAllConnections();
      }),
  };
  return here;
}

describe('a receipt', () => {
  const { privateKey, publicKey } = generateKeyPairSync('ed25519');
  const key = publicKey.export({ type: 'spki', format: 'pem' }).toString();
  const bag = { name: 'D-1', sha256: 'a'.repeat(64), payloadOxum: '5.2', files: 2 };
  const plain = { archive: 'A', accession: '1', receivedOn: '2026-09-14', bag: 'D-1', bagSha256: bag.sha256, payloadOxum: '5.2', files: 2 };
  const signed = (changes: Partial<typeof plain> = {}) => {
    const receipt = { ...plain, ...changes };
    return { ...receipt, signature: sign(null, Buffer.from(canonicalJson(receipt)), privateKey).toString('base64') };
  };

  it('counts when it is signed and says of the bag what it is', () => {
    expect(wrongReceipt(signed(), bag, key)).toBeNull();
    // Of a bag that was packed before they were noted, numbers cannot be compared.
    expect(wrongReceipt(signed({ files: 3 }), { ...bag, payloadOxum: null, files: null }, key)).toBeNull();
  });

  const wrong: [string, ReturnType<typeof signed>, string][] = [
    ['somebody else signed', { ...signed(), signature: Buffer.alloc(64).toString('base64') }, 'is not signed by the archive'],
    ['anything was changed after it was signed', { ...signed(), accession: '2' }, 'is not signed by the archive'],
    ['it is for other bytes', signed({ bagSha256: 'b'.repeat(64) }), 'is not for this bag'],
    ['it names another bag', signed({ bag: 'D-2' }), 'names another bag'],
    ['it says another size', signed({ payloadOxum: '6.2' }), 'is for a bag of another size'],
    ['it counts other files', signed({ files: 3 }), 'counts other files'],
  ];
  for (const [when, receipt, why] of wrong) it(`does not when ${when}`, () => expect(inEnglish(wrongReceipt(receipt, bag, key))).toBe(why));
});

describe('a transfer', () => {
  let world: World;
  let archive: Archive;
  let way: Between;
  let folder: string;
  const straight: Between['behave'] = async (forward, response) => {
    const { status, body } = await forward();
    response.writeHead(status, { 'content-type': 'application/json' }).end(body);
  };
  beforeEach(async () => {
    folder = await mkdtemp(join(tmpdir(), 'archive-'));
    archive = await startArchive(folder);
    way = await between(archive);
    world = await makeWorld({ archiveUrl: way.url, archiveKey: archive.key });
    await world.rule(
      'R-T',
      world.ids.A01,
      ruleDefinition({ steps: [{ kind: 'transfer', after: 'P1Y', from: 'clockStart', approvals: 1, noticeDays: 0 }] }),
    );
  });
  afterEach(async () => {
    await world.stop();
    await way.stop();
    await archive.stop();
  });

  const dossier = (id: string) => world.as('keeper').call(records.dossier, { params: { id } });
  const page = (id: string) => world.as('keeper').call(docket.batch, { params: { id } });
  const job = async (batchId: string): Promise<string> => executeAndWait(world, batchId);
  const contents = async (): Promise<number> =>
    (await world.pool.query<{ n: number }>('select count(*)::int as n from content')).rows[0]!.n;
  const file = (title: string) => world.file('editor', { createdOn: '2024-01-01', title });

  it('packs, sends, and removes on the strength of the receipt', async () => {
    const one = await file('Permit of 2024');
    const two = await file('Extension & more');
    const batchId = await approvedBatch(world);
    expect(await job(batchId)).toBe('2 transferred, 0 not.');

    const batch = await page(batchId);
    expect(batch.state).toBe('done');
    expect(batch.receipt!.accession).toMatch(/^TSA 2026\/0001$/);
    expect(batch.note).toContain('2 transferred · accession TSA 2026/0001');
    for (const { id } of [one, two]) {
      const stub = await dossier(id);
      expect(stub.state).toBe('disposed');
      expect(stub.transferredTo).toEqual({ archive: 'Tarrin Sound Archive', number: 'TSA 2026/0001' });
      expect(stub.versions).toEqual([]);
    }
    expect(await contents()).toBe(0);
    const { entries } = await world.as('auditor').call(ledger.entries, { query: { subjectKind: 'batch' } });
    expect(entries.map((e) => e.act)).toEqual(jasmine.arrayContaining(['packed a bag', 'got a receipt']));

    const [zip] = (await readdir(folder)).filter((name) => name.endsWith('.zip'));
    const files = await unzip(join(folder, zip!));
    const names = [...files.keys()];
    expect(names).toContain(`${batch.number}/data/records/${one.number.replaceAll('/', '_')}/1-Permit of 2024.txt`);
    const mets = files.get(`${batch.number}/data/mets.xml`)!.toString();
    expect(mets).toContain(`<dc:identifier>${two.number}</dc:identifier>`);
    expect(mets).toContain('<dc:title>Extension &amp; more</dc:title>');
    expect(mets).toContain('<premis:eventType>filed</premis:eventType>');
    expect(mets).toContain('<premis:agentName>Person editor</premis:agentName>');
    const info = files.get(`${batch.number}/bag-info.txt`)!.toString();
    expect(info).toMatch(/^Ledger-Head: \d+ entries, root [0-9a-f]{64}, cosigned by tarrin-sound-witness$/m);
    expect(mets).toContain('R-T version 1, Sound Compact, art. 1; due 2025-01-01');
    for (const [name, bytes] of files) {
      if (name.includes('/data/records/')) expect(mets).toContain(sha256(bytes));
    }
    const proofs = join(folder, 'ledger.jsonl');
    await writeFile(proofs, files.get(names.find((n) => n.endsWith('ledger.jsonl'))!)!);
    const said = execFileSync(process.execPath, [fileURLToPath(new URL('../../tools/verify-ledger.mjs', import.meta.url)), proofs], {
      encoding: 'utf8',
    });
    expect(said).toContain('OK');
  });

  it('removes nothing while the archive is away, and goes on when it is back, with one accession only', async () => {
    const { id } = await file('Waits');
    const batchId = await approvedBatch(world);
    way.behave = async (_, response) => void response.destroy();
    expect(await job(batchId)).toContain('could not be reached. Nothing was removed here');
    expect((await dossier(id)).state).toBe('working');
    let batch = await page(batchId);
    expect(batch.acts).toContain('execute');
    expect(batch.note).toContain('Stopped before its end');

    // The archive takes it, and its answer is lost on the way.
    way.behave = async (forward, response) => {
      await forward();
      response.destroy();
    };
    await job(batchId);
    expect((await dossier(id)).state).toBe('working');

    way.behave = straight;
    expect(await job(batchId)).toBe('1 transferred, 0 not.');
    batch = await page(batchId);
    expect(batch.receipt!.accession).toBe('TSA 2026/0001');
    expect((await readFile(join(folder, 'accessions.jsonl'), 'utf8')).trim().split('\n').length).toBe(1);
  });

  it('passes on why the archive refused, and takes no receipt that is for another bag', async () => {
    const { id } = await file('Refused');
    const batchId = await approvedBatch(world);
    way.behave = async (_, response) => void response.writeHead(422).end(JSON.stringify({ detail: 'We are full until June.' }));
    expect(await job(batchId)).toBe('The archive refused the bag: We are full until June. Nothing was removed here.');
    way.behave = async (_, response) => void response.writeHead(500).end('oops');
    expect(await job(batchId)).toContain('it answered 500.');
    way.behave = async (forward, response) => {
      const { body } = await forward();
      response.writeHead(201).end(JSON.stringify({ ...(JSON.parse(body) as object), bagSha256: '0'.repeat(64) }));
    };
    expect(await job(batchId)).toContain('receipt is not signed by the archive');
    expect((await dossier(id)).state).toBe('working');
  });

  it('keeps what a hold covers by the time the receipt is there, and puts no held record into a bag', async () => {
    const kept = await file('Held on the way');
    const goes = await file('Goes');
    const matter = await world.as('counsel').call(holds.makeMatter, { body: { code: 'M-1', title: 'Matter', kind: 'case', note: '' } });
    const batchId = await approvedBatch(world);
    way.behave = async (forward, response) => {
      await world.as('counsel').call(holds.placeHold, {
        body: { matterId: matter.id, name: 'Late', reason: 'asked for', freeze: false, recordIds: [kept.id], custodianIds: [] },
      });
      await straight(forward, response);
    };
    expect(await job(batchId)).toBe('1 transferred, 1 not.');
    expect((await dossier(kept.id)).state).toBe('working');
    expect((await dossier(kept.id)).versions.length).toBe(1);
    expect((await dossier(goes.id)).state).toBe('disposed');
    const { items } = await page(batchId);
    expect(items.find((i) => i.recordId === kept.id)).toEqual(jasmine.objectContaining({ outcome: 'blocked', reason: 'It is held.' }));
  });

  it('keeps a record that was not in the bag, though nothing holds it any more when the receipt comes', async () => {
    const late = await file('Held while the bag was packed');
    const goes = await file('In the bag');
    const counsel = world.as('counsel');
    const matter = await counsel.call(holds.makeMatter, { body: { code: 'M-2', title: 'Matter', kind: 'case', note: '' } });
    const batchId = await approvedBatch(world);
    const { id } = await counsel.call(holds.placeHold, {
      body: { matterId: matter.id, name: 'Short', reason: 'asked for', freeze: false, recordIds: [late.id], custodianIds: [] },
    });
    way.behave = async (forward, response) => {
      await counsel.call(holds.release, { params: { id }, body: { reason: 'settled' } });
      await straight(forward, response);
    };
    expect(await job(batchId)).toBe('1 transferred, 1 not.');
    expect([(await dossier(late.id)).state, (await dossier(goes.id)).state]).toEqual(['working', 'disposed']);
    const { items } = await page(batchId);
    expect(items.find((i) => i.recordId === late.id)).toEqual(
      jasmine.objectContaining({ outcome: 'dropped', reason: 'It was not in the bag that the archive confirmed.' }),
    );
  });

  it('packs nothing that is objected to, though the objection came after approval', async () => {
    const kept = await file('Objected to');
    const goes = await file('Goes');
    const batchId = await approvedBatch(world);
    await world.pool.query(
      `insert into objection (id, batch_id, record_id, by_id, reason, made_at) values (gen_random_uuid(), $1, $2, $3, 'late', now())`,
      [batchId, kept.id, world.ids.editor],
    );
    expect(await job(batchId)).toBe('1 transferred, 1 not.');
    const { rows } = await world.pool.query<{ records: string[] }>('select records from transfer where batch_id = $1', [batchId]);
    expect(rows[0]!.records).toEqual([goes.id]);
    expect((await dossier(kept.id)).state).toBe('working');
  });

  it('keeps its bag while an item waits for a person, and drops it when the batch is done', async () => {
    await file('Goes with the bag');
    const batchId = await approvedBatch(world);
    const { id: waits } = await file('Waits for a person');
    await pastTheGuards(world.database, (client) =>
      client.query(`insert into batch_item (batch_id, record_id, outcome) values ($1, $2, 'task')`, [batchId, waits]),
    );
    expect(await job(batchId)).toBe('1 transferred, 0 not, 1 waits for a person.');
    const bag = async (): Promise<unknown> =>
      (await world.pool.query('select bag_id from transfer where batch_id = $1', [batchId])).rows[0].bag_id;
    expect(await bag()).not.toBeNull();
    expect((await page(batchId)).certificate).toBeNull();
    await pastTheGuards(world.database, (client) => client.query(`update batch_item set outcome = 'open' where record_id = $1`, [waits]));
    expect(await job(batchId)).toBe('1 transferred, 1 not.');
    expect(await bag()).toBeNull();
    expect((await page(batchId)).certificate).not.toBeNull();
  });

  it('sends nothing whose bytes are damaged, and what is sound all the same', async () => {
    const { id } = await file('Damaged');
    const { id: sound } = await file('Sound');
    const batchId = await approvedBatch(world);
    await world.services.sealer.sealNow();
    const client = new (await import('pg')).default.Client({ connectionString: world.services.config.ownerUrl });
    await client.connect();
    await client.query(
      `set session_replication_role = replica; update content_chunk set bytes = overlay(bytes placing '!'::bytea from 1) where content_id = (select content_id from version where record_id = '${id}')`,
    );
    await client.end();
    expect(await job(batchId)).toBe('1 transferred, 1 not.');
    expect((await dossier(id)).state).toBe('working');
    expect((await dossier(sound)).state).toBe('disposed');
    const { items } = await page(batchId);
    expect(items.find((i) => i.recordId === id)!.reason).toContain('Its content is damaged and has to be mended first');
    const [zip] = (await readdir(folder)).filter((name) => name.endsWith('.zip'));
    expect([...(await unzip(join(folder, zip!))).keys()].some((name) => name.includes('Damaged'))).toBeFalse();
  });

  it('cannot be done without a receipt, nor with a forged one, straight in SQL', async () => {
    const { id } = await file('Guarded');
    const batchId = await approvedBatch(world);
    way.behave = async (_, response) => void response.destroy();
    await job(batchId);
    await asApplication(world.database, async (client) => {
      await expectAsync(client.query('select dispose_records(array[$1::uuid], $2, current_date)', [id, batchId])).toBeRejectedWithError(
        /No archive has confirmed/,
      );
      await expectAsync(client.query('update transfer set records = array[]::uuid[]')).toBeRejectedWithError(/permission denied/);
      await expectAsync(client.query('delete from transfer')).toBeRejectedWithError(/permission denied/);
    });
    way.behave = straight;
    await job(batchId);
    await asApplication(world.database, async (client) => {
      await expectAsync(client.query(`update transfer set receipt = '{}'`)).toBeRejectedWithError(/never change/);
    });
  });
});

describe('putting off', () => {
  let world: World;
  beforeAll(async () => {
    world = await makeWorld();
    await world.rule('R-1', world.ids.A01);
  });
  afterAll(() => world.stop());

  it('takes a record out of a batch until its day, and then needs a new notice', async () => {
    const keeper = world.as('keeper');
    const off = await world.file('editor', { createdOn: '2024-01-01', title: 'Put off' });
    const goes = await world.file('editor', { createdOn: '2024-01-01', title: 'Goes' });
    const batchId = await approvedBatch(world);
    const defer = (until: string) =>
      keeper.call(docket.defer, { params: { id: batchId }, body: { recordId: off.id, until, reason: 'the court has not decided' } });
    expect(await statusOf(defer('2026-01-01'))).toBe(422);
    expect(await statusOf(defer('2099-01-01'))).toBe(422);
    expect(
      await statusOf(
        world
          .as('editor')
          .call(docket.defer, { params: { id: batchId }, body: { recordId: off.id, until: '2027-03-01', reason: 'no right' } }),
      ),
    ).toBe(403);
    await defer('2027-03-01');
    expect(await statusOf(defer('2027-04-01'))).toBe(409);
    expect(await executeAndWait(world, batchId)).toBe('1 destroyed, 1 not.');

    const shown = await keeper.call(records.dossier, { params: { id: off.id } });
    expect([shown.state, shown.docket, shown.deferral]).toEqual([
      'working',
      'none',
      { until: '2027-03-01', reason: 'the court has not decided' },
    ]);
    expect((await keeper.call(records.dossier, { params: { id: goes.id } })).state).toBe('disposed');
    await world.setToday('2027-02-28');
    expect((await keeper.call(steps.sweep)).newlyDue).toBe(0);
    await world.setToday('2027-03-01');
    expect((await keeper.call(steps.sweep)).newlyDue).toBe(1);
    const again = await keeper.call(records.dossier, { params: { id: off.id } });
    expect([again.docket, again.deferral]).toEqual(['due', null]);
  });
});
