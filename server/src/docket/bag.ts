import { createHash } from 'node:crypto';
import { Readable } from 'node:stream';
import { ZipFile } from 'yazl';

/** What a file of a bag was found to be while it went in. SHA-256 in hex, size in bytes. */
export interface Fixity {
  readonly sha256: string;
  readonly size: number;
}

/** One payload file. `open` is called when its turn comes and sees the fixity of everything before it. */
export interface PayloadFile {
  /** Below `data/`, with `/` between parts. */
  readonly path: string;
  open(before: ReadonlyMap<string, Fixity>): AsyncIterable<Uint8Array> | Promise<AsyncIterable<Uint8Array>>;
}

export interface Bag {
  readonly name: string;
  readonly payload: readonly PayloadFile[];
  /** Labels and values for bag-info.txt; Payload-Oxum is added. */
  readonly info: readonly (readonly [string, string])[];
  /** Modification time of every file in the bag. */
  readonly madeOn: Date;
}

/** Bytes that a name may have on the file systems that an archive may use; a number and a hyphen stand before it. */
const longestPart = 240;
/** An ending that is worth keeping when a name is cut. */
const ending = /\.[\p{L}\p{N}]{1,10}$/u;

/**
 * A part of a path in a bag: what would confuse a manifest or a file system becomes an underscore (RFC 8493 §2.1.3), and what is
 * too long for one is cut before its ending.
 */
export function safePart(name: string): string {
  const safe = name.normalize('NFC').replace(/[\p{Cc}\p{Cs}\p{Noncharacter_Code_Point}/\\:*?"<>|%]/gu, '_');
  if (/^\.+$/.test(safe) || safe === '') return '_';
  if (Buffer.byteLength(safe) <= longestPart) return safe;
  const end = ending.exec(safe)?.[0] ?? '';
  let stem = [...safe.slice(0, safe.length - end.length)];
  while (Buffer.byteLength(stem.join('')) + Buffer.byteLength(end) > longestPart) stem = stem.slice(0, -1);
  return stem.join('') + end;
}

/** A text as the bytes of a file. */
export async function* text(content: string | Promise<string>): AsyncGenerator<Uint8Array> {
  yield Buffer.from(await content);
}

/** Passes bytes on and tells at their end what they were. */
async function* measured(source: AsyncIterable<Uint8Array>, tell: (fixity: Fixity) => void): AsyncGenerator<Uint8Array> {
  const hash = createHash('sha256');
  let size = 0;
  for await (const piece of source) {
    hash.update(piece);
    size += piece.length;
    yield piece;
  }
  tell({ sha256: hash.digest('hex'), size });
}

const manifest = (files: ReadonlyMap<string, Fixity>): string => [...files].map(([path, { sha256 }]) => `${sha256}  ${path}\n`).join('');

/** Octets and number of payload files (RFC 8493 §2.2.2). */
const oxum = (payload: ReadonlyMap<string, Fixity>): string =>
  `${[...payload.values()].reduce((sum, f) => sum + f.size, 0)}.${payload.size}`;

function bagInfo(bag: Bag, payload: ReadonlyMap<string, Fixity>): string {
  const lines = [...bag.info, ['Payload-Oxum', oxum(payload)] as const];
  // A value never spans lines here, so nothing has to be folded (RFC 8493 §2.2.2).
  return lines.map(([label, value]) => `${label}: ${value.replace(/\s+/g, ' ')}\n`).join('');
}

/**
 * Writes a bag (BagIt 1.0, RFC 8493) as a ZIP stream: each file is read once, hashed on its way, and the manifests
 * follow at the end. Fails as a whole when one file cannot be read. `tell` hears what it holds before the end.
 */
export function packBag(
  bag: Bag,
  tell: (summary: { readonly payloadOxum: string; readonly files: number }) => void = () => undefined,
): Readable {
  const zip = new ZipFile();
  const payload = new Map<string, Fixity>();
  const tags = new Map<string, Fixity>();
  const out = zip.outputStream as Readable;
  const fail = (error: Error): void => void out.destroy(error);
  zip.on('error', fail);
  const add = (
    path: string,
    into: Map<string, Fixity> | null,
    open: () => AsyncIterable<Uint8Array> | Promise<AsyncIterable<Uint8Array>>,
  ): void => {
    zip.addReadStreamLazy(`${bag.name}/${path}`, { mtime: bag.madeOn, mode: 0o100644, compress: true }, (done) => {
      Promise.resolve()
        .then(open)
        .then(
          (source) => {
            const stream = Readable.from(
              measured(source, (fixity) => into?.set(path, fixity)),
              { objectMode: false },
            );
            // yazl pipes it and does not look at its errors: a file that breaks off breaks the whole bag.
            stream.on('error', fail);
            done(null, stream);
          },
          (error: Error) => fail(error),
        );
    });
  };
  add('bagit.txt', tags, () => text('BagIt-Version: 1.0\nTag-File-Character-Encoding: UTF-8\n'));
  for (const file of bag.payload) add(`data/${file.path}`, payload, () => file.open(payload));
  add('bag-info.txt', tags, () => {
    tell({ payloadOxum: oxum(payload), files: payload.size });
    return text(bagInfo(bag, payload));
  });
  add('manifest-sha256.txt', tags, () => text(manifest(payload)));
  add('tagmanifest-sha256.txt', null, () => text(manifest(tags)));
  zip.end();
  return out;
}
