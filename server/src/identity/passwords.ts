import { createHash, randomBytes } from 'node:crypto';
import { hash, verify } from '@node-rs/argon2';
import { message, type Message } from '@key-cellar/words';
import { turns, wrongField } from '../kernel/index.js';

// argon2id with the parameters of RFC 9106 §4, second recommended option, halved in memory for small machines.
const argon = { memoryCost: 32 * 1024, timeCost: 3, parallelism: 1 };
// Verified against when the login is unknown, so that both answers take the same time.
const nobody = hash('nobody has this password', argon);

// Each takes 32 MB and most of a second on a small machine: strangers share two of them.
const atHashing = turns({ atOnce: 2, waiting: 40 }, message('identity.tooManyPeopleSigning'));

export function hashPassword(password: string): Promise<string> {
  return atHashing('', () => hash(password, argon));
}

/** Whether a password is the one that was hashed; of nobody it takes as long. */
export async function isRight(passwordHash: string | null | undefined, password: string): Promise<boolean> {
  const against = passwordHash ?? (await nobody);
  return atHashing('', () => verify(against, password).catch(() => false));
}

const fewestLetters = 5;
const common = ['password', 'passwort', 'qwertyuiop', 'qwertzuiop', 'letmein', 'iloveyou', 'administrator', '1234567890', 'abcdefghij'];

/** Why a password is too easy to guess, for whoever knows whose it is; null where it is not. */
function guessed(password: string, about: readonly string[]): Message | null {
  const plain = password.toLowerCase();
  if (new Set(plain).size < fewestLetters) return message('identity.passwordRepeats');
  if (about.some((known) => known.length > 2 && plain.includes(known.toLowerCase()))) return message('identity.passwordNames');
  const rest = common.reduce((left, word) => left.replaceAll(word, ''), plain).replace(/[\d\W_]+/g, '');
  return rest.length < fewestLetters && common.some((word) => plain.includes(word)) ? message('identity.passwordCommon') : null;
}

/** Throws 422 for a password that anybody who knows the person would try. */
export function requireGoodPassword(
  password: string,
  about: { readonly login: string; readonly name: string; readonly repository: string },
): void {
  const why = guessed(
    password,
    [about.login, ...about.name.split(/\s+/), ...about.repository.split(/\s+/)].filter((word) => word.length > 3),
  );
  if (why) throw wrongField('/password', why);
}

export const newToken = (): string => randomBytes(32).toString('base64url');

export function tokenHash(token: string): Buffer {
  return createHash('sha256').update(token).digest();
}
