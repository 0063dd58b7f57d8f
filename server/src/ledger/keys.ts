import { createHash, createPrivateKey, createPublicKey, generateKeyPairSync, sign, verify } from 'node:crypto';
import { canonicalJson } from '@key-cellar/core/ledger';
import type { Logger } from 'pino';
import { type Db, dropKey, keepKey, keptKey, type UnitOfWork } from '../kernel/index.js';
import * as store from './store.js';

/** What signs tree heads and checkpoints. */
export interface SigningKey {
  readonly id: string;
  /** The public key's 32 bytes (RFC 8032). */
  readonly publicKey: Uint8Array;
  sign(text: string): Buffer;
}

/** Bytes before an Ed25519 public key in its SubjectPublicKeyInfo (RFC 8410 §4). */
const spkiHead = Buffer.from('302a300506032b6570032100', 'hex');

/** The 32 bytes of an Ed25519 public key given as PEM. */
export const rawKey = (pem: string): Uint8Array => createPublicKey(pem).export({ type: 'spki', format: 'der' }).subarray(spkiHead.length);

export function signatureHolds(publicKeyPem: string, text: string, signature: Uint8Array): boolean {
  return verify(null, Buffer.from(text), createPublicKey(publicKeyPem), signature);
}

/** Whether a signature by a key of 32 bytes holds. */
export function rawSignatureHolds(publicKey: Uint8Array, text: string, signature: Uint8Array): boolean {
  const key = createPublicKey({ key: Buffer.concat([spkiHead, publicKey]), format: 'der', type: 'spki' });
  return verify(null, Buffer.from(text), key, signature);
}

export const keyIdOf = (publicKeyPem: string): string => createHash('sha256').update(publicKeyPem).digest('hex').slice(0, 16);

/** What the key before signs when another takes over from it. */
export function handoverText(publicKeyPem: string, succeeds: string): string {
  return canonicalJson({ v: 1, key: publicKeyPem, succeeds });
}

function newPair(): { id: string; publicKey: string; privateKey: string } {
  const pair = generateKeyPairSync('ed25519');
  const publicKey = pair.publicKey.export({ type: 'spki', format: 'pem' }).toString();
  return { id: keyIdOf(publicKey), publicKey, privateKey: pair.privateKey.export({ type: 'pkcs8', format: 'pem' }).toString() };
}

function keyOf(id: string, publicPem: string, privatePem: string): SigningKey {
  const key = createPrivateKey(privatePem);
  return { id, publicKey: rawKey(publicPem), sign: (text) => sign(null, Buffer.from(text), key) };
}

/** The key that signs now; the first one is made here. Call with the sealer's state locked. Throws KeyUnusable. */
export async function signingKey(db: Db, keysDir: string): Promise<SigningKey> {
  const found = await store.newestKey(db);
  if (found) return keyOf(found.id, found.public_key, await keptKey(keysDir, found.id));
  const first = newPair();
  // On disk before it is known of: a key that nobody knows of signs nothing.
  await keepKey(keysDir, first.id, first.privateKey);
  await store.addKey(db, { ...first, succeeds: null, handover: null });
  return keyOf(first.id, first.publicKey, first.privateKey);
}

/** Lets a new key take over. The old one signs that it does, and is destroyed once that is certain. */
export async function changeKey(
  uow: UnitOfWork,
  keysDir: string,
  log: Logger,
): Promise<{ id: string; succeeds: string; publicKey: string; handover: string }> {
  await store.lockSealState(uow);
  const old = await signingKey(uow, keysDir);
  const next = newPair();
  const handover = old.sign(handoverText(next.publicKey, old.id));
  await keepKey(keysDir, next.id, next.privateKey);
  await store.addKey(uow, { ...next, succeeds: old.id, handover });
  uow.afterCommit(
    () =>
      void dropKey(keysDir, old.id).catch((error: unknown) => log.error({ err: error, key: old.id }, 'the old signing key is still there')),
  );
  return { id: next.id, succeeds: old.id, publicKey: next.publicKey, handover: handover.toString('base64') };
}
