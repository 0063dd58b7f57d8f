import { createHash, createPrivateKey, createPublicKey, generateKeyPairSync, sign, verify as verifySignature } from 'node:crypto';
import { canonicalJson, completeSubtrees, leafHash, MerkleFrontier } from '@key-cellar/core/ledger';
import type pg from 'pg';
import type { Logger } from 'pino';
import * as store from './store.js';
import { requestTimeStamp } from './timeStamp.js';
import { sha256, tileCollector, tileReader } from './tiles.js';

const mostPerSeal = 20_000;

/** What a signature is over: canonical JSON of size, root (hex), instant and key. */
export function headText(head: { size: number; root: string; signedAt: string; keyId: string }): string {
  return canonicalJson({ v: 1, size: head.size, root: head.root, signedAt: head.signedAt, keyId: head.keyId });
}

export function signatureHolds(publicKeyPem: string, text: string, signature: Uint8Array): boolean {
  return verifySignature(null, Buffer.from(text), createPublicKey(publicKeyPem), signature);
}

async function signingKey(client: pg.PoolClient): Promise<{ id: string; privateKey: string }> {
  const found = await store.newestKey(client);
  if (found) return { id: found.id, privateKey: found.private_key };
  const pair = generateKeyPairSync('ed25519');
  const publicKey = pair.publicKey.export({ type: 'spki', format: 'pem' }).toString();
  const id = createHash('sha256').update(publicKey).digest('hex').slice(0, 16);
  const privateKey = pair.privateKey.export({ type: 'pkcs8', format: 'pem' }).toString();
  await store.addKey(client, { id, publicKey, privateKey });
  return { id, privateKey };
}

/**
 * Extends the tree by what was committed since, and signs a tree head when it grew.
 * Takes at most `perSeal` entries. Waits while another app server seals. Returns the new size.
 */
export async function sealOnce(pool: pg.Pool, perSeal = mostPerSeal): Promise<{ size: number; added: number }> {
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
    const collector = tileCollector();
    for (const entry of fresh) {
      frontier.append(leafHash(Buffer.from(entry.body), sha256), (height, index, hash) =>
        collector.add(height, index, hash, height === 0 ? entry.seq : undefined),
      );
    }
    await store.addToTiles(client, collector.tiles());
    const key = await signingKey(client);
    const signedAt = await store.nowText(client);
    const root = frontier.root();
    const text = headText({ size: frontier.size, root: Buffer.from(root).toString('hex'), signedAt, keyId: key.id });
    const signature = sign(null, Buffer.from(text), createPrivateKey(key.privateKey));
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

/** Seals in the background while the server runs. */
export interface Sealer {
  /** Seals everything committed by now. */
  sealNow(): Promise<number>;
  stop(): Promise<void>;
}

/** Seals everything that is committed by now. Gives the tree's size. */
export async function sealAll(pool: pg.Pool): Promise<number> {
  for (;;) {
    const result = await sealOnce(pool);
    if (result.added < mostPerSeal) return result.size;
  }
}

/** Has the newest head stamped, unless it is. Gives whether there is one now. */
async function stampNewest(pool: pg.Pool, authorityUrl: string): Promise<boolean> {
  const head = await store.newestHead(pool);
  if (!head || head.stamp_authority !== null) return head !== undefined;
  const text = headText({ size: head.size, root: head.root.toString('hex'), signedAt: head.signed_text, keyId: head.key_id });
  await store.addStamp(pool, head.size, await requestTimeStamp(authorityUrl, text, head.signed_text));
  return true;
}

export function startSealer(pool: pg.Pool, log: Logger, everyMs: number, authorityUrl: string): Sealer {
  let running: Promise<number> | null = null;
  let away = false;
  const seal = (): Promise<number> => {
    running ??= sealAll(pool)
      .then(async (size) => {
        // A head without a stamp is a sealed head all the same; it, or one after it, is stamped when the authority is back.
        await stampNewest(pool, authorityUrl).then(
          () => (away = false),
          (error: unknown) => {
            if (!away) log.warn({ err: error }, 'the newest tree head could not be time-stamped; it is tried again');
            away = true;
          },
        );
        return size;
      })
      .finally(() => (running = null));
    return running;
  };
  const timer = setInterval(() => {
    seal().catch((error: unknown) => log.warn({ err: error }, 'sealing failed; it is tried again'));
  }, everyMs);
  return {
    async sealNow() {
      if (running) await running.catch(() => undefined);
      return seal();
    },
    async stop() {
      clearInterval(timer);
      await running?.catch(() => undefined);
    },
  };
}
