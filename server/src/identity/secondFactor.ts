import { createHash, randomBytes } from 'node:crypto';
import { Secret, TOTP } from 'otpauth';
import { seal, unseal, type Db, type SealedBy } from '../kernel/index.js';
import * as store from './secondFactorStore.js';

const sealedBy = (keysDir: string): SealedBy => ({ keysDir, keyId: 'second-factor' });
const secretBytes = 20;
const codes = 10;
/** Steps of thirty seconds that the clock of a telephone may be off, either way. */
const skew = 1;
const periodSeconds = 30;

const totpOf = (secret: Buffer): TOTP =>
  new TOTP({ algorithm: 'SHA1', digits: 6, period: periodSeconds, secret: new Secret({ buffer: new Uint8Array(secret).buffer }) });

const hashOf = (code: string): Buffer => createHash('sha256').update(code.replaceAll(/[\s-]/g, '').toUpperCase()).digest();

/** A new secret, sealed, and as its owner’s app reads it (otpauth key URI). */
export async function newFactor(
  keysDir: string,
  person: { readonly id: string; readonly login: string },
  repository: string,
): Promise<{ sealed: Buffer; secret: string; uri: string }> {
  const bytes = randomBytes(secretBytes);
  const totp = totpOf(bytes);
  totp.issuer = repository.replaceAll(':', ' ');
  totp.label = person.login;
  return { sealed: await seal(sealedBy(keysDir), person.id, bytes), secret: totp.secret.base32, uri: totp.toString() };
}

/** Ten codes for the day on which the telephone is gone, as they are written down, and what is kept of them. */
export function newCodes(): { shown: string[]; hashes: Buffer[] } {
  // 80 bits in Crockford’s letters, which are not taken for one another.
  const alphabet = '0123456789ABCDEFGHJKMNPQRSTVWXYZ';
  const one = (): string => [...randomBytes(16)].map((b) => alphabet[b % 32]).join('');
  const shown = Array.from({ length: codes }, () => one().replace(/(.{4})(?=.)/g, '$1-'));
  return { shown, hashes: shown.map(hashOf) };
}

/** Whether a code of the app is right now and was not used before; it is used up by this. */
export async function takeAppCode(db: Db, keysDir: string, principalId: string, code: string): Promise<boolean> {
  const factor = await store.factorOf(db, principalId);
  if (!factor || !/^\d{6}$/.test(code.replaceAll(/\s/g, ''))) return false;
  const delta = totpOf(await unseal(sealedBy(keysDir), principalId, factor.secret)).validate({
    token: code.replaceAll(/\s/g, ''),
    window: skew,
  });
  if (delta === null) return false;
  return store.takeStep(db, principalId, Math.floor(Date.now() / 1000 / periodSeconds) + delta);
}

/** Whether a code proves the second factor, of the app or a recovery code; it is used up by this. */
export async function takeAnyCode(db: Db, keysDir: string, principalId: string, code: string): Promise<'app' | 'recovery' | null> {
  if (await takeAppCode(db, keysDir, principalId, code)) return 'app';
  return (await store.takeCode(db, principalId, hashOf(code))) ? 'recovery' : null;
}
