import type { OutlineLine, RackCounts } from '@key-cellar/contract';
import { barParts, rackColumns, rackEntries, rackRows, type RackCell } from './rackModel';

const place = (id: string, kind: OutlineLine['kind'], parentId: string | null, more: Partial<OutlineLine> = {}): OutlineLine => ({
  id,
  kind,
  parentId,
  code: id,
  title: id,
  closedOn: null,
  shut: null,
  retiredOn: null,
  rules: [],
  discover: true,
  deposit: true,
  counts: null,
  foldersInside: false,
  ...more,
});
const cell = (seriesId: string, vintage: number, kept: number, more: Partial<RackCell> = {}): RackCell => ({
  seriesId,
  vintage,
  kept,
  due: 0,
  held: 0,
  unscheduled: 0,
  permanent: 0,
  waiting: 0,
  ...more,
});

const places = [
  place('root', 'repository', null),
  place('F', 'function', 'root'),
  place('F.1', 'activity', 'F'),
  place('S1', 'series', 'F.1'),
  place('S2', 'series', 'F'),
];
const cells = [
  cell('S1', 0, 2, { waiting: 2 }),
  cell('S1', 2010, 3),
  cell('S1', 2024, 4, { due: 1 }),
  cell('S2', 2024, 5),
  cell('S2', 2031, 1),
];

describe('the rack', () => {
  const { years, earlier } = rackColumns(cells, 2026, 5);

  it('shows the newest years, one ahead at the most, and gathers what is earlier', () => {
    expect(years).toEqual([2022, 2023, 2024, 2025, 2026]);
    expect(earlier).toBeTrue();
    expect(rackColumns([cell('S1', 2027, 1)], 2026, 3).years).toEqual([2025, 2026, 2027]);
  });

  it('puts parents before children and sums them', () => {
    const rows = rackRows(rackEntries(places, cells, years), new Set());
    expect(rows.map((r) => r.place.id)).toEqual(['F', 'F.1', 'S1', 'S2']);
    const [fn, activity] = rows;
    expect(fn!.cells.get('2024')!.kept).toBe(9);
    expect(fn!.cells.get('2026')!.kept).withContext('what lies beyond the last column counts in it').toBe(1);
    expect(activity!.cells.get('earlier')!.kept).toBe(3);
    expect(activity!.cells.get('running')!.waiting).toBe(2);
    expect(fn!.all.kept).toBe(15);
  });

  it('keeps the sums of what is folded away', () => {
    const rows = rackRows(rackEntries(places, cells, years), new Set(['F']));
    expect(rows.map((r) => [r.place.id, r.all.kept])).toEqual([['F', 15]]);
  });

  it('shows only the rows that have what is asked for', () => {
    expect(rackRows(rackEntries(places, cells, years), new Set(), 'due').map((r) => r.place.id)).toEqual(['F', 'F.1', 'S1']);
  });

  it('has folders only in an outline, unfolded one by one, and counts nothing twice', () => {
    const counts = (kept: number, due = 0): RackCounts => ({ kept, due, held: 0, unscheduled: 0, permanent: 0, waiting: 0 });
    const all = [
      ...places.map((p) => (p.id === 'S1' ? { ...p, foldersInside: true } : p)),
      place('F1', 'folder', 'S1', { counts: counts(6, 1), foldersInside: true }),
      place('F2', 'folder', 'F1', { counts: counts(2) }),
    ];
    const shown = (unfolded: string[] | null, only: keyof RackCounts | null = null) =>
      rackRows(rackEntries(all, cells, years), new Set(), only, unfolded && new Set(unfolded)).map(
        (r) => `${r.place.id} ${r.all.kept}${r.foldable ? (r.isFolded ? ' ▸' : ' ▾') : ''}`,
      );
    expect(shown(null)).toEqual(['F 15 ▾', 'F.1 9 ▾', 'S1 9', 'S2 6']);
    expect(shown([])).toEqual(['F 15 ▾', 'F.1 9 ▾', 'S1 9 ▸', 'S2 6']);
    expect(shown(['S1'])).toEqual(['F 15 ▾', 'F.1 9 ▾', 'S1 9 ▾', 'F1 6 ▸', 'S2 6']);
    expect(shown(['S1', 'F1'])).toEqual(['F 15 ▾', 'F.1 9 ▾', 'S1 9 ▾', 'F1 6 ▾', 'F2 2', 'S2 6']);
    expect(shown(['S1', 'F1'], 'due')).toEqual(['F 15 ▾', 'F.1 9 ▾', 'S1 9 ▾', 'F1 6 ▾']);
  });

  it('divides a bar without counting a record twice', () => {
    const parts = barParts(cell('S', 2024, 10, { held: 4, due: 8 }));
    expect(parts.map((p) => [p.fill, p.share])).toEqual([
      ['fill-held', 0.4],
      ['fill-due', 0.6],
    ]);
    expect(barParts(cell('S', 2024, 0))).toEqual([]);
    const sum = barParts(cell('S', 2024, 7, { held: 1, due: 1, waiting: 2 })).reduce((s, p) => s + p.share, 0);
    expect(sum).toBeCloseTo(1);
  });
});
