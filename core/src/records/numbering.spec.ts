import { speaking } from '@key-cellar/words/testing';
import * as fc from 'fast-check';
import {
  countingScope,
  countScopes,
  exampleNumbers,
  numberFor as numberForSaid,
  numberingRefusal as numberingRefusalSaid,
  parseNumbering as parseNumberingSaid,
  usualNumbering,
  type NumberValues,
} from './index.js';

const parseNumbering = speaking(parseNumberingSaid);
const numberFor = speaking(numberForSaid);
const numberingRefusal = speaking(numberingRefusalSaid);

const values: NumberValues = {
  series: 'BER-01',
  place: 'BER-01/B-07',
  type: 'lease',
  on: '2026-09-04',
  facts: { tenant: 'Orrin Timber', no: 7, path: '..\\x' },
};
const made = (pattern: string, n = 12): string => {
  const parts = parseNumbering(pattern);
  if (!parts.ok) return parts.sentence;
  const number = numberFor(parts.value, values, n);
  return number.ok ? number.value : number.sentence;
};

describe('numbers', () => {
  const table: [string, string][] = [
    ['{series}/{year}/{nnnn}', 'BER-01/2026/0012'],
    ['{place}-{nn}', 'BER-01/B-07-12'],
    ['{type}.{year}{month}{day}.{n}', 'lease.20260904.12'],
    ['{fact tenant} {fact no} no. {nnn}', 'Orrin Timber 7 no. 012'],
    ['{fact berth}-{n}', 'Its number is made with the fact “berth”, which is missing.'],
    ['{series}', 'A number needs a counter, such as {nnnn}.'],
    ['{n}-{nn}', 'A number has one counter, not several.'],
    ['{serie}-{n}', '{serie} is not {series}, {place}, {type}, {year}, {month}, {day}, {fact …} or {nnnn}.'],
    ['{series}_{n}', 'A number may not have “_” in it.'],
    ['{series}\u0007{n}', 'A number may not have control characters in it.'],
    ['{fact path}/{n}', 'A number may not have “\\” in it.'],
    ['{series-{n}', 'A bracket is not closed.'],
    [`${'x'.repeat(130)}{n}`, 'Its number would be longer than 120 letters.'],
  ];
  for (const [pattern, expected] of table) it(`by ${pattern.slice(0, 40)}`, () => expect(made(pattern)).toBe(expected));
  it('have examples', () => {
    expect(exampleNumbers('{type}-{year}-{nn}', '2026-09-04')).toEqual(['lease-2026-01', 'lease-2026-02', 'lease-2026-03']);
    expect(exampleNumbers('{fact berth}/{n}', '2026-09-04')[0]).toBe('BERTH/1');
    expect(exampleNumbers('{year', '2026-09-04')).toEqual([]);
  });
  it('grow wider when they must', () => expect(made('{nn}', 1234)).toBe('1234'));
});

describe('schemes', () => {
  const refusals: [string, ('series' | 'place' | 'type' | 'year' | 'month')[], RegExp | null][] = [
    [usualNumbering.pattern, ['series', 'year'], null],
    ['{place}/{n}', ['series'], null],
    ['{n}', [], null],
    ['{series}/{n}', ['series', 'year'], /for each year/],
    ['{month}/{n}', ['month'], /for each year/],
    ['{year}/{n}', ['type', 'year'], /for each record type/],
    ['{nope}', [], /is not \{series\}/],
  ];
  for (const [pattern, per, refusal] of refusals)
    it(`${pattern} per ${per.join(', ') || 'nothing'}`, () =>
      refusal ? expect(numberingRefusal({ pattern, per })).toMatch(refusal) : expect(numberingRefusal({ pattern, per })).toBeNull());

  it('that are sound give two records of different scopes different numbers', () => {
    const place = fc.constantFrom('A', 'B');
    const day = fc.constantFrom('2025-12-31', '2026-01-01', '2026-02-01');
    const record = fc.record({ series: place, folder: place, type: place, on: day });
    const pattern = fc.subarray(['{series}', '{place}', '{type}', '{year}', '{month}']).map((p) => [...p, '{nnn}'].join('/'));
    fc.assert(
      fc.property(pattern, fc.subarray([...countScopes]), record, record, fc.integer({ min: 1, max: 50 }), (p, per, a, b, n) => {
        if (numberingRefusal({ pattern: p, per }) !== null) return;
        const parts = parseNumbering(p);
        const scope = (r: typeof a): string =>
          countingScope(per, { series: r.series, place: `${r.series}/${r.folder}`, type: r.type }, r.on);
        const number = (r: typeof a): unknown =>
          parts.ok && numberFor(parts.value, { series: r.series, place: `${r.series}/${r.folder}`, type: r.type, on: r.on, facts: {} }, n);
        if (scope(a) !== scope(b)) expect(number(a)).not.toEqual(number(b));
      }),
      { numRuns: 1000 },
    );
  });

  it('never let the count run into what has no fixed length, nor ask for a fact that nothing has', () => {
    const glued = (field: string): string =>
      `The count runs into ${field}: two numbers could read alike. Put a sign between them, such as a hyphen.`;
    const table: [string, string | null][] = [
      ['{series}{n}', glued('{series}')],
      ['{n}{type}', glued('{type}')],
      ['{place}07{nnn}', glued('{place}')],
      ['{fact berth}{nn}', glued('{fact berth}')],
      ['{series}-{n}', null],
      ['{series}{year}{nnn}', null],
      ['{year}{month}{nnn}', null],
      ['L{nnn}', null],
      ['{fact berth}-{nn}', null],
      ['{fact zzz}-{nn}', 'There is no fact zzz.'],
    ];
    for (const [pattern, expected] of table)
      expect([pattern, numberingRefusal({ pattern, per: [] }, new Set(['berth']))]).toEqual([pattern, expected]);
  });
});
