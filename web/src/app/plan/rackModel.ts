import type { OutlineLine, PlaceLine, RackCounts, RackOfSeries } from '@key-cellar/contract';

/** A place of the plan with what its records come to. */
interface RackEntry {
  readonly place: PlaceLine;
  readonly depth: number;
  /** By column key: a year, `earlier`, or `running` (the clock has not started). */
  readonly cells: ReadonlyMap<string, RackCounts>;
  readonly all: RackCounts;
  readonly foldersInside: boolean;
}

export interface RackRow extends RackEntry {
  readonly foldable: boolean;
  readonly isFolded: boolean;
}

type Counting = { -readonly [K in keyof RackCounts]: number };
const nothing = (): Counting => ({ kept: 0, due: 0, held: 0, unscheduled: 0, permanent: 0, waiting: 0 });

function count(into: Map<string, Counting>, key: string, more: RackCounts): void {
  let counts = into.get(key);
  if (!counts) into.set(key, (counts = nothing()));
  addTo(counts, more);
}

function addTo(counts: Counting, more: RackCounts): void {
  counts.kept += more.kept;
  counts.due += more.due;
  counts.held += more.held;
  counts.unscheduled += more.unscheduled;
  counts.permanent += more.permanent;
  counts.waiting += more.waiting;
}

/** What a series has of one vintage (0 = the clock has not started). */
export type RackCell = RackCounts & { readonly seriesId: string; readonly vintage: number };

/** The cells of a rack as the server sends them, in columns. */
export function rackCells(series: readonly RackOfSeries[]): RackCell[] {
  return series.flatMap(({ seriesId, vintages, kept, due, held, unscheduled, permanent, waiting }) =>
    vintages.map((vintage, i) => ({
      seriesId,
      vintage,
      kept: kept[i]!,
      due: due[i]!,
      held: held[i]!,
      unscheduled: unscheduled[i]!,
      permanent: permanent[i]!,
      waiting: waiting[i]!,
    })),
  );
}

/** The columns of a rack: not started, everything before, then the years shown. */
export function rackColumns(cells: readonly RackCell[], thisYear: number, shown: number): { years: number[]; earlier: boolean } {
  const years = cells.map((c) => c.vintage).filter((v) => v > 0);
  const last = Math.max(thisYear, ...years.filter((y) => y <= thisYear + 1));
  const first = last - shown + 1;
  return { years: Array.from({ length: shown }, (_, i) => first + i), earlier: years.some((y) => y < first) };
}

function columnOf(vintage: number, years: readonly number[]): string {
  if (vintage === 0) return 'running';
  return vintage < years[0]! ? 'earlier' : String(Math.min(vintage, years.at(-1)!));
}

/** Kinds of place whose folders are fetched when they are unfolded. */
export const holdsFolders = (place: PlaceLine): boolean => place.kind === 'series' || place.kind === 'folder';

/**
 * All places in plan order, parents before children; sums of functions and activities from their series. Folders, which only
 * an outline has, come with counts of their own, and count in their series already.
 */
export function rackEntries(places: readonly OutlineLine[], cells: readonly RackCell[], years: readonly number[]): readonly RackEntry[] {
  const children = new Map<string | null, OutlineLine[]>();
  for (const place of places) {
    const siblings = children.get(place.parentId);
    if (siblings) siblings.push(place);
    else children.set(place.parentId, [place]);
  }
  const bySeries = new Map<string, Map<string, Counting>>();
  for (const cell of cells) {
    let columns = bySeries.get(cell.seriesId);
    if (!columns) bySeries.set(cell.seriesId, (columns = new Map()));
    count(columns, columnOf(cell.vintage, years), cell);
  }
  const entries: RackEntry[] = [];
  const visit = (place: OutlineLine, depth: number): Map<string, Counting> => {
    const sums = bySeries.get(place.id) ?? new Map<string, Counting>();
    const all = nothing();
    entries.push({ place, depth, cells: sums, all, foldersInside: place.foldersInside });
    for (const child of children.get(place.id) ?? []) for (const [key, counts] of visit(child, depth + 1)) count(sums, key, counts);
    if (place.kind === 'folder') addTo(all, place.counts ?? nothing());
    else for (const counts of sums.values()) addTo(all, counts);
    return sums;
  };
  for (const root of children.get(null) ?? []) for (const fn of children.get(root.id) ?? []) visit(fn, 0);
  return entries;
}

/** Those of them that show: what is folded hides what lies in it, and `only` leaves out what has none of that kind. */
export function rackRows(
  entries: readonly RackEntry[],
  folded: ReadonlySet<string>,
  only: keyof RackCounts | null = null,
  /** Series and folders that are unfolded; null where folders are not shown. */
  unfolded: ReadonlySet<string> | null = null,
): RackRow[] {
  const rows: RackRow[] = [];
  // Deeper than this lies in something that is folded.
  let open = Infinity;
  for (const entry of entries) {
    const { place, depth, all } = entry;
    if (depth > open) continue;
    const holds = holdsFolders(place);
    const isFolded = holds ? !unfolded?.has(place.id) : folded.has(place.id);
    open = isFolded ? depth : Infinity;
    if (only !== null && all[only] === 0) continue;
    rows.push({ ...entry, foldable: holds ? unfolded !== null && entry.foldersInside : true, isFolded });
  }
  return rows;
}

/** Parts of a cell's bar, as shares of what is kept: held first, then due, no rule, for good, waiting, merely kept. */
export function barParts(c: RackCounts): { fill: string; share: number }[] {
  if (c.kept === 0) return [];
  let left = c.kept;
  const take = (n: number): number => {
    const taken = Math.min(n, left);
    left -= taken;
    return taken;
  };
  const parts = [
    { fill: 'fill-held', n: take(c.held) },
    { fill: 'fill-due', n: take(c.due) },
    { fill: 'fill-none', n: take(c.unscheduled) },
    { fill: 'fill-permanent', n: take(c.permanent) },
    { fill: 'fill-waiting', n: take(c.waiting) },
    { fill: 'fill-kept', n: left },
  ];
  return parts.filter((p) => p.n > 0).map((p) => ({ fill: p.fill, share: p.n / c.kept }));
}
