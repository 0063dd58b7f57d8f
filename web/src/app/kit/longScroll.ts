import { computed, signal } from '@angular/core';

/** Browsers lay out no element much higher than 17,000,000 pixels, some more; rows beyond that would be out of reach. */
const highest = 8_000_000;
/** Drawn above and below what is seen, in pixels. */
const around = 640;

/**
 * Scrolling through a list that may be higher than a browser can lay out. The element that scrolls is as high as the rows,
 * up to a limit; beyond that the bar stands for more rows than it has room for: exact near both ends, where it is
 * looked at closely, and scaled in between. A step of the wheel is always a step of that many pixels; a jump of the bar
 * goes where the bar points.
 *
 * All positions are in pixels; `offset` is from the top of the first row, `position` is that of the element that scrolls.
 */
export class LongScroll {
  private readonly count = signal(0);
  private readonly view = signal(0);
  private readonly offset = signal(0);
  private readonly position = signal(0);

  constructor(
    private readonly rowHeight: number,
    private readonly limit = highest,
  ) {}

  /** Height of all rows. */
  private readonly total = computed(() => this.count() * this.rowHeight);
  /** Height of what scrolls. */
  readonly height = computed(() => Math.min(this.total(), this.limit));
  /** How far the rows, and what scrolls, go. */
  private readonly reach = computed(() => ({
    rows: Math.max(0, this.total() - this.view()),
    bar: Math.max(0, this.height() - this.view()),
  }));
  /** Rows that are drawn, and where the first of them stands within what scrolls. */
  readonly drawn = computed(() => {
    const offset = this.offset();
    const from = Math.max(0, Math.floor((offset - around) / this.rowHeight));
    const until = Math.min(this.count(), Math.ceil((offset + this.view() + around) / this.rowHeight));
    return { from, until: Math.max(from, until), top: from * this.rowHeight - offset + this.position() };
  });

  /** Tells how many rows there are and how much of them is seen; gives where the bar now stands. */
  resize(count: number, view: number): number {
    this.count.set(count);
    this.view.set(view);
    return this.moveTo(this.offset());
  }

  /** Goes to an offset, as far as there are rows; gives where the bar has to stand. */
  moveTo(offset: number): number {
    const { rows } = this.reach();
    this.offset.set(Math.min(rows, Math.max(0, offset)));
    this.position.set(this.barAt(this.offset()));
    return this.position();
  }

  /** Brings a row in sight with as little movement as it takes; gives where the bar has to stand. */
  show(row: number): number {
    const top = row * this.rowHeight;
    if (top < this.offset()) return this.moveTo(top);
    if (top + this.rowHeight > this.offset() + this.view()) return this.moveTo(top + this.rowHeight - this.view());
    return this.position();
  }

  /** The bar was moved by whoever scrolls; gives where it has to stand, which may be elsewhere. */
  scrolled(position: number): number {
    const { rows, bar } = this.reach();
    const by = position - this.position();
    if (Math.abs(by) > 2 * this.view()) {
      this.offset.set(this.offsetAt(position));
      this.position.set(position);
      return position;
    }
    const offset = Math.min(rows, Math.max(0, this.offset() + by));
    this.offset.set(offset);
    this.position.set(position);
    // Near an end of the bar but not of the rows, or the other way round: there would be no way on.
    const strayed = Math.abs(this.barAt(offset) - position);
    const nearEnd = position < this.view() || position > bar - this.view() || offset === 0 || offset === rows;
    if (strayed < 1 || !nearEnd) return position;
    return this.moveTo(offset);
  }

  /** How much of the rows, at each end, the bar shows pixel by pixel. */
  private readonly exact = computed(() => (this.total() <= this.limit ? Infinity : this.limit / 10));

  private barAt(offset: number): number {
    const { rows, bar } = this.reach();
    const exact = this.exact();
    if (exact === Infinity || offset <= exact) return offset;
    if (offset >= rows - exact) return bar - (rows - offset);
    return exact + ((offset - exact) * (bar - 2 * exact)) / (rows - 2 * exact);
  }

  private offsetAt(position: number): number {
    const { rows, bar } = this.reach();
    const exact = this.exact();
    if (exact === Infinity || position <= exact) return position;
    if (position >= bar - exact) return rows - (bar - position);
    return exact + ((position - exact) * (rows - 2 * exact)) / (bar - 2 * exact);
  }
}
