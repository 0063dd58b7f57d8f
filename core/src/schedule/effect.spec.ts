import * as fc from 'fast-check';
import { civilDate } from '../calendar/index.js';
import {
  effectTally,
  formatMonth,
  laneWidth,
  mergeEffects,
  monthOf,
  unknownDay,
  type Effect,
  type RuleVersion,
  type Standing,
} from './index.js';
import { rule as published, step } from './testing/index.js';

const today = civilDate('2026-09-14');
const rule = (code: string): RuleVersion => published(code, { steps: [step('review', 'P6Y'), step('destroy', 'P7Y')] });
const [a, b] = [rule('R-A'), rule('R-B')];
const dated = (dueOn: string, of: RuleVersion | null = a): Standing => ({
  outcome: 'dated',
  rule: of,
  triggerOn: unknownDay,
  clockStart: unknownDay,
  conflict: false,
  dueOn: civilDate(dueOn),
  action: 'destroy',
});
const without = (outcome: Standing['outcome'], of: RuleVersion | null = a): Standing => ({
  outcome,
  rule: of,
  triggerOn: unknownDay,
  clockStart: unknownDay,
  conflict: false,
  dueOn: unknownDay,
  action: null,
});
const record = (id: string, changes: { series?: string; bytes?: number; held?: boolean; inBatch?: boolean } = {}) => ({
  series: 'PIL-01',
  bytes: 10,
  held: false,
  inBatch: false,
  ...changes,
  id: () => id,
});
/** The cells of a forecast that are not empty. */
function cellsOf(e: Effect): string[] {
  return e.forecast
    .flatMap(({ series, rule: code, step, cells }) =>
      Array.from({ length: cells.length / laneWidth }, (_, i) => {
        const [records, bytes, afterRecords, afterBytes] = cells.subarray(i * laneWidth, (i + 1) * laneWidth);
        return {
          series,
          month: formatMonth(e.firstMonth + i),
          code,
          step,
          records: records!,
          bytes,
          afterRecords: afterRecords!,
          afterBytes,
        };
      }),
    )
    .filter((c) => c.records > 0 || c.afterRecords > 0)
    .map((c) => `${c.series} ${c.month} ${c.code} ${c.step} ${c.records} ${c.afterRecords} ${c.bytes} ${c.afterBytes}`)
    .sort();
}
function effectOf(...changes: [Standing, Standing][]): Effect {
  const tally = effectTally(today);
  changes.forEach(([before, after], i) => tally.add(record(`r${i}`), before, after));
  return tally.result();
}

describe('the effect of a change', () => {
  const table: [string, Standing, Standing, string][] = [
    ['an earlier date', dated('2030-01-01'), dated('2029-12-31'), 'earlier'],
    ['a later date', dated('2030-01-01'), dated('2030-01-02'), 'later'],
    ['a first date for what waited', without('waiting'), dated('2030-01-01'), 'first'],
    ['a first date for what no rule reached', without('unscheduled', null), dated('2030-01-01'), 'first'],
    ['no date any more', dated('2030-01-01'), without('permanent'), 'none'],
    ['for good instead of waiting', without('waiting'), without('permanent'), 'otherwise'],
    ['the same date under another rule', dated('2030-01-01'), dated('2030-01-01', b), ''],
    ['nothing at all', dated('2030-01-01'), dated('2030-01-01'), ''],
  ];
  for (const [name, before, after, which] of table) {
    it(name, () => {
      const { shift, changed } = effectOf([before, after]);
      expect(Object.entries(shift).filter(([, n]) => n > 0)).toEqual(which ? [[which, 1]] : []);
      expect(changed).toBe(name === 'nothing at all' ? 0 : 1);
    });
  }

  it('says what would be due at once, what is held and what is in a batch', () => {
    const tally = effectTally(today);
    tally.add(record('x', { held: true }), dated('2030-01-01'), dated('2026-09-14'));
    tally.add(record('y', { inBatch: true, bytes: 5 }), without('waiting'), dated('2020-01-01'));
    tally.add(record('z'), dated('2026-09-13'), dated('2020-01-01'));
    const { atOnce, held, inBatches, changed } = tally.result();
    expect([atOnce, held, inBatches, changed]).toEqual([{ records: 2, bytes: 15 }, 1, 1, 3]);
  });

  it('lists the ten that move farthest, those that lose their date first', () => {
    const changes = Array.from({ length: 30 }, (_, i): [Standing, Standing] => [dated('2030-01-01'), dated(`20${30 + i}-01-02`)]);
    const { most } = effectOf(...changes, [dated('2030-01-01'), without('permanent')]);
    expect(most.length).toBe(10);
    expect(most[0]).toEqual({ id: 'r30', before: civilDate('2030-01-01'), after: null });
    expect(most[1]!.id).toBe('r29');
  });

  it('forecasts each step in its month, what is overdue in the first, and nothing after thirty years', () => {
    const start = civilDate('2024-03-10');
    const before: Standing = { ...dated('2031-03-10'), clockStart: start };
    const effect = effectOf(
      [before, { ...before, dueOn: civilDate('2020-01-01') }],
      [dated('2056-09-01'), dated('2056-08-31')],
      [dated('2090-01-01', null), dated('2027-01-01', null)],
    );
    expect(cellsOf(effect)).toEqual([
      'PIL-01 2026-09 R-A destroy 0 1 0 10',
      'PIL-01 2027-01  destroy 0 1 0 10',
      'PIL-01 2030-03 R-A review 1 1 10 10',
      'PIL-01 2031-03 R-A destroy 1 0 10 0',
      'PIL-01 2056-08 R-A destroy 0 1 0 10',
    ]);
    expect(formatMonth(monthOf(civilDate('0999-12-31')))).toBe('0999-12');
  });

  it('is the same however the records are shared out', () => {
    const side = fc.oneof(
      fc.constantFrom('2026-01-01', '2027-05-05', '2040-12-31').map((d) => dated(d)),
      fc.constantFrom('waiting' as const, 'permanent' as const).map((o) => without(o)),
      fc.constant<Standing>({ ...dated('2031-03-10', b), clockStart: civilDate('2024-03-10') }),
    );
    const item = fc.tuple(fc.constantFrom('PIL-01', 'BER-02'), side, side, fc.boolean());
    fc.assert(
      fc.property(fc.array(item, { maxLength: 40 }), fc.nat(40), (items, cut) => {
        const tallies = [effectTally(today), effectTally(today), effectTally(today)];
        items.forEach(([series, before, after, held], i) => {
          const r = record(`r${String(i).padStart(2, '0')}`, { series, held });
          for (const tally of [tallies[0]!, tallies[i < cut ? 1 : 2]!]) tally.add(r, before, after);
        });
        const sorted = (e: Effect) => ({
          ...mergeEffects([e]),
          firstMonth: 0,
          bySeries: [...e.bySeries].sort((x, y) => (x.series < y.series ? -1 : 1)),
          forecast: cellsOf(e),
        });
        expect(sorted(mergeEffects([tallies[1]!.result(), tallies[2]!.result()]))).toEqual(sorted(mergeEffects([tallies[0]!.result()])));
      }),
    );
  });
});
