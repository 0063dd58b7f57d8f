import { execFileSync } from 'node:child_process';
import { createPublicKey, generateKeyPairSync, sign } from 'node:crypto';
import { appendFile, chmod, mkdtemp, readFile, rename, stat, writeFile } from 'node:fs/promises';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { ledger } from '@key-cellar/contract';
import {
  checkpointText,
  consistencyProof,
  cosignedText,
  merkleTreeHash,
  noteKeyId,
  noteKinds,
  noteText,
  parseNote,
  parseVerifierKey,
  readCosignature,
  type SignedNote,
} from '@key-cellar/core/ledger';
import { sealOnce, verifyLedger } from '../src/index.js';
import { exportLines, settledSize, type ExportLine } from '../src/ledger/index.js';
import { handoverText, keyIdOf, rawKey } from '../src/ledger/keys.js';
import { headText } from '../src/ledger/sealer.js';
import { sha256 } from '../src/ledger/tiles.js';
import { witnessedBy } from '../src/ledger/witness.js';
import { openWitnessFile, startWitness, type Witness } from '../src/standins/witness.js';
import { chapters } from './support/chapters.js';
import { asApplication, configFor } from './support/database.js';
import { eventually } from './support/eventually.js';
import { exported, exportedCosigned, keptBy, saved, tamper, verified, verifyOffline } from './support/ledger.js';
import { makeWorld, type World } from './support/world.js';

type NoteLine = SignedNote['signatures'][number];

const origin = 'harbour/ledger';
const entries = Array.from({ length: 40 }, (_, i) => Uint8Array.of(i));
const keyPair = () => {
  const pair = generateKeyPairSync('ed25519');
  return { ...pair, pem: pair.publicKey.export({ type: 'spki', format: 'pem' }).toString() };
};

describe('a witness', () => {
  let folder: string;
  let witness: Witness;
  const key = keyPair();
  const stranger = keyPair();

  const post = async (path: string, body: string): Promise<{ status: number; text: string }> => {
    const response = await fetch(`${witness.url}${path}`, { method: 'POST', body });
    return { status: response.status, text: await response.text() };
  };
  const tell = (given: object) => post('/keys', JSON.stringify({ origin, key: key.pem, handover: null, ...given }));
  const noteOf = (list: readonly Uint8Array[], by = key, name = origin): string => {
    const text = checkpointText({ origin: name, size: list.length, root: merkleTreeHash(list) });
    const keyId = noteKeyId(name, noteKinds.ed25519, rawKey(by.pem), sha256);
    return noteText({ text, signatures: [{ name, keyId, signature: sign(null, Buffer.from(text), by.privateKey) }] });
  };
  const show = (old: number, list: readonly Uint8Array[], note = noteOf(list), from = list) => {
    const proof = old === 0 || old > from.length ? [] : consistencyProof(from, old);
    return post('/add-checkpoint', `old ${old}\n${proof.map((hash) => `${Buffer.from(hash).toString('base64')}\n`).join('')}\n${note}`);
  };

  beforeEach(async () => {
    folder = await mkdtemp(join(tmpdir(), 'witness-'));
    witness = await startWitness(folder);
  });
  afterEach(() => witness.stop());

  it('cosigns a tree that extends the one it saw, and remembers it over a restart', async () => {
    expect((await tell({})).status).toBe(200);
    const first = await show(0, entries.slice(0, 7));
    expect(first.status).toBe(200);
    const seen = witnessedBy(noteOf(entries.slice(0, 7)) + first.text, witness.key)!;
    expect(seen.checkpoint.size).toBe(7);
    expect((await show(7, entries.slice(0, 19))).status).toBe(200);
    await witness.stop();
    witness = await startWitness(folder);
    expect((await show(19, entries)).status).toBe(200);
    // The same once more is no news, and answered.
    expect((await show(40, entries)).status).toBe(200);
    const lines = (await (await fetch(`${witness.url}/seen?origin=${origin}`)).text()).trim().split('\n');
    expect(lines.map((line) => (JSON.parse(line) as { size?: number }).size)).toEqual([undefined, 7, 19, 40]);
    expect((await (await fetch(`${witness.url}/seen?origin=another`)).text()).trim()).toBe('');
  });

  it('refuses a history that was written anew, an older one, and a proof that does not fit', async () => {
    await tell({});
    await show(0, entries.slice(0, 10));
    const rewritten = [Uint8Array.of(99), ...entries.slice(1, 20)];
    expect((await show(10, rewritten)).status).toBe(422);
    expect(await show(0, rewritten)).toEqual({ status: 409, text: '10\n' });
    expect(await show(5, entries.slice(0, 9))).toEqual({ status: 409, text: '10\n' });
    expect((await show(10, entries.slice(0, 9))).status).toBe(400);
    // Another tree of the same size.
    expect((await show(10, rewritten.slice(0, 10))).status).toBe(422);
    expect((await show(10, entries.slice(0, 20), noteOf(entries.slice(0, 20)), rewritten)).status).toBe(422);
    expect((await show(10, entries.slice(0, 20))).status).toBe(200);
  });

  it('takes the word of the ledger’s newest key alone, which must have been handed over to', async () => {
    expect((await show(0, entries)).status).toBe(404);
    await tell({});
    expect((await show(0, entries, noteOf(entries, stranger))).status).toBe(403);
    expect((await show(0, entries, noteOf(entries).replace('\n— ', '\n— x'))).status).toBe(403);
    const handover = (by: typeof key, succeeds = keyIdOf(key.pem)) =>
      sign(null, Buffer.from(handoverText(stranger.pem, succeeds)), by.privateKey).toString('base64');
    expect((await tell({ key: stranger.pem })).status).toBe(403);
    expect((await tell({ key: stranger.pem, handover: handover(stranger) })).status).toBe(403);
    expect((await tell({ key: stranger.pem, handover: handover(key, 'another') })).status).toBe(403);
    expect((await tell({ key: stranger.pem, handover: handover(key) })).status).toBe(200);
    expect((await show(0, entries, noteOf(entries, key))).status).toBe(403);
    expect((await show(0, entries, noteOf(entries, stranger))).status).toBe(200);
    // Told again what it knows, it stays as it is.
    expect((await tell({})).status).toBe(200);
    expect((await show(40, entries, noteOf(entries, key))).status).toBe(403);
  });

  it('takes no nonsense', async () => {
    await tell({});
    const note = noteOf(entries);
    for (const body of ['', 'old 0\n', `old -1\n\n${note}`, `old 0\nAAAA\n\n${note}`, `old 0\n\nno note`, `new 0\n\n${note}`]) {
      expect((await post('/add-checkpoint', body)).status)
        .withContext(body)
        .toBe(400);
    }
    const long = `old 0\n${`${Buffer.alloc(32).toString('base64')}\n`.repeat(64)}\n${note}`;
    expect((await post('/add-checkpoint', long)).status).toBe(400);
    expect((await post('/add-checkpoint', 'x'.repeat(70_000))).status).toBe(413);
    for (const body of ['', '[]', '{}', JSON.stringify({ origin: '', key: key.pem, handover: null })]) {
      expect((await post('/keys', body)).status).toBe(400);
    }
    expect((await tell({ origin: 'other', handover: 'AAAA' })).status).toBe(403);
  });

  it('drops what a crash cut short at the end of its file, and sees what another process adds', async () => {
    await tell({});
    await show(0, entries.slice(0, 10));
    await witness.stop();
    const path = join(folder, 'witness.jsonl');
    const whole = await readFile(path, 'utf8');
    await appendFile(path, '{"kind":"head","origin":"harb');
    witness = await startWitness(folder);
    expect(await readFile(path, 'utf8')).toBe(whole);
    expect((await show(10, entries.slice(0, 20))).status).toBe(200);
    const beside = await startWitness(folder);
    const file = await openWitnessFile(folder);
    await file.append({ kind: 'put back', origin, size: 12, why: 'a backup of Monday', at: '2026-09-14T10:00:00.000Z' });
    await file.close();
    expect(await show(20, entries)).toEqual({ status: 409, text: '10\n' });
    expect((await show(10, entries)).status).toBe(200);
    await beside.stop();
  });

  it('keeps its key and its file to itself', async () => {
    await tell({});
    for (const name of ['witness.pem', 'witness.jsonl']) expect((await stat(join(folder, name))).mode & 0o077).toBe(0);
    expect((await (await fetch(`${witness.url}/key`)).text()).trim()).toBe(witness.key);
    await witness.stop();
    await chmod(join(folder, 'witness.pem'), 0o644);
    await expectAsync(startWitness(folder)).toBeRejectedWithError(/Others may read/);
    await chmod(join(folder, 'witness.pem'), 0o600);
    witness = await startWitness(folder);
  });
});

describe('a ledger with a witness', () => {
  const chapter = chapters();
  let world: World;
  const state = () => world.as('auditor').call(ledger.state);
  const findings = async () => (await verified(world)).findings.map((f) => f.sentence);
  const sealed = async (): Promise<number> => {
    await world.file('editor');
    return world.services.sealer.sealNow();
  };

  beforeAll(async () => {
    world = await makeWorld();
    for (let i = 0; i < 4; i++) await sealed();
  });
  afterAll(() => world.stop());

  chapter('has each newest head cosigned, and shows it', async () => {
    const { heads, witnessed, troubles } = await state();
    expect(witnessed).toBe(heads[0]!.size);
    expect(heads[0]!.witness!.name).toBe('tarrin-sound-witness');
    const seen = witnessedBy(heads[0]!.witness!.note, world.services.outside.witnessKey)!;
    expect(Buffer.from(seen.checkpoint.root).toString('hex')).toBe(heads[0]!.root);
    expect(seen.checkpoint.origin).toBe(`key-cellar/${world.database}`);
    expect(troubles).toEqual([]);
  });

  chapter('is verified as it was at one moment: what is sealed and cosigned meanwhile is neither missing nor too much', async () => {
    const { pool, outside, sealer } = world.services;
    await sealer.sealNow();
    let report;
    let went = 0;
    for await (const line of verifyLedger(pool, outside)) {
      if ('report' in line) report = line.report;
      else if (went++ === 0) {
        await world.file('editor');
        const size = await sealer.sealNow();
        await eventually(async () => ((await world.as('auditor').call(ledger.state)).witnessed ?? 0) >= size);
      }
    }
    expect(went).toBeGreaterThan(0);
    expect(report!.findings).toEqual([]);
    expect((await verified(world)).findings).toEqual([]);
  });

  chapter('is exported under the head that was cosigned, though newer ones are sealed and not cosigned meanwhile', async () => {
    const { pool, outside } = world.services;
    const cosigned = (await state()).witnessed!;
    await world.file('editor');
    const { size: newer } = await sealOnce(pool, outside.keysDir);
    expect(newer).toBeGreaterThan(cosigned);
    const question = { size: cosigned, filter: {}, timeZone: 'UTC', since: [], ledgerName: 'cellar' };
    const lines: ExportLine[] = [];
    for await (const line of exportLines(pool, question)) lines.push(line);
    expect((lines[0] as { head: { size: number } }).head.size).toBe(cosigned);
    expect(lines.flatMap((line) => ('entry' in line ? [line.leaf] : [])).length).toBe(cosigned);

    // Whoever asks now is given what covers all of it, once that is cosigned; and the file is of the head that its name tells.
    const settled = settledSize(pool);
    await world.services.sealer.sealNow();
    expect(await settled).toBeGreaterThanOrEqual(newer);
    const response = await world.as('auditor').fetch('/api/ledger/export?');
    const [header] = (await response.text()).split('\n');
    const { size, witness } = (JSON.parse(header!) as { head: { size: number; witness: unknown } }).head;
    expect(response.headers.get('content-disposition')).toContain(`ledger-${size}.jsonl`);
    expect(witness).not.toBeNull();
  });

  chapter('is compared with the witness’s file offline, and with a note that was kept', async () => {
    // As it was before: the export is an act itself, whose head the witness may have seen already.
    const seen = await saved([await readFile(keptBy.witness(world), 'utf8')], 'witness.jsonl');
    const file = await exportedCosigned(world);
    const { heads } = await state();
    const note = await saved([heads.at(-1)!.witness!.note], 'head.txt');
    const first = await saved([file.header.keys[0]!.publicKey], 'first.pem');
    const all = ['--witness', seen, '--witness-key', world.services.outside.witnessKey, '--head', note, '--key', first];
    const good = await verifyOffline(await saved(file.lines), ...all, '--time-authority', await keptBy.timeOffice(world));
    expect(good.output).not.toContain('Not checked');
    expect(good.output).toMatch(/of (\d+) heads in the witness’s file \1 were compared/);
    expect(good.output).toContain('tarrin-sound-witness cosigned that head.');
    expect(good.code).withContext(good.output).toBe(0);

    const elsewhere = await startWitness(await mkdtemp(join(tmpdir(), 'witness-')));
    const wrong = await verifyOffline(await saved(file.lines), '--witness-key', elsewhere.key);
    await elsewhere.stop();
    expect(wrong.output).toContain('The cosignature of the tree head');
    const other = await saved([generateKeyPairSync('ed25519').publicKey.export({ type: 'spki', format: 'pem' }).toString()], 'other.pem');
    expect((await verifyOffline(await saved(file.lines), '--key', other)).output).toContain('is not the one that you trust');
    const changed = (await readFile(keptBy.witness(world), 'utf8')).replace(
      /"root":"(.)/,
      (_, c: string) => `"root":"${c === '0' ? '1' : '0'}`,
    );
    const forged = await saved([changed], 'witness.jsonl');
    expect((await verifyOffline(await saved(file.lines), '--witness', forged)).output).toContain('history was rewritten');
    expect(
      (await verifyOffline(await saved(file.lines), '--witness', forged, '--witness-key', world.services.outside.witnessKey)).output,
    ).toContain('The witness did not sign what its file says');
  });

  chapter('has signatures that hold for a program that is not ours', async () => {
    const file = await exportedCosigned(world);
    const { head, keys } = file.header;
    const folder = await mkdtemp(join(tmpdir(), 'openssl-'));
    const holds = async (pem: string, text: string, signature: Uint8Array): Promise<boolean> => {
      const [key, data, sig] = ['key.pem', 'text', 'signature'].map((name) => join(folder, name)) as [string, string, string];
      await Promise.all([writeFile(key, pem), writeFile(data, text), writeFile(sig, signature)]);
      const asked = ['pkeyutl', '-verify', '-pubin', '-inkey', key, '-rawin', '-in', data, '-sigfile', sig];
      return execFileSync('openssl', asked, { encoding: 'utf8', stdio: 'pipe' }).includes('Signature Verified Successfully');
    };
    const pem = keys.find((key) => key.id === head.keyId)!.publicKey;
    const { size, root, signedAt, keyId, signature } = head;
    expect(await holds(pem, headText({ size, root, signedAt, keyId }), Buffer.from(signature, 'base64'))).toBeTrue();
    const note = parseNote(head.witness!.note)!;
    const [own, witness] = note.signatures as [NoteLine, NoteLine];
    expect(await holds(pem, note.text, own.signature)).toBeTrue();
    const { publicKey } = parseVerifierKey(world.services.outside.witnessKey, sha256)!;
    const spki = Buffer.concat([Buffer.from('302a300506032b6570032100', 'hex'), publicKey]).toString('base64');
    const read = readCosignature(witness.signature)!;
    const theirs = `-----BEGIN PUBLIC KEY-----\n${spki}\n-----END PUBLIC KEY-----\n`;
    expect(await holds(theirs, cosignedText(note.text, read.seconds), read.signature)).toBeTrue();
    await expectAsync(holds(theirs, cosignedText(note.text, read.seconds + 1), read.signature)).toBeRejected();
  });

  chapter('changes its key: the old one signs that it does, and is gone', async () => {
    const [before] = await keptBy.keys(world);
    const { keyId } = await world.as('keeper').call(ledger.changeKey, { body: { why: 'a server was replaced' } });
    await sealed();
    expect(await keptBy.keys(world)).toEqual([`${keyId}.pem`]);
    expect(before).not.toBe(`${keyId}.pem`);
    const { heads, troubles } = await state();
    expect(troubles).toEqual([]);
    expect(heads[0]!.keyId).toBe(keyId);
    expect(heads[0]!.witness).not.toBeNull();
    const report = await verified(world);
    expect(report.findings).toEqual([]);
    expect(report.unchecked).toEqual([]);
    const { entries } = await world.as('auditor').call(ledger.entries, { query: { act: 'changed the signing key' } });
    expect(entries[0]!.note).toBe('a server was replaced');
    expect(entries[0]!.after).toEqual(jasmine.objectContaining({ key: keyId, succeeds: before!.slice(0, -4) }));
    // Heads that the old key signed are verified offline by the line of keys.
    const file = await exported(world);
    const pem = await saved([file.header.keys[0]!.publicKey], 'first.pem');
    expect((await verifyOffline(await saved(file.lines), '--key', pem)).code).toBe(0);
    file.header.keys[1]!.publicKey = file.header.keys[0]!.publicKey;
    expect((await verifyOffline(await saved(file.lines))).output).toContain('did not take over from the one before it');
  });

  chapter('does not sign with a key that others may read, or that is missing, and says so', async () => {
    const { keysDir } = configFor(world.database);
    const [name] = await keptBy.keys(world);
    const path = join(keysDir, name!);
    expect((await stat(path)).mode & 0o077).toBe(0);
    const refusal = async (): Promise<string> => {
      await world.file('editor');
      await expectAsync(world.services.sealer.sealNow()).toBeRejected();
      const { troubles, unsealed, unsealedSince } = await state();
      expect(unsealed).toBeGreaterThan(0);
      expect(unsealedSince).not.toBeNull();
      return troubles.find((t) => t.what === 'sealing')!.sentence;
    };
    await chmod(path, 0o640);
    expect(await refusal()).toContain('Others may read the key');
    await chmod(path, 0o600);
    await rename(path, `${path}.away`);
    expect(await refusal()).toContain('is not in');
    await rename(`${path}.away`, path);
    await sealed();
    expect((await state()).troubles).toEqual([]);
  });

  chapter('keeps heads, cosignatures, tiles and keys from the application’s own account', async () => {
    await asApplication(world.database, async (client) => {
      const refused = async (sql: string, code: string): Promise<void> => {
        const error = await client.query(sql).then(
          () => null,
          (e: { code: string }) => e.code,
        );
        expect(error).withContext(sql).toBe(code);
      };
      await refused(`update head_witness set note = 'x'`, '42501');
      await refused('delete from head_witness', '42501');
      await refused(`update signing_key set public_key = 'x'`, '42501');
      await refused('delete from signing_key', '42501');
      await refused('delete from ledger_tile', '42501');
      await refused('delete from seal_state', '42501');
      await refused(`update ledger_tile set hashes = set_byte(hashes, 0, 255 - get_byte(hashes, 0))`, 'KC001');
      await refused(`update ledger_tile set hashes = substring(hashes from 33), entries = entries[2:] where level = 0`, 'KC001');
      await refused(`update ledger_tile set entries = array[entries[2], entries[1]] || entries[3:] where level = 0`, 'KC001');
      await refused(`update ledger_tile set idx = idx + 7`, 'KC001');
      await refused(`insert into ledger_tile (level, idx, hashes, entries) values (0, 9999, '\\x00', '{1}')`, 'KC001');
      await refused(`update seal_state set size = size - 1`, 'KC001');
      await refused(`update seal_state set floor = floor - 1`, 'KC001');
      await refused(`update seal_state set next_floor = floor - 1`, 'KC001');
      const forge = (
        size: string,
        key = `(select id from signing_key k where not exists (select from signing_key n where n.succeeds = k.id))`,
      ) =>
        `insert into tree_head (size, root, signed_at, key_id, signature) select ${size}, decode(repeat('00', 32), 'hex'), now(), ${key}, decode(repeat('00', 64), 'hex')`;
      await refused(forge('(select max(size) + 1 from tree_head)'), 'KC001');
      await refused(forge('1'), 'KC001');
      await refused(forge('(select max(size) from tree_head)'), 'KC001');
      await refused(`insert into signing_key (id, public_key) values ('x', 'x')`, '23505');
    });
  });

  chapter('names a key that took over from none', async () => {
    const pem = generateKeyPairSync('ed25519').publicKey.export({ type: 'spki', format: 'pem' }).toString();
    const put = `insert into signing_key (id, public_key, succeeds, handover)
      select '${keyIdOf(pem)}', '${pem}', id, decode(repeat('00', 64), 'hex') from signing_key k where not exists (select from signing_key n where n.succeeds = k.id)`;
    await tamper(world, put);
    expect((await findings())[0]).toContain('did not take over from the one before it');
    await tamper(world, `delete from signing_key where id = '${keyIdOf(pem)}'`);
    expect(await findings()).toEqual([]);
  });

  chapter('names a cosignature that does not hold, and a head that only the witness remembers', async () => {
    const sizes = (await world.pool.query<{ size: number }>('select size from head_witness order by size')).rows.map((r) => r.size);
    const [first, second] = sizes as [number, number];
    const exchange = `update head_witness w set note = o.note from head_witness o where (w.size, o.size) in ((${first}, ${second}), (${second}, ${first}))`;
    await tamper(world, exchange);
    expect(await findings()).toEqual([
      `The cosignature of the tree head of ${first} entries does not hold.`,
      `The cosignature of the tree head of ${second} entries does not hold.`,
    ]);
    await tamper(world, exchange);
    await tamper(
      world,
      `create table kept_head as select * from tree_head where size = ${second}; delete from tree_head where size = ${second}`,
    );
    expect(await findings()).toEqual([`The tree head of ${second} entries that the witness saw is missing.`]);
    await tamper(world, 'insert into tree_head select * from kept_head; drop table kept_head');
    expect(await findings()).toEqual([]);
  });

  chapter('shows that the newest entries were cut off with their tiles and heads', async () => {
    await world.services.sealer.stop();
    const [{ size, keep }] = (
      await world.pool.query<{ size: number; keep: number }>(
        `select max(size)::int as size, (select size::int from tree_head order by size desc offset 1 limit 1) as keep from tree_head`,
      )
    ).rows as [{ size: number; keep: number }];
    const kept = await saved([(await state()).heads[0]!.witness!.note], 'head.txt');
    const seen = await saved([await readFile(keptBy.witness(world), 'utf8')], 'witness.jsonl');
    await tamper(
      world,
      `create table cut_entry as select * from ledger_entry where seq = any (select unnest(entries[${keep} + 1:]) from ledger_tile where level = 0 and idx = 0);
       create table cut_tile as select * from ledger_tile; create table cut_state as select * from seal_state;
       create table cut_head as select * from tree_head where size > ${keep};
       create table cut_witness as select * from head_witness where size > ${keep};
       delete from ledger_entry where seq in (select seq from cut_entry);
       delete from head_witness where size > ${keep}; delete from head_stamp where size > ${keep}; delete from tree_head where size > ${keep};
       update ledger_tile set entries = entries[:${keep}], hashes = substring(hashes for ${keep} * 32) where level = 0 and idx = 0;
       update seal_state set size = ${keep}`,
    );
    // Without sealing in between: everything inside agrees with itself.
    const file = await exported(world);
    expect(file.header.head.size).toBe(keep);
    expect((await verifyOffline(await saved(file.lines))).code).toBe(0);
    expect((await verifyOffline(await saved(file.lines), '--head', kept)).output).toContain('the newest were cut off, or it is older');
    expect((await verifyOffline(await saved(file.lines), '--witness', seen)).output).toContain(
      `The witness saw ${size} entries, the export is of ${keep}`,
    );
    const report = await verified(world);
    expect(report.ok).toBeFalse();
    expect(report.findings.map((f) => f.what)).toContain('witness');
    const { troubles } = await state();
    expect(troubles.find((t) => t.what === 'witness')).toEqual(jasmine.objectContaining({ alarm: true }));
  });
});

describe('a ledger on its own', () => {
  it('goes on while the witness is away, and says what is not known then', async () => {
    const away = await makeWorld({ witnessUrl: 'http://127.0.0.1:9', witnessKey: '' });
    await away.file('editor');
    await away.services.sealer.sealNow();
    const { witnessed, troubles } = await away.as('auditor').call(ledger.state);
    expect(witnessed).toBeNull();
    expect(troubles.map((t) => [t.what, t.alarm])).toEqual([['witness', false]]);
    const report = await verified(away);
    expect(report.ok).toBeTrue();
    expect(report.unchecked).toEqual(['The witness does not answer: whether it saw another or a longer history is not known.']);
    await away.stop();
  });

  it('counts no cosignature but the configured witness’s', async () => {
    const elsewhere = await startWitness(await mkdtemp(join(tmpdir(), 'witness-')));
    const answers = await startWitness(await mkdtemp(join(tmpdir(), 'witness-')));
    const other = await makeWorld({ witnessUrl: answers.url, witnessKey: elsewhere.key });
    await elsewhere.stop();
    await other.file('editor');
    await other.services.sealer.sealNow();
    const { witnessed, troubles } = await other.as('auditor').call(ledger.state);
    expect(witnessed).toBeNull();
    expect(troubles[0]).toEqual(jasmine.objectContaining({ what: 'witness', alarm: true }));
    await other.stop();
    await answers.stop();
  });

  it('shows that all of it was written anew with a new key', async () => {
    const anew = await makeWorld();
    for (let i = 0; i < 3; i++) {
      await anew.file('editor');
      await anew.services.sealer.sealNow();
    }
    await anew.services.sealer.stop();
    const pair = keyPair();
    const id = keyIdOf(pair.pem);
    const { keysDir } = configFor(anew.database);
    await writeFile(join(keysDir, `${id}.pem`), pair.privateKey.export({ type: 'pkcs8', format: 'pem' }), { mode: 0o600 });
    await tamper(
      anew,
      `update ledger_entry set body = replace(body, '"from":"', '"from":"x'); delete from ledger_tile; delete from head_stamp; delete from head_witness;
       delete from tree_head; update seal_state set size = 0, floor = 0, next_floor = 0;
       update signing_key set id = '${id}', public_key = '${createPublicKey(pair.pem).export({ type: 'spki', format: 'pem' }).toString()}'`,
    );
    await anew.services.sealer.sealNow();
    const report = await verified(anew);
    const sentences = report.findings.map((f) => f.sentence);
    expect(sentences).toContain('The witness knows this ledger by another first key.');
    expect(sentences.some((s) => s.includes('history was rewritten') || s.includes('that the witness saw is missing'))).toBeTrue();
    const { troubles } = await anew.as('auditor').call(ledger.state);
    expect(troubles.find((t) => t.what === 'witness')).toEqual(
      jasmine.objectContaining({
        alarm: true,
        sentence: 'The witness knows this ledger by another key, which did not hand over to this one.',
      }),
    );
    await anew.stop();
  });

  it('is not built upon once its stored tree was changed', async () => {
    const other = await makeWorld();
    await other.file('editor');
    await other.services.sealer.sealNow();
    await other.services.sealer.stop();
    await tamper(other, `update ledger_tile set hashes = set_byte(hashes, 40, 255 - get_byte(hashes, 40)) where level = 0`);
    await other.file('editor');
    await expectAsync(other.services.sealer.sealNow()).toBeRejectedWithError(/not the one that was signed last/);
    const { troubles } = await other.as('auditor').call(ledger.state);
    expect(troubles[0]).toEqual(jasmine.objectContaining({ what: 'sealing', alarm: true }));
    expect((await verified(other)).ok).toBeFalse();
    await other.stop();
  });
});
