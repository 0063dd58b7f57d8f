import { createHash, createPrivateKey, createPublicKey, generateKeyPairSync, sign, verify as verifySignature } from 'node:crypto';
import { canonicalJson, completeSubtrees, leafHash, MerkleFrontier } from '@key-cellar/core/ledger';
import type pg from 'pg';
import type { Logger } from 'pino';
import * as store from './store.js';
import { sha256, tileCollector, tileReader } from './tiles.js';

const perSeal = 20_000;

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
 * Returns the new size, or null when another app server is sealing.
 */
export async function sealOnce(pool: pg.Pool): Promise<{ size: number; added: number } | null> {
  const client = await pool.connect();
  let broken = false;
  try {
    await client.query('begin');
    const state = await store.lockSealState(client);
    if (!state) {
      await client.query('rollback');
      return null;
    }
    const fresh = await store.unsealed(client, state.floor, perSeal);
    const floor = state.settled ? state.next_floor : state.floor;
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
    // Only when everything visible was sealed does the highest number seen bound what is still to come.
    const nextFloor = fresh.length < perSeal ? fresh.at(-1)!.seq : state.next_floor;
    await store.writeSealState(client, { size: frontier.size, floor, nextFloor: Math.max(nextFloor, state.next_floor) });
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

export function startSealer(pool: pg.Pool, log: Logger, everyMs: number): Sealer {
  let running: Promise<number> | null = null;
  const sealAll = async (): Promise<number> => {
    for (;;) {
      const result = await sealOnce(pool);
      if (!result || result.added < perSeal) return result?.size ?? 0;
    }
  };
  const seal = (): Promise<number> => {
    running ??= sealAll().finally(() => (running = null));
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
