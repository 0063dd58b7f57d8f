import { createCipheriv, createDecipheriv, createHash, hkdfSync, randomBytes } from 'node:crypto';
import { uuidv7 } from 'uuidv7';
import { message } from '@key-cellar/words';
import { Away, Problem, type Db, type UnitOfWork } from '../kernel/index.js';
import type { ContentKey, ContentKeys } from './contentKeys.js';
import type { Recognised } from './documentText.js';
import { detectMediaType } from './mediaType.js';
import * as store from './contentStore.js';
import * as objectStore from './objectStore.js';
import type { Objects } from './objects.js';

/** Bytes per stored chunk; the database refuses more. */
const chunkSize = 1024 * 1024;
/** What telling the media type may look at. */
const headBytes = 4200;
const largestFile = 2 * 1024 * 1024 * 1024;

interface StoredContent {
  readonly id: string;
  readonly sha256: Buffer;
  readonly size: number;
  readonly mediaType: string;
}

/** Authentication tag of a chunk (NIST SP 800-38D §5.2.1.2). */
const tagBytes = 16;

/** What was found wrong with stored content. */
export type Damage = 'missing' | 'changed' | 'keyless';

/** Stored content that is not what came in. Nothing of it is given to anybody. */
export class DamagedContent extends Problem {
  constructor(
    readonly contentId: string,
    readonly damage: Damage,
  ) {
    super(500, 'content-damaged', message('records.contentNotServed', { damage: message(`records.damage.${damage}`) }));
  }
}

/** The nonce of a chunk: its number. A key is one content’s, so that none is used twice (NIST SP 800-38D §8.2.1). */
function nonce(seq: number): Buffer {
  const bytes = Buffer.alloc(12);
  bytes.writeUInt32BE(seq, 8);
  return bytes;
}

/** A chunk as it is stored: AES-256-GCM of its bytes, with the tag behind. The same chunk is always stored the same. */
function seal({ key }: ContentKey, seq: number, bytes: Uint8Array): Buffer {
  const cipher = createCipheriv('aes-256-gcm', key, nonce(seq));
  return Buffer.concat([cipher.update(bytes), cipher.final(), cipher.getAuthTag()]);
}

/** The bytes of a stored chunk; null when it was not sealed so. */
function unseal(key: Buffer, seq: number, stored: Buffer): Buffer | null {
  if (stored.length < tagBytes) return null;
  const decipher = createDecipheriv('aes-256-gcm', key, nonce(seq), { authTagLength: tagBytes });
  decipher.setAuthTag(stored.subarray(stored.length - tagBytes));
  try {
    return Buffer.concat([decipher.update(stored.subarray(0, stored.length - tagBytes)), decipher.final()]);
  } catch {
    return null;
  }
}

const saltBytes = 16;
/** The key of what was recognised in a content: another each time that it is written (RFC 5869). */
const wordsKey = (key: Buffer, salt: Buffer): Buffer => Buffer.from(hkdfSync('sha256', key, salt, 'recognised words', 32));

function sealWords(key: Buffer, words: Recognised): Buffer {
  const salt = randomBytes(saltBytes);
  return Buffer.concat([salt, seal({ slot: 0, key: wordsKey(key, salt) }, 0, Buffer.from(JSON.stringify(words)))]);
}

function openWords(key: Buffer, stored: Buffer): Recognised | null {
  const bytes = unseal(wordsKey(key, stored.subarray(0, saltBytes)), 0, stored.subarray(saltBytes));
  return bytes && (JSON.parse(bytes.toString()) as Recognised);
}

/** Cuts a stream into pieces of exactly `pieceSize` bytes, the last one shorter. What came in one small piece is not copied. */
async function* chunked(source: AsyncIterable<Uint8Array>, pieceSize = chunkSize): AsyncGenerator<Buffer> {
  let parts: Uint8Array[] = [];
  let filled = 0;
  const taken = (): Buffer => {
    const chunk = parts.length === 1 ? Buffer.from(parts[0]!.buffer, parts[0]!.byteOffset, parts[0]!.length) : Buffer.concat(parts, filled);
    parts = [];
    filled = 0;
    return chunk;
  };
  for await (const part of source) {
    for (let offset = 0; offset < part.length;) {
      const take = Math.min(part.length - offset, pieceSize - filled);
      parts.push(part.subarray(offset, offset + take));
      filled += take;
      offset += take;
      if (filled === pieceSize) yield taken();
    }
  }
  if (filled > 0) yield taken();
}

const sha256Of = (bytes: Uint8Array): Buffer => createHash('sha256').update(bytes).digest();

/** Content of one chunk, ready to be stored. */
interface SealedContent {
  readonly id: string;
  readonly slot: number;
  readonly sha256: Buffer;
  readonly tree: Buffer;
  readonly size: number;
  readonly stored: Buffer;
}

/** All contents of a repository: each encrypted under a key of its own, checked whenever it is read. */
export interface Contents {
  /**
   * Streams bytes into the store inside the caller's transaction, hashing as they come. The same bytes are kept once:
   * when they are there already, that content is given back, mended by them if it was damaged. What kind of file they are follows from
   * them and their name alone. Throws 422 for nothing at all and 413 for more than `largest` bytes.
   */
  write(uow: UnitOfWork, source: AsyncIterable<Uint8Array>, fileName: string, largest?: number): Promise<StoredContent>;
  /**
   * Bytes [from, to) of a content, chunk by chunk, none before its chunk was checked against its own fingerprint and this against the
   * tree of the content. Throws {@link DamagedContent} for what is missing or damaged.
   */
  read(db: Db, id: string, from: number, to: number): AsyncGenerator<Buffer>;
  /** All bytes of a content, and at their end an error when they do not have the fingerprint they came in with. */
  readWhole(db: Db, content: { readonly id: string; readonly size: number; readonly sha256: Buffer }): AsyncGenerator<Buffer>;
  /** Puts a content under a key that lies under none, as the owner of the database. Throws {@link DamagedContent}. */
  encrypt(db: Db, content: { readonly id: string; readonly size: number; readonly sha256: Buffer }): Promise<void>;
  /** Prepares a content of one chunk. */
  seal(bytes: Buffer): Promise<SealedContent>;
  /** Puts damaged content back from chunks as they were stored, such as a backup has; false when they are not those. */
  mend(db: Db, id: string, chunks: AsyncIterable<Buffer>): Promise<boolean>;
  /**
   * Chunks of a content as they are stored; those of its copy in the object store when asked for. Throws {@link DamagedContent}, at their end
   * at the latest, when they are not what was stored.
   */
  stored(db: Db, id: string, where: 'itself' | 'copy'): AsyncGenerator<Buffer>;
  /** What was recognised in a content; null for nothing yet, or under another key than it has now. */
  recognised(id: string): Promise<Recognised | null>;
  /** Keeps that for as long as the content’s key. A content that has none keeps nothing. */
  keepRecognised(id: string, words: Recognised): Promise<void>;
  /** Throws KeyUnusable when what opens all keys is missing, or when others may read it. */
  keysUsable(): Promise<void>;
  /** Destroys keys for good. */
  destroyKeys(slots: readonly number[]): Promise<void>;
  close(): Promise<void>;
}

/** What contents are opened over. */
export interface ContentsOver {
  readonly keys: ContentKeys;
  /** Where copies lie, and contents that are not in the database; null for no such store. */
  readonly objects: Objects | null;
  /** Where new contents go. */
  readonly contentsIn: 'database' | 'objects';
  /** For what is to be known of before, or whatever becomes of, the transaction under way. */
  readonly pool: Db;
  /** Hears of damage that shows while somebody reads; must not throw. */
  found(damage: DamagedContent): void;
}

export function openContents({ keys, objects, contentsIn, pool, found }: ContentsOver): Contents {
  const theObjects = (): Objects => {
    if (objects) return objects;
    throw new Away('object-store-away', message('records.noObjectStore'), null);
  };

  /** Stored chunks [first, end), until one is missing. While one is looked at the next is on its way. */
  async function* chunksOf(
    db: Db,
    id: string,
    known: store.Known,
    { first, end, where }: { readonly first: number; readonly end: number; readonly where: 'itself' | 'copy' },
  ): AsyncGenerator<Buffer> {
    if (known.store === 'objects' || where === 'copy') {
      if (known.version === null) return;
      yield* chunked(theObjects().read(id, known.version, first * (chunkSize + tagBytes)), chunkSize + tagBytes);
      return;
    }
    const fetched = (seq: number): Promise<Buffer | undefined> => {
      const chunk = seq < end ? store.chunk(db, id, seq) : Promise.resolve(undefined);
      chunk.catch(() => undefined);
      return chunk;
    };
    let next = fetched(first);
    for (let seq = first + 1; ; seq++) {
      const chunk = await next;
      if (!chunk) return;
      next = fetched(seq);
      yield chunk;
    }
  }

  async function* stored(db: Db, id: string, where: 'itself' | 'copy'): AsyncGenerator<Buffer> {
    const known = await store.fingerprints(db, id);
    const wrong = (damage: Damage): DamagedContent => {
      const error = new DamagedContent(id, damage);
      if (known && where === 'itself') found(error);
      return error;
    };
    if (!known) throw wrong('missing');
    const fingerprints: Buffer[] = [];
    for await (const chunk of chunksOf(db, id, known, { first: 0, end: known.chunks.length, where })) {
      fingerprints.push(sha256Of(chunk));
      yield chunk;
    }
    // Against the tree and not against each: fingerprints of chunks lie beside chunks that may be damaged.
    if (!sha256Of(Buffer.concat(fingerprints)).equals(known.tree))
      throw wrong(fingerprints.length < known.chunks.length ? 'missing' : 'changed');
  }

  async function* read(db: Db, id: string, from: number, to: number): AsyncGenerator<Buffer> {
    const known = await store.fingerprints(db, id);
    const wrong = (damage: Damage): DamagedContent => {
      const error = new DamagedContent(id, damage);
      if (known && !known.damaged) found(error);
      return error;
    };
    if (!known) throw wrong('missing');
    if (known.damaged || !sha256Of(Buffer.concat(known.chunks)).equals(known.tree)) throw wrong('changed');
    const key = known.slot === null ? null : await keys.of(known.slot);
    if (known.slot !== null && !key) throw wrong('keyless');
    if (from >= to) return;
    let position = from;
    let seq = Math.floor(from / chunkSize);
    for await (const chunk of chunksOf(db, id, known, { first: seq, end: Math.ceil(to / chunkSize), where: 'itself' })) {
      const fingerprint = known.chunks[seq];
      if (!fingerprint) break;
      // The tag of an encrypted chunk says that it is this content’s, in this place, byte by byte.
      const bytes = key ? unseal(key, seq, chunk) : sha256Of(chunk).equals(fingerprint) ? chunk : null;
      if (!bytes) throw wrong('changed');
      const offset = position - seq * chunkSize;
      const piece = bytes.subarray(offset, Math.min(bytes.length, offset + to - position));
      if (piece.length === 0) break;
      yield piece;
      position += piece.length;
      seq++;
      if (position >= to) return;
    }
    throw wrong('missing');
  }

  async function* readWhole(
    db: Db,
    { id, size, sha256 }: { readonly id: string; readonly size: number; readonly sha256: Buffer },
  ): AsyncGenerator<Buffer> {
    const hash = createHash('sha256');
    let held: Buffer | null = null;
    for await (const piece of read(db, id, 0, size)) {
      hash.update(piece);
      // The last piece is held back until the fingerprint is known to be right.
      if (held) yield held;
      held = piece;
    }
    if (!hash.digest().equals(sha256)) {
      const error = new DamagedContent(id, 'changed');
      found(error);
      throw error;
    }
    if (held) yield held;
  }

  /** Writes an object that is known of beforehand; it is nobody’s until its version is said. */
  async function putObject(id: string, chunks: AsyncIterable<Buffer>): Promise<{ version: string; fingerprints: Buffer }> {
    const fingerprints: Buffer[] = [];
    await objectStore.beginObject(pool, id);
    const version = await theObjects().put(
      id,
      (async function* () {
        for await (const chunk of chunks) {
          fingerprints.push(sha256Of(chunk));
          yield chunk;
        }
      })(),
    );
    return { version, fingerprints: Buffer.concat(fingerprints) };
  }

  async function mend(db: Db, id: string, chunks: AsyncIterable<Buffer>): Promise<boolean> {
    await store.setDamaged(db, id);
    const known = await store.fingerprints(db, id);
    if (known?.store === 'objects') {
      const { version, fingerprints } = await putObject(id, chunks);
      if (!sha256Of(fingerprints).equals(known.tree)) return false;
      await objectStore.setVersion(db, id, version);
      return store.endDamage(db, id);
    }
    let seq = 0;
    for await (const chunk of chunks) await store.mendChunk(db, id, seq++, chunk);
    return store.endDamage(db, id);
  }

  async function encrypt(db: Db, content: { readonly id: string; readonly size: number; readonly sha256: Buffer }): Promise<void> {
    const { id } = content;
    const key = await keys.take();
    // As something that is mended: in between, nobody reads it.
    await store.setDamaged(db, id);
    let seq = 0;
    for await (const chunk of stored(db, id, 'itself')) await store.mendChunk(db, id, seq, seal(key, seq++, chunk));
    await store.setKey(db, id, key.slot);
    for await (const piece of readWhole(db, content)) void piece;
  }

  /** Content with these bytes that is there already; `again` gives them once more, to mend what went bad of it. */
  async function sameContent(
    uow: UnitOfWork,
    sha256: Buffer,
    again: () => AsyncIterable<Buffer>,
  ): Promise<Omit<StoredContent, 'mediaType'> | null> {
    const same = await store.contentBySha(uow, sha256);
    if (!same) return null;
    const content = { id: same.id, sha256, size: same.size };
    try {
      for await (const piece of readWhole(uow, content)) void piece;
      return content;
    } catch (error) {
      if (!(error instanceof DamagedContent)) throw error;
      const key = same.key_slot === null ? null : await keys.of(same.key_slot);
      const lost = same.key_slot !== null && !key;
      const sealedAgain = async function* (): AsyncGenerator<Buffer> {
        let seq = 0;
        for await (const bytes of again()) yield key ? seal({ slot: 0, key }, seq++, bytes) : bytes;
      };
      if (lost || !(await mend(uow, same.id, sealedAgain()))) {
        throw new Problem(500, 'content-damaged', message('records.contentDamaged'));
      }
      for (const subject of await store.holdersOf(uow, same.id)) {
        uow.enter({
          act: 'mended damaged content',
          subject,
          after: { sha256: sha256.toString('hex'), from: 'the same bytes, brought again' },
        });
      }
      return content;
    }
  }

  async function sealed(bytes: Buffer): Promise<SealedContent> {
    const key = await keys.take();
    const stored = seal(key, 0, bytes);
    return { id: uuidv7(), slot: key.slot, sha256: sha256Of(bytes), tree: sha256Of(sha256Of(stored)), size: bytes.length, stored };
  }

  /** What fits one chunk goes in with one statement; whoever comes second with the same bytes waits and then finds them. */
  async function writeSmall(uow: UnitOfWork, bytes: Buffer, fileName: string): Promise<StoredContent> {
    const [content, mediaType] = await Promise.all([sealed(bytes), detectMediaType(bytes.subarray(0, headBytes), fileName)]);
    const { sha256, size } = content;
    const stored = await store.addSmall(uow, content);
    if (stored !== null) return { id: stored, sha256, size, mediaType };

    const same = await sameContent(uow, sha256, async function* () {
      yield bytes;
    });
    // Removed again by another transaction between the two statements: then it is ours to store.
    return same ? { ...same, mediaType } : writeSmall(uow, bytes, fileName);
  }

  /** Seals chunks as they come, and says at their end what they were. */
  function sealing(key: ContentKey, chunks: AsyncIterable<Buffer>, largest: number) {
    const hash = createHash('sha256');
    const seen = { size: 0, count: 0, head: Buffer.alloc(0), sha256: (): Buffer => hash.digest() };
    async function* sealedChunks(): AsyncGenerator<Buffer> {
      for await (const chunk of chunks) {
        if (seen.count === 0) seen.head = Buffer.from(chunk.subarray(0, headBytes));
        seen.size += chunk.length;
        if (seen.size > largest) throw new Problem(413, 'too-large', message('records.tooLarge'));
        hash.update(chunk);
        yield seal(key, seen.count++, chunk);
      }
    }
    return { seen, sealedChunks: sealedChunks() };
  }

  /** What is in the database already is not sent to the object store; what two bring at the same time is, and removed again. */
  async function writeObject(uow: UnitOfWork, chunks: AsyncIterable<Buffer>, fileName: string, largest: number): Promise<StoredContent> {
    const id = uuidv7();
    const key = await keys.take();
    const { seen, sealedChunks } = sealing(key, chunks, largest);
    const { version, fingerprints } = await putObject(id, sealedChunks);
    const [sha256, mediaType] = [seen.sha256(), await detectMediaType(seen.head, fileName)];
    const { size } = seen;
    for (;;) {
      if ((await store.addInObjects(uow, { id, slot: key.slot, sha256, size, fingerprints })) !== null) {
        await objectStore.setVersion(uow, id, version);
        return { id, sha256, size, mediaType };
      }
      const same = await sameContent(uow, sha256, async function* () {
        let seq = 0;
        for await (const chunk of chunked(theObjects().read(id, version, 0), chunkSize + tagBytes)) yield unseal(key.key, seq++, chunk)!;
      });
      if (same) return { ...same, mediaType };
    }
  }

  async function writeLarge(uow: UnitOfWork, chunks: AsyncIterable<Buffer>, fileName: string, largest: number): Promise<StoredContent> {
    const id = uuidv7();
    const key = await keys.take();
    const { seen, sealedChunks } = sealing(key, chunks, largest);
    await store.begin(uow, id, key.slot);
    // While one chunk is being stored the next is hashed and sealed.
    let seq = 0;
    let storing = Promise.resolve();
    for await (const chunk of sealedChunks) {
      await storing;
      storing = store.addChunk(uow, id, seq++, chunk);
      // Waited for in the next round; what breaks off in between must not leave it unheard.
      storing.catch(() => undefined);
    }
    await storing;
    const [sha256, { size, head }] = [seen.sha256(), seen];
    // Two uploads of the same bytes at the same time: the second waits here and then finds the first one's.
    await store.lockHash(uow, sha256);
    const mediaType = await detectMediaType(head, fileName);
    const same = await sameContent(uow, sha256, async function* () {
      for (let i = 0; i < seq; i++) yield unseal(key.key, i, (await store.chunk(uow, id, i))!)!;
    });
    if (same) {
      await store.dropUnfinished(uow, id);
      return { ...same, mediaType };
    }
    await store.finish(uow, { id, sha256, size });
    return { id, sha256, size, mediaType };
  }

  return {
    async write(uow, source, fileName, largest = largestFile) {
      const chunks = chunked(source);
      const first = await chunks.next();
      if (first.done) throw new Problem(422, 'empty-file', message('records.emptyFile'));
      const second = await chunks.next();
      const all = (async function* () {
        yield first.value;
        if (second.done) return;
        yield second.value;
        yield* chunks;
      })();
      if (contentsIn === 'objects') {
        const there = second.done ? await sameContent(uow, sha256Of(first.value), () => all) : null;
        return there
          ? { ...there, mediaType: await detectMediaType(first.value.subarray(0, headBytes), fileName) }
          : writeObject(uow, all, fileName, largest);
      }
      return second.done ? writeSmall(uow, first.value, fileName) : writeLarge(uow, all, fileName, largest);
    },
    stored,
    read,
    readWhole,
    encrypt,
    seal: sealed,
    mend,
    async recognised(id) {
      const kept = await store.recognised(pool, id);
      const key = !kept || kept.key_slot === null ? null : await keys.of(kept.key_slot);
      return kept && key ? openWords(key, kept.words) : null;
    },
    async keepRecognised(id, words) {
      const slot = await store.keySlot(pool, id);
      const key = slot === null ? null : await keys.of(slot);
      if (key) await store.keepRecognised(pool, id, sealWords(key, words));
    },
    keysUsable: () => keys.usable(),
    destroyKeys: (slots) => keys.destroy(slots),
    async close() {
      objects?.close();
      await keys.close();
    },
  };
}
