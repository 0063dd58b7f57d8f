import fc from 'fast-check';
import { merge, type Common } from './index.js';

const print = (value: unknown): string => JSON.stringify(value);

describe('a merge', () => {
  const known: Common = { known: { title: print('Letters') } };

  it('takes what only the other side changed, keeps what only this side did, and tells what both did', () => {
    const cases: [here: string, there: string, common: Common, expected: string][] = [
      ['Letters', 'Letters', known, ''],
      ['Letters', 'Mail', known, 'taken'],
      ['Post', 'Letters', known, 'kept'],
      ['Post', 'Mail', known, 'conflict'],
      ['Post', 'Post', known, ''],
      ['Post', 'Mail', 'theirs', 'taken'],
      ['Post', 'Mail', 'none', 'conflict'],
      ['Post', 'Post', 'none', ''],
      ['Post', 'Mail', { known: {} }, 'conflict'],
    ];
    for (const [here, there, common, expected] of cases) {
      const { values, taken, kept, conflicts } = merge({ title: here }, { title: there }, common, print);
      const came = taken.length > 0 ? 'taken' : kept.length > 0 ? 'kept' : conflicts.length > 0 ? 'conflict' : '';
      expect([here, there, came]).toEqual([here, there, expected]);
      expect(values['title']).toBe(expected === 'taken' ? there : here);
    }
  });

  it('lets a field that is not said be, and takes nothing for the same as what is missing', () => {
    expect(merge({ title: 'Letters', note: 'x' }, { title: 'Letters' }, 'theirs', print).values).toEqual({ title: 'Letters', note: 'x' });
    expect(merge({}, { note: null }, 'none', print)).toEqual({ values: {}, taken: [], kept: [], conflicts: [] });
  });

  it('only ever makes a history longer', () => {
    const versions = (here: unknown, there: unknown, common: Common = 'none') =>
      merge({ versions: here }, { versions: there }, common, print, ['versions']);
    expect(versions([1], [1, 2]).values).toEqual({ versions: [1, 2] });
    expect(versions([1, 2], [1]).kept).toEqual(['versions']);
    expect(versions([1, 2], [1, 3]).conflicts).toEqual(['versions']);
    expect(versions([], [{ a: 1, b: 2 }]).taken).toEqual(['versions']);
    expect(versions(undefined, [1]).taken).toEqual(['versions']);
    expect(versions([1, 2, 3], [1, 3]).conflicts).toEqual(['versions']);
    // Not even where what is here is what was common, or what comes an instruction.
    expect(versions([1, 2], [3], { known: { versions: print([1, 2]) } }).conflicts).toEqual(['versions']);
    expect(versions([1, 2], [3], 'theirs').conflicts).toEqual(['versions']);
  });

  it('loses no side’s change: every field ends as one of the two, and as the common one only where both have it', () => {
    const fields = fc.record({ a: fc.nat(3), b: fc.nat(3), c: fc.nat(3) });
    fc.assert(
      fc.property(fields, fields, fields, (then, here, there) => {
        const common = { known: Object.fromEntries(Object.entries(then).map(([f, v]) => [f, print(v)])) };
        const { values, conflicts } = merge(here, there, common, print);
        for (const f of ['a', 'b', 'c'] as const) {
          const [was, ours, theirs] = [then[f], here[f], there[f]];
          if (ours !== was && theirs !== was && ours !== theirs) expect(conflicts).toContain(f);
          else expect(values[f]).toBe(ours === was ? theirs : ours);
        }
      }),
    );
  });
});
