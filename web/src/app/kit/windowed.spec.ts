import { endsOf, windowOf } from './windowed';

describe('the rows in sight', () => {
  const ends = endsOf([30, 26, 34, 34, 34, 34, 34]);

  it('are those between two heights, with the height of what is not drawn', () => {
    expect(ends).toEqual([30, 56, 90, 124, 158, 192, 226]);
    expect(windowOf(ends, 60, 120)).toEqual({ from: 2, until: 4, before: 56, after: 102 });
    expect(windowOf(ends, 0, 29)).toEqual({ from: 0, until: 1, before: 0, after: 196 });
  });

  it('are all where all are seen, and the nearest where none is', () => {
    expect(windowOf(ends, -400, 1000)).toEqual({ from: 0, until: 7, before: 0, after: 0 });
    expect(windowOf(ends, -900, -500)).toEqual({ from: 0, until: 1, before: 0, after: 196 });
    expect(windowOf(ends, 5000, 6000)).toEqual({ from: 7, until: 7, before: 226, after: 0 });
    expect(windowOf([], 0, 800)).toEqual({ from: 0, until: 0, before: 0, after: 0 });
  });

  it('have one more that is asked for, with all between', () => {
    expect(windowOf(ends, 0, 29, 3)).toEqual({ from: 0, until: 4, before: 0, after: 102 });
    expect(windowOf(ends, 200, 210, 1)).toEqual({ from: 1, until: 7, before: 30, after: 0 });
    expect(windowOf(ends, 0, 29, 99))
      .withContext('a row that is not there')
      .toEqual(windowOf(ends, 0, 29));
  });

  it('leave the whole as high as it is', () => {
    for (let top = -50; top < 300; top += 7) {
      const { from, until, before, after } = windowOf(ends, top, top + 60);
      const drawn = until > from ? ends[until - 1]! - (from === 0 ? 0 : ends[from - 1]!) : 0;
      expect(before + drawn + after).toBe(226);
    }
  });
});
