import {
  afterNextRender,
  ChangeDetectionStrategy,
  ChangeDetectorRef,
  Component,
  computed,
  DestroyRef,
  effect,
  ElementRef,
  inject,
  Injector,
  input,
  model,
  output,
  signal,
  untracked,
  viewChild,
} from '@angular/core';
import { Router, RouterLink } from '@angular/router';
import type { ListedRecord, Problem, RecordLine, SortColumn } from '@key-cellar/contract';
import type { FactDefinition } from '@key-cellar/core/records';
import { map, tap } from 'rxjs';
import { toSignal } from '@angular/core/rxjs-interop';
import { Session } from '../identity/index';
import { toProblem } from '../kit/api';
import { isTyping, Keys } from '../kit/keys';
import { Lifeline } from '../kit/lifeline';
import { LongScroll } from '../kit/longScroll';
import { Mark } from '../kit/mark';
import { marksOf } from '../kit/marksOf';
import { ProblemNotice } from '../kit/notice';
import { BytesPipe, CountPipe, DayPipe } from '../kit/words';
import { FactWordsPipe } from './factWords';
import { lifeOf } from './life';
import { PageCache, pageSize, RecordsService, type ListState } from './recordsService';

export const columnNames = {
  number: $localize`Number`,
  title: $localize`Title`,
  state: $localize`State`,
  life: $localize`Life`,
  place: $localize`Place`,
  type: $localize`Type`,
  created: $localize`Dated`,
  filed: $localize`Filed`,
  due: $localize`Due`,
  size: $localize`Size`,
} as const;
export type Column = keyof typeof columnNames;
export const allColumns = Object.keys(columnNames) as Column[];
export const usualColumns: readonly Column[] = ['number', 'title', 'state', 'life', 'created', 'due'];

/** The least width of each, in pixels; the title takes what is left, and facts a part of it. */
const widths: Record<Column, number> = {
  number: 150,
  title: 220,
  state: 74,
  life: 192,
  place: 84,
  type: 110,
  created: 96,
  filed: 96,
  due: 96,
  size: 74,
};
const widthOfFact = 120;
const widthOfTick = 28;
/** In pixels, as the style sheet has it. */
const rowHeight = 32;
/** As the style sheet has them. */
const gap = 12;
const padding = 22;
/** The server gives the ids of so many at once. */
const mostMarked = 10_000;

const sortable: Partial<Record<Column, SortColumn>> = {
  number: 'number',
  title: 'title',
  created: 'created',
  filed: 'filed',
  due: 'due',
  size: 'size',
};

/** Records as rows: virtual, lazy, sortable, markable; a million scroll like a hundred. */
@Component({
  selector: 'kc-record-table',
  imports: [BytesPipe, CountPipe, DayPipe, FactWordsPipe, Lifeline, Mark, ProblemNotice, RouterLink],
  templateUrl: './recordTable.html',
  styleUrl: './recordTable.css',
  changeDetection: ChangeDetectionStrategy.OnPush,
})
export class RecordTable {
  private readonly service = inject(RecordsService);
  private readonly router = inject(Router);
  private readonly changes = inject(ChangeDetectorRef);
  private readonly keys = inject(Keys);
  private readonly session = inject(Session);
  private readonly host = inject<ElementRef<HTMLElement>>(ElementRef);
  private readonly viewport = viewChild.required<ElementRef<HTMLElement>>('viewport');

  readonly state = input.required<ListState>();
  readonly columns = input<readonly Column[]>(usualColumns);
  /** Facts that stand in columns after those; the state asks for their codes. */
  readonly facts = input<readonly FactDefinition[]>([]);
  /** Rises when the rows have to be fetched anew. */
  readonly version = input(0);
  readonly sort = output<{ sort: SortColumn; descending: boolean }>();
  readonly total = output<number>();
  readonly marked = model<ReadonlySet<string>>(new Set());

  protected readonly names = columnNames;
  protected readonly sortable = sortable;
  protected readonly today = this.session.today;
  protected readonly count = signal<number | null>(null);
  protected readonly scroll = new LongScroll(rowHeight);
  /** The rows that are drawn. */
  protected readonly indices = computed(() => {
    const { from, until } = this.scroll.drawn();
    return Array.from({ length: until - from }, (_, i) => from + i);
  });
  protected readonly active = signal(0);
  protected readonly problem = signal<Problem | null>(null);
  /** Whether as many are marked as there are, or as can be at once. */
  protected readonly allMarked = computed(() => {
    const marked = this.marked().size;
    return marked > 0 && (marked >= mostMarked || marked === this.count());
  });
  protected readonly grid = computed(() =>
    [
      `${widthOfTick}px`,
      ...this.columns().map((c) => (c === 'title' ? `minmax(${widths[c]}px, 2fr)` : `${widths[c]}px`)),
      ...this.facts().map(() => `minmax(${widthOfFact}px, 1fr)`),
    ].join(' '),
  );
  /** Below this the table is scrolled sideways. */
  protected readonly least = computed(() => {
    const all = [widthOfTick, ...this.columns().map((c) => widths[c]), ...this.facts().map(() => widthOfFact)];
    return all.reduce((sum, width) => sum + width, padding + gap * (all.length - 1));
  });
  /** What types are called. */
  protected readonly types = toSignal(
    this.service.types$.pipe(map(({ types }): Readonly<Record<string, string>> => Object.fromEntries(types.map((t) => [t.code, t.title])))),
    { initialValue: {} as Readonly<Record<string, string>> },
  );
  /** What the things are called that facts point at. */
  protected readonly factNames = signal<Readonly<Record<string, string>>>({});
  /** Rises with each page that arrives, so that rows are drawn again. */
  private readonly arrived = signal(0);
  private cache: PageCache | null = null;
  /** A row that was gone to and is not there yet. */
  private focusing: number | null = null;

  constructor() {
    effect(() => {
      const state = this.state();
      this.version();
      untracked(() => this.restart(state));
    });
    const move = (by: number) => () => this.moveTo(this.active() + by);
    effect(() => {
      const { from, until } = this.scroll.drawn();
      untracked(() => this.cache?.want(from, until));
    });
    const injector = inject(Injector);
    effect(() => {
      this.arrived();
      if (this.focusing !== null) afterNextRender({ read: () => this.focusRow() }, { injector });
    });
    const remove = this.keys.add({
      j: [$localize`next row`, move(1)],
      k: [$localize`row before`, move(-1)],
      ArrowDown: [$localize`next row`, move(1)],
      ArrowUp: [$localize`row before`, move(-1)],
      PageDown: [$localize`a screen on`, move(15)],
      PageUp: [$localize`a screen back`, move(-15)],
      Home: [$localize`first row`, () => this.moveTo(0)],
      End: [$localize`last row`, () => this.moveTo((this.count() ?? 1) - 1)],
      x: [$localize`mark the row`, () => this.toggle(this.row(this.active()))],
      a: [$localize`mark all found`, () => this.markAll()],
      Enter: [$localize`open the row`, (event) => this.openActive(event)],
      Escape: [$localize`unmark`, () => this.marked().size > 0 && void this.marked.set(new Set())],
    });
    const grown = new ResizeObserver(([entry]) => this.place(this.scroll.resize(this.count() ?? 0, entry!.contentRect.height)));
    afterNextRender({ read: () => grown.observe(this.viewport().nativeElement) });
    inject(DestroyRef).onDestroy(() => {
      remove();
      grown.disconnect();
    });
  }

  /** Pages of a state; `fresh` is told when the first of them is there. */
  private newCache(state: ListState, fresh: (cache: PageCache) => void): PageCache {
    const cache: PageCache = new PageCache(
      (given) =>
        this.service.page(state, given).pipe(tap(({ factNames }) => this.factNames.update((known) => ({ ...known, ...factNames })))),
      () => {
        fresh(cache);
        this.arrived.update((n) => n + 1);
      },
      (error) => this.problem.set(toProblem(error)),
    );
    return cache;
  }

  /** Fetches anew. The rows on screen stay until the new ones are there, so that nothing jumps. */
  private restart(state: ListState): void {
    this.problem.set(null);
    this.service.count(state.filter).subscribe({
      next: ({ count }) => {
        if (state !== this.state()) return;
        const show = (cache: PageCache): void => {
          if (this.cache === cache || state !== this.state()) return;
          this.cache = cache;
          this.count.set(count);
          this.active.set(0);
          this.place(this.scroll.resize(count, this.viewport().nativeElement.clientHeight));
          this.place(this.scroll.moveTo(0));
        };
        const fresh = this.newCache(state, show);
        this.total.emit(count);
        if (count === 0) show(fresh);
        else fresh.want(0, Math.min(count, pageSize));
      },
      error: (error: unknown) => this.problem.set(toProblem(error)),
    });
  }

  protected row(index: number): ListedRecord | undefined {
    this.arrived();
    return this.cache?.row(index);
  }

  protected scrolled(): void {
    const viewport = this.viewport().nativeElement;
    const position = this.scroll.scrolled(viewport.scrollTop);
    if (position !== viewport.scrollTop) viewport.scrollTop = position;
  }

  /** Where the bar has to stand; that it moves there tells nobody anything new. */
  private place(position: number): void {
    const viewport = this.viewport().nativeElement;
    // The height that it may need first.
    this.changes.detectChanges();
    if (Math.abs(viewport.scrollTop - position) >= 1) viewport.scrollTop = position;
  }

  protected sortBy(column: Column): void {
    const sort = sortable[column];
    if (!sort) return;
    const { sort: current, descending } = this.state();
    this.sort.emit({ sort, descending: sort === current ? !descending : false });
  }

  protected ariaSort(column: Column): 'ascending' | 'descending' | 'none' | null {
    const sort = sortable[column];
    if (!sort) return null;
    if (sort !== this.state().sort) return 'none';
    return this.state().descending ? 'descending' : 'ascending';
  }

  private moveTo(index: number): void {
    const last = (this.count() ?? 0) - 1;
    if (last < 0) return;
    const next = Math.max(0, Math.min(last, index));
    this.active.set(next);
    this.place(this.scroll.show(next));
    this.cache?.want(next, next + 1);
    this.focusing = next;
    this.focusRow();
  }

  /** Gives the row that was gone to the focus. After a long jump it comes a moment later; by then somebody may be typing elsewhere. */
  private focusRow(): void {
    if (this.focusing === null) return;
    const row = this.host.nativeElement.querySelector<HTMLElement>(`a[data-index="${this.focusing}"]`);
    if (row && !isTyping(document.activeElement)) row.focus({ preventScroll: true });
    if (row) this.focusing = null;
  }

  private openActive(event: KeyboardEvent): void {
    // Enter on a button or link of the page belongs to it.
    if (event.target instanceof HTMLElement && event.target.closest('button, a:not([data-index])')) {
      event.target.click();
      return;
    }
    const record = this.row(this.active());
    if (record) void this.router.navigate(['/records', record.id]);
  }

  protected toggle(record: RecordLine | undefined): void {
    if (!record) return;
    const marked = new Set(this.marked());
    if (!marked.delete(record.id)) marked.add(record.id);
    this.marked.set(marked);
  }

  protected markAll(): void {
    if (this.allMarked()) {
      this.marked.set(new Set());
      return;
    }
    this.service.ids(this.state().filter).subscribe({
      next: ({ ids }) => this.marked.set(new Set(ids)),
      error: (error: unknown) => this.problem.set(toProblem(error)),
    });
  }

  protected readonly isNumber = ({ kind, many }: FactDefinition): boolean =>
    !many && (kind === 'whole' || kind === 'decimal' || kind === 'money');
  protected readonly marks = marksOf;
  protected readonly life = lifeOf;
}
