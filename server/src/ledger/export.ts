import { message } from '@key-cellar/words';
import type { LedgerFilter, TreeHead } from '@key-cellar/contract';
import { completeSubtrees, leafHash } from '@key-cellar/core/ledger';
import { type Db, Problem } from '../kernel/index.js';
import { toHead } from './heads.js';
import * as store from './store.js';
import { sha256, tileReader } from './tiles.js';
import { originOf } from './witness.js';

/** What is asked for: which entries, and at what sizes of the tree a root should be seen. */
export interface ExportQuestion {
  /** Of the head, as `settledSize` gives it: what is sealed while the export runs is not in it. */
  readonly size: number;
  readonly filter: LedgerFilter;
  /** Of the repository: days of the filter are days of it. */
  readonly timeZone: string;
  readonly since: readonly number[];
  readonly ledgerName: string;
}

interface ExportHeader {
  readonly format: 'ledger-export';
  readonly formatVersion: 2;
  readonly tree: string;
  readonly origin: string;
  readonly head: TreeHead;
  readonly keys: readonly {
    readonly id: string;
    readonly publicKey: string;
    readonly succeeds: string | null;
    readonly handover: string | null;
  }[];
  readonly filter: LedgerFilter;
}

/** A line of an export: what it is, an entry, or hashes over the leaves [from, to) that were not asked for. */
export type ExportLine =
  | ExportHeader
  | { readonly leaf: number; readonly hash: string; readonly entry: string }
  | { readonly from: number; readonly to: number; readonly hashes: readonly string[] };

const tree =
  'Lines in the order of the tree (RFC 6962, SHA-256): entries are leaves in canonical JSON (RFC 8785), hashes in between stand for the largest complete ' +
  'subtrees of what was left out. Heads are signed (Ed25519), cosigned by a witness (C2SP tlog-witness) and time-stamped (RFC 3161).';

const hex = (bytes: Uint8Array): string => Buffer.from(bytes).toString('hex');
const tilesPerRead = 40;

/** Sealed entries of a filter in the order of the tree. */
async function* sealedEntries(db: Db, { filter, timeZone }: ExportQuestion, size: number) {
  // Of one subject or person there are few: found by their index. Otherwise the whole tree is walked.
  const some = filter.subject || filter.actor ? await store.tilesWith(db, filter, timeZone) : null;
  const count = some ? some.length : Math.ceil(size / 256);
  for (let at = 0; at < count; at += tilesPerRead) {
    const length = Math.min(tilesPerRead, count - at);
    const tiles = some ? some.slice(at, at + length) : Array.from({ length }, (_, i) => at + i);
    for (const entry of await store.entriesInTiles(db, tiles, filter, timeZone)) if (entry.leaf < size) yield entry;
  }
}

/**
 * Sealed entries under the head of a size, as lines that the verifier in tools/ checks without Key Cellar. From first to last they give the
 * root of the head, and on the way the roots of the trees of the sizes in `since`, so that heads kept elsewhere can be compared.
 */
export async function* exportLines(db: Db, question: ExportQuestion): AsyncGenerator<ExportLine> {
  const head = await store.headOf(db, question.size);
  if (!head) throw new Problem(409, 'nothing-sealed', message('ledger.nothingSealed'));
  const { filter } = question;
  const keys = (await store.keyLine(db)).map((key) => ({
    id: key.id,
    publicKey: key.public_key,
    succeeds: key.succeeds,
    handover: key.handover?.toString('base64') ?? null,
  }));
  yield { format: 'ledger-export', formatVersion: 2, tree, origin: originOf(question.ledgerName), head: toHead(head), keys, filter };
  const reader = tileReader(db);
  const stops = [...new Set(question.since)].filter((size) => size < head.size).sort((a, b) => a - b);
  let reached = 0;
  const gapTo = async function* (end: number): AsyncGenerator<ExportLine> {
    while (reached < end) {
      const to = Math.min(end, stops.find((stop) => stop > reached) ?? end);
      const hashes = await Promise.all(completeSubtrees(reached, to).map(({ height, index }) => reader.node(height, index)));
      yield { from: reached, to, hashes: hashes.map(hex) };
      reached = to;
    }
  };
  for await (const { leaf, body } of sealedEntries(db, question, head.size)) {
    yield* gapTo(leaf);
    yield { leaf, hash: hex(leafHash(Buffer.from(body), sha256)), entry: body };
    reached = leaf + 1;
  }
  yield* gapTo(head.size);
}
