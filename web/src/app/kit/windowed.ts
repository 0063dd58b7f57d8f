import { DestroyRef, Directive, ElementRef, inject, input, computed, signal } from '@angular/core';
import { bisectRight } from 'd3';

/** The end of each row in pixels from the top of the first, by the height of each. */
export function endsOf(heights: Iterable<number>): readonly number[] {
  const ends: number[] = [];
  let at = 0;
  for (const height of heights) ends.push((at += height));
  return ends;
}

/** Rows from `from` up to but without `until`, with the height in pixels of what is not drawn before and after them. */
export interface RowWindow {
  readonly from: number;
  readonly until: number;
  readonly before: number;
  readonly after: number;
}

/** The rows that lie between two heights, and `kept` in any case. */
export function windowOf(ends: readonly number[], top: number, bottom: number, kept: number | null = null): RowWindow {
  let from = bisectRight(ends, Math.max(0, top));
  let until = Math.min(ends.length, bisectRight(ends, Math.max(0, bottom)) + 1);
  if (kept !== null && kept >= 0 && kept < ends.length) {
    from = Math.min(from, kept);
    until = Math.max(until, kept + 1);
  }
  from = Math.min(from, until);
  const total = ends.at(-1) ?? 0;
  return { from, until, before: from === 0 ? 0 : ends[from - 1]!, after: total - (until === 0 ? 0 : ends[until - 1]!) };
}

/** So few rows are drawn whole: then the browser’s own search finds them, and they can be printed. */
const few = 120;
/** So many pixels above and below what is seen are drawn too. */
const around = 150;

/**
 * Draws of a long list only the rows in sight, whatever scrolls around it: `window()` says which, and how high the gaps are
 * that stand for the others. The rows are of known heights.
 */
@Directive({ selector: '[kcWindowed]', exportAs: 'windowed' })
export class Windowed {
  private readonly host = inject<ElementRef<HTMLElement>>(ElementRef).nativeElement;
  /** Ends of the rows ({@link endsOf}). */
  readonly ends = input.required<readonly number[]>({ alias: 'kcWindowed' });
  /** A row that is drawn wherever it lies: what is dragged. */
  readonly keep = input<number | null>(null);
  /** What is seen, in pixels from the top of the list. */
  private readonly seen = signal({ top: 0, bottom: innerHeight });
  /** After a jump what is seen is drawn first, and what is around it a moment later. */
  private readonly jumped = signal(false);
  /** A row that was asked for and may not be in sight yet. */
  private readonly wanted = signal<number | null>(null);

  readonly window = computed<RowWindow>(() => {
    const ends = this.ends();
    if (ends.length <= few) return { from: 0, until: ends.length, before: 0, after: 0 };
    const { top, bottom } = this.seen();
    const more = this.jumped() ? 0 : around;
    return windowOf(ends, top - more, bottom + more, this.wanted() ?? this.keep());
  });

  constructor() {
    const look = (): void => {
      const { top } = this.host.getBoundingClientRect();
      // In steps, so that a pixel of scrolling draws nothing anew.
      const at = Math.floor(-top / 100) * 100;
      const before = this.seen();
      if (before.top === at && before.bottom === at + innerHeight) return this.wanted.set(null);
      if (Math.abs(at - before.top) > innerHeight) {
        this.jumped.set(true);
        requestAnimationFrame(() => setTimeout(() => this.jumped.set(false)));
      }
      this.seen.set({ top: at, bottom: at + innerHeight });
      this.wanted.set(null);
    };
    // Scrolling does not bubble, but it is caught on the way down.
    document.addEventListener('scroll', look, { capture: true, passive: true });
    window.addEventListener('resize', look);
    const moved = new ResizeObserver(look);
    moved.observe(this.host);
    inject(DestroyRef).onDestroy(() => {
      document.removeEventListener('scroll', look, { capture: true });
      window.removeEventListener('resize', look);
      moved.disconnect();
    });
  }

  /** Draws a row that somebody goes to, so that it can be given the focus, which brings it in sight. */
  want(row: number): void {
    this.wanted.set(row);
  }
}
