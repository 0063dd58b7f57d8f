import { createCipheriv, createDecipheriv, randomBytes } from 'node:crypto';
import { mkdir, open, type FileHandle } from 'node:fs/promises';
import { join } from 'node:path';
import type pg from 'pg';
import { uuidv7 } from 'uuidv7';
import { dropKey, keepKey, keptKey } from '../kernel/index.js';
import * as store from './contentStore.js';

/** The key of one content, and where it is kept. */
export interface ContentKey {
  readonly slot: number;
  /** 32 bytes, for AES-256-GCM. */
  readonly key: Buffer;
}

/** Keys of contents, outside the database. */
export interface ContentKeys {
  /** A key that was never used, durable already. Throws KeyUnusable. */
  take(): Promise<ContentKey>;
  /** The key in a slot; null when it was destroyed or is missing. Throws KeyUnusable. */
  of(slot: number): Promise<Buffer | null>;
  /** Destroys keys; they are gone from the disk when this resolves. */
  destroy(slots: readonly number[]): Promise<void>;
  /** Throws KeyUnusable when the outer key is missing, or when others may read it. */
  usable(): Promise<void>;
  close(): Promise<void>;
}

/** A wrapped key has 40 bytes (RFC 3394 §2.2.1: 8 more than the key); the rest of a slot is empty. */
const wrappedBytes = 40;
const slotBytes = 64;
/** Keys are made so many at a time, so that taking one waits for no disk. */
const perBlock = 256;
/** The initial value of RFC 3394 §2.2.3.1: a key that was wrapped under another, or not at all, does not come out. */
const wrapStart = Buffer.alloc(8, 0xa6);
const nothing = Buffer.alloc(slotBytes);

function wrap(outer: Buffer, key: Buffer): Buffer {
  const cipher = createCipheriv('id-aes256-wrap', outer, wrapStart);
  return Buffer.concat([cipher.update(key), cipher.final()]);
}

function unwrap(outer: Buffer, wrapped: Buffer): Buffer | null {
  try {
    const decipher = createDecipheriv('id-aes256-wrap', outer, wrapStart);
    return Buffer.concat([decipher.update(wrapped), decipher.final()]);
  } catch {
    return null;
  }
}

const armour = (key: Buffer): string => `-----BEGIN AES KEY-----\n${key.toString('base64')}\n-----END AES KEY-----\n`;
const fromArmour = (text: string): Buffer => Buffer.from(text.split('\n')[1] ?? '', 'base64');

/** Which store of keys belongs to this database; made when there is none. Its outer key is on disk before it is known of. */
async function storeOf(pool: pg.Pool, folder: string): Promise<string> {
  const known = await store.keyStore(pool);
  if (known !== null) return known;
  const id = uuidv7();
  await keepKey(folder, `contents-${id}`, armour(randomBytes(32)));
  const chosen = await store.chooseKeyStore(pool, id);
  if (chosen !== id) await dropKey(folder, `contents-${id}`);
  return chosen;
}

/**
 * Keys in one file of slots, each wrapped (AES key wrap, RFC 3394) under an outer key that lies beside it. Several servers may
 * have the file open: blocks of slots are given out by the database, and a slot is written when it is made and when it is destroyed.
 */
export function contentKeys(pool: pg.Pool, folder: string): ContentKeys {
  let opened: Promise<{ outer: Buffer; file: FileHandle }> | null = null;
  const ready: ContentKey[] = [];
  let filling: Promise<void> | null = null;

  const opening = (): Promise<{ outer: Buffer; file: FileHandle }> =>
    (opened ??= (async () => {
      await mkdir(folder, { recursive: true, mode: 0o700 });
      const id = await storeOf(pool, folder);
      const outer = fromArmour(await keptKey(folder, `contents-${id}`));
      const path = join(folder, `contents-${id}.keys`);
      // Made when it is missing; never emptied.
      await (await open(path, 'a', 0o600)).close();
      return { outer, file: await open(path, 'r+') };
    })().catch((error: unknown) => {
      opened = null;
      throw error;
    }));

  /** A block in which nobody has put anything: a copy of this database may have been given the same numbers. */
  async function freeBlock(file: FileHandle): Promise<number> {
    for (;;) {
      const first = (await store.nextKeyBlock(pool)) * perBlock;
      const there = Buffer.alloc(perBlock * slotBytes);
      await file.read(there, 0, there.length, first * slotBytes);
      if (there.every((byte) => byte === 0)) return first;
    }
  }

  async function fill(): Promise<void> {
    const { outer, file } = await opening();
    const first = await freeBlock(file);
    const made = Array.from({ length: perBlock }, (_, i) => ({ slot: first + i, key: randomBytes(32) }));
    const block = Buffer.alloc(perBlock * slotBytes);
    made.forEach(({ key }, i) => wrap(outer, key).copy(block, i * slotBytes));
    await file.write(block, 0, block.length, first * slotBytes);
    await file.datasync();
    for (const key of made) ready.push(key);
  }

  return {
    async take() {
      for (;;) {
        const key = ready.pop();
        if (key) return key;
        await (filling ??= fill().finally(() => (filling = null)));
      }
    },
    async of(slot) {
      const { outer, file } = await opening();
      const wrapped = Buffer.alloc(wrappedBytes);
      const { bytesRead } = await file.read(wrapped, 0, wrappedBytes, slot * slotBytes);
      return bytesRead === wrappedBytes ? unwrap(outer, wrapped) : null;
    },
    async destroy(slots) {
      const { file } = await opening();
      for (const slot of slots) await file.write(nothing, 0, slotBytes, slot * slotBytes);
      await file.datasync();
    },
    async usable() {
      await opening();
    },
    async close() {
      await filling?.catch(() => undefined);
      const there = await opened?.catch(() => null);
      await there?.file.close();
    },
  };
}
