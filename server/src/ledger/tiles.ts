import { hash } from 'node:crypto';
import { nodeHash, type RangeHash, type Sha256 } from '@key-cellar/core/ledger';
import type { Db } from '../kernel/index.js';
import * as store from './store.js';
import type { TileAddition } from './store.js';

/** Node.js's own SHA-256, for trees of millions. */
export const sha256: Sha256 = (data) => hash('sha256', data, 'buffer');

/** Each tile holds 2^8 hashes; its level n stands for subtrees of 2^(8n) leaves. */
const tileHeight = 8;
const tileWidth = 256;

/** Collects complete subtrees into tiles; heights between tile levels are not stored. */
export function tileCollector() {
  const tiles = new Map<string, TileAddition>();
  return {
    add(height: number, index: number, hash: Uint8Array, entry?: number): void {
      if (height % tileHeight !== 0) return;
      const level = height / tileHeight;
      const idx = Math.floor(index / tileWidth);
      const key = `${level}/${idx}`;
      const tile = tiles.get(key) ?? { level, idx, hashes: [], entries: [] };
      tile.hashes.push(Buffer.from(hash));
      if (entry !== undefined) tile.entries.push(entry);
      tiles.set(key, tile);
    },
    tiles: (): TileAddition[] => [...tiles.values()],
  };
}

/** Tiles that a reader keeps: 8 KiB each. */
const mostKept = 512;

/** Reads hashes of complete subtrees from stored tiles, keeping those that it read last. */
export function tileReader(db: Db) {
  const cache = new Map<string, Promise<Buffer>>();
  const tile = (level: number, idx: number): Promise<Buffer> => {
    const key = `${level}/${idx}`;
    let found = cache.get(key);
    if (!found) {
      found = store.tileHashes(db, level, idx);
      cache.set(key, found);
      if (cache.size > mostKept) cache.delete(cache.keys().next().value!);
    }
    return found;
  };
  /** Hash of the complete subtree of 2^height leaves that begins at leaf index · 2^height. */
  const node = async (height: number, index: number): Promise<Uint8Array> => {
    const level = Math.floor(height / tileHeight);
    const count = 2 ** (height - level * tileHeight);
    const first = index * count;
    const hashes = await tile(level, Math.floor(first / tileWidth));
    const offset = first % tileWidth;
    let row: Uint8Array[] = [];
    for (let i = offset; i < offset + count; i++) {
      const hash = hashes.subarray(i * 32, i * 32 + 32);
      if (hash.length !== 32) throw new Error(`The tree has no hash ${height}/${index}`);
      row.push(hash);
    }
    while (row.length > 1) {
      row = row.flatMap((left, i) => (i % 2 === 0 ? [nodeHash(left, row[i + 1]!, sha256)] : []));
    }
    return row[0]!;
  };
  /** Hash of leaves [start, end); start is a multiple of the largest power of two below the length. */
  const range = async (start: number, end: number): Promise<Uint8Array> => {
    const length = end - start;
    const height = Math.log2(length);
    if (Number.isInteger(height) && start % length === 0) return node(height, start / length);
    let k = 1;
    while (k * 2 < length) k *= 2;
    return nodeHash(await range(start, start + k), await range(start + k, end), sha256);
  };
  return { node, range };
}

/**
 * Runs a synchronous proof builder of the core over stored tiles: a first pass finds out which ranges it wants,
 * a second one answers them.
 */
export async function overTiles(db: Db, build: (hash: RangeHash) => Uint8Array[], reader = tileReader(db)): Promise<Uint8Array[]> {
  const wanted: [number, number][] = [];
  build((start, end) => {
    wanted.push([start, end]);
    return new Uint8Array(32);
  });
  const answers = await Promise.all(wanted.map(([start, end]) => reader.range(start, end)));
  let next = 0;
  return build(() => answers[next++]!);
}
