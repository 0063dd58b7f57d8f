import fc from 'fast-check';
import { numberFor, numberingsMeet, parseNumbering, type NumberPart } from './index.js';

const parse = (pattern: string): NumberPart[] => {
  const read = parseNumbering(pattern);
  if (!read.ok) throw new Error(pattern);
  return read.value;
};

describe('two numbering schemes', () => {
  it('meet where both can make one number', () => {
    const table: [string, string, string | null][] = [
      ['L-{nnn}', 'L-{nnnn}', 'L-1111'],
      ['L-{nnn}', 'L-{nnn}', 'L-111'],
      ['L-{nnn}', 'K-{nnn}', null],
      ['L-{nnn}', 'L-{year}-{nnn}', null],
      ['{year}-{nnn}', '{year}-{nnnn}', '1111-1111'],
      ['{year}{nnn}', '{nnnn}', '1111111'],
      ['{year}/{nn}', '{month}/{nn}', null],
      ['L-{nn}', 'L-{nnn}-x', null],
      ['{series}/{year}/{nnnn}', '{series}/{nnnn}', null],
      ['{series}/{year}/{nnnn}', '{series}/{year}/{nn}', '{series}/1111/1111'],
      ['{series}/{nnn}', '{place}/{nn}', '{series}/111'],
      ['{series}/{nnn}', 'BER-01/{nnn}', null],
      ['{fact customer}-{nnn}', 'INV-{nnn}', null],
      ['{fact customer}-{nnn}', '{fact customer}-{n}', '{fact customer}-111'],
      ['{fact customer}-{nnn}', '{fact supplier}-{nnn}', null],
      ['{type}-{nnn}', 'INV/{nnn}', null],
      ['12{nnn}', '{nnnn}', '12111'],
      ['a{n}b{year}', 'a{n}c{year}', null],
    ];
    for (const [a, b, expected] of table) {
      expect([a, b, numberingsMeet(parse(a), parse(b))]).toEqual([a, b, expected]);
      expect([a, b, numberingsMeet(parse(b), parse(a)) === null]).toEqual([a, b, expected === null]);
    }
  });

  it('never make one number where they do not meet', () => {
    const piece = fc.constantFrom('L', '-', '1', '{year}', '{month}');
    const pattern = fc
      .tuple(fc.array(piece, { maxLength: 3 }), fc.constantFrom('{n}', '{nn}', '{nnn}'), fc.array(piece, { maxLength: 2 }))
      .map(([before, counter, after]) => [...before, counter, ...after].join(''));
    const values = fc.record({
      on: fc.constantFrom('2026-01-05', '2111-11-11', '1999-12-31'),
      counter: fc.integer({ min: 1, max: 2500 }),
    });
    const make = (parts: NumberPart[], { on, counter }: { on: string; counter: number }): string | null => {
      const made = numberFor(parts, { series: 'S', place: 'S', type: 'T', on, facts: {} }, counter);
      return made.ok ? made.value : null;
    };
    fc.assert(
      fc.property(pattern, pattern, fc.array(values, { minLength: 20, maxLength: 20 }), (a, b, all) => {
        if (numberingsMeet(parse(a), parse(b)) !== null) return;
        const made = new Set(all.map((one) => make(parse(a), one)));
        for (const one of all) expect(made.has(make(parse(b), one))).toBe(false);
      }),
    );
  });
});
