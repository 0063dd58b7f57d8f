import type { RackCounts, RackOfSeries } from '@key-cellar/contract';
import type { Db, PersonAccess } from '../kernel/index.js';
import { counted, rackSince, type Cell, type Counted } from './rackStore.js';

const none: Counted = { kept: 0, due: 0, held: 0, unscheduled: 0, permanent: 0, waiting: 0, declared: 0 };

function add(a: Counted, b: Counted): Counted {
  const sum = { ...a };
  for (const column of counted) sum[column] += b[column];
  return sum;
}

/** One series: by vintage (0 = the clock has not started), and all of them together. */
interface SeriesSeen {
  readonly byVintage: ReadonlyMap<number, Counted>;
  readonly all: Counted;
}

/** What stands in the sets of access of somebody. It never changes; what is made of it may be kept as long as it is. */
export class RackSeen {
  constructor(readonly series: ReadonlyMap<string, SeriesSeen>) {}

  /** Of one series, or nothing. */
  of(seriesId: string): RackCounts {
    const { declared: _, ...counts } = this.series.get(seriesId)?.all ?? none;
    return counts;
  }

  /** Of some series (null: of all), of one vintage or of all. */
  total(seriesIds: readonly string[] | null = null, vintage: number | null = null): Counted {
    const series = seriesIds ? seriesIds.flatMap((id) => this.series.get(id) ?? []) : [...this.series.values()];
    return series.map(({ all, byVintage }) => (vintage === null ? all : (byVintage.get(vintage) ?? none))).reduce(add, none);
  }

  /** With what was noted since; series of which nothing was noted stay as they are. */
  with(noted: readonly Cell[]): RackSeen {
    if (noted.length === 0) return this;
    const series = new Map(this.series);
    const vintagesOf = new Map<string, Map<number, Counted>>();
    for (const cell of noted) {
      let vintages = vintagesOf.get(cell.seriesId);
      if (!vintages) vintagesOf.set(cell.seriesId, (vintages = new Map(series.get(cell.seriesId)?.byVintage)));
      vintages.set(cell.vintage, add(vintages.get(cell.vintage) ?? none, cell));
    }
    for (const [id, vintages] of vintagesOf) {
      for (const [vintage, counts] of vintages) if (counts.kept <= 0) vintages.delete(vintage);
      if (vintages.size === 0) series.delete(id);
      else series.set(id, { byVintage: vintages, all: [...vintages.values()].reduce(add) });
    }
    return new RackSeen(series);
  }

  private sent: { readonly series: RackOfSeries[] } | null = null;

  /** As it is sent: made once, so that it is also packed once. */
  toSend(): { readonly series: RackOfSeries[] } {
    this.sent ??= Object.freeze({ series: [...this.series].map(([seriesId, { byVintage }]) => columnsOf(seriesId, byVintage)) });
    return this.sent;
  }
}

function columnsOf(seriesId: string, byVintage: ReadonlyMap<number, Counted>): RackOfSeries {
  const cells = [...byVintage.values()];
  return {
    seriesId,
    vintages: [...byVintage.keys()],
    kept: cells.map((c) => c.kept),
    due: cells.map((c) => c.due),
    held: cells.map((c) => c.held),
    unscheduled: cells.map((c) => c.unscheduled),
    permanent: cells.map((c) => c.permanent),
    waiting: cells.map((c) => c.waiting),
  };
}

const nothing = new RackSeen(new Map());
/** Groups of sets that are remembered, the ones asked for last. */
const mostGroups = 8;

interface Remembered {
  readonly epoch: number;
  /** What was folded up to then. */
  readonly folded: RackSeen;
  /** The same with what was noted since, and what that was: nobody may have written meanwhile. */
  readonly last: { readonly noted: string; readonly seen: RackSeen };
}
const remembered = new WeakMap<Db, Map<string, Remembered>>();

/**
 * Counts of series by vintage, of what somebody has a right to. What was folded is remembered by its epoch, for each group of sets; what
 * was noted since is asked for every time, in the statement that also tells the epoch.
 */
export async function rackSeen(pool: Db, access: PersonAccess, right: 'discover' | 'dispose' | 'read'): Promise<RackSeen> {
  const sets = access.sets(right);
  if (sets.length === 0) return nothing;
  const key = sets.join();
  const groups = remembered.get(pool) ?? new Map<string, Remembered>();
  remembered.set(pool, groups);
  const before = groups.get(key);
  const { epoch, since, folded } = await rackSince(pool, sets, access.known, before?.epoch ?? null);
  const noted = JSON.stringify(since);
  if (!folded && before!.last.noted === noted) return before!.last.seen;
  const base = folded ? nothing.with(folded) : before!.folded;
  const seen = base.with(since);
  // Another request may have come back with a later epoch meanwhile.
  if (epoch >= (groups.get(key)?.epoch ?? epoch)) {
    groups.delete(key);
    groups.set(key, { epoch, folded: base, last: { noted, seen } });
    if (groups.size > mostGroups) groups.delete(groups.keys().next().value!);
  }
  return seen;
}
