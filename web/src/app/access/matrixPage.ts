import {
  afterNextRender,
  ChangeDetectionStrategy,
  Component,
  computed,
  DestroyRef,
  effect,
  inject,
  Injector,
  input,
  signal,
  untracked,
  viewChild,
  type ElementRef,
} from '@angular/core';
import { takeUntilDestroyed } from '@angular/core/rxjs-interop';
import { FormsModule } from '@angular/forms';
import { ActivatedRoute, Router, RouterLink } from '@angular/router';
import {
  access,
  type AccessMark,
  type AccessSide,
  type MatrixRow,
  type PersonRef,
  type Problem,
  type RightLine,
} from '@key-cellar/contract';
import { Button } from 'primeng/button';
import { InputText } from 'primeng/inputtext';
import { debounceTime, Subject } from 'rxjs';
import { Api, toProblem } from '../kit/api';
import { ProblemNotice } from '../kit/notice';
import { Sheet } from '../kit/sheet';
import { CountPipe } from '../kit/words';
import { AccessNav } from './accessNav';
import { profileChoices } from '../kit/profiles';
import { lettersOf, markLetters, markWords } from './marks';
import { WhySides } from './whySides';

interface Line extends Omit<MatrixRow, 'cells'> {
  readonly marks: readonly AccessMark[];
}

/** Sizes in pixels: of the letters' column, of a row, of the heads. */
const wide = 48;
const high = 28;
const heads = 128;
const label = 340;
const atOnce = 100;

/** Which profiles count where: places by people, or by groups. A cell says why. */
@Component({
  selector: 'kc-access-matrix',
  imports: [AccessNav, Button, CountPipe, FormsModule, InputText, ProblemNotice, RouterLink, Sheet, WhySides],
  templateUrl: './matrixPage.html',
  styleUrl: './matrixPage.css',
  changeDetection: ChangeDetectionStrategy.OnPush,
})
export class MatrixPage {
  private readonly api = inject(Api);
  private readonly router = inject(Router);
  private readonly route = inject(ActivatedRoute);
  private readonly injector = inject(Injector);
  /** As the address has them. */
  readonly by = input<string>();
  readonly all = input<string>();
  readonly place = input<string>();
  readonly name = input<string>();
  protected readonly byGroup = computed(() => this.by() === 'group');
  protected readonly everywhere = computed(() => this.all() === 'true');

  private readonly profiles = profileChoices().all;
  protected readonly legend = computed(() => this.profiles().map((p) => ({ letters: lettersOf(p), title: p.title })));
  protected readonly letters = markLetters;
  protected readonly sizes = { wide, high, heads, label };
  protected readonly columns = signal<readonly PersonRef[]>([]);
  /** By their place in the list; what has not been fetched yet is not there. */
  protected readonly lines = signal<ReadonlyMap<number, Line>>(new Map());
  protected readonly total = signal<number | null>(null);
  protected readonly problem = signal<Problem | null>(null);
  private readonly fetched = new Set<number>();
  private question = 0;

  private readonly scroller = viewChild<ElementRef<HTMLElement>>('scroller');
  private readonly view = signal({ top: 0, left: 0, height: 600, width: 1000 });
  protected readonly active = signal({ row: 0, column: 0 });
  protected readonly rows = computed(() => {
    const { top, height } = this.view();
    const first = Math.max(0, Math.floor(top / high) - 3);
    const last = Math.min(this.total() ?? 0, Math.ceil((top + height) / high) + 3);
    return Array.from({ length: Math.max(0, last - first) }, (_, i) => ({ no: first + i, line: this.lines().get(first + i) }));
  });
  protected readonly shown = computed(() => {
    const { left, width } = this.view();
    const first = Math.max(0, Math.floor(left / wide) - 2);
    return this.columns()
      .slice(first, Math.ceil((left + width - label) / wide) + 2)
      .map((person, i) => ({ no: first + i, person }));
  });

  protected readonly asked = signal<{ readonly line: Line; readonly person: PersonRef } | null>(null);
  protected readonly answer = signal<{ readonly sides: readonly AccessSide[]; readonly rights: readonly RightLine[] } | null>(null);
  protected readonly whyProblem = signal<Problem | null>(null);
  private readonly typed = new Subject<Record<string, string | null>>();

  constructor() {
    effect(() => {
      for (const one of [this.by, this.all, this.place, this.name]) one();
      untracked(() => this.begin());
    });
    // What has come into view is fetched.
    effect(() => {
      const rows = this.rows();
      untracked(() => {
        for (const { no } of rows) this.fetch(Math.floor(no / atOnce) * atOnce);
      });
    });
    this.typed.pipe(debounceTime(250), takeUntilDestroyed()).subscribe((changes) => this.narrow(changes));
    afterNextRender(() => {
      const element = this.scroller()!.nativeElement;
      const watch = new ResizeObserver(() => this.look());
      watch.observe(element);
      this.injector.get(DestroyRef).onDestroy(() => watch.disconnect());
    });
  }

  /** The window on the grid, as it is scrolled. */
  protected look(): void {
    const { scrollTop: top, scrollLeft: left, clientHeight: height, clientWidth: width } = this.scroller()!.nativeElement;
    this.view.set({ top, left, height, width });
  }

  private begin(): void {
    this.question++;
    this.fetched.clear();
    this.lines.set(new Map());
    this.total.set(null);
    this.active.set({ row: 0, column: 0 });
    this.fetch(0);
  }

  private fetch(from: number): void {
    if (this.fetched.has(from)) return;
    this.fetched.add(from);
    const question = this.question;
    const query = {
      by: this.byGroup() ? ('group' as const) : ('person' as const),
      ...{ all: this.everywhere(), place: this.place() ?? '', name: this.name() ?? '', from },
    };
    this.api.call(access.matrix, { query }).subscribe({
      next: ({ columns, rows, marks, total }) => {
        if (question !== this.question) return;
        this.problem.set(null);
        this.columns.set(columns);
        this.total.set(from > 0 && rows.length === 0 ? this.total() : total);
        this.lines.update((lines) => {
          const more = new Map(lines);
          rows.forEach(({ cells, ...row }, i) => more.set(from + i, { ...row, marks: cells.map((c) => marks[c]!) }));
          return more;
        });
      },
      error: (error: unknown) => {
        this.fetched.delete(from);
        if (question === this.question) this.problem.set(toProblem(error));
      },
    });
  }

  protected type(changes: Record<string, string | null>): void {
    this.typed.next(changes);
  }

  protected narrow(queryParams: Record<string, string | null>): void {
    void this.router.navigate([], { relativeTo: this.route, queryParams, queryParamsHandling: 'merge', replaceUrl: true });
  }

  protected words(line: Line, column: number): string {
    const who = this.columns()[column]?.name ?? '';
    const where = `${line.code} ${line.title}`;
    return $localize`${who}:who: on ${where}:place:: ${markWords(line.marks[column]!)}:profiles:`;
  }

  protected move(event: KeyboardEvent): void {
    const steps: Readonly<Record<string, readonly [number, number]>> = {
      ...{ ArrowDown: [1, 0], ArrowUp: [-1, 0], ArrowRight: [0, 1], ArrowLeft: [0, -1] },
      ...{ PageDown: [15, 0], PageUp: [-15, 0], Home: [0, -10_000], End: [0, 10_000] },
    };
    const step = steps[event.key];
    if (!step || event.ctrlKey || event.altKey || event.metaKey) return;
    event.preventDefault();
    event.stopPropagation();
    const within = (n: number, count: number): number => Math.min(Math.max(n, 0), Math.max(count - 1, 0));
    const { row, column } = this.active();
    const next = { row: within(row + step[0], this.total() ?? 0), column: within(column + step[1], this.columns().length) };
    this.active.set(next);
    this.reveal(next);
  }

  /** Scrolls a cell into view and puts the focus there. */
  private reveal({ row, column }: { readonly row: number; readonly column: number }): void {
    const element = this.scroller()!.nativeElement;
    const [top, left] = [row * high, column * wide];
    const [height, width] = [element.clientHeight - heads, element.clientWidth - label];
    if (top < element.scrollTop) element.scrollTop = top;
    else if (top + high > element.scrollTop + height) element.scrollTop = top + high - height;
    if (left < element.scrollLeft) element.scrollLeft = left;
    else if (left + wide > element.scrollLeft + width) element.scrollLeft = left + wide - width;
    this.look();
    afterNextRender(() => element.querySelector<HTMLElement>(`[data-cell="${row}-${column}"]`)?.focus({ preventScroll: true }), {
      injector: this.injector,
    });
  }

  protected why(line: Line, column: number): void {
    const person = this.columns()[column]!;
    this.asked.set({ line, person });
    this.answer.set(null);
    this.whyProblem.set(null);
    this.api.call(access.compare, { body: { spots: [{ personId: person.id, placeId: line.id, on: null }] } }).subscribe({
      next: (answer) => this.answer.set(answer),
      error: (error: unknown) => this.whyProblem.set(toProblem(error)),
    });
  }
}
