import {
  ChangeDetectionStrategy,
  Component,
  computed,
  ElementRef,
  inject,
  input,
  signal,
  type OnDestroy,
  type OnInit,
} from '@angular/core';
import { scaleTime } from 'd3';
import { dayWords } from './words';

interface LifelineStep {
  readonly kind: string;
  readonly on: string;
}
interface LifelineHold {
  readonly name: string;
  readonly from: string;
  /** Null while it is open. */
  readonly until: string | null;
}
/** A record's life in time, as dates YYYY-MM-DD. */
export interface Life {
  readonly created: string;
  readonly filed: string;
  readonly declared: string | null;
  readonly clockStart: string | null;
  readonly due: string | null;
  readonly permanent: boolean;
  readonly disposed: string | null;
  readonly steps: readonly LifelineStep[];
  readonly holds: readonly LifelineHold[];
}

const at = (date: string): Date => new Date(`${date}T12:00:00Z`);
const plusYears = (date: string, years: number): Date => {
  const d = at(date);
  d.setUTCFullYear(d.getUTCFullYear() + years);
  return d;
};

const stepWords: Record<string, string> = {
  askOwner: $localize`ask owner`,
  review: $localize`review`,
  declare: $localize`declare`,
  trimVersions: $localize`trim versions`,
  move: $localize`move`,
  route: $localize`route`,
  transfer: $localize`transfer`,
  destroy: $localize`destroy`,
};

/** The life in one sentence, for those who do not see it. */
export function lifeInWords(life: Life): string {
  const parts = [$localize`Filed ${dayWords(life.filed)}:date:`];
  if (life.declared) parts.push($localize`declared ${dayWords(life.declared)}:date:`);
  if (life.clockStart) parts.push($localize`clock starts ${dayWords(life.clockStart)}:date:`);
  for (const step of life.steps) parts.push(`${stepWords[step.kind] ?? step.kind} ${dayWords(step.on)}`);
  if (life.permanent) parts.push($localize`kept for good`);
  for (const hold of life.holds) {
    parts.push(
      hold.until
        ? $localize`held ${hold.name}:name: from ${dayWords(hold.from)}:from: to ${dayWords(hold.until)}:until:`
        : $localize`held ${hold.name}:name: since ${dayWords(hold.from)}:from:`,
    );
  }
  if (life.disposed) parts.push($localize`disposed ${dayWords(life.disposed)}:date:`);
  return `${parts.join(', ')}.`;
}

/** A chain of links with its name above it, in pixels. */
const chainHeight = 22;
/** So many holds are drawn on one lifeline; how many more there are is said. */
const mostChains = 6;

interface Label {
  readonly x: number;
  readonly words: string;
  readonly kind: string;
  readonly row: number;
  readonly anchor: 'start' | 'middle' | 'end';
}

/** About how wide a label is, in pixels. */
const widthOf = (words: string): number => words.length * 6.6;

/** Puts labels into rows below the strip so that none covers another. Widths are estimated from their length. */
export function placeLabels(labels: readonly { x: number; words: string; kind: string }[], width: number): Label[] {
  const ends: number[] = [];
  return [...labels]
    .sort((a, b) => a.x - b.x)
    .map((label) => {
      const half = widthOf(label.words) / 2;
      const anchor = label.x - half < 4 ? 'start' : label.x + half > width - 4 ? 'end' : 'middle';
      const left = anchor === 'start' ? label.x : anchor === 'end' ? label.x - 2 * half : label.x - half;
      let row = ends.findIndex((end) => end + 8 < left);
      if (row < 0) row = ends.length;
      ends[row] = left + 2 * half;
      return { ...label, row, anchor };
    });
}

/**
 * The picture of a record's life: filed tick, working life thin, declared thick, cutoff notch, kept as a band, steps as
 * small shapes on their dates, holds as a chain above, and now. `cell` is 24 px high on a shared axis, `full` has labels.
 */
@Component({
  selector: 'kc-lifeline',
  templateUrl: './lifeline.html',
  styleUrl: './lifeline.css',
  changeDetection: ChangeDetectionStrategy.OnPush,
})
export class Lifeline implements OnInit, OnDestroy {
  readonly life = input.required<Life>();
  readonly today = input.required<string>();
  readonly size = input<'cell' | 'full'>('cell');

  private readonly host = inject<ElementRef<HTMLElement>>(ElementRef);
  private readonly width = signal(600);
  private observer: ResizeObserver | null = null;

  ngOnInit(): void {
    this.observer = new ResizeObserver(([entry]) => this.width.set(Math.max(120, Math.round(entry!.contentRect.width))));
    this.observer.observe(this.host.nativeElement);
  }
  ngOnDestroy(): void {
    this.observer?.disconnect();
  }

  protected readonly words = computed(() => lifeInWords(this.life()));

  protected readonly picture = computed(() => {
    const life = this.life();
    const today = this.today();
    const full = this.size() === 'full';
    const width = full ? this.width() : 180;
    const first = life.created < life.filed ? life.created : life.filed;
    const lasts = [life.due, life.disposed, today, life.clockStart, ...life.steps.map((s) => s.on)].filter((d) => d !== null).sort();
    // Cells of one list share an axis, so that their now-lines meet.
    const domain: [Date, Date] = full ? [plusYears(first, -1), plusYears(lasts.at(-1)!, 1)] : [plusYears(today, -12), plusYears(today, 12)];
    const scale = scaleTime()
      .domain(domain)
      .range(full ? [8, width - 8] : [2, width - 2])
      .clamp(true);
    const x = (date: string): number => scale(at(date));
    const end = life.disposed ?? life.due;
    const right = end ? x(end) : scale(domain[1]);
    const bandStart = life.clockStart ? x(life.clockStart) : null;
    const now = x(today);
    // Each chain of holds beyond the first has a row of its own above the strip.
    const chained = full ? life.holds.slice(0, mostChains) : life.holds;
    const lift = full ? Math.max(0, chained.length - 1) * chainHeight : 0;
    const y = full ? 62 + lift : 14;
    const yearSpan = domain[1].getUTCFullYear() - domain[0].getUTCFullYear();
    const every = Math.max(1, Math.ceil(yearSpan / Math.max(3, Math.floor(width / 78))));
    const ticks = full
      ? scale
          .ticks(yearSpan)
          .filter((d) => d.getMonth() === 0 && d.getFullYear() % every === 0)
          .map((d) => ({ x: scale(d), year: d.getFullYear() }))
      : [];
    const holds = chained.map((h, i) => {
      const from = Math.max(x(h.from), 2);
      const to = h.until ? x(h.until) : Math.max(scale(domain[1]) - (full ? 4 : 1), from + 14);
      const links = Array.from({ length: Math.max(1, Math.floor((to - from) / (full ? 13 : 9))) }, (_, k) => from + k * (full ? 13 : 9));
      // A name that would be cut off at the end of the strip ends there.
      const label = from + widthOf(h.name) > width - 4 ? { x: width - 4, anchor: 'end' } : { x: from, anchor: 'start' };
      return { ...h, from, to, links, label, y: full ? 42 + lift - i * chainHeight : 3, open: h.until === null };
    });
    const labels = full
      ? placeLabels(
          [
            { x: x(life.filed), words: $localize`filed ${dayWords(life.filed)}:date:`, kind: 'filed' },
            ...(life.declared ? [{ x: x(life.declared), words: $localize`declared`, kind: 'declared' }] : []),
            ...(life.clockStart ? [{ x: x(life.clockStart), words: $localize`clock starts`, kind: 'clock' }] : []),
            ...life.steps.map((s) => ({ x: x(s.on), words: `${stepWords[s.kind] ?? s.kind} ${dayWords(s.on)}`, kind: s.kind })),
            ...(life.disposed
              ? [{ x: x(life.disposed), words: $localize`disposed ${dayWords(life.disposed)}:date:`, kind: 'disposed' }]
              : []),
            { x: now, words: $localize`today`, kind: 'now' },
          ],
          width,
        )
      : [];
    const rows = Math.max(1, ...labels.map((l) => l.row + 1));
    return {
      width,
      height: full ? 84 + lift + rows * 15 : 24,
      y,
      lift,
      unshown: life.holds.length - chained.length,
      full,
      ticks,
      now,
      filed: x(life.filed),
      workEnd: life.declared ? x(life.declared) : Math.min(right, now),
      declared: life.declared ? { from: x(life.declared), to: bandStart ?? Math.min(right, Math.max(now, x(life.declared))) } : null,
      band:
        bandStart === null
          ? null
          : { from: bandStart, mid: Math.min(Math.max(now, bandStart), right), to: Math.max(right, bandStart), permanent: life.permanent },
      openEnd: bandStart === null && life.disposed === null && !life.permanent,
      steps: life.steps.map((s) => ({ kind: s.kind, x: x(s.on), words: `${stepWords[s.kind] ?? s.kind} ${dayWords(s.on)}` })),
      disposed: life.disposed ? x(life.disposed) : null,
      holds,
      labels,
      baseline: full ? 90 + lift : 0,
    };
  });
}
