import type { LedgerEntry, LedgerFilter, LedgerFold, Told } from '@key-cellar/contract';
import { type Db, type SignedIn } from '../kernel/index.js';
import { actWords, noteWords } from './actWords.js';
import * as store from './store.js';

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

function toEntry(found: store.EntryRow, leaf: number | undefined): Told<LedgerEntry> {
  const body = JSON.parse(found.body) as EntryBody;
  return {
    seq: found.seq,
    at: body.at,
    actor: body.actor.name,
    from: body.from,
    act: body.act,
    words: actWords(body.act),
    subjectKind: body.subject.kind,
    subjectId: body.subject.id,
    subject: body.subject.name,
    before: body.before,
    after: body.after,
    note: noteWords(body.act, body.note, body.after),
    leaf: leaf ?? null,
  };
}

/** What the program did is counted among so many entries, and no more are looked at. */
const mostFolded = 100_000;

/** Folds of what the program did between entries of people, newest first. */
async function foldsBetween(
  db: Db,
  person: SignedIn,
  filter: LedgerFilter,
  part: store.EntryPart,
  entries: readonly store.EntryRow[],
): Promise<Told<LedgerFold>[]> {
  const between = entries.map((e) => e.seq).reverse();
  const counted = await store.foldedEntries(db, filter, person.timeZone, part, between, mostFolded);
  const full = counted.reduce((sum, c) => sum + c.n, 0) >= mostFolded;
  const last = counted.at(-1)?.gap;
  const folds = new Map<number, Told<LedgerFold>>();
  for (const { gap, act, n, newest, oldest } of counted) {
    const fold = folds.get(gap);
    folds.set(gap, {
      newest: Math.max(newest, fold?.newest ?? newest),
      oldest: Math.min(oldest, fold?.oldest ?? oldest),
      acts: [...(fold?.acts ?? []), { act, words: actWords(act), count: n }],
      // Where counting stopped, the oldest fold is not whole.
      more: full && gap === last,
    });
  }
  return [...folds.values()];
}

export async function listEntries(
  db: Db,
  person: SignedIn,
  filter: LedgerFilter,
  { folded, limit, ...part }: { before?: number | undefined; after?: number | undefined; folded?: boolean | undefined; limit: number },
): Promise<{ entries: Told<LedgerEntry>[]; folds: Told<LedgerFold>[]; next: number | null }> {
  const found = await store.entries(db, filter, person.timeZone, { ...part, byPeople: folded === true }, limit);
  const next = found.length === limit ? found.at(-1)!.seq : null;
  const [leaves, folds] = await Promise.all([
    store.leavesOf(
      db,
      found.map((e) => e.seq),
    ),
    folded ? foldsBetween(db, person, filter, next === null ? part : { ...part, after: next }, found) : [],
  ]);
  return { entries: found.map((e) => toEntry(e, leaves.get(e.seq))), folds, next };
}
