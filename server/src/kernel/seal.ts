import { createCipheriv, createDecipheriv, randomBytes } from 'node:crypto';
import { keepKey, keptKey, KeyUnusable } from './keyFiles.js';

const [nonceBytes, tagBytes] = [12, 16];

/** The key under which secrets are sealed, made when there is none yet. */
async function sealingKey(keysDir: string, keyId: string): Promise<Buffer> {
  try {
    return Buffer.from(await keptKey(keysDir, keyId), 'base64');
  } catch (error) {
    if (!(error instanceof KeyUnusable) || !error.message.includes('is not in')) throw error;
    await keepKey(keysDir, keyId, randomBytes(32).toString('base64'));
    return Buffer.from(await keptKey(keysDir, keyId), 'base64');
  }
}

/** Where secrets of one kind are sealed: the folder of the keys, and which of them. */
export interface SealedBy {
  readonly keysDir: string;
  readonly keyId: string;
}

/** Sealed for one row (AES-256-GCM): moved to another’s it opens for nobody. */
export async function seal({ keysDir, keyId }: SealedBy, rowId: string, secret: Uint8Array): Promise<Buffer> {
  const nonce = randomBytes(nonceBytes);
  const cipher = createCipheriv('aes-256-gcm', await sealingKey(keysDir, keyId), nonce);
  cipher.setAAD(Buffer.from(rowId));
  return Buffer.concat([nonce, cipher.update(secret), cipher.final(), cipher.getAuthTag()]);
}

/** What was sealed for this row. Throws for what was sealed for another, or under another key. */
export async function unseal({ keysDir, keyId }: SealedBy, rowId: string, sealed: Buffer): Promise<Buffer> {
  const decipher = createDecipheriv('aes-256-gcm', await sealingKey(keysDir, keyId), sealed.subarray(0, nonceBytes));
  decipher.setAAD(Buffer.from(rowId));
  decipher.setAuthTag(sealed.subarray(-tagBytes));
  return Buffer.concat([decipher.update(sealed.subarray(nonceBytes, -tagBytes)), decipher.final()]);
}
