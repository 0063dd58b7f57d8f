import { Readable } from 'node:stream';
import {
  DeleteObjectCommand,
  GetObjectCommand,
  ListObjectVersionsCommand,
  PutObjectRetentionCommand,
  S3Client,
  S3ServiceException,
} from '@aws-sdk/client-s3';
import { Upload } from '@aws-sdk/lib-storage';
import { message } from '@key-cellar/words';
import { Away, type ObjectsConfig } from '../kernel/index.js';
import type { Objects } from './objects.js';

/** Bytes that are sent in one piece; a multiple of no chunk, for the store does not know of chunks. */
const partBytes = 8 * 1024 * 1024;
const partsAtOnce = 2;
const tries = 3;
const timeLimitMs = 60_000;

const nameOf = (id: string): string => `contents/${id}`;

/** Null when what is asked for is not there, as against a store that cannot be asked. */
async function unlessAbsent<T>(answer: Promise<T>): Promise<T | null> {
  try {
    return await answer;
  } catch (error) {
    if (error instanceof S3ServiceException && ['NoSuchKey', 'NoSuchVersion', 'InvalidRange'].includes(error.name)) return null;
    throw error;
  }
}

/** A store that does not answer, or refuses, says nothing about what it keeps. */
const away = (cause: unknown): Away => new Away('object-store-away', message('records.objectStoreAway'), cause);

async function asked<T>(work: () => Promise<T>): Promise<T> {
  try {
    return await work();
  } catch (error) {
    throw away(error);
  }
}

/** Bytes as a source gives them; `failed` hears of its own mistakes, so that they are told from those of the store. */
async function* watched(source: AsyncIterable<Buffer>, failed: (error: unknown) => void): AsyncGenerator<Buffer> {
  try {
    yield* source;
  } catch (error) {
    failed(error);
    throw error;
  }
}

/** An object store that is spoken to by S3. */
export function s3Objects({ url, region, bucket, accessKeyId, secretAccessKey, lockDays }: ObjectsConfig): Objects {
  // Later versions of the client want a later Node.js; this one is pinned, and who runs the server can do nothing about it.
  process.env['AWS_SDK_JS_NODE_VERSION_SUPPORT_WARNING_DISABLED'] ??= 'true';
  const client = new S3Client({
    endpoint: url,
    region,
    forcePathStyle: true,
    credentials: { accessKeyId, secretAccessKey },
    maxAttempts: tries,
    requestHandler: { requestTimeout: timeLimitMs, connectionTimeout: timeLimitMs / 10 },
    // Every chunk has a fingerprint and a tag of its own; what only some stores know is left out.
    requestChecksumCalculation: 'WHEN_REQUIRED',
    responseChecksumValidation: 'WHEN_REQUIRED',
  });
  const at = (id: string): { Bucket: string; Key: string } => ({ Bucket: bucket, Key: nameOf(id) });

  return {
    lockDays,
    async put(id, source) {
      const mistakes: unknown[] = [];
      try {
        const Body = Readable.from(watched(source, (error) => mistakes.push(error)));
        const { VersionId } = await new Upload({ client, params: { ...at(id), Body }, partSize: partBytes, queueSize: partsAtOnce }).done();
        if (!VersionId) throw new Error(`The bucket ${bucket} keeps no versions.`);
        return VersionId;
      } catch (error) {
        throw mistakes.length > 0 ? mistakes[0] : away(error);
      }
    },
    async *read(id, version, from) {
      const get = new GetObjectCommand({ ...at(id), VersionId: version, Range: `bytes=${from}-` });
      const found = await asked(() => unlessAbsent(client.send(get)));
      if (!found) return;
      const body = found.Body as Readable;
      const pieces = body[Symbol.asyncIterator]() as AsyncIterator<Buffer>;
      try {
        for (;;) {
          const piece = await asked(() => pieces.next());
          if (piece.done) return;
          yield piece.value;
        }
      } finally {
        body.destroy();
      }
    },
    lock: (id, version, until) =>
      asked(async () => {
        const Retention = { Mode: 'COMPLIANCE', RetainUntilDate: until } as const;
        const put = new PutObjectRetentionCommand({ ...at(id), VersionId: version, Retention });
        return (await unlessAbsent(client.send(put))) !== null;
      }),
    remove: (id) =>
      asked(async () => {
        const { Key } = at(id);
        const found = await client.send(new ListObjectVersionsCommand({ Bucket: bucket, Prefix: Key }));
        try {
          for (const { VersionId } of [...(found.Versions ?? []), ...(found.DeleteMarkers ?? [])]) {
            await client.send(new DeleteObjectCommand({ ...at(id), VersionId }));
          }
          return true;
        } catch (error) {
          if (error instanceof S3ServiceException && error.name === 'AccessDenied') return false;
          throw error;
        }
      }),
    close: () => client.destroy(),
  };
}
