import { createHash, createPublicKey, sign, verify, type KeyObject } from 'node:crypto';
import { mkdir, open, truncate } from 'node:fs/promises';
import { join } from 'node:path';
import {
  canonicalJson,
  cosignature,
  cosignedText,
  noteKeyId,
  noteKinds,
  noteText,
  parseCheckpoint,
  parseNote,
  verifierKey,
  verifyConsistency,
  type SignedNote,
} from '@key-cellar/core/ledger';
import { Hono } from 'hono';
import { bodyLimit } from 'hono/body-limit';
import * as z from 'zod';
import { serveStandIn, type StandIn } from './listen.js';
import { ownKey } from './ownKey.js';

const witnessName = 'tarrin-sound-witness';
const sha256 = (data: Uint8Array): Uint8Array => createHash('sha256').update(data).digest();
const rawOf = (key: string | KeyObject): Uint8Array =>
  createPublicKey(key as string)
    .export({ type: 'spki', format: 'der' })
    .subarray(-32);
const largestRequest = 64 * 1024;
const mostProof = 63;

const origin = z.string().min(1).max(200);
const line = z.discriminatedUnion('kind', [
  z.object({ kind: z.literal('key'), origin, key: z.string().max(1000), handover: z.base64().nullable(), at: z.string() }),
  z.object({ kind: z.literal('head'), origin, size: z.int(), root: z.string(), note: z.string(), at: z.string() }),
  /** Its keeper says that a tree was put back to an earlier state, and why. */
  z.object({ kind: z.literal('put back'), origin, size: z.int(), why: z.string().min(1), at: z.string() }),
]);
type WitnessLine = z.infer<typeof line>;

/** What is known of one ledger: its keys and the trees that were cosigned, the newest last. */
interface Known {
  readonly keys: string[];
  trees: { readonly size: number; readonly root: string }[];
}

/** The witness's own file: lines of JSON, one after another, never changed. */
export interface WitnessFile {
  readonly known: ReadonlyMap<string, Known>;
  /** Reads what another process has added meanwhile. */
  catchUp(): Promise<void>;
  append(line: WitnessLine): Promise<void>;
  linesOf(origin: string): Promise<string[]>;
  close(): Promise<void>;
}

/** Opens the file in a folder. What a crash cut short at its end is dropped: it was never answered. */
export async function openWitnessFile(folder: string): Promise<WitnessFile> {
  await mkdir(folder, { recursive: true, mode: 0o700 });
  const path = join(folder, 'witness.jsonl');
  const file = await open(path, 'a+', 0o600);
  const known = new Map<string, Known>();
  let read = 0;
  const learn = (text: string): void => {
    const said = line.parse(JSON.parse(text));
    const had = known.get(said.origin) ?? { keys: [], trees: [] };
    known.set(said.origin, had);
    if (said.kind === 'key') had.keys.push(said.key);
    else if (said.kind === 'head') had.trees.push(said);
    else had.trees = had.trees.filter((tree) => tree.size <= said.size);
  };
  /** The whole lines from byte `from` on. */
  const linesFrom = async (from: number): Promise<{ lines: string[]; bytes: number }> => {
    const { size } = await file.stat();
    const bytes = Buffer.alloc(Math.max(size - from, 0));
    await file.read(bytes, 0, bytes.length, from);
    const end = bytes.lastIndexOf(0x0a) + 1;
    return { lines: bytes.subarray(0, end).toString('utf8').split('\n').filter(Boolean), bytes: end };
  };
  const catchUp = async (): Promise<void> => {
    const { lines, bytes } = await linesFrom(read);
    lines.forEach(learn);
    read += bytes;
  };
  await catchUp();
  if ((await file.stat()).size > read) await truncate(path, read);
  return {
    known,
    catchUp,
    async append(said) {
      await file.appendFile(`${JSON.stringify(line.parse(said))}\n`);
      await file.sync();
      await catchUp();
    },
    linesOf: async (name) => (await linesFrom(0)).lines.filter((text) => (JSON.parse(text) as WitnessLine).origin === name),
    close: () => file.close(),
  };
}

const keyTold = z.object({ origin, key: z.string().max(1000), handover: z.base64().nullable() });

/** Whether the key before signed that this one takes over from it. */
function handedOver(before: string, key: string, handover: string): boolean {
  const succeeds = createHash('sha256').update(before).digest('hex').slice(0, 16);
  return verify(null, Buffer.from(canonicalJson({ v: 1, key, succeeds })), createPublicKey(before), Buffer.from(handover, 'base64'));
}

/** Whether a note carries a signature by this key that holds. */
function signedBy(note: SignedNote, name: string, key: string): boolean {
  const keyId = Buffer.from(noteKeyId(name, noteKinds.ed25519, rawOf(key), sha256));
  return note.signatures.some(
    (s) => s.name === name && keyId.equals(s.keyId) && verify(null, Buffer.from(note.text), createPublicKey(key), s.signature),
  );
}

/** `old SIZE`, a line for each hash of the proof, an empty line, and the checkpoint as a note (C2SP tlog-witness). */
function parseRequest(body: string): { old: number; proof: Uint8Array[]; note: SignedNote } | null {
  const split = body.indexOf('\n\n');
  const [first = '', ...hashes] = body.slice(0, split).split('\n');
  const old = /^old (0|[1-9]\d{0,15})$/.exec(first);
  const note = parseNote(body.slice(split + 2));
  const proof = hashes.map((hash) => Buffer.from(hash, 'base64'));
  if (split < 0 || !old || !note || proof.length > mostProof || proof.some((hash) => hash.length !== 32)) return null;
  return { old: Number(old[1]), proof, note };
}

export interface Witness extends StandIn {
  /** Its key as notes name it (C2SP signed-note). */
  readonly key: string;
}

/**
 * A witness of ledgers (C2SP tlog-witness), in place of one that somebody else runs. `POST /add-checkpoint` cosigns a tree that extends the
 * one it saw before, and answers 409 with the size that it saw, 422 when the proof does not fit, 403 for another key and 404 for a
 * ledger that it was not told of. `POST /keys` tells it of one: the first key that it hears of under a name counts, others must have been
 * handed over to. `GET /seen` gives its file. All of it stays in `folder`. It says the time it is told in `x-repository-time`, so that it
 * agrees with a demo clock.
 */
export async function startWitness(folder: string, where: { port: number; host: string } | null = null): Promise<Witness> {
  const key = await ownKey(folder, 'witness');
  const own = { publicKey: rawOf(key), sign: (text: string): Buffer => sign(null, Buffer.from(text), key) };
  const file = await openWitnessFile(folder);
  const keyId = noteKeyId(witnessName, noteKinds.cosignature, own.publicKey, sha256);
  let turn: Promise<unknown> = Promise.resolve();
  /** One after another, each knowing all that was before. */
  const inTurn = <T>(work: () => Promise<T>): Promise<T> => {
    const mine = turn.then(() => file.catchUp()).then(work);
    turn = mine.catch(() => undefined);
    return mine;
  };
  const toldTime = (header: string | undefined): Date => {
    const told = Date.parse(header ?? '');
    return new Date(Number.isNaN(told) ? Date.now() : told);
  };

  const app = new Hono();
  app.use(bodyLimit({ maxSize: largestRequest }));
  app.get('/key', (context) => context.text(`${verifierKey(witnessName, noteKinds.cosignature, own.publicKey, sha256)}\n`));
  app.get('/seen', async (context) => {
    const lines = await file.linesOf(context.req.query('origin') ?? '');
    return context.text(lines.map((text) => `${text}\n`).join(''));
  });
  app.post('/keys', async (context) => {
    const told = keyTold.safeParse(await context.req.json().catch(() => null));
    if (!told.success) return context.text('That names no key.', 400);
    const { key, handover } = told.data;
    const at = toldTime(context.req.header('x-repository-time')).toISOString();
    return inTurn(async () => {
      const known = file.known.get(told.data.origin);
      if (known?.keys.includes(key)) return context.text('');
      const before = known?.keys.at(-1);
      const follows = before === undefined ? handover === null : handover !== null && handedOver(before, key, handover);
      if (!follows) return context.text('The witness knows this ledger by another key, which did not hand over to this one.', 403);
      await file.append({ kind: 'key', origin: told.data.origin, key, handover, at });
      return context.text('');
    });
  });
  app.post('/add-checkpoint', async (context) => {
    const request = parseRequest(await context.req.text());
    const checkpoint = request && parseCheckpoint(request.note.text);
    if (!checkpoint) return context.text('That is no checkpoint.', 400);
    const at = toldTime(context.req.header('x-repository-time'));
    return inTurn(async () => {
      const { old, proof, note } = request;
      const known = file.known.get(checkpoint.origin);
      if (!known) return context.text('This ledger is not known here.', 404);
      if (!signedBy(note, checkpoint.origin, known.keys.at(-1)!))
        return context.text('The newest key that is known here did not sign that.', 403);
      if (old > checkpoint.size) return context.text('The old tree is larger than the new one.', 400);
      const seen = known.trees.at(-1) ?? { size: 0, root: '' };
      if (old !== seen.size) return context.text(`${seen.size}\n`, 409, { 'content-type': 'text/x.tlog.size' });
      const extends_ =
        old === 0
          ? proof.length === 0
          : verifyConsistency(old, checkpoint.size, Buffer.from(seen.root, 'hex'), checkpoint.root, proof, sha256);
      if (!extends_) return context.text('The new tree does not extend the old one.', 422);
      const seconds = Math.floor(at.getTime() / 1000);
      const signature = cosignature(seconds, own.sign(cosignedText(note.text, seconds)));
      const signatures = [{ name: witnessName, keyId, signature }];
      const cosigned = noteText({ text: note.text, signatures: [...note.signatures, ...signatures] });
      const { size } = checkpoint;
      // Kept before it is answered: what nobody remembers was not seen. The same tree again is no news.
      if (size > seen.size) {
        await file.append({
          kind: 'head',
          origin: checkpoint.origin,
          size,
          root: Buffer.from(checkpoint.root).toString('hex'),
          note: cosigned,
          at: at.toISOString(),
        });
      }
      return context.text(noteText({ text: '', signatures }).slice(1));
    });
  });
  const standIn = await serveStandIn(app, where ?? undefined);
  return {
    ...standIn,
    key: verifierKey(witnessName, noteKinds.cosignature, own.publicKey, sha256),
    async stop() {
      await standIn.stop();
      await turn;
      await file.close();
    },
  };
}
