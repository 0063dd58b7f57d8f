import { canonicalJson, completeSubtrees, leafHash, MerkleFrontier } from '@key-cellar/core/ledger';
import type pg from 'pg';
import type { Logger } from 'pino';
import { message, told, type Message } from '@key-cellar/words';
import { inEnglish, KeyUnusable } from '../kernel/index.js';
import { signingKey } from './keys.js';
import * as store from './store.js';
import { requestTimeStamp } from './timeStamp.js';
import { sha256, tileCollector, tileReader } from './tiles.js';
import { Disagreement, witnessNewest, type WitnessAt } from './witness.js';

const mostPerSeal = 20_000;

/** What a signature is over: canonical JSON of size, root (hex), instant and key. */
export function headText(head: { size: number; root: string; signedAt: string; keyId: string }): string {
  return canonicalJson({ v: 1, size: head.size, root: head.root, signedAt: head.signedAt, keyId: head.keyId });
}

/** The tree in the database is not the one that was signed last: nothing is built on it. */
class TreeChanged extends Disagreement {
  constructor() {
    super(message('ledger.treeChanged'));
  }
}

/**
 * Extends the tree by what was committed since, and signs a tree head when it grew.
 * Takes at most `perSeal` entries. Waits while another app server seals. Returns the new size.
 */
export async function sealOnce(pool: pg.Pool, keysDir: string, perSeal = mostPerSeal): Promise<{ size: number; added: number }> {
  const client = await pool.connect();
  let broken = false;
  try {
    await client.query('begin');
    const state = await store.lockSealState(client);
    const fresh = await store.unsealed(client, state.floor, perSeal);
    // Everything visible up to here is sealed when this is done; a backlog is worked off part by part.
    const reached = fresh.length < perSeal ? Infinity : fresh.at(-1)!.seq;
    const floor = state.settled && reached >= state.next_floor ? state.next_floor : state.floor;
    if (fresh.length === 0) {
      if (floor !== state.floor) await store.writeSealState(client, { size: state.size, floor, nextFloor: state.next_floor });
      await client.query('commit');
      return { size: state.size, added: 0 };
    }
    const reader = tileReader(client);
    const hashes = new Map<string, Uint8Array>();
    for (const { height, index } of completeSubtrees(0, state.size)) {
      hashes.set(`${height}/${index}`, await reader.node(height, index));
    }
    const frontier = MerkleFrontier.restore(state.size, (height, index) => hashes.get(`${height}/${index}`)!, sha256);
    const before = await store.newestHead(client);
    if (before && (before.size !== frontier.size || !before.root.equals(frontier.root()))) throw new TreeChanged();
    const collector = tileCollector();
    for (const entry of fresh) {
      frontier.append(leafHash(Buffer.from(entry.body), sha256), (height, index, hash) =>
        collector.add(height, index, hash, height === 0 ? entry.seq : undefined),
      );
    }
    await store.addToTiles(client, collector.tiles());
    const key = await signingKey(client, keysDir);
    const signedAt = await store.nowText(client);
    const root = frontier.root();
    const text = headText({ size: frontier.size, root: Buffer.from(root).toString('hex'), signedAt, keyId: key.id });
    const signature = key.sign(text);
    await store.addHead(client, { size: frontier.size, root, signedAt, keyId: key.id, signature });
    await store.writeSealState(client, { size: frontier.size, floor, nextFloor: Math.max(fresh.at(-1)!.seq, state.next_floor) });
    await client.query('commit');
    return { size: frontier.size, added: fresh.length };
  } catch (error) {
    await client.query('rollback').catch(() => (broken = true));
    throw error;
  } finally {
    client.release(broken);
  }
}

/** Seals everything that is committed by now. Gives the tree's size. */
async function sealAll(pool: pg.Pool, keysDir: string): Promise<number> {
  for (;;) {
    const result = await sealOnce(pool, keysDir);
    if (result.added < mostPerSeal) return result.size;
  }
}

/** Has the newest head stamped, unless it is. */
async function stampNewest(pool: pg.Pool, { timeAuthorityUrl, timeAuthorityCertificates }: Outside): Promise<void> {
  const head = await store.newestHead(pool);
  if (!head || head.stamp !== null) return;
  const text = headText({ size: head.size, root: head.root.toString('hex'), signedAt: head.signed_text, keyId: head.key_id });
  await store.addStamp(pool, head.size, await requestTimeStamp(timeAuthorityUrl, text, head.signed_text, timeAuthorityCertificates));
}

/** The witness and the time-stamping authority, and where the keys are. */
export interface Outside extends WitnessAt {
  readonly timeAuthorityUrl: string;
  readonly timeAuthorityCertificates: string;
}

/** What keeps heads from being sealed, cosigned or stamped, since when. */
interface Trouble {
  readonly what: 'sealing' | 'witness' | 'stamp';
  readonly since: Date;
  readonly sentence: Message;
  /** Whether it may be that somebody tampered, rather than that somebody is away. */
  readonly alarm: boolean;
}

export interface Sealer {
  /** Seals everything committed by now, and has it cosigned and stamped where those outside can be reached. Gives the tree's size. */
  sealNow(): Promise<number>;
  /** What is in the way now. */
  troubles(): readonly Trouble[];
  stop(): Promise<void>;
}

const words = {
  sealing: message('ledger.trouble.sealing'),
  witness: message('ledger.trouble.witness'),
  stamp: message('ledger.trouble.stamp'),
} as const;

/** Seals when it is asked to, and every `everyMs` when that is given. */
export function openSealer(pool: pg.Pool, log: Logger, outside: Outside, everyMs?: number): Sealer {
  let running: Promise<number> | null = null;
  const troubles = new Map<Trouble['what'], Trouble>();
  const tell = (what: Trouble['what'], error: unknown): void => {
    const alarm = error instanceof Disagreement;
    const sentence = alarm ? error.said : error instanceof KeyUnusable ? told(error.message) : words[what];
    const known = troubles.get(what);
    if (JSON.stringify(known?.sentence) === JSON.stringify(sentence)) return;
    log[alarm ? 'error' : 'warn']({ err: error }, inEnglish(sentence));
    troubles.set(what, { what, since: new Date(), sentence, alarm });
  };
  const trying = (what: Trouble['what'], work: Promise<void>): Promise<void> =>
    work.then(
      () => void troubles.delete(what),
      (error: unknown) => tell(what, error),
    );
  const seal = (): Promise<number> => {
    running ??= sealAll(pool, outside.keysDir)
      .then(
        (size) => {
          troubles.delete('sealing');
          return size;
        },
        (error: unknown) => {
          tell('sealing', error);
          throw error;
        },
      )
      .then(async (size) => {
        // A head is sealed all the same while those outside are away; it, or one after it, is cosigned and stamped when they are back.
        await Promise.all([trying('witness', witnessNewest(pool, outside)), trying('stamp', stampNewest(pool, outside))]);
        return size;
      })
      .finally(() => (running = null));
    return running;
  };
  const timer = everyMs === undefined ? undefined : setInterval(() => void seal().catch(() => undefined), everyMs);
  return {
    async sealNow() {
      if (running) await running.catch(() => undefined);
      return seal();
    },
    troubles: () => [...troubles.values()],
    async stop() {
      clearInterval(timer);
      await running?.catch(() => undefined);
    },
  };
}
