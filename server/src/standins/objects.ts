import { createHash, createHmac, randomBytes, timingSafeEqual, type Hash, type Hmac } from 'node:crypto';
import { appendFile, mkdir, open, readdir, readFile, rename, rm, stat, writeFile } from 'node:fs/promises';
import { join } from 'node:path';
import { Readable } from 'node:stream';
import { SignatureV4 } from '@smithy/signature-v4';
import { Hono } from 'hono';
import { bodyLimit } from 'hono/body-limit';
import { uuidv7 } from 'uuidv7';
import { keepKey, keptKey, type ObjectsConfig } from '../kernel/index.js';
import { serveStandIn, type StandIn } from './listen.js';

const region = 'us-east-1';
const bucket = 'key-cellar';
const accessKeyId = 'key-cellar';
const lockDays = 180;
/** More than a client sends in one piece. */
const largestPiece = 16 * 1024 * 1024;
const versionsListed = 1000;
/** A signature counts for so long (AWS Signature Version 4). */
const signatureMs = 15 * 60_000;

const hex = (bytes: Uint8Array): string => Buffer.from(bytes).toString('hex');
const md5 = (bytes: Uint8Array): string => createHash('md5').update(bytes).digest('hex');

/** node:crypto in the shape in which a signer asks for it. */
class Sha256 {
  private readonly hash: Hash | Hmac;
  constructor(secret?: string | ArrayBuffer | ArrayBufferView) {
    this.hash = secret === undefined ? createHash('sha256') : createHmac('sha256', secret as string | Uint8Array);
  }
  update(data: string | Uint8Array): void {
    this.hash.update(data);
  }
  digest(): Promise<Uint8Array> {
    return Promise.resolve(this.hash.digest());
  }
  reset(): void {
    throw new Error('A hash is made once.');
  }
}

/** Whether a request is signed by who has the secret (AWS Signature Version 4), not long ago, with the body that came. */
async function isSigned(request: Request, body: Uint8Array, secretAccessKey: string): Promise<boolean> {
  const given = request.headers.get('authorization') ?? '';
  const signedHeaders = /SignedHeaders=([^,]+)/.exec(given)?.[1]?.split(';') ?? [];
  const date = (request.headers.get('x-amz-date') ?? '').replace(/^(\d{4})(\d\d)(\d\d)T(\d\d)(\d\d)(\d\d)Z$/, '$1-$2-$3T$4:$5:$6Z');
  const signingDate = new Date(date);
  if (!(Math.abs(Date.now() - signingDate.getTime()) < signatureMs)) return false;
  if (request.headers.get('x-amz-content-sha256') !== hex(createHash('sha256').update(body).digest())) return false;
  const { protocol, hostname, pathname, searchParams } = new URL(request.url);
  const credentials = { accessKeyId, secretAccessKey };
  const signer = new SignatureV4({ credentials, region, service: 's3', sha256: Sha256, uriEscapePath: false, applyChecksum: false });
  const headers = Object.fromEntries(signedHeaders.map((name) => [name, request.headers.get(name) ?? '']));
  const signed = await signer.sign(
    { method: request.method, protocol, hostname, path: pathname, query: Object.fromEntries(searchParams), headers },
    { signingDate, signableHeaders: new Set(signedHeaders) },
  );
  const [mine, theirs] = [signed.headers['authorization'] ?? '', given].map((text) => createHash('sha256').update(text).digest());
  return timingSafeEqual(mine!, theirs!);
}

/** Versions of objects as files in a folder: the bytes, and until when a version is locked. */
function versionsIn(folder: string) {
  const folderOf = (key: string): string => join(folder, encodeURIComponent(key));
  const fileOf = (key: string, version: string): string => join(folderOf(key), version);
  const lockOf = (key: string, version: string): string => `${fileOf(key, version)}.lock`;
  const isVersion = (name: string): boolean => /^[0-9a-f-]{36}$/.test(name);
  const versions = async (key: string): Promise<string[]> => (await readdir(folderOf(key)).catch(() => [])).filter(isVersion).sort();
  const lockedUntil = async (key: string, version: string): Promise<Date> =>
    new Date(await readFile(lockOf(key, version), 'utf8').catch(() => 0));
  return {
    versions,
    lockedUntil,
    /** Null when there is no such version. */
    async find(key: string, version: string | undefined): Promise<{ version: string; path: string; size: number } | null> {
      const found = version ?? (await versions(key)).at(-1);
      if (found === undefined || !isVersion(found)) return null;
      const path = fileOf(key, found);
      const size = (await stat(path).catch(() => null))?.size;
      return size === undefined ? null : { version: found, path, size };
    },
    async put(key: string, write: (path: string) => Promise<void>): Promise<string> {
      await mkdir(folderOf(key), { recursive: true, mode: 0o700 });
      const version = uuidv7();
      const begun = `${fileOf(key, version)}.begun`;
      await write(begun);
      await rename(begun, fileOf(key, version));
      return version;
    },
    /** False when the version is locked for longer. */
    async lock(key: string, version: string, until: Date): Promise<boolean> {
      if ((await lockedUntil(key, version)) > until) return false;
      await writeFile(lockOf(key, version), until.toISOString(), { mode: 0o600 });
      return true;
    },
    /** False when it is locked. */
    async remove(key: string, version: string): Promise<boolean> {
      if ((await lockedUntil(key, version)) > new Date()) return false;
      await rm(fileOf(key, version), { force: true });
      await rm(lockOf(key, version), { force: true });
      return true;
    },
  };
}

const refusals = {
  AccessDenied: [403, 'Access denied.'],
  SignatureDoesNotMatch: [403, 'The request was not signed with the secret of this key.'],
  NoSuchKey: [404, 'There is no such object.'],
  NoSuchUpload: [404, 'There is no such upload.'],
  InvalidPart: [400, 'A part is not what was sent.'],
  InvalidRange: [416, 'The object does not reach so far.'],
  MethodNotAllowed: [405, 'This store does not know that.'],
} as const;

const xml = (body: string, status = 200, headers: Record<string, string> = {}): Response =>
  new Response(`<?xml version="1.0" encoding="UTF-8"?>\n${body}`, { status, headers: { 'content-type': 'application/xml', ...headers } });

function refusal(code: keyof typeof refusals): Response {
  const [status, message] = refusals[code];
  return xml(`<Error><Code>${code}</Code><Message>${message}</Message></Error>`, status);
}

export interface ObjectStandIn extends StandIn {
  readonly reached: ObjectsConfig;
}

/**
 * An object store with versions and locks, in place of one that somebody else runs: as much of S3’s REST interface as contents need, with one
 * bucket and one key. Every version stays until it is deleted by its name, and one that is locked (compliance mode) cannot be, nor can its
 * lock be made shorter. All of it stays in `folder`.
 */
export async function startObjects(folder: string, where: { port: number; host: string } | null = null): Promise<ObjectStandIn> {
  await mkdir(join(folder, 'uploads'), { recursive: true, mode: 0o700 });
  // One that is there already stays.
  await keepKey(folder, 'secret', randomBytes(30).toString('base64url'));
  const secretAccessKey = await keptKey(folder, 'secret');
  const versions = versionsIn(join(folder, bucket));
  const uploadOf = (id: string): string => join(folder, 'uploads', encodeURIComponent(id));
  const partOf = (upload: string, number: string): string => join(uploadOf(upload), encodeURIComponent(number));
  const etag = (bytes: Uint8Array): string => `"${md5(bytes)}"`;

  async function get(key: string, version: string | undefined, range: string | null): Promise<Response> {
    const found = await versions.find(key, version);
    if (!found) return refusal('NoSuchKey');
    const [, first = '0', last] = /^bytes=(\d+)-(\d*)$/.exec(range ?? '') ?? [];
    const [from, to] = [Number(first), last ? Math.min(Number(last), found.size - 1) : found.size - 1];
    if (from > to) return refusal('InvalidRange');
    const file = await open(found.path);
    const body = Readable.toWeb(file.createReadStream({ start: from, end: to })) as ReadableStream;
    return new Response(body, {
      status: range === null ? 200 : 206,
      headers: {
        'content-length': String(to - from + 1),
        'x-amz-version-id': found.version,
        ...(range === null ? {} : { 'content-range': `bytes ${from}-${to}/${found.size}` }),
      },
    });
  }

  async function complete(key: string, upload: string, told: string): Promise<Response> {
    const parts = [...told.matchAll(/<Part>(.*?)<\/Part>/gs)].map(([, part = '']) => ({
      number: /<PartNumber>(\d+)</.exec(part)?.[1] ?? '',
      etag: (/<ETag>(.*?)</.exec(part)?.[1] ?? '').replace(/&quot;|"/g, ''),
    }));
    for (const part of parts) {
      const bytes = await readFile(partOf(upload, part.number)).catch(() => null);
      if (!bytes || md5(bytes) !== part.etag) return refusal('InvalidPart');
    }
    const version = await versions.put(key, async (path) => {
      for (const part of parts) await appendFile(path, await readFile(partOf(upload, part.number)), { mode: 0o600 });
    });
    await rm(uploadOf(upload), { recursive: true });
    return xml(`<CompleteMultipartUploadResult><Bucket>${bucket}</Bucket><Key>${key}</Key></CompleteMultipartUploadResult>`, 200, {
      'x-amz-version-id': version,
    });
  }

  async function list(prefix: string): Promise<Response> {
    const lines = (await versions.versions(prefix))
      .slice(0, versionsListed)
      .map((id) => `<Version><Key>${prefix}</Key><VersionId>${id}</VersionId></Version>`);
    return xml(`<ListVersionsResult><Name>${bucket}</Name>${lines.join('')}</ListVersionsResult>`);
  }

  const app = new Hono();
  app.use(bodyLimit({ maxSize: largestPiece }));
  app.all(`/${bucket}/:key{.*}?`, async (context) => {
    const { raw: request, method } = context.req;
    const body = new Uint8Array(await request.clone().arrayBuffer());
    if (!(await isSigned(request, body, secretAccessKey))) return refusal('SignatureDoesNotMatch');
    const key = decodeURIComponent(context.req.param('key') ?? '');
    const query = context.req.query();
    const { uploadId, partNumber, versionId } = query;
    const text = (): string => Buffer.from(body).toString('utf8');
    if (key === '') return method === 'GET' && 'versions' in query ? list(query['prefix'] ?? '') : refusal('MethodNotAllowed');
    if (method === 'GET') return get(key, versionId, request.headers.get('range'));
    if (method === 'POST' && 'uploads' in query) {
      const id = uuidv7();
      await mkdir(uploadOf(id), { mode: 0o700 });
      return xml(
        `<InitiateMultipartUploadResult><Bucket>${bucket}</Bucket><Key>${key}</Key><UploadId>${id}</UploadId></InitiateMultipartUploadResult>`,
      );
    }
    if (uploadId !== undefined && !(await stat(uploadOf(uploadId)).catch(() => null))) return refusal('NoSuchUpload');
    if (method === 'PUT' && uploadId !== undefined && partNumber !== undefined) {
      await writeFile(partOf(uploadId, partNumber), body, { mode: 0o600 });
      return new Response(null, { headers: { etag: etag(body) } });
    }
    if (method === 'POST' && uploadId !== undefined) return complete(key, uploadId, text());
    if (method === 'DELETE' && uploadId !== undefined) {
      await rm(uploadOf(uploadId), { recursive: true });
      return new Response(null, { status: 204 });
    }
    if (method === 'PUT' && 'retention' in query) {
      const found = await versions.find(key, versionId);
      const until = new Date(/<RetainUntilDate>(.*?)</.exec(text())?.[1] ?? '');
      if (!found || Number.isNaN(until.getTime())) return refusal('NoSuchKey');
      return (await versions.lock(key, found.version, until)) ? new Response(null) : refusal('AccessDenied');
    }
    if (method === 'PUT') {
      const version = await versions.put(key, (path) => writeFile(path, body, { mode: 0o600 }));
      return new Response(null, { headers: { etag: etag(body), 'x-amz-version-id': version } });
    }
    if (method === 'DELETE' && versionId !== undefined) {
      return (await versions.remove(key, versionId)) ? new Response(null, { status: 204 }) : refusal('AccessDenied');
    }
    return refusal('MethodNotAllowed');
  });
  const standIn = await serveStandIn(app, where ?? undefined);
  return { ...standIn, reached: { url: standIn.url, region, bucket, accessKeyId, secretAccessKey, lockDays } };
}
