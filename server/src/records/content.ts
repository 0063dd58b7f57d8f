import { createHash } from 'node:crypto';
import { fileTypeFromBuffer } from 'file-type';
import { uuidv7 } from 'uuidv7';
import { Problem, type Db } from '../kernel/index.js';
import * as store from './contentStore.js';

/** Bytes per stored chunk; the database refuses more. */
const chunkSize = 1024 * 1024;
/** What telling the media type may look at. */
const headBytes = 4200;
const largestFile = 2 * 1024 * 1024 * 1024;

export interface StoredContent {
  readonly id: string;
  readonly sha256: Buffer;
  readonly size: number;
  readonly mediaType: string;
}

const byEnding: Record<string, string> = {
  txt: 'text/plain',
  md: 'text/markdown',
  csv: 'text/csv',
  html: 'text/html',
  htm: 'text/html',
  json: 'application/json',
  xml: 'application/xml',
  svg: 'image/svg+xml',
  eml: 'message/rfc822',
};

const tiffHeads = [Buffer.from('49492a00', 'hex'), Buffer.from('4d4d002a', 'hex')];

/** Media type from the bytes themselves where they tell, else from the name's ending and whether it looks like text. */
async function detectMediaType(head: Buffer, fileName: string): Promise<string> {
  const detected = await fileTypeFromBuffer(head).catch(() => undefined);
  if (detected) return detected.mime;
  // A TIFF may tell its kind further on than its head (TIFF 6.0 §2: byte order, then 42).
  if (tiffHeads.some((magic) => head.subarray(0, 4).equals(magic))) return 'image/tiff';
  const looksLikeText = !head.includes(0);
  const ending = fileName.slice(fileName.lastIndexOf('.') + 1).toLowerCase();
  if (looksLikeText) return byEnding[ending] ?? 'text/plain';
  return 'application/octet-stream';
}

/** Cuts a stream into pieces of exactly one chunk, the last one shorter. What came in one small piece is not copied. */
async function* chunked(source: AsyncIterable<Uint8Array>): AsyncGenerator<Buffer> {
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
      const take = Math.min(part.length - offset, chunkSize - filled);
      parts.push(part.subarray(offset, offset + take));
      filled += take;
      offset += take;
      if (filled === chunkSize) yield taken();
    }
  }
  if (filled > 0) yield taken();
}

/** Content with these bytes that is there already. What is added to it must not rest on a stored copy that went bad. */
async function sameContent(db: Db, sha256: Buffer): Promise<Omit<StoredContent, 'mediaType'> | null> {
  const same = await store.contentBySha(db, sha256);
  if (!same) return null;
  try {
    for await (const piece of withFixity(readContent(db, same.id, 0, same.size), sha256)) void piece;
  } catch (error) {
    if (!(error instanceof Problem)) throw error;
    throw new Problem(
      500,
      'content-damaged',
      'The same content is stored here already, and its stored copy is damaged. This file was not taken in: keep it, and tell whoever runs the server that it can mend the damage.',
    );
  }
  return { id: same.id, sha256, size: same.size };
}

/** What fits one chunk goes in with one statement; whoever comes second with the same bytes waits and then finds them. */
async function writeSmall(db: Db, bytes: Buffer, fileName: string): Promise<StoredContent> {
  const sha256 = createHash('sha256').update(bytes).digest();
  const mediaType = await detectMediaType(bytes.subarray(0, headBytes), fileName);
  const stored = await store.addSmall(db, { id: uuidv7(), sha256, bytes });
  if (stored !== null) return { id: stored, sha256, size: bytes.length, mediaType };
  // Removed again by another transaction between the two statements: then it is ours to store.
  const same = await sameContent(db, sha256);
  return same ? { ...same, mediaType } : writeSmall(db, bytes, fileName);
}

async function writeLarge(db: Db, chunks: AsyncIterable<Buffer>, fileName: string, largest: number): Promise<StoredContent> {
  const id = uuidv7();
  const hash = createHash('sha256');
  let size = 0;
  let seq = 0;
  let head: Buffer | null = null;
  await store.begin(db, id);
  for await (const chunk of chunks) {
    head ??= Buffer.from(chunk.subarray(0, headBytes));
    size += chunk.length;
    if (size > largest) throw new Problem(413, 'too-large', 'This file is larger than 2 GB, the most that is taken in one piece.');
    hash.update(chunk);
    await store.addChunk(db, id, seq++, chunk);
  }
  const sha256 = hash.digest();
  // Two uploads of the same bytes at the same time: the second waits here and then finds the first one's.
  await store.lockHash(db, sha256);
  const mediaType = await detectMediaType(head!, fileName);
  const same = await sameContent(db, sha256);
  if (same) {
    await store.dropUnfinished(db, id);
    return { ...same, mediaType };
  }
  await store.finish(db, { id, sha256, size });
  return { id, sha256, size, mediaType };
}

/**
 * Streams bytes into the store inside the caller's transaction, hashing as they come. The same bytes are kept once:
 * when they are there already, that content is given back; what kind of file they are follows from them and their name alone.
 * Throws 422 for nothing at all and 413 for more than `largest` bytes.
 */
export async function writeContent(
  db: Db,
  source: AsyncIterable<Uint8Array>,
  fileName: string,
  largest = largestFile,
): Promise<StoredContent> {
  const chunks = chunked(source);
  const first = await chunks.next();
  if (first.done) throw new Problem(422, 'empty-file', 'This file is empty (0 bytes), so there is nothing to keep.');
  const second = await chunks.next();
  if (second.done) return writeSmall(db, first.value, fileName);
  return writeLarge(
    db,
    (async function* () {
      yield first.value;
      yield second.value;
      yield* chunks;
    })(),
    fileName,
    largest,
  );
}

const missing = (): Problem =>
  new Problem(
    500,
    'content-damaged',
    'A part of this content is missing from the store. It was not served. Tell whoever runs the server: the bytes can be brought back from a backup.',
  );
const damaged = (): Problem =>
  new Problem(
    500,
    'content-damaged',
    'This content no longer has the fingerprint it came in with. It was not served. Tell whoever runs the server: the bytes can be brought back from a backup.',
  );

const sha256Of = (bytes: Uint8Array): Buffer => createHash('sha256').update(bytes).digest();

/**
 * Bytes [from, to) of a content, chunk by chunk, none before its chunk was checked against its own fingerprint and this against the
 * tree of the content. Throws 500 for what is missing or damaged.
 */
export async function* readContent(db: Db, id: string, from: number, to: number): AsyncGenerator<Buffer> {
  const known = await store.fingerprints(db, id);
  if (!known) throw missing();
  if (!sha256Of(Buffer.concat(known.chunks)).equals(known.tree)) throw damaged();
  for (let position = from; position < to;) {
    const seq = Math.floor(position / chunkSize);
    const bytes = await store.chunk(db, id, seq);
    const fingerprint = known.chunks[seq];
    if (!bytes || !fingerprint) throw missing();
    if (!sha256Of(bytes).equals(fingerprint)) throw damaged();
    const offset = position - seq * chunkSize;
    const piece = bytes.subarray(offset, Math.min(bytes.length, offset + to - position));
    if (piece.length === 0) throw missing();
    yield piece;
    position += piece.length;
  }
}

/** Passes bytes on and fails at their end when they do not have the fingerprint they came in with. */
export async function* withFixity(source: AsyncIterable<Buffer>, sha256: Buffer): AsyncGenerator<Buffer> {
  const hash = createHash('sha256');
  let held: Buffer | null = null;
  for await (const piece of source) {
    hash.update(piece);
    // The last piece is held back until the fingerprint is known to be right.
    if (held) yield held;
    held = piece;
  }
  if (!hash.digest().equals(sha256)) throw damaged();
  if (held) yield held;
}
