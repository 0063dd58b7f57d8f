import { randomUUID } from 'node:crypto';
import { link, mkdir, open, readFile, rm, stat } from 'node:fs/promises';
import { join } from 'node:path';

/** A private key is not where it should be, or others could read it; the message says what to do. */
export class KeyUnusable extends Error {}

const fileOf = (folder: string, id: string): string => join(folder, `${id}.pem`);

/**
 * Keeps a private key (PEM) in a folder that only this user can read. Whole or not at all, on disk when this resolves; a key that is
 * there already stays as it is.
 */
export async function keepKey(folder: string, id: string, pem: string): Promise<void> {
  await mkdir(folder, { recursive: true, mode: 0o700 });
  const own = join(folder, `${randomUUID()}.part`);
  const file = await open(own, 'wx', 0o600);
  try {
    await file.writeFile(pem);
    await file.sync();
  } finally {
    await file.close();
  }
  await link(own, fileOf(folder, id)).catch((error: NodeJS.ErrnoException) => {
    if (error.code !== 'EEXIST') throw error;
  });
  await rm(own);
  const entries = await open(folder, 'r');
  await entries.sync().finally(() => entries.close());
}

/** The private key of this id as PEM. Throws {@link KeyUnusable} when it is missing or when others may read it. */
export async function keptKey(folder: string, id: string): Promise<string> {
  const file = fileOf(folder, id);
  const found = await stat(file).catch(() => null);
  if (!found) throw new KeyUnusable(`The key ${id} is not in ${folder}. Put its file back, from a backup of that folder.`);
  if ((found.mode & 0o077) !== 0)
    throw new KeyUnusable(`Others may read the key ${id} in ${folder}. Let its owner alone read it (chmod 600).`);
  return readFile(file, 'utf8');
}

/** Destroys a key that is in use no more. */
export async function dropKey(folder: string, id: string): Promise<void> {
  await rm(fileOf(folder, id), { force: true });
}
