import { createPrivateKey, generateKeyPairSync, type KeyObject } from 'node:crypto';
import { mkdir, readdir } from 'node:fs/promises';
import { keepKey, keptKey } from '../kernel/index.js';

/** The Ed25519 key of a stand-in in its folder, which nobody else may read; made there at first. */
export async function ownKey(folder: string, name: string): Promise<KeyObject> {
  await mkdir(folder, { recursive: true, mode: 0o700 });
  if (!(await readdir(folder)).includes(`${name}.pem`)) {
    await keepKey(folder, name, generateKeyPairSync('ed25519').privateKey.export({ type: 'pkcs8', format: 'pem' }).toString());
  }
  return createPrivateKey(await keptKey(folder, name));
}
