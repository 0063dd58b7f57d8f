#!/usr/bin/env node
// Checks an export of ledger entries without Key Cellar: needs Node.js and this file only.
//   node verify-ledger.mjs EXPORT.jsonl [--key PUBLIC-KEY.pem] [--head KEPT]… [--witness FILE] [--witness-key KEY] [--time-authority CERTIFICATES.pem]
// Entries are canonical JSON (RFC 8785), leaves of a SHA-256 Merkle tree (RFC 6962 §2.1). Between them stand the hashes of the largest
// complete subtrees of what was left out, so that the lines, in their order, give the root that the head signs (Ed25519).
//   --key             the first key of the ledger, as you know it; the others must have taken over from it
//   --head            a head that you kept: a signed checkpoint (C2SP signed-note), or an older export; as often as you like
//   --witness         the witness's own file; --witness-key is its key as notes name it (C2SP signed-note)
//   --time-authority  certificates of the authority that stamps heads (RFC 3161), or of who issued its own
// What is not given cannot be compared, and is said to be unchecked.
import { createHash, createPublicKey, verify, X509Certificate } from 'node:crypto';
import { createReadStream, readFileSync } from 'node:fs';
import { createInterface } from 'node:readline';
import { parseArgs } from 'node:util';

const sha256 = (...parts) => parts.reduce((hash, part) => hash.update(part), createHash('sha256')).digest();
const leafHash = (entry) => sha256(Buffer.of(0), entry);
const nodeHash = (left, right) => sha256(Buffer.of(1), left, right);

/** A growing tree, kept as the hashes of its complete subtrees, the largest first. */
class Tree {
  peaks = [];
  size = 0;
  add(height, hash) {
    if (this.size % 2 ** height !== 0 || hash.length !== 32) throw new Error(`after ${this.size} entries comes what does not fit there`);
    let node = { height, hash };
    while (this.peaks.at(-1)?.height === node.height) node = { height: node.height + 1, hash: nodeHash(this.peaks.pop().hash, node.hash) };
    this.peaks.push(node);
    this.size += 2 ** height;
  }
  root() {
    return this.peaks
      .map((peak) => peak.hash)
      .reduceRight((right, left) => nodeHash(left, right))
      .toString('hex');
  }
}

/** Heights of the complete subtrees that cover the leaves [from, to), left to right. */
function heights(from, to) {
  const found = [];
  for (let start = from; start < to; start += 2 ** found.at(-1)) {
    let height = 0;
    while (start % 2 ** (height + 1) === 0 && start + 2 ** (height + 1) <= to) height++;
    found.push(height);
  }
  return found;
}

const bytes = (hex) => Buffer.from(hex, 'hex');
const headText = ({ keyId, root, signedAt, size }) => JSON.stringify({ keyId, root, signedAt, size, v: 1 });

/** By hand, for this file needs nothing but Node.js: reads one DER element: its tag, its content, its whole bytes; throws when the bytes end too early. */
function element(der, at = 0) {
  const first = der[at + 1];
  const lengthBytes = first < 0x80 ? 0 : first & 0x7f;
  const length = lengthBytes === 0 ? first : der.readUIntBE(at + 2, lengthBytes);
  const start = at + 2 + lengthBytes;
  if (!(start + length <= der.length)) throw new Error('a time stamp ends too early');
  return { tag: der[at], content: der.subarray(start, start + length), whole: der.subarray(at, start + length) };
}

function elements(der) {
  const found = [];
  for (let at = 0; at < der.length; at += found.at(-1).whole.length) found.push(element(der, at));
  return found;
}

const octets = ({ tag, content }) => (tag === 0x24 ? Buffer.concat(elements(content).map((e) => e.content)) : content);
const digestAttribute = Buffer.from('06092a864886f70d010904', 'hex');

/**
 * What a time-stamp token (RFC 3161, CMS of RFC 5652) says, once its signature holds over these bytes; null when it does not.
 */
function stampOf(token, stamped) {
  const [, wrapped] = elements(element(token).content);
  const signedData = elements(element(wrapped.content).content);
  const info = octets(element(elements(signedData[2].content)[1].content));
  const certificate = new X509Certificate(elements(signedData.find((e) => e.tag === 0xa0).content)[0].whole);
  const signer = elements(elements(signedData.at(-1).content)[0].content);
  const attributes = signer.find((e) => e.tag === 0xa0);
  const signature = signer.find((e) => e.tag === 0x04).content;
  const digest = elements(attributes.content).find((a) => a.content.subarray(0, digestAttribute.length).equals(digestAttribute));
  const said = element(elements(digest.content)[1].content).content;
  // Signed is the set of attributes as a SET, whatever tag it travels under (RFC 5652 §5.4).
  const signed = Buffer.concat([Buffer.of(0x31), attributes.whole.subarray(1)]);
  const [, , imprint, , time] = elements(element(info).content);
  const holds =
    said.equals(sha256(info)) &&
    verify('sha256', signed, certificate.publicKey, signature) &&
    elements(imprint.content)[1].content.equals(sha256(stamped));
  const at = time.content.toString('latin1').replace(/^(\d{4})(\d\d)(\d\d)(\d\d)(\d\d)(\d\d)/, '$1-$2-$3T$4:$5:$6');
  return holds ? { at, authority: certificate.subject.replaceAll('\n', ', '), certificate } : null;
}

/** Reads a note and its checkpoint (C2SP signed-note and tlog-checkpoint); null when it is none. */
function readNote(note) {
  const split = note.lastIndexOf('\n\n');
  const text = note.slice(0, split + 1);
  const [origin, size, root] = text.split('\n');
  if (split < 0 || !/^\d+$/.test(size ?? '') || Buffer.from(root ?? '', 'base64').length !== 32) return null;
  const signatures = [...note.slice(split + 2).matchAll(/^— (\S+) (\S+)$/gm)].map(([, name, base64]) => ({
    name,
    bytes: Buffer.from(base64, 'base64'),
  }));
  return { text, origin, size: Number(size), root: Buffer.from(root, 'base64').toString('hex'), signatures };
}

const spkiHead = Buffer.from('302a300506032b6570032100', 'hex');
const ed25519 = (raw) => createPublicKey({ key: Buffer.concat([spkiHead, raw]), format: 'der', type: 'spki' });

/** The witness that a key names, as somebody who checks notes. */
function witnessOf(key) {
  const [name, , base64] = key.split('+', 2).concat(key.slice(key.indexOf('+', key.indexOf('+') + 1) + 1));
  const raw = Buffer.from(base64, 'base64');
  if (raw.length !== 33 || raw[0] !== 4) throw new Error('the key of the witness is none');
  const id = sha256(`${name}\n`, raw).subarray(0, 4);
  const publicKey = ed25519(raw.subarray(1));
  return {
    name,
    cosigned: ({ text, signatures }) =>
      signatures.some(({ name: by, bytes: line }) => {
        if (by !== name || line.length !== 76 || !line.subarray(0, 4).equals(id)) return false;
        const signed = `cosignature/v1\ntime ${line.readBigUInt64BE(4)}\n${text}`;
        return verify(null, Buffer.from(signed), publicKey, line.subarray(12));
      }),
  };
}

const idOf = (pem) => createHash('sha256').update(pem).digest('hex').slice(0, 16);
/** A text with its members in order: what was signed when a key took over (RFC 8785). */
const handoverText = (key, succeeds) => JSON.stringify({ key, succeeds, v: 1 });

/** Public keys by id, each shown to have taken over from the one before; adds to the problems when one did not. */
function keyLine(keys, trusted, problems) {
  const line = new Map();
  let before = null;
  for (const key of keys) {
    const follows =
      before === null
        ? key.succeeds === null
        : key.succeeds === before.id &&
          verify(
            null,
            Buffer.from(handoverText(key.publicKey, before.id)),
            createPublicKey(before.publicKey),
            Buffer.from(key.handover ?? '', 'base64'),
          );
    if (!follows || idOf(key.publicKey) !== key.id) problems.push(`The key ${key.id} did not take over from the one before it.`);
    line.set(key.id, createPublicKey(key.publicKey));
    before = key;
  }
  const same = (pem) => createPublicKey(pem).equals(createPublicKey(trusted));
  if (trusted && !(keys[0] && same(keys[0].publicKey))) problems.push('The first key of the ledger is not the one that you trust.');
  return line;
}

/** Heads that somebody kept, by the file they were kept in. */
function keptHeads(files) {
  return files.map((file) => {
    const text = readFileSync(file, 'utf8');
    const note = readNote(text);
    if (note) return { file, size: note.size, root: note.root };
    const { head } = JSON.parse(text.split('\n', 1)[0]);
    return { file, size: head.size, root: head.root };
  });
}

/** Heads of a witness's file about this ledger, without those that its keeper put back. */
function witnessHeads(file, origin) {
  const lines = readFileSync(file, 'utf8')
    .split('\n')
    .filter(Boolean)
    .map((line) => JSON.parse(line))
    .filter((line) => line.origin === origin);
  return lines.filter(
    (line, i) => line.kind === 'head' && !lines.slice(i).some((later) => later.kind === 'put back' && later.size < line.size),
  );
}

async function check(path, given) {
  const problems = [];
  const said = [];
  const unchecked = [];
  const kept = keptHeads(given.head ?? []);
  let seen = [];
  /** Sizes at which a root is wanted, and what it was. */
  const roots = new Map(kept.map((head) => [head.size, null]));
  const tree = new Tree();
  let header = null;
  let entries = 0;
  const reached = () => void (roots.has(tree.size) && roots.set(tree.size, tree.root()));
  for await (const text of createInterface({ input: createReadStream(path), crlfDelay: Infinity })) {
    const line = JSON.parse(text);
    if (!header) {
      if (line.format !== 'ledger-export' || line.formatVersion !== 2)
        return { problems: ['This is not an export of ledger entries that this verifier knows.'] };
      header = line;
      if (given.witness) seen = witnessHeads(given.witness, header.origin);
      for (const head of seen) roots.set(head.size, null);
    } else if ('entry' in line) {
      const hash = leafHash(Buffer.from(line.entry));
      if (line.leaf !== tree.size || hash.toString('hex') !== line.hash)
        problems.push(`Entry at leaf ${line.leaf} is not what was sealed there.`);
      tree.add(0, bytes(line.hash));
      entries++;
      reached();
    } else {
      const wanted = heights(line.from, line.to);
      if (line.from !== tree.size || wanted.length !== line.hashes.length)
        throw new Error(`what was left out from leaf ${line.from} on does not fit`);
      line.hashes.forEach((hash, i) => {
        tree.add(wanted[i], bytes(hash));
        reached();
      });
    }
  }
  if (!header) return { problems: ['This file is empty.'] };
  const { head } = header;
  if (tree.size !== head.size || tree.root() !== head.root) problems.push(`The entries do not give the tree head of ${head.size} entries.`);
  const keys = keyLine(header.keys, given.key && readFileSync(given.key, 'utf8'), problems);
  const key = keys.get(head.keyId);
  if (!key || !verify(null, Buffer.from(headText(head)), key, Buffer.from(head.signature, 'base64'))) {
    problems.push(`The signature of the tree head of ${head.size} entries does not hold.`);
  }
  said.push(
    `OK: ${entries} entries are as they were sealed in the tree of ${head.size}, head signed ${head.signedAt} with key ${head.keyId}.`,
  );
  if (!given.key) unchecked.push(`whether ${header.keys[0]?.id} is the ledger's first key: give it with --key`);
  checkStamp(head, given, { problems, said, unchecked });
  checkWitness(header, given, { problems, said, unchecked }, seen, roots);
  for (const { file, size, root } of kept) {
    if (size > head.size)
      problems.push(`${file} is of ${size} entries, the export of ${head.size}: the newest were cut off, or it is older.`);
    else if (roots.get(size) === null)
      unchecked.push(`${file}: the export shows no root of ${size} entries; ask for it again with since=${size}`);
    else if (roots.get(size) !== root)
      problems.push(`The tree of ${head.size} entries does not extend the one of ${size} in ${file}: history was rewritten.`);
    else said.push(`OK: that tree extends the one of ${size} entries in ${file}.`);
  }
  if (kept.length === 0 && !given.witness) {
    unchecked.push(
      'whether newer entries were cut off, or all was written anew: give a head that was kept (--head) or the witness’s file (--witness)',
    );
  }
  return { problems, said, unchecked };
}

function checkStamp(head, given, { problems, said, unchecked }) {
  if (!head.timeStamp) return unchecked.push('when the head was made: it has no time stamp');
  const stamp = stampOf(Buffer.from(head.timeStamp.token, 'base64'), Buffer.from(headText(head)));
  if (!stamp) return problems.push(`The time stamp of the tree head of ${head.size} entries does not hold.`);
  const { certificate } = stamp;
  if (given['time-authority']) {
    const pems = readFileSync(given['time-authority'], 'utf8').match(/-----BEGIN CERTIFICATE-----[^-]+-----END CERTIFICATE-----/g) ?? [];
    const trusted = pems
      .map((pem) => new X509Certificate(pem))
      .some((c) => c.fingerprint256 === certificate.fingerprint256 || (certificate.checkIssued(c) && certificate.verify(c.publicKey)));
    if (!trusted) return problems.push(`${stamp.authority} stamped the head, and is none that you trust.`);
  } else unchecked.push(`whether the certificate that stamped the head is the authority's: give it with --time-authority`);
  said.push(`OK: ${stamp.authority} stamped that head at ${stamp.at} (certificate ${certificate.fingerprint256}).`);
}

function checkWitness({ origin, head }, given, { problems, said, unchecked }, seen, roots) {
  const witness = given['witness-key'] && witnessOf(given['witness-key'].trim());
  const note = head.witness && readNote(head.witness.note);
  if (!head.witness) unchecked.push('whether a witness saw the head: it was not cosigned yet');
  else if (!note || note.origin !== origin || note.size !== head.size || note.root !== head.root || (witness && !witness.cosigned(note))) {
    problems.push(`The cosignature of the tree head of ${head.size} entries does not hold.`);
  } else if (witness) said.push(`OK: ${witness.name} cosigned that head.`);
  else unchecked.push('whether the witness’s signature holds: give its key with --witness-key');
  if (!given.witness) return;
  let missing = 0;
  for (const line of seen) {
    const said_ = readNote(line.note);
    if (witness && !(said_ && said_.size === line.size && said_.root === line.root && witness.cosigned(said_))) {
      problems.push(`The witness did not sign what its file says of ${line.size} entries.`);
    } else if (line.size > head.size) {
      problems.push(`The witness saw ${line.size} entries, the export is of ${head.size}: the newest were cut off, or it is older.`);
    } else if (roots.get(line.size) === null) missing++;
    else if (roots.get(line.size) !== line.root)
      problems.push(`The witness saw another tree of ${line.size} entries: history was rewritten.`);
  }
  said.push(`OK: of ${seen.length} heads in the witness’s file ${seen.length - missing} were compared.`);
  if (missing > 0) unchecked.push(`${missing} heads in the witness’s file: an export of all entries shows every root`);
}

const usage =
  'Usage: node verify-ledger.mjs EXPORT.jsonl [--key PEM] [--head KEPT]… [--witness FILE] [--witness-key KEY] [--time-authority PEM]\n';
let asked;
try {
  const one = { type: 'string' };
  const options = { key: one, head: { type: 'string', multiple: true }, witness: one, 'witness-key': one, 'time-authority': one };
  asked = parseArgs({ options, allowPositionals: true });
} catch (error) {
  process.stderr.write(`${error.message}\n`);
}
if (asked?.positionals.length !== 1) {
  process.stderr.write(usage);
  process.exit(2);
}
try {
  const { problems, said, unchecked } = await check(asked.positionals[0], asked.values);
  if (problems.length > 0) {
    for (const problem of problems) process.stdout.write(`${problem}\n`);
    process.exit(1);
  }
  for (const line of said) process.stdout.write(`${line}\n`);
  for (const line of unchecked) process.stdout.write(`Not checked: ${line}.\n`);
} catch (error) {
  process.stdout.write(`This file cannot be checked: ${error.message}\n`);
  process.exit(1);
}
