import type { LedgerFinding, LedgerReport, Told } from '@key-cellar/contract';
import { checkpointText, leafHash, MerkleFrontier } from '@key-cellar/core/ledger';
import type pg from 'pg';
import { message, type Message } from '@key-cellar/words';
import { streamInReadSnapshot, type Db } from '../kernel/index.js';
import { handoverText, keyIdOf, signatureHolds } from './keys.js';
import { headText, type Outside } from './sealer.js';
import * as store from './store.js';
import { sha256, tileCollector } from './tiles.js';
import { stampedAt } from './timeStamp.js';
import { originOf, witnessedBy, witnessFile, type WitnessLine } from './witness.js';

const hex = (bytes: Uint8Array): string => Buffer.from(bytes).toString('hex');
const tilesPerRead = 40;
const headsPerRead = 500;
const mostFindings = 100;
/** A stamp may be older than its head by what clocks differ. */
const clocksDifferMs = 60_000;
/** A stamp that came later than this is told. */
const lateMs = 3_600_000;

/** How far it is, or what was found. */
export type Verifying = { readonly done: number; readonly total: number } | { readonly report: Told<LedgerReport> };

interface EntryBody {
  readonly at: string;
  readonly act: string;
  readonly actor: { readonly id: string | null };
  readonly subject: { readonly kind: string; readonly id: string | null };
}

function columnsAgree(entry: store.EntryRow, body: EntryBody): boolean {
  return (
    entry.at_text === body.at &&
    entry.act === body.act &&
    entry.actor_id === body.actor.id &&
    entry.subject_kind === body.subject.kind &&
    entry.subject_id === body.subject.id
  );
}

/** What is wrong with an entry; `leaf` is the hash of its text. */
function wrongWith(entry: store.EntryRow | undefined, leaf: Uint8Array, storedHash: Buffer): Message | null {
  if (!entry) return message('ledger.entryMissing');
  if (!storedHash.equals(leaf)) return message('ledger.entryChanged');
  return columnsAgree(entry, JSON.parse(entry.body) as EntryBody) ? null : message('ledger.columnsDisagree');
}

/** Which numbers were seen: a bit each. */
class Numbers {
  private bits = new Uint32Array(1024);
  /** Whether it was seen already. */
  add(n: number): boolean {
    const word = Math.floor(n / 32);
    if (word >= this.bits.length) {
      const wider = new Uint32Array(Math.max(word + 1, this.bits.length * 2));
      wider.set(this.bits);
      this.bits = wider;
    }
    if (this.has(n)) return true;
    this.bits[word]! |= 1 << (n % 32);
    return false;
  }
  /** How many there are up to n. */
  countUpTo(n: number): number {
    let count = 0;
    const last = Math.min(Math.floor(n / 32), this.bits.length - 1);
    for (let i = 0; i <= last; i++) {
      let word = i === Math.floor(n / 32) ? this.bits[i]! & (n % 32 === 31 ? -1 : (1 << ((n % 32) + 1)) - 1) : this.bits[i]!;
      for (; word !== 0; word &= word - 1) count++;
    }
    return count;
  }
  has(n: number): boolean {
    return ((this.bits[Math.floor(n / 32)] ?? 0) & (1 << (n % 32))) !== 0;
  }
}

/** Takes one after another from what comes in parts. */
function ahead<T>(parts: AsyncIterator<T>) {
  let now: IteratorResult<T> | null = null;
  return {
    async peek(): Promise<T | null> {
      now ??= await parts.next();
      return now.done ? null : now.value;
    },
    take(): void {
      now = null;
    },
  };
}

async function* nothing(): AsyncGenerator<never> {}

async function* allHeads(db: Db): AsyncGenerator<store.HeadRow> {
  for (let after = 0; ;) {
    const part = await store.headsAfter(db, after, headsPerRead);
    yield* part;
    if (part.length < headsPerRead) return;
    after = part.at(-1)!.size;
  }
}

type WitnessedHead = WitnessLine & { readonly kind: 'head' };

/** What the witness's file says, without the heads that its keeper has put back; null when it does not answer. */
async function witnessSays(
  outside: Outside,
): Promise<{ firstKey: string | null; putBack: Message | null; heads(): AsyncGenerator<WitnessedHead> } | null> {
  let firstKey: string | null = null;
  let putBack: Message | null = null;
  let known = 0;
  const limits: { readonly line: number; readonly size: number }[] = [];
  try {
    let no = 0;
    for await (const text of witnessFile(outside)) {
      const line = JSON.parse(text) as WitnessLine;
      known = ++no;
      if (line.kind === 'key') firstKey ??= line.key;
      else if (line.kind === 'put back') {
        limits.push({ line: no, size: line.size });
        putBack = message('ledger.putBack', { on: { day: line.at.slice(0, 10) }, size: line.size, why: line.why });
      }
    }
  } catch {
    return null;
  }
  return {
    firstKey,
    putBack,
    async *heads() {
      let no = 0;
      for await (const text of witnessFile(outside)) {
        const line = JSON.parse(text) as WitnessLine;
        // What it saw since belongs to a ledger that is larger than the one looked at.
        if (++no > known) return;
        if (line.kind === 'head' && !limits.some((limit) => limit.line > no && limit.size < line.size)) yield line;
      }
    },
  };
}

/** The public keys by id, once each is shown to have taken over from the one before. */
async function checkedKeys(db: Db, tell: (finding: Told<LedgerFinding>) => void): Promise<Map<string, string>> {
  const keys = new Map<string, string>();
  let before: store.KeyRow | null = null;
  for (const key of await store.keyLine(db)) {
    const tookOver = before === null || signatureHolds(before.public_key, handoverText(key.public_key, before.id), key.handover!);
    if (keyIdOf(key.public_key) !== key.id || !tookOver) {
      tell({ what: 'key', place: key.id, sentence: message('ledger.keyDidNotTake', { id: key.id }) });
    }
    keys.set(key.id, key.public_key);
    before = key;
  }
  if ((await store.countKeys(db)) !== keys.size) tell({ what: 'key', place: '', sentence: message('ledger.thereKeyTookOver') });
  return keys;
}

/**
 * Checks all that a ledger says of itself, and what is known of it outside: every entry against its leaf and its columns, the tree against
 * every head, every signature, cosignature and stamp, the witness's file from first to last, and that nothing lies beside the tree. Call it
 * when everything was sealed. Yields how far it is, and at the end what was found, in the order of the tree.
 */
export async function* verifyLedger(pool: pg.Pool, outside: Outside): AsyncGenerator<Verifying> {
  // Before the snapshot: a head is in the ledger before the witness hears of it, so that all it saw by now is in there.
  const witness = await witnessSays(outside);
  // Of one moment: what is sealed meanwhile is neither missing nor too much.
  yield* streamInReadSnapshot(pool, (db) => verifyIn(db, outside, witness));
}

async function* verifyIn(db: Db, outside: Outside, witness: Awaited<ReturnType<typeof witnessSays>>): AsyncGenerator<Verifying> {
  const findings: Told<LedgerFinding>[] = [];
  const unchecked: Message[] = [];
  let more = 0;
  const tell = (finding: Told<LedgerFinding>): void => {
    if (findings.length < mostFindings) findings.push(finding);
    else more++;
  };
  const newest = await store.newestHead(db);
  const total = newest?.size ?? 0;
  const origin = originOf(outside.ledgerName);
  const keys = await checkedKeys(db, tell);
  const counts = { entries: 0, heads: 0, cosigned: 0, stamped: 0, seen: 0 };

  const heads = ahead(allHeads(db));
  const seen = ahead(witness?.heads() ?? nothing());
  let lastSeen = 0;
  let lateStamp = 0;

  const checkHead = async (head: store.HeadRow, root: Uint8Array): Promise<void> => {
    const place = String(head.size);
    const bad = (what: 'head' | 'stamp' | 'witness', sentence: Message): void => tell({ what, place, sentence });
    counts.heads++;
    if (!head.root.equals(root)) return bad('head', message('ledger.headNotGiven', { size: head.size }));
    const text = headText({ size: head.size, root: hex(head.root), signedAt: head.signed_text, keyId: head.key_id });
    const key = keys.get(head.key_id);
    if (!key || !signatureHolds(key, text, head.signature)) bad('head', message('ledger.headSignature', { size: head.size }));
    if (head.stamp !== null) {
      counts.stamped++;
      const at = await stampedAt(head.stamp, text, outside.timeAuthorityCertificates);
      const signed = Date.parse(head.signed_text);
      if (!at) bad('stamp', message('ledger.headStamp', { size: head.size }));
      else if (at.getTime() < signed - clocksDifferMs) {
        bad('stamp', message('ledger.headStampedEarly', { size: head.size }));
      } else if (at.getTime() > signed + lateMs) lateStamp++;
    }
    if (head.note !== null) {
      counts.cosigned++;
      const cosigned = witnessedBy(head.note, outside.witnessKey);
      if (!cosigned || !head.note.startsWith(checkpointText({ origin, size: head.size, root: head.root }))) {
        bad('witness', message('ledger.headCosignature', { size: head.size }));
      }
    }
  };

  const checkSeen = (line: WitnessedHead, root: Uint8Array, head: boolean): void => {
    const bad = (sentence: Message): void => tell({ what: 'witness', place: String(line.size), sentence });
    counts.seen++;
    lastSeen = line.size;
    const text = checkpointText({ origin, size: line.size, root: Buffer.from(line.root, 'hex') });
    if (!witnessedBy(line.note, outside.witnessKey) || !line.note.startsWith(text)) {
      bad(message('ledger.witnessDidNotSign', { size: line.size }));
    } else if (line.root !== hex(root)) {
      bad(message('ledger.witnessSawOther', { size: line.size }));
    } else if (!head) bad(message('ledger.witnessedHeadMissing', { size: line.size }));
  };
  /** At which size of the tree there is something to compare next. */
  const nextStop = async (): Promise<number> => Math.min((await heads.peek())?.size ?? Infinity, (await seen.peek())?.size ?? Infinity);
  const compareAt = async (size: number, root: Uint8Array): Promise<void> => {
    const head = await heads.peek();
    if (head?.size === size) {
      await checkHead(head, root);
      heads.take();
    }
    const line = await seen.peek();
    if (line?.size === size) {
      checkSeen(line, root, head?.size === size);
      seen.take();
    }
  };

  const frontier = new MerkleFrontier(sha256);
  const collector = tileCollector();
  const named = new Numbers();
  let stop = await nextStop();
  for (let idx = 0; frontier.size < total; idx += tilesPerRead) {
    const tiles = await store.leafTiles(db, idx, tilesPerRead);
    if (tiles.length === 0) break;
    const entries = await store.entriesBySeq(
      db,
      tiles.flatMap((t) => t.entries),
    );
    for (const [n, tile] of tiles.entries()) {
      if (tile.idx !== idx + n)
        tell({ what: 'tree', place: String(frontier.size), sentence: message('ledger.leavesFromOnMissing', { size: frontier.size }) });
      for (const [i, seq] of tile.entries.entries()) {
        if (frontier.size >= total) break;
        const entry = entries.get(seq);
        const leaf = frontier.size;
        const hash = entry ? leafHash(Buffer.from(entry.body), sha256) : new Uint8Array(32);
        const wrong = named.add(seq) ? message('ledger.entryTwice') : wrongWith(entry, hash, tile.hashes.subarray(i * 32, i * 32 + 32));
        if (wrong) tell({ what: 'entry', place: String(leaf), seq, sentence: wrong });
        frontier.append(hash, (height, index, node) => {
          if (height > 0) collector.add(height, index, node);
        });
        if (frontier.size === stop) {
          await compareAt(stop, frontier.root());
          stop = await nextStop();
        }
      }
    }
    counts.entries = frontier.size;
    yield { done: frontier.size, total };
  }
  if (frontier.size < total) {
    tell({ what: 'tree', place: String(frontier.size), sentence: message('ledger.treeEndsAfterEntries', { size: frontier.size, total }) });
  }
  for (let head = await heads.peek(); head; head = await heads.peek()) {
    tell({
      what: 'head',
      place: String(head.size),
      sentence: message('ledger.thereTreeHeadEntries', { size: head.size }),
    });
    heads.take();
  }
  const beyond = await seen.peek();
  if (beyond) {
    tell({
      what: 'witness',
      place: String(total),
      sentence: message('ledger.witnessSawEntriesNewest', { size: beyond.size, total }),
    });
  }
  const first = (await store.keyLine(db))[0];
  if (first && witness && witness.firstKey !== null && witness.firstKey !== first.public_key) {
    tell({ what: 'key', place: first.id, sentence: message('ledger.witnessKnowsLedgerAnother') });
  }

  await besideTheTree(db, collector, named, total, tell);

  if (!witness) unchecked.push(message('ledger.witnessSilent'));
  else if (lastSeen < total) unchecked.push(message('ledger.notCosignedYet', { n: total - lastSeen }));
  if (total > 0 && newest!.stamp === null) unchecked.push(message('ledger.notStampedYet'));
  if (lateStamp > 0) unchecked.push(message('ledger.stampedLate', { n: lateStamp }));
  if (witness?.putBack) unchecked.push(witness.putBack);
  if (more > 0) unchecked.push(message('ledger.moreFindings', { n: more }));
  const ok = findings.length === 0;
  yield { report: { ok, size: total, sentence: sentenceOf(ok, total, findings, unchecked), findings, unchecked, checked: counts } };
}

function sentenceOf(ok: boolean, total: number, findings: readonly Told<LedgerFinding>[], unchecked: readonly Message[]): Message {
  if (!ok) return message('ledger.notAsSealed', { n: findings.length, first: findings[0]!.sentence });
  if (total === 0) return message('ledger.nothingSealedYet');
  return message(unchecked.length > 0 ? 'ledger.asSealed' : 'ledger.asSealedAndSeen', { n: total });
}

/** What no head shows: hashes above the leaves, entries that no leaf names, and what waits too long to be sealed. */
async function besideTheTree(
  db: Db,
  collector: ReturnType<typeof tileCollector>,
  named: Numbers,
  total: number,
  tell: (finding: Told<LedgerFinding>) => void,
): Promise<void> {
  const computed = new Map(collector.tiles().map((t) => [`${t.level}/${t.idx}`, Buffer.concat(t.hashes)]));
  for (const tile of await store.upperTiles(db)) {
    const key = `${tile.level}/${tile.idx}`;
    if (!(computed.get(key) ?? Buffer.alloc(0)).equals(tile.hashes)) {
      tell({ what: 'tree', place: key, sentence: message('ledger.tileTreeDoesNot', { key }) });
    }
    computed.delete(key);
  }
  for (const key of computed.keys()) tell({ what: 'tree', place: key, sentence: message('ledger.tileTreeMissing', { key }) });
  if ((await store.sealedSize(db)) !== total) {
    tell({ what: 'tree', place: String(total), sentence: message('ledger.moreLessSaidSealed') });
  }
  const floor = await store.sealFloor(db);
  const upTo = await store.entriesUpTo(db, floor);
  // Counting is quick; only when it does not come out even is it looked for which they are.
  if (upTo !== named.countUpTo(floor)) {
    // Below nothing as well: numbers can be given by hand.
    for (let after = Number.MIN_SAFE_INTEGER; ;) {
      const part = await store.seqsAfter(db, after, 50_000);
      for (const { seq } of part) {
        if (seq <= floor && !named.has(seq)) {
          tell({
            what: 'entry',
            place: '',
            seq,
            sentence: message('ledger.entryLiesLedgerNever', { seq }),
          });
        }
      }
      if (part.length < 50_000) break;
      after = part.at(-1)!.seq;
    }
  }
  const waiting = await store.oldUnsealed(db);
  if (waiting) {
    tell({
      what: 'unsealed',
      place: '',
      seq: waiting.seq,
      sentence: message('ledger.entriesWaitLongerMinute', { n: waiting.n, seq: waiting.seq }),
    });
  }
}
