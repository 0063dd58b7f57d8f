import type { Readable } from 'node:stream';
import yauzl, { type Entry, type ZipFile } from 'yauzl';

/** One file or folder (its name ends with a slash) in a ZIP archive. */
export interface ZipPart {
  readonly name: string;
  /** How many bytes it says it unpacks to. */
  readonly size: number;
  open(): Promise<Readable>;
}

const options = { lazyEntries: true, autoClose: false } as const;

function opened(source: Buffer | string): Promise<ZipFile> {
  return new Promise((resolve, reject) => {
    const done = (error: Error | null, zip?: ZipFile): void => (zip ? resolve(zip) : reject(error ?? new Error('no archive')));
    if (typeof source === 'string') yauzl.open(source, options, done);
    else yauzl.fromBuffer(source, options, done);
  });
}

function next(zip: ZipFile): Promise<Entry | null> {
  return new Promise((resolve, reject) => {
    const settle = (act: () => void): void => {
      zip.removeAllListeners();
      act();
    };
    zip.once('entry', (entry: Entry) => settle(() => resolve(entry)));
    zip.once('end', () => settle(() => resolve(null)));
    zip.once('error', (error: Error) => settle(() => reject(error)));
    zip.readEntry();
  });
}

async function* partsOf(zip: ZipFile): AsyncGenerator<ZipPart> {
  for (let entry; (entry = await next(zip));) {
    const at = entry;
    yield {
      name: at.fileName,
      size: at.uncompressedSize,
      open: () => new Promise((resolve, reject) => zip.openReadStream(at, (error, stream) => (error ? reject(error) : resolve(stream)))),
    };
  }
}

/**
 * Works through the parts of a ZIP archive (APPNOTE.TXT §4.3), in a buffer or at a path, one after another in the order of its
 * directory; they can be opened until the work ends. Rejects with an Error what is no archive, is damaged, or holds names
 * with “..”, absolute ones and those with backslashes.
 *
 *     const size = await withZip(bytes, async (parts) => { let n = 0; for await (const p of parts) n += p.size; return n; });
 */
export async function withZip<T>(source: Buffer | string, work: (parts: AsyncIterable<ZipPart>) => Promise<T>): Promise<T> {
  const zip = await opened(source);
  try {
    return await work(partsOf(zip));
  } finally {
    zip.close();
  }
}
