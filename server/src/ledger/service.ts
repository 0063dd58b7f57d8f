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
/** So few are listed as they are: a fold would take as much room. */
const few = 3;

/** Folds of what the program did between entries of people, newest first, and the numbers of what is too little to be folded. */
async function foldsBetween(
  db: Db,
  person: SignedIn,
  filter: LedgerFilter,
  part: store.EntryPart,
  entries: readonly store.EntryRow[],
): Promise<{ folds: Told<LedgerFold>[]; listed: number[] }> {
  const between = entries.map((e) => e.seq).reverse();
  const counted = await store.foldedEntries(db, filter, person.timeZone, part, between, { most: mostFolded, few });
  const full = counted.reduce((sum, c) => sum + c.n, 0) >= mostFolded;
  const last = counted.at(-1)?.gap;
  const folds = new Map<number, Told<LedgerFold>>();
  const inGap = new Map<number, number>();
  for (const { gap, n } of counted) inGap.set(gap, (inGap.get(gap) ?? 0) + n);
  // Where counting stopped there are more than were counted.
  const isFolded = (gap: number): boolean => inGap.get(gap)! > few || (full && gap === last);
  for (const { gap, act, n, newest, oldest } of counted.filter((c) => isFolded(c.gap))) {
    const fold = folds.get(gap);
    folds.set(gap, {
      newest: Math.max(newest, fold?.newest ?? newest),
      oldest: Math.min(oldest, fold?.oldest ?? oldest),
      acts: [...(fold?.acts ?? []), { act, words: actWords(act), count: n }],
      // Where counting stopped, the oldest fold is not whole.
      more: full && gap === last,
    });
  }
  return { folds: [...folds.values()], listed: counted.filter((c) => !isFolded(c.gap)).flatMap((c) => c.first) };
}

/** The newest entries of several acts: a few of each, so that one that was done to many hides no other. */
export async function newestOf(
  db: Db,
  acts: readonly string[],
  { ofEach, most }: { readonly ofEach: number; readonly most: number },
): Promise<Told<LedgerEntry>[]> {
  const found = await store.newestOfActs(db, acts, ofEach, most);
  const leaves = await store.leavesOf(
    db,
    found.map((e) => e.seq),
  );
  return found.map((e) => toEntry(e, leaves.get(e.seq)));
}

export async function listEntries(
  db: Db,
  person: SignedIn,
  filter: LedgerFilter,
  { folded, limit, ...part }: { before?: number | undefined; after?: number | undefined; folded?: boolean | undefined; limit: number },
): Promise<{ entries: Told<LedgerEntry>[]; folds: Told<LedgerFold>[]; next: number | null }> {
  const page = await store.entries(db, filter, person.timeZone, { ...part, byPeople: folded === true }, limit);
  const next = page.length === limit ? page.at(-1)!.seq : null;
  const { folds, listed } = folded
    ? await foldsBetween(db, person, filter, next === null ? part : { ...part, after: next }, page)
    : { folds: [], listed: [] };
  const found = listed.length === 0 ? page : [...page, ...(await store.entriesAt(db, listed))].sort((a, b) => b.seq - a.seq);
  const leaves = await store.leavesOf(
    db,
    found.map((e) => e.seq),
  );
  return { entries: found.map((e) => toEntry(e, leaves.get(e.seq))), folds, next };
}
