import { createHash, createPublicKey, randomUUID, sign } from 'node:crypto';
import { createWriteStream } from 'node:fs';
import { appendFile, readFile, rename, rm } from 'node:fs/promises';
import { join } from 'node:path';
import { pipeline } from 'node:stream/promises';
import { canonicalJson } from '@key-cellar/core/ledger';
import { Hono } from 'hono';
import { withZip, type ZipPart } from '../kernel/index.js';
import { serveStandIn, type StandIn } from './listen.js';
import { ownKey } from './ownKey.js';
import { readPackage } from './packageCheck.js';

/** What the archive answers once it has verified a bag. */
interface Accession {
  readonly archive: string;
  readonly accession: string;
  readonly receivedOn: string;
  readonly bag: string;
  readonly bagSha256: string;
  readonly payloadOxum: string;
  readonly files: number;
  /** Ed25519 over the rest in canonical JSON (RFC 8785), as base64. */
  readonly signature: string;
}

export interface Archive extends StandIn {
  /** Its public key as PEM: who signs receipts. */
  readonly key: string;
}

class BadBag extends Error {}

const archiveName = 'Tarrin Sound Archive';

async function digestOf(part: ZipPart): Promise<string> {
  const hash = createHash('sha256');
  await pipeline(await part.open(), hash);
  return hash.digest('hex');
}

async function textOf(part: ZipPart | undefined, name: string): Promise<string> {
  if (!part) throw new BadBag(`${name} is missing.`);
  const pieces: Buffer[] = [];
  for await (const piece of await part.open()) pieces.push(piece as Buffer);
  return Buffer.concat(pieces).toString('utf8');
}

function parseManifest(text: string): Map<string, string> {
  return new Map(
    text
      .split('\n')
      .filter(Boolean)
      .map((line) => {
        const match = /^([0-9a-f]{64}) {2}(.+)$/.exec(line);
        if (!match) throw new BadBag(`A line of a manifest cannot be read: ${line.slice(0, 80)}`);
        return [match[2]!, match[1]!];
      }),
  );
}

/** Checks a serialised bag as RFC 8493 §3 asks of a *valid* one, and that its METS names every payload file. */
async function verifyParts(parts: AsyncIterable<ZipPart>): Promise<{ bag: string; payloadOxum: string; files: number }> {
  const all: ZipPart[] = [];
  for await (const part of parts) all.push(part);
  const bag = all[0]?.name.split('/')[0] ?? '';
  const files = new Map(all.filter((p) => !p.name.endsWith('/')).map((p) => [p.name.slice(bag.length + 1), p]));
  if (!bag || all.some((p) => !p.name.startsWith(`${bag}/`))) throw new BadBag('The package is not one folder.');
  if (!/^BagIt-Version: 1\.0\nTag-File-Character-Encoding: UTF-8\n$/.test(await textOf(files.get('bagit.txt'), 'bagit.txt'))) {
    throw new BadBag('bagit.txt does not say BagIt 1.0 in UTF-8.');
  }
  const manifest = parseManifest(await textOf(files.get('manifest-sha256.txt'), 'manifest-sha256.txt'));
  const tags = parseManifest(await textOf(files.get('tagmanifest-sha256.txt'), 'tagmanifest-sha256.txt'));
  let octets = 0;
  for (const [name, part] of files) {
    if (!name.startsWith('data/')) continue;
    if (!manifest.has(name)) throw new BadBag(`${name} is in the bag and not in its manifest.`);
    octets += part.size;
  }
  for (const [name, sha256] of [...manifest, ...tags]) {
    const part = files.get(name);
    if (!part) throw new BadBag(`${name} is in a manifest and not in the bag.`);
    if ((await digestOf(part)) !== sha256) throw new BadBag(`${name} does not have the fingerprint its manifest says.`);
  }
  const payloadOxum = `${octets}.${manifest.size}`;
  const info = await textOf(files.get('bag-info.txt'), 'bag-info.txt');
  if (!info.includes(`Payload-Oxum: ${payloadOxum}\n`)) throw new BadBag('Payload-Oxum does not say what the bag holds.');
  verifyDescription(await textOf(files.get('data/mets.xml'), 'data/mets.xml'), manifest, files);
  return { bag, payloadOxum, files: manifest.size };
}

/** Reads the description on its own path, and holds it against what is in the bag. */
function verifyDescription(xml: string, manifest: ReadonlyMap<string, string>, files: ReadonlyMap<string, ZipPart>): void {
  const described = (() => {
    try {
      return readPackage(xml);
    } catch (error) {
      throw new BadBag(`mets.xml is not well-formed: ${(error as Error).message}`);
    }
  })();
  for (const [name, sha256] of manifest) {
    if (name === 'data/mets.xml') continue;
    for (const [what, said] of [
      ['METS', described.mets.get(name)],
      ['PREMIS', described.premis.get(name)],
    ] as const) {
      if (!said) throw new BadBag(`mets.xml does not name ${name} (${what}).`);
      if (said.sha256 !== sha256 || said.size !== files.get(name)!.size)
        throw new BadBag(`mets.xml says something else of ${name} (${what}).`);
    }
  }
  for (const name of described.mets.keys()) if (!manifest.has(name)) throw new BadBag(`mets.xml names ${name}, which is not in the bag.`);
  for (const agent of described.linked)
    if (!described.agents.has(agent)) throw new BadBag(`mets.xml does not describe the agent ${agent}.`);
  if (described.empty > 0) throw new BadBag('mets.xml has a record without a file.');
}

async function verifyBag(path: string): ReturnType<typeof verifyParts> {
  try {
    return await withZip(path, verifyParts);
  } catch (error) {
    if (error instanceof BadBag) throw error;
    throw new BadBag(`The package is not a ZIP file that can be read (${(error as Error).message}).`);
  }
}

async function register(folder: string): Promise<Accession[]> {
  const text = await readFile(join(folder, 'accessions.jsonl'), 'utf8').catch(() => '');
  return text
    .split('\n')
    .filter(Boolean)
    .map((line) => JSON.parse(line) as Accession);
}

/**
 * A small archive on loopback, in place of the one that a repository hands records over to. `POST /accessions` takes a
 * bag as ZIP, verifies it, keeps it in `folder` and answers with a signed accession receipt; the same bag again gets the same
 * receipt; a bag that does not verify gets 422 and a sentence.
 */
export async function startArchive(folder: string): Promise<Archive> {
  const key = await ownKey(folder, 'archive');
  const app = new Hono();
  let turn: Promise<unknown> = Promise.resolve();
  const accept = async (temporary: string, sha256: string, receivedOn: string): Promise<Accession> => {
    const known = await register(folder);
    const same = known.find((a) => a.bagSha256 === sha256);
    if (same) return same;
    const verified = await verifyBag(temporary);
    const year = receivedOn.slice(0, 4);
    const number = known.filter((a) => a.accession.includes(` ${year}/`)).length + 1;
    const receipt = {
      archive: archiveName,
      accession: `TSA ${year}/${String(number).padStart(4, '0')}`,
      receivedOn,
      ...verified,
      bagSha256: sha256,
    };
    const accession = { ...receipt, signature: sign(null, Buffer.from(canonicalJson(receipt)), key).toString('base64') };
    await rename(temporary, join(folder, `${sha256}.zip`));
    await appendFile(join(folder, 'accessions.jsonl'), `${JSON.stringify(accession)}\n`);
    return accession;
  };
  app.post('/accessions', async (context) => {
    const temporary = join(folder, `${randomUUID()}.part`);
    try {
      const hash = createHash('sha256');
      const body = context.req.raw.body;
      if (!body) throw new BadBag('Nothing was sent.');
      await pipeline(
        body as unknown as AsyncIterable<Uint8Array>,
        async function* (source: AsyncIterable<Uint8Array>) {
          for await (const piece of source) {
            hash.update(piece);
            yield piece;
          }
        },
        createWriteStream(temporary),
      );
      const receivedOn = context.req.header('x-sent-on') ?? new Date().toISOString().slice(0, 10);
      // One at a time, so that numbers follow each other.
      const mine = turn.then(() => accept(temporary, hash.digest('hex'), receivedOn));
      turn = mine.catch(() => undefined);
      return context.json(await mine, 201);
    } catch (error) {
      if (error instanceof BadBag) return context.json({ detail: error.message }, 422);
      throw error;
    } finally {
      await rm(temporary, { force: true });
    }
  });
  const pem = createPublicKey(key).export({ type: 'spki', format: 'pem' }).toString();
  return { ...(await serveStandIn(app)), key: pem };
}
