import type { RackCounts, RackOfSeries } from '@key-cellar/contract';
import type { Db, PersonAccess } from '../kernel/index.js';
import { counted, rackFolded, rackSince, type Cell, type Counted } from './rackStore.js';

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
/** So many groups of sets, those read last. */
const mostGroups = 8;

interface Remembered {
  readonly epoch: number;
  /** What was folded up to then. */
  readonly folded: RackSeen;
  /** The last that was made of it: with what was noted since, as long as that stays the same. */
  last: { readonly noted: string; readonly seen: RackSeen };
}

/** Groups of sets that are remembered, and what is being read for one: whoever comes meanwhile waits for it. */
interface Memory {
  readonly groups: Map<string, Remembered>;
  readonly reading: Map<string, Promise<void>>;
}
const memories = new WeakMap<Db, Memory>();

async function readFolded(pool: Db, key: string, sets: readonly number[], known: number, { groups }: Memory): Promise<void> {
  const { epoch, folded } = await rackFolded(pool, sets, known);
  const seen = nothing.with(folded);
  groups.delete(key);
  groups.set(key, { epoch, folded: seen, last: { noted: '[]', seen } });
  if (groups.size > mostGroups) groups.delete(groups.keys().next().value!);
}

/**
 * Counts of series by vintage, of what somebody has a right to. What was folded is remembered by its epoch, for each group of sets; what
 * was noted since is asked for every time, with the epoch that it adds to. Where that is another, what is folded is read again.
 */
export async function rackSeen(pool: Db, access: PersonAccess, right: 'discover' | 'dispose' | 'read'): Promise<RackSeen> {
  const sets = access.sets(right);
  if (sets.length === 0) return nothing;
  const key = sets.join();
  const memory = memories.get(pool) ?? { groups: new Map<string, Remembered>(), reading: new Map<string, Promise<void>>() };
  memories.set(pool, memory);
  for (;;) {
    const here = memory.groups.get(key);
    if (here) {
      const { epoch, since } = await rackSince(pool, sets);
      if (epoch === here.epoch) {
        const noted = JSON.stringify(since);
        if (here.last.noted !== noted) here.last = { noted, seen: here.folded.with(since) };
        return here.last.seen;
      }
      // Somebody else may have read it meanwhile.
      if (memory.groups.get(key) !== here) continue;
    }
    let reading = memory.reading.get(key);
    if (!reading) {
      reading = readFolded(pool, key, sets, access.known, memory).finally(() => memory.reading.delete(key));
      memory.reading.set(key, reading);
    }
    await reading;
  }
}
