#!/usr/bin/env node
// Checks an export of ledger entries without Key Cellar: needs Node.js and this file only.
//   node verify-ledger.mjs EXPORT.json [--key PUBLIC-KEY.pem]
// Entries are canonical JSON (RFC 8785), leaves of a SHA-256 Merkle tree (RFC 6962 §2.1); heads are signed with Ed25519.
// Time stamps on heads are RFC 3161 tokens: checked with the certificate inside, whose fingerprint is printed too.
// Without --key the key inside the export is used: then compare its fingerprint, printed below, with one that you trust.
import { createHash, createPublicKey, verify, X509Certificate } from 'node:crypto';
import { readFileSync } from 'node:fs';

const sha256 = (...parts) => parts.reduce((hash, part) => hash.update(part), createHash('sha256')).digest();
const leafHash = (entry) => sha256(Buffer.of(0), entry);
const nodeHash = (left, right) => sha256(Buffer.of(1), left, right);
const half = (n) => Math.floor(n / 2);

/** Climbs from a leaf or an old root to the new one (RFC 9162 §2.1.3.2 and §2.1.4.2); null when the proof does not fit. */
function climb(fn, sn, proof, step) {
  for (const sibling of proof) {
    if (sn === 0 || sibling.length !== 32) return false;
    const fromLeft = fn % 2 === 1 || fn === sn;
    step(sibling, fromLeft);
    if (fromLeft) while (fn % 2 === 0 && fn !== 0) [fn, sn] = [half(fn), half(sn)];
    [fn, sn] = [half(fn), half(sn)];
  }
  return sn === 0;
}

function includes(entry, leaf, size, proof, root) {
  if (!Number.isSafeInteger(leaf) || leaf < 0 || leaf >= size) return false;
  let hash = leafHash(entry);
  const fits = climb(leaf, size - 1, proof, (sibling, fromLeft) => {
    hash = fromLeft ? nodeHash(sibling, hash) : nodeHash(hash, sibling);
  });
  return fits && hash.equals(root);
}

function extends_(oldSize, size, oldRoot, root, proof) {
  if (oldSize === size) return proof.length === 0 && oldRoot.equals(root);
  const path = Number.isInteger(Math.log2(oldSize)) ? [oldRoot, ...proof] : [...proof];
  const first = path.shift();
  if (!first || oldSize <= 0 || oldSize > size) return false;
  let [fn, sn] = [oldSize - 1, size - 1];
  while (fn % 2 === 1) [fn, sn] = [half(fn), half(sn)];
  let [oldHash, newHash] = [first, first];
  const fits = climb(fn, sn, path, (sibling, fromLeft) => {
    if (fromLeft) oldHash = nodeHash(sibling, oldHash);
    newHash = fromLeft ? nodeHash(sibling, newHash) : nodeHash(newHash, sibling);
  });
  return fits && oldHash.equals(oldRoot) && newHash.equals(root);
}

const bytes = (hex) => Buffer.from(hex, 'hex');
const headText = ({ keyId, root, signedAt, size }) => JSON.stringify({ keyId, root, signedAt, size, v: 1 });

/** Reads one DER element: its tag, its content, its whole bytes; throws when the bytes end too early. */
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
  return holds ? { at, authority: certificate.subject.replaceAll('\n', ', '), fingerprint: certificate.fingerprint256 } : null;
}

const tokenStamp = (head) => head.timeStamp && stampOf(Buffer.from(head.timeStamp.token, 'base64'), Buffer.from(headText(head)));

function check(file, trustedKey) {
  const problems = [];
  const { head, publicKey, consistency, entries } = file;
  if (file.format !== 'ledger-export' || file.formatVersion !== 1 || !head || !Array.isArray(entries)) {
    return ['This is not an export of ledger entries that this verifier knows.'];
  }
  const pem = trustedKey ?? publicKey;
  const key = createPublicKey(pem);
  const signed = (h) => verify(null, Buffer.from(headText(h)), key, Buffer.from(h.signature, 'base64'));
  if (!signed(head)) problems.push(`The signature of the tree head of ${head.size} entries does not hold.`);
  if (head.timeStamp && !tokenStamp(head)) problems.push(`The time stamp of the tree head of ${head.size} entries does not hold.`);
  const root = bytes(head.root);
  for (const { leaf, entry, proof } of entries) {
    if (!includes(Buffer.from(entry), leaf, head.size, proof.map(bytes), root)) {
      problems.push(`Entry at leaf ${leaf} is not what was sealed there.`);
    }
  }
  if (consistency) {
    const { from, proof } = consistency;
    if (!signed(from)) problems.push(`The signature of the older tree head of ${from.size} entries does not hold.`);
    if (!extends_(from.size, head.size, bytes(from.root), root, proof.map(bytes))) {
      problems.push(`The tree of ${head.size} entries does not extend the tree of ${from.size}: history was rewritten.`);
    }
  }
  return problems;
}

const [path, flag, keyPath] = process.argv.slice(2);
if (!path || (flag && (flag !== '--key' || !keyPath))) {
  process.stderr.write('Usage: node verify-ledger.mjs EXPORT.json [--key PUBLIC-KEY.pem]\n');
  process.exit(2);
}
try {
  const file = JSON.parse(readFileSync(path, 'utf8'));
  const problems = check(file, keyPath ? readFileSync(keyPath, 'utf8') : undefined);
  if (problems.length > 0) {
    for (const problem of problems) process.stdout.write(`${problem}\n`);
    process.exit(1);
  }
  const fingerprint = createHash('sha256').update(file.publicKey).digest('hex').slice(0, 16);
  process.stdout.write(
    `OK: ${file.entries.length} entries are as they were sealed in the tree of ${file.head.size}, head signed ${file.head.signedAt} with key ${fingerprint}.\n`,
  );
  const stamp = tokenStamp(file.head);
  if (stamp) process.stdout.write(`OK: ${stamp.authority} stamped that head at ${stamp.at} (certificate ${stamp.fingerprint}).\n`);
  if (file.consistency) process.stdout.write(`OK: that tree extends the one of ${file.consistency.from.size} entries.\n`);
} catch (error) {
  process.stdout.write(`This file cannot be checked: ${error.message}\n`);
  process.exit(1);
}
