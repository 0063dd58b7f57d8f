import {
  checkpointText,
  consistencyPath,
  cosignedText,
  noteKeyId,
  noteKinds,
  noteText,
  parseCheckpoint,
  parseNote,
  parseVerifierKey,
  readCosignature,
  type Checkpoint,
} from '@key-cellar/core/ledger';
import type pg from 'pg';
import { message, told, type Message } from '@key-cellar/words';
import { inEnglish, inOwnTransaction, type Db } from '../kernel/index.js';
import { rawSignatureHolds, signingKey } from './keys.js';
import * as store from './store.js';
import { overTiles, sha256 } from './tiles.js';

/** The witness, under what name it knows the ledger, and whose cosignature counts. */
export interface WitnessAt {
  readonly witnessUrl: string;
  /** As notes name it (C2SP signed-note). */
  readonly witnessKey: string;
  readonly ledgerName: string;
  readonly keysDir: string;
}

/** The witness saw something that this ledger is not: the message says what. */
/** Others saw another history than this one. */
export class Disagreement extends Error {
  constructor(readonly said: Message) {
    super(inEnglish(said));
  }
}

const patienceMs = 10_000;

/** The name of this ledger in checkpoints. */
export const originOf = (ledgerName: string): string => `key-cellar/${ledgerName.replace(/[^\w.-]/g, '-')}`;

export interface Witnessed {
  readonly checkpoint: Checkpoint;
  readonly witness: string;
  readonly at: Date;
}

/** What a note says that the witness cosigned; null when that witness did not. */
export function witnessedBy(note: string, witnessKey: string): Witnessed | null {
  const key = parseVerifierKey(witnessKey, sha256);
  const parsed = parseNote(note);
  const checkpoint = parsed && parseCheckpoint(parsed.text);
  if (key?.kind !== noteKinds.cosignature || !checkpoint) return null;
  const keyId = Buffer.from(noteKeyId(key.name, key.kind, key.publicKey, sha256));
  for (const line of parsed.signatures) {
    const read = line.name === key.name && keyId.equals(line.keyId) ? readCosignature(line.signature) : null;
    if (read && rawSignatureHolds(key.publicKey, cosignedText(parsed.text, read.seconds), read.signature)) {
      return { checkpoint, witness: key.name, at: new Date(read.seconds * 1000) };
    }
  }
  return null;
}

async function post(url: string, body: string, at: string, type = 'text/plain'): Promise<{ status: number; text: string }> {
  const response = await fetch(url, {
    method: 'POST',
    headers: { 'content-type': type, 'x-repository-time': at },
    body,
    signal: AbortSignal.timeout(patienceMs),
  });
  return { status: response.status, text: await response.text() };
}

/** Tells the witness of this ledger: its name, and its keys in the order in which they took over. */
async function enrol(db: Db, { witnessUrl }: WitnessAt, origin: string, at: string): Promise<void> {
  for (const key of await store.keyLine(db)) {
    const introduction = { origin, key: key.public_key, handover: key.handover?.toString('base64') ?? null };
    const { status, text } = await post(`${witnessUrl}/keys`, JSON.stringify(introduction), at, 'application/json');
    if (status !== 200) throw new Disagreement(told(text.trim()));
  }
}

async function cosignNewest(db: Db, at: WitnessAt): Promise<void> {
  const head = await store.newestHead(db);
  if (!head || head.note !== null) return;
  const origin = originOf(at.ledgerName);
  const text = checkpointText({ origin, size: head.size, root: head.root });
  const key = await signingKey(db, at.keysDir);
  const line = { name: origin, keyId: noteKeyId(origin, noteKinds.ed25519, key.publicKey, sha256), signature: key.sign(text) };
  const note = noteText({ text, signatures: [line] });
  let seen = (await store.newestWitnessed(db)) ?? 0;
  let introduced = false;
  for (let tries = 0; tries < 4; tries++) {
    const proof = seen === 0 ? [] : await overTiles(db, (hash) => consistencyPath(seen, head.size, hash));
    const lines = proof.map((hash) => `${Buffer.from(hash).toString('base64')}\n`).join('');
    const answer = await post(`${at.witnessUrl}/add-checkpoint`, `old ${seen}\n${lines}\n${note}`, head.signed_text);
    if (answer.status === 200) {
      const cosigned = note + answer.text;
      const witnessed = witnessedBy(cosigned, at.witnessKey);
      if (!witnessed) throw new Disagreement(message('ledger.otherWitness'));
      await store.addWitness(db, { size: head.size, note: cosigned, witness: witnessed.witness, at: witnessed.at });
      return;
    }
    const size = Number(answer.text);
    if (answer.status === 409 && Number.isSafeInteger(size)) {
      if (size > head.size) {
        throw new Disagreement(message('ledger.witnessSawEntriesNewest', { size, total: head.size }));
      }
      seen = size;
    } else if ((answer.status === 404 || answer.status === 403) && !introduced) {
      introduced = true;
      await enrol(db, at, origin, head.signed_text);
    } else if (answer.status === 422) {
      throw new Disagreement(message('ledger.doesNotExtend', { size: head.size, seen }));
    } else if (answer.status === 403) {
      throw new Disagreement(message('ledger.witnessKnowsOtherKey'));
    } else {
      throw new Error(`The witness answered ${answer.status}.`);
    }
  }
  throw new Error('The witness sees other heads at the same time.');
}

/**
 * Has the newest head cosigned, unless it is. Throws {@link Disagreement} when the witness saw a tree that this one does not
 * extend, and anything else when it cannot be reached. One thread or app server at a time.
 */
export async function witnessNewest(pool: pg.Pool, at: WitnessAt): Promise<void> {
  await inOwnTransaction(pool, async (db) => {
    await store.lockWitness(db);
    await cosignNewest(db, at);
  });
}

/** Lines of the witness's own file about this ledger, oldest first. Rejects when it cannot be reached. */
export async function* witnessFile({ witnessUrl, ledgerName }: WitnessAt): AsyncGenerator<string> {
  const response = await fetch(`${witnessUrl}/seen?origin=${encodeURIComponent(originOf(ledgerName))}`, {
    signal: AbortSignal.timeout(30 * patienceMs),
  });
  if (!response.ok || !response.body) throw new Error(`The witness answered ${response.status}.`);
  let rest = '';
  for await (const piece of response.body.pipeThrough(new TextDecoderStream())) {
    const lines = (rest + piece).split('\n');
    rest = lines.pop()!;
    yield* lines;
  }
}

/** A line of a witness's file. */
export type WitnessLine =
  | { readonly kind: 'key'; readonly origin: string; readonly key: string; readonly handover: string | null; readonly at: string }
  | {
      readonly kind: 'head';
      readonly origin: string;
      readonly size: number;
      readonly root: string;
      readonly note: string;
      readonly at: string;
    }
  /** Its keeper wrote that the tree was put back to an earlier state, and why. */
  | { readonly kind: 'put back'; readonly origin: string; readonly size: number; readonly why: string; readonly at: string };
