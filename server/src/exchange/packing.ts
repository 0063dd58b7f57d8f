import { createHash } from 'node:crypto';
import type { Readable } from 'node:stream';
import { buffer } from 'node:stream/consumers';
import { packageFormat, packageManifest, packageVersion, sectionNames, type PackageManifest, type SectionName } from '@key-cellar/contract';
import { message, type Message } from '@key-cellar/words';
import yazl from 'yazl';
import { Problem, task, withZip } from '../kernel/index.js';
import type { Wire } from './bringing.js';

/** What a package may unpack to, whatever its directory says. */
const mostMb = 64;
/** A manifest and the sections; a few more may be of a later version. */
const mostFiles = 40;
/** Stencils and criteria nest, and no deeper than this. */
const deepest = 80;

const manifestFile = 'manifest.json';
export const fileOf = (section: SectionName): string => `${section}.json`;
const sha256 = (bytes: Buffer): string => createHash('sha256').update(bytes).digest('hex');
/** Every file has the same day, so that the same things make the same bytes. */
const mtime = new Date(1980, 0, 1);

export type PackageItems = Readonly<Partial<Record<SectionName, readonly Wire[]>>>;

const written = (value: unknown): Buffer => Buffer.from(`${JSON.stringify(value, null, 2)}\n`);

/**
 * Writes a package: a ZIP (APPNOTE.TXT) of JSON files (RFC 8259) that people can read, one a section, and a manifest with the SHA-256 of each.
 * The same items make the same bytes.
 */
export async function pack(items: PackageItems): Promise<Buffer> {
  const zip = new yazl.ZipFile();
  const files = sectionNames.map((name) => ({ name, of: items[name] ?? [], bytes: written(items[name] ?? []) }));
  const manifest: PackageManifest = {
    format: packageFormat,
    version: packageVersion,
    sections: files.map(({ name, of, bytes }) => ({ name, file: fileOf(name), items: of.length, sha256: sha256(bytes) })),
  };
  zip.addBuffer(written(manifest), manifestFile, { mtime, mode: 0o100644 });
  for (const { name, bytes } of files) zip.addBuffer(bytes, fileOf(name), { mtime, mode: 0o100644 });
  zip.end();
  return buffer(zip.outputStream as Readable);
}

const noPackage = (why: Message): Problem => new Problem(422, 'no-package', message('exchange.noPackage', { why }));

function parsed(bytes: Buffer, file: string): unknown {
  let depth = 0;
  for (let at = 0, quoted = false; at < bytes.length; at++) {
    const byte = bytes[at];
    if (quoted) {
      if (byte === 0x5c) at++;
      else if (byte === 0x22) quoted = false;
    } else if (byte === 0x22) quoted = true;
    else if (byte === 0x5b || byte === 0x7b) depth++;
    else if (byte === 0x5d || byte === 0x7d) depth--;
    if (depth > deepest) throw noPackage(message('exchange.tooDeep', { file }));
  }
  try {
    return JSON.parse(new TextDecoder('utf-8', { fatal: true }).decode(bytes));
  } catch {
    throw noPackage(message('exchange.damagedFile', { file }));
  }
}

/** Runs in a thread that can be ended. Throws a problem that says what is wrong with the package. */
export async function itemsOf({ bytes: given }: { readonly bytes: Uint8Array }): Promise<PackageItems> {
  const files = new Map<string, Buffer>();
  let left = mostMb * 1024 * 1024;
  await withZip(Buffer.from(given.buffer, given.byteOffset, given.byteLength), async (parts) => {
    for await (const part of parts) {
      if (files.size >= mostFiles) throw noPackage(message('exchange.tooManyFiles'));
      const pieces: Buffer[] = [];
      for await (const piece of await part.open()) {
        left -= (piece as Buffer).length;
        if (left < 0) throw noPackage(message('exchange.tooLarge', { most: mostMb }));
        pieces.push(piece as Buffer);
      }
      files.set(part.name, Buffer.concat(pieces));
    }
  }).catch((error: unknown) => {
    throw error instanceof Problem ? error : noPackage(message('exchange.damagedFile', { file: 'ZIP' }));
  });
  const head = files.get(manifestFile);
  if (!head) throw noPackage(message('exchange.missingFile', { file: manifestFile }));
  const told = parsed(head, manifestFile) as { version?: unknown } | null;
  if (typeof told?.version === 'number' && told.version > packageVersion)
    throw noPackage(message('exchange.newerVersion', { version: String(told.version), known: String(packageVersion) }));
  const manifest = packageManifest.safeParse(told);
  if (!manifest.success) throw noPackage(message('exchange.damagedFile', { file: manifestFile }));
  return Object.fromEntries(
    manifest.data.sections.map(({ name, file, items, sha256: expected }) => {
      const bytes = files.get(file);
      if (!bytes) throw noPackage(message('exchange.missingFile', { file }));
      const list = parsed(bytes, file);
      const sound =
        Array.isArray(list) && list.length === items && list.every((one) => typeof one === 'object' && one !== null && !Array.isArray(one));
      if (!sound || sha256(bytes) !== expected) throw noPackage(message('exchange.damagedFile', { file }));
      return [name, list as Wire[]];
    }),
  );
}

export const readingPackage = task<{ readonly bytes: Uint8Array }, PackageItems>('package', { patienceMs: 30_000 });
