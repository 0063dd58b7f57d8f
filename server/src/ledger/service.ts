import type { LedgerEntry, LedgerFilter } from '@key-cellar/contract';
import { type Db, type SignedIn } from '../kernel/index.js';
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
