import { LongScroll } from './longScroll';

const row = 32;
const view = 600;

/** As a browser does: what scrolls stays within its height, and tells of each move. */
function browser(count: number): { scroll: LongScroll; move(by: number): void; to(position: number): void; at(): number; first(): number } {
  const scroll = new LongScroll(row);
  let position = scroll.resize(count, view);
  const to = (wanted: number): void => {
    const reached = Math.min(scroll.height() - view, Math.max(0, wanted));
    if (reached !== position) position = scroll.scrolled(reached);
  };
  return {
    scroll,
    to,
    move: (by) => to(position + by),
    at: () => position,
    /** The row at the upper edge. */
    first: () => {
      const { from, top } = scroll.drawn();
      return from + (position - top) / row;
    },
  };
}

describe('a long list', () => {
  it('is as high as its rows while a browser can lay that out', () => {
    const { scroll, move, first } = browser(1000);
    expect(scroll.height()).toBe(32_000);
    move(3200);
    expect(first()).toBe(100);
    expect(scroll.drawn()).toEqual({ from: 80, until: 139, top: 80 * row });
  });

  it('is no higher than a browser can lay out, however many rows there are', () => {
    expect(browser(10_000_000).scroll.height()).toBe(8_000_000);
    expect(browser(0).scroll.drawn()).toEqual({ from: 0, until: 0, top: 0 });
  });

  for (const count of [1_000_000, 10_000_000]) {
    describe(`of ${count} rows`, () => {
      it('reaches both ends exactly, by the bar and by going to a row', () => {
        const { scroll, to, first, at } = browser(count);
        to(Infinity);
        expect(first()).toBeCloseTo(count - view / row, 6);
        expect(scroll.drawn().until).toBe(count);
        to(0);
        expect(first()).toBe(0);
        to(scroll.show(count - 1));
        expect(first()).toBeCloseTo(count - view / row, 6);
        expect(at()).toBe(scroll.height() - view);
        to(scroll.show(0));
        expect([first(), at()]).toEqual([0, 0]);
      });

      it('goes by the bar to the part of the rows that the bar points at', () => {
        const { scroll, to, first } = browser(count);
        to((scroll.height() - view) / 2);
        expect(first()).toBeCloseTo((count - view / row) / 2, 3);
      });

      it('moves by as much as the wheel does, wherever it is', () => {
        for (const start of [0, 10, 30_000, count / 2, count - 30_000]) {
          const { scroll, to, move, first } = browser(count);
          to(scroll.moveTo(start * row));
          for (let step = 1; step <= 50; step++) {
            move(100);
            expect(first()).toBeCloseTo(start + (step * 100) / row, 6);
          }
        }
      });

      it('never leaves the wheel without a way on: from the middle it comes to each end', () => {
        for (const by of [-view, view]) {
          const { scroll, to, move, first } = browser(count);
          // Near an end, on a bar that has strayed: coming from the scaled part by the wheel alone.
          to(scroll.moveTo(by < 0 ? 60_000 * row : (count - 60_000) * row));
          let before = -1;
          for (let step = 0; step < 4000 && first() !== before; step++) {
            before = first();
            move(by);
          }
          expect(first()).toBeCloseTo(by < 0 ? 0 : count - view / row, 6);
        }
      });
    });
  }

  it('shows a row with as little movement as it takes', () => {
    const { scroll, to, first } = browser(1000);
    to(scroll.show(100));
    expect(first()).toBeCloseTo(101 - view / row, 6);
    to(scroll.show(95));
    expect(first()).toBeCloseTo(101 - view / row, 6);
    to(scroll.show(20));
    expect(first()).toBe(20);
  });

  it('stays within the rows when there are fewer', () => {
    const { scroll, to, first } = browser(1000);
    to(scroll.show(999));
    to(scroll.resize(100, view));
    expect(first()).toBeCloseTo(100 - view / row, 6);
    to(scroll.resize(5, view));
    expect(first()).toBe(0);
  });
});
