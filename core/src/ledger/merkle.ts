import { sha256 as nobleSha256 } from '@noble/hashes/sha2.js';

/** SHA-256 of bytes, 32 bytes long. Callers with a native implementation may pass their own. */
export type Sha256 = (data: Uint8Array) => Uint8Array;

const portable: Sha256 = (data) => nobleSha256(data);

// By hand: the tree is what proves the ledger, and the small verifier has to follow it without any package.

/** Leaf hash: SHA-256(0x00 ‖ entry) (RFC 6962 §2.1). */
export function leafHash(entry: Uint8Array, sha256: Sha256 = portable): Uint8Array {
  const input = new Uint8Array(entry.length + 1);
  input.set(entry, 1);
  return sha256(input);
}

/** Node hash: SHA-256(0x01 ‖ left ‖ right) (RFC 6962 §2.1). */
export function nodeHash(left: Uint8Array, right: Uint8Array, sha256: Sha256 = portable): Uint8Array {
  const input = new Uint8Array(65);
  input[0] = 1;
  input.set(left, 1);
  input.set(right, 33);
  return sha256(input);
}

/**
 * A growing tree kept as the roots of its complete subtrees, largest first: appending and taking the head cost
 * O(log n) memory however many entries there are.
 */
export class MerkleFrontier {
  private readonly peaks: { height: number; hash: Uint8Array }[] = [];
  private count = 0;

  constructor(private readonly sha256: Sha256 = portable) {}

  get size(): number {
    return this.count;
  }

  /** Adds a leaf hash. `onNode` is told each complete subtree that this closes. */
  append(leaf: Uint8Array, onNode?: (height: number, index: number, hash: Uint8Array) => void): void {
    this.appendSubtree(0, leaf, onNode);
  }

  /**
   * Adds 2^height leaves at once by the hash over them. Throws RangeError unless the tree so far is a multiple of as many.
   */
  appendSubtree(height: number, hash: Uint8Array, onNode?: (height: number, index: number, hash: Uint8Array) => void): void {
    if (this.count % 2 ** height !== 0) throw new RangeError(`No subtree of 2^${height} leaves begins at leaf ${this.count}`);
    let node = { height, hash };
    onNode?.(height, this.count / 2 ** height, hash);
    while (this.peaks.at(-1)?.height === node.height) {
      const left = this.peaks.pop()!;
      node = { height: node.height + 1, hash: nodeHash(left.hash, node.hash, this.sha256) };
      onNode?.(node.height, Math.floor(this.count / 2 ** node.height), node.hash);
    }
    this.peaks.push(node);
    this.count += 2 ** height;
  }

  /** Restores a frontier of `size` leaves from a source of complete-subtree hashes. */
  static restore(size: number, hashOf: (height: number, index: number) => Uint8Array, sha256: Sha256 = portable): MerkleFrontier {
    const frontier = new MerkleFrontier(sha256);
    frontier.count = size;
    for (const { height, index } of completeSubtrees(0, size)) {
      frontier.peaks.push({ height, hash: hashOf(height, index) });
    }
    return frontier;
  }

  /** Merkle tree hash of all leaves so far; SHA-256 of nothing for the empty tree. */
  root(): Uint8Array {
    let root = this.peaks.at(-1)?.hash;
    if (!root) return this.sha256(new Uint8Array(0));
    for (let i = this.peaks.length - 2; i >= 0; i--) root = nodeHash(this.peaks[i]!.hash, root, this.sha256);
    return root;
  }
}

/** The complete subtrees, left to right, that cover leaves [from, to) when `from` is a multiple of every one's size. */
export function completeSubtrees(from: number, to: number): { height: number; index: number }[] {
  const found: { height: number; index: number }[] = [];
  let start = from;
  while (start < to) {
    let height = Math.floor(Math.log2(to - start));
    while (2 ** height > to - start) height -= 1;
    while (start % 2 ** height !== 0) height -= 1;
    found.push({ height, index: start / 2 ** height });
    start += 2 ** height;
  }
  return found;
}

/** Largest power of two smaller than n (n > 1). */
function splitPoint(n: number): number {
  let k = 1;
  while (k * 2 < n) k *= 2;
  return k;
}

/** Merkle Tree Hash of entries (RFC 6962 §2.1); SHA-256 of nothing for an empty list. */
export function merkleTreeHash(entries: readonly Uint8Array[], sha256: Sha256 = portable): Uint8Array {
  const frontier = new MerkleFrontier(sha256);
  for (const entry of entries) frontier.append(leafHash(entry, sha256));
  return frontier.root();
}

/** Hash of the leaves [start, end) of a tree: the abstraction both proof builders walk. */
export type RangeHash = (start: number, end: number) => Uint8Array;

function rangeHashOf(entries: readonly Uint8Array[], sha256: Sha256): RangeHash {
  const leaves = entries.map((entry) => leafHash(entry, sha256));
  const range: RangeHash = (start, end) => {
    if (end - start === 1) return leaves[start]!;
    const k = start + splitPoint(end - start);
    return nodeHash(range(start, k), range(k, end), sha256);
  };
  return range;
}

/** PATH(m, D[n]) over any source of range hashes (RFC 6962 §2.1.1). Throws RangeError outside the tree. */
export function inclusionPath(index: number, size: number, hash: RangeHash): Uint8Array[] {
  if (!Number.isInteger(index) || index < 0 || index >= size) {
    throw new RangeError(`No leaf ${index} in a tree of ${size}`);
  }
  const path = (m: number, start: number, end: number): Uint8Array[] => {
    if (end - start === 1) return [];
    const k = splitPoint(end - start);
    return m < k ? [...path(m, start, start + k), hash(start + k, end)] : [...path(m - k, start + k, end), hash(start, start + k)];
  };
  return path(index, 0, size);
}

/** PROOF(m, D[n]) over any source of range hashes (RFC 6962 §2.1.2). Throws RangeError unless 0 < m ≤ n. */
export function consistencyPath(oldSize: number, size: number, hash: RangeHash): Uint8Array[] {
  if (!Number.isInteger(oldSize) || oldSize <= 0 || oldSize > size) {
    throw new RangeError(`No tree of ${oldSize} within a tree of ${size}`);
  }
  const sub = (m: number, start: number, end: number, whole: boolean): Uint8Array[] => {
    const n = end - start;
    if (m === n) return whole ? [] : [hash(start, end)];
    const k = splitPoint(n);
    return m <= k
      ? [...sub(m, start, start + k, whole), hash(start + k, end)]
      : [...sub(m - k, start + k, end, false), hash(start, start + k)];
  };
  return sub(oldSize, 0, size, true);
}

/** Audit path of the entry at `index` in the tree of all `entries`, leaf end first (RFC 6962 §2.1.1). */
export function inclusionProof(entries: readonly Uint8Array[], index: number, sha256: Sha256 = portable): Uint8Array[] {
  return inclusionPath(index, entries.length, rangeHashOf(entries, sha256));
}

/** Proof that the tree of the first `oldSize` entries is a prefix of the tree of all (RFC 6962 §2.1.2). */
export function consistencyProof(entries: readonly Uint8Array[], oldSize: number, sha256: Sha256 = portable): Uint8Array[] {
  return consistencyPath(oldSize, entries.length, rangeHashOf(entries, sha256));
}

function sameBytes(a: Uint8Array, b: Uint8Array): boolean {
  return a.length === b.length && a.every((byte, i) => byte === b[i]);
}

/** Whether a proof shows that `entry` is leaf `index` of the tree of `size` leaves with this root (RFC 9162 §2.1.3.2). */
export function verifyInclusion(
  entry: Uint8Array,
  index: number,
  size: number,
  proof: readonly Uint8Array[],
  root: Uint8Array,
  sha256: Sha256 = portable,
): boolean {
  if (!Number.isSafeInteger(index) || index < 0 || index >= size) return false;
  let fn = index;
  let sn = size - 1;
  let hash = leafHash(entry, sha256);
  for (const sibling of proof) {
    if (sn === 0 || sibling.length !== 32) return false;
    if (fn % 2 === 1 || fn === sn) {
      hash = nodeHash(sibling, hash, sha256);
      while (fn % 2 === 0 && fn !== 0) {
        fn /= 2;
        sn = Math.floor(sn / 2);
      }
    } else {
      hash = nodeHash(hash, sibling, sha256);
    }
    fn = Math.floor(fn / 2);
    sn = Math.floor(sn / 2);
  }
  return sn === 0 && sameBytes(hash, root);
}

/** Whether a proof shows that the tree with `oldRoot` is a prefix of the tree with `root` (RFC 9162 §2.1.4.2). */
export function verifyConsistency(
  oldSize: number,
  size: number,
  oldRoot: Uint8Array,
  root: Uint8Array,
  proof: readonly Uint8Array[],
  sha256: Sha256 = portable,
): boolean {
  if (!Number.isSafeInteger(oldSize) || oldSize <= 0 || oldSize > size) return false;
  if (oldSize === size) return proof.length === 0 && sameBytes(oldRoot, root);
  const isPowerOfTwo = 2 ** Math.round(Math.log2(oldSize)) === oldSize;
  const path = isPowerOfTwo ? [oldRoot, ...proof] : [...proof];
  const first = path.shift();
  if (first?.length !== 32) return false;
  let fn = oldSize - 1;
  let sn = size - 1;
  while (fn % 2 === 1) {
    fn = Math.floor(fn / 2);
    sn = Math.floor(sn / 2);
  }
  let oldHash = first;
  let newHash = first;
  for (const sibling of path) {
    if (sn === 0 || sibling.length !== 32) return false;
    if (fn % 2 === 1 || fn === sn) {
      oldHash = nodeHash(sibling, oldHash, sha256);
      newHash = nodeHash(sibling, newHash, sha256);
      while (fn % 2 === 0 && fn !== 0) {
        fn /= 2;
        sn = Math.floor(sn / 2);
      }
    } else {
      newHash = nodeHash(newHash, sibling, sha256);
    }
    fn = Math.floor(fn / 2);
    sn = Math.floor(sn / 2);
  }
  return sn === 0 && sameBytes(oldHash, oldRoot) && sameBytes(newHash, root);
}
