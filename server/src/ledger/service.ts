import type { LedgerEntry, LedgerFilter, TreeHead } from '@key-cellar/contract';
import { consistencyPath, inclusionPath, leafHash, MerkleFrontier } from '@key-cellar/core/ledger';
import type pg from 'pg';
import { type Db, Problem, type SignedIn } from '../kernel/index.js';
import { headText, signatureHolds } from './sealer.js';
import * as store from './store.js';
import { overTiles, sha256, tileReader } from './tiles.js';
import { timeStampHolds } from './timeStamp.js';

const hex = (bytes: Uint8Array): string => Buffer.from(bytes).toString('hex');

interface EntryBody {
  at: string;
  actor: { id: string | null; name: string };
  from: string;
  act: string;
  subject: { kind: string; id: string | null; name: string };
  before: unknown;
  after: unknown;
  note: string | null;
}

function toEntry(found: store.EntryRow, leaf: number | undefined): LedgerEntry {
  const body = JSON.parse(found.body) as EntryBody;
  return {
    seq: found.seq,
    at: body.at,
    actor: body.actor.name,
    from: body.from,
    act: body.act,
    subjectKind: body.subject.kind,
    subjectId: body.subject.id,
    subject: body.subject.name,
    before: body.before,
    after: body.after,
    note: body.note,
    leaf: leaf ?? null,
  };
}

export async function listEntries(
  db: Db,
  person: SignedIn,
  filter: LedgerFilter,
  before: number | undefined,
  limit: number,
): Promise<{ entries: LedgerEntry[]; next: number | null }> {
  const found = await store.entries(db, filter, person.timeZone, before, limit);
  const leaves = await store.leavesOf(
    db,
    found.map((e) => e.seq),
  );
  return {
    entries: found.map((e) => toEntry(e, leaves.get(e.seq))),
    next: found.length === limit ? found.at(-1)!.seq : null,
  };
}

function toHead(head: store.HeadRow): TreeHead {
  return {
    size: head.size,
    root: hex(head.root),
    signedAt: head.signed_text,
    keyId: head.key_id,
    signature: head.signature.toString('base64'),
    timeStamp: head.stamp ? { token: head.stamp.toString('base64'), at: head.stamp_text!, authority: head.stamp_authority! } : null,
  };
}

export async function listHeads(db: Db): Promise<{ heads: TreeHead[]; unsealed: number }> {
  const [heads, counts] = await Promise.all([store.heads(db, 50), store.entryCount(db)]);
  return { heads: heads.map(toHead), unsealed: counts.unsealed };
}

const longestExport = 50_000;

/**
 * Sealed entries with their inclusion proofs against the newest tree head, and the proof that an older head (when
 * asked for) is a prefix of it: a file that the verifier in tools/ checks without Key Cellar.
 */
export async function exportEntries(db: Db, timeZone: string, filter: LedgerFilter, sinceSize?: number) {
  const head = await store.newestHead(db);
  if (!head) throw new Problem(409, 'nothing-sealed', 'Nothing is sealed yet. Seal the ledger first.');
  const found = await store.entries(db, filter, timeZone, undefined, longestExport);
  const leaves = await store.leavesOf(
    db,
    found.map((e) => e.seq),
  );
  const reader = tileReader(db);
  const entries = [];
  for (const entry of found) {
    const leaf = leaves.get(entry.seq);
    if (leaf === undefined || leaf >= head.size) continue;
    const proof = await overTiles(db, (hash) => inclusionPath(leaf, head.size, hash), reader);
    entries.push({ leaf, entry: entry.body, proof: proof.map(hex) });
  }
  entries.sort((a, b) => a.leaf - b.leaf);
  const older = sinceSize === undefined ? undefined : (await store.heads(db, 1000)).find((h) => h.size === sinceSize);
  const consistency =
    older && older.size < head.size
      ? {
          from: toHead(older),
          proof: (await overTiles(db, (hash) => consistencyPath(older.size, head.size, hash), reader)).map(hex),
        }
      : null;
  const key = await store.keyById(db, head.key_id);
  return {
    format: 'ledger-export',
    formatVersion: 1,
    tree: 'RFC 6962, SHA-256; entries are RFC 8785 canonical JSON; heads are signed with Ed25519 and time-stamped (RFC 3161)',
    head: toHead(head),
    publicKey: key!.public_key,
    consistency,
    entries,
  };
}

export interface Verification {
  readonly ok: boolean;
  readonly size: number;
  readonly sentence: string;
  readonly broken: { seq: number; leaf: number; sentence: string }[];
}

const tilesPerRead = 40;

function columnsAgree(entry: store.EntryRow, body: EntryBody): boolean {
  return (
    entry.at_text === body.at &&
    entry.act === body.act &&
    entry.actor_id === body.actor.id &&
    entry.subject_kind === body.subject.kind &&
    entry.subject_id === body.subject.id
  );
}

function brokenSentence(entry: store.EntryRow | undefined, storedHash: Buffer): string | null {
  if (!entry) return 'The entry is missing.';
  if (!storedHash.equals(leafHash(Buffer.from(entry.body), sha256))) return 'The entry was changed after it was sealed.';
  if (!columnsAgree(entry, JSON.parse(entry.body) as EntryBody)) {
    return 'The searchable columns of the entry do not say what its sealed text says.';
  }
  return null;
}

/** Recomputes the tree from the entries themselves and compares it, leaf by leaf, with what was sealed and signed. */
export async function verifyLedger(pool: pg.Pool): Promise<Verification> {
  const head = await store.newestHead(pool);
  if (!head) return { ok: true, size: 0, sentence: 'Nothing is sealed yet.', broken: [] };
  const frontier = new MerkleFrontier(sha256);
  const broken: Verification['broken'] = [];
  for (let idx = 0; frontier.size < head.size; idx += tilesPerRead) {
    const tiles = await store.leafTiles(pool, idx, tilesPerRead);
    if (tiles.length === 0) break;
    const entries = await store.entriesBySeq(
      pool,
      tiles.flatMap((t) => t.entries),
    );
    for (const tile of tiles) {
      for (const [i, seq] of tile.entries.entries()) {
        if (frontier.size >= head.size) break;
        const entry = entries.get(seq);
        const sentence = brokenSentence(entry, tile.hashes.subarray(i * 32, i * 32 + 32));
        if (sentence && broken.length < 100) broken.push({ seq, leaf: frontier.size, sentence });
        frontier.append(entry ? leafHash(Buffer.from(entry.body), sha256) : new Uint8Array(32));
      }
    }
  }
  const sameRoot = hex(frontier.root()) === hex(head.root);
  const key = await store.keyById(pool, head.key_id);
  const text = headText({ size: head.size, root: hex(head.root), signedAt: head.signed_text, keyId: head.key_id });
  const signed = key !== undefined && signatureHolds(key.public_key, text, head.signature);
  const stamped = head.stamp === null || (await timeStampHolds(head.stamp, text));
  const ok = broken.length === 0 && sameRoot && signed && stamped;
  const sentence = ok
    ? `All ${head.size} sealed entries are as they were sealed.${head.stamp ? ` ${head.stamp_authority} stamped the newest tree head.` : ''}`
    : broken.length > 0
      ? `${broken.length} of ${head.size} sealed entries are not as they were sealed.`
      : !signed
        ? 'The signature of the newest tree head does not hold.'
        : !stamped
          ? 'The time stamp of the newest tree head does not hold.'
          : 'The entries do not give the signed root: the order or number of entries was changed.';
  return { ok, size: head.size, sentence, broken };
}

export async function ledgerSize(db: Db): Promise<number> {
  return (await store.newestHead(db))?.size ?? 0;
}
