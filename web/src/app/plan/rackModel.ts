import type { OutlineLine, PlaceLine, RackCell, RackCounts } from '@key-cellar/contract';

export interface RackRow {
  readonly place: PlaceLine;
  readonly depth: number;
  /** By column key: a year, `earlier`, or `running` (the clock has not started). */
  readonly cells: ReadonlyMap<string, RackCounts>;
  readonly all: RackCounts;
  readonly foldable: boolean;
  readonly isFolded: boolean;
}

const none: RackCounts = { kept: 0, due: 0, held: 0, unscheduled: 0, permanent: 0, waiting: 0 };

function add(a: RackCounts, b: RackCounts): RackCounts {
  return {
    kept: a.kept + b.kept,
    due: a.due + b.due,
    held: a.held + b.held,
    unscheduled: a.unscheduled + b.unscheduled,
    permanent: a.permanent + b.permanent,
    waiting: a.waiting + b.waiting,
  };
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
 * Rows in plan order, parents before children; sums of functions and activities from their series. Folders, which only an
 * outline has, come with counts of their own, and count in their series already.
 */
export function rackRows(
  places: readonly OutlineLine[],
  cells: readonly RackCell[],
  years: readonly number[],
  folded: ReadonlySet<string>,
  only: keyof RackCounts | null = null,
  /** Series and folders that are unfolded; null where folders are not shown. */
  unfolded: ReadonlySet<string> | null = null,
): RackRow[] {
  const children = new Map<string | null, OutlineLine[]>();
  for (const p of places) children.set(p.parentId, [...(children.get(p.parentId) ?? []), p]);
  const bySeries = new Map<string, Map<string, RackCounts>>();
  for (const cell of cells) {
    const columns = bySeries.get(cell.seriesId) ?? new Map<string, RackCounts>();
    const key = columnOf(cell.vintage, years);
    columns.set(key, add(columns.get(key) ?? none, cell));
    bySeries.set(cell.seriesId, columns);
  }
  const rows: RackRow[] = [];
  const visit = (place: OutlineLine, depth: number, hidden: boolean): Map<string, RackCounts> => {
    const sums = new Map(bySeries.get(place.id) ?? []);
    const at = rows.length;
    const isFolded = holdsFolders(place) ? !unfolded?.has(place.id) : folded.has(place.id);
    for (const child of children.get(place.id) ?? []) {
      for (const [key, counts] of visit(child, depth + 1, hidden || isFolded)) sums.set(key, add(sums.get(key) ?? none, counts));
    }
    const all = place.kind === 'folder' ? (place.counts ?? none) : [...sums.values()].reduce(add, none);
    if (!hidden && (only === null || all[only] > 0)) {
      const foldable = holdsFolders(place) ? unfolded !== null && place.foldersInside : true;
      rows.splice(at, 0, { place, depth, cells: sums, all, foldable, isFolded });
    }
    return sums;
  };
  for (const root of children.get(null) ?? []) for (const fn of children.get(root.id) ?? []) visit(fn, 0, false);
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
