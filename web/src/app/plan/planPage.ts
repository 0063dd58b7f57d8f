import {
  afterNextRender,
  ChangeDetectionStrategy,
  Component,
  computed,
  DestroyRef,
  effect,
  ElementRef,
  inject,
  Injector,
  input,
  signal,
  viewChild,
} from '@angular/core';
import { ActivatedRoute, Router, RouterLink } from '@angular/router';
import { plan, type OutlineLine, type PlacePage as Page, type Problem, type RackCounts, type TableOutcome } from '@key-cellar/contract';
import { kindsInside } from '@key-cellar/core/plan';
import { Button } from 'primeng/button';
import { Tooltip } from 'primeng/tooltip';
import { Session } from '../identity/index';
import { Api, toProblem } from '../kit/api';
import { ExportMenu } from '../kit/exportMenu';
import { Keys } from '../kit/keys';
import { loaded } from '../kit/loaded';
import { Mark } from '../kit/mark';
import { ProblemNotice } from '../kit/notice';
import { TableImport } from '../kit/tableImport';
import { endsOf, Windowed } from '../kit/windowed';
import { CountPipe } from '../kit/words';
import { PlaceChanges, type PlaceTask } from './placeChanges';
import { PlaceSheet } from './placeSheet';
import { barParts, holdsFolders, rackCells, rackColumns, rackEntries, rackRows, type RackRow } from './rackModel';

type Only = 'due' | 'held' | 'unscheduled';
const yearsShown = 11;
/** In pixels, as the style sheet has them. */
const heights = { outline: 33, repository: 30, function: 30, activity: 26, series: 34, folder: 34 } as const;

/** What do we have, where, of which years? The rack, and the same plan as an outline. */
@Component({
  selector: 'kc-plan',
  imports: [Button, CountPipe, ExportMenu, Mark, PlaceChanges, PlaceSheet, ProblemNotice, RouterLink, TableImport, Tooltip, Windowed],
  templateUrl: './planPage.html',
  styleUrl: './planPage.css',
  changeDetection: ChangeDetectionStrategy.OnPush,
})
export class PlanPage {
  protected readonly labels = {
    fold: (isFolded: boolean, place: string) => (isFolded ? $localize`Unfold ${place}:place:` : $localize`Fold ${place}:place:`),
  };
  private readonly api = inject(Api);
  private readonly router = inject(Router);
  private readonly route = inject(ActivatedRoute);
  private readonly host = inject<ElementRef<HTMLElement>>(ElementRef);
  private readonly injector = inject(Injector);
  protected readonly session = inject(Session);
  readonly view = input<'rack' | 'outline' | undefined>();
  readonly only = input<Only | undefined>();

  protected readonly outline = loaded(() => this.api.call(plan.outline));
  protected readonly rack = loaded(() => this.api.call(plan.rack));
  protected readonly folded = signal<ReadonlySet<string>>(new Set());
  /** Folders of the series and folders that were unfolded in the outline, and how many more there are than are shown. */
  protected readonly folders = signal<ReadonlyMap<string, { places: readonly OutlineLine[]; more: number }>>(new Map());
  protected readonly unfolded = signal<ReadonlySet<string>>(new Set());
  protected readonly problem = signal<Problem | null>(null);
  protected readonly marked = signal<ReadonlySet<string>>(new Set());
  protected readonly active = signal({ row: 0, column: 0 });
  protected readonly making = signal(false);
  /** The row that is being dragged in the outline, and the one it is over. */
  protected readonly dragged = signal<RackRow | null>(null);
  protected readonly over = signal<string | null>(null);
  /** The place that is to be moved, and where to. */
  protected readonly moving = signal<Page | null>(null);
  protected readonly target = signal<string | null>(null);
  protected readonly task = signal<PlaceTask | null>(null);
  protected readonly done = signal('');
  /** The place that was moved last: its name keeps the keyboard where it now stands. */
  private movedId: string | null = null;
  protected readonly importing = signal(false);
  protected readonly importPlan = plan.importPlan;
  protected readonly schemes = ['jsonld', 'ttl', 'rdf', 'xml'] as const;
  protected readonly barParts = barParts;

  private readonly nodes = computed(() => this.outline.value()?.places ?? []);
  /** The plan, in the outline with the folders that were fetched. */
  private readonly places = computed(() =>
    this.view() === 'outline' ? [...this.nodes(), ...[...this.folders().values()].flatMap((f) => f.places)] : this.nodes(),
  );
  private readonly cells = computed(() => rackCells(this.rack.value()?.series ?? []));
  protected readonly root = computed(() => this.places().find((p) => p.kind === 'repository'));
  protected readonly seriesCount = computed(() => this.places().filter((p) => p.kind === 'series').length);
  protected readonly ruleless = computed(() => this.places().filter((p) => p.kind === 'series' && (p.counts?.unscheduled ?? 0) > 0).length);
  protected readonly columns = computed(() => {
    const { years, earlier } = rackColumns(this.cells(), Number(this.session.today().slice(0, 4)), yearsShown);
    return { years, keys: ['running', ...(earlier ? ['earlier'] : []), ...years.map(String)] };
  });
  private readonly entries = computed(() => rackEntries(this.places(), this.cells(), this.columns().years));
  protected readonly rows = computed(() =>
    rackRows(this.entries(), this.folded(), this.only() ?? null, this.view() === 'outline' ? this.unfolded() : null),
  );
  /** Where each row ends, for the rows in sight. */
  protected readonly ends = computed(() => {
    const more = this.moreAfter();
    return this.view() === 'outline'
      ? endsOf(this.rows().map(({ place }) => heights.outline * (more.has(place.id) ? 2 : 1)))
      : endsOf(this.rows().map(({ place }) => heights[place.kind]));
  });
  private readonly sight = viewChild(Windowed);
  /** What is dragged is drawn wherever it lies, or the browser would let go of it. */
  protected readonly draggedRow = computed(() => {
    const dragged = this.dragged();
    return dragged === null ? null : this.rows().findIndex(({ place }) => place.id === dragged.place.id);
  });
  /** The row by which Tab comes into the rack: the active one, or the first that is drawn. */
  protected readonly tabRow = computed(() => {
    const { from = 0, until = 0 } = this.sight()?.window() ?? {};
    const { row } = this.active();
    return row >= from && row < until ? row : from;
  });
  /** Places with more folders than are shown, by the row after which that is said. */
  protected readonly moreAfter = computed(() => {
    const after = new Map<string, { placeId: string; more: number }>();
    for (const [placeId, { places, more }] of this.folders()) {
      if (more > 0 && this.unfolded().has(placeId)) after.set(places.at(-1)!.id, { placeId, more });
    }
    return after;
  });
  protected readonly markedCount = computed(() => {
    let sum = 0;
    for (const row of this.rows()) for (const [key, c] of row.cells) if (this.marked().has(`${row.place.id}.${key}`)) sum += c.kept;
    return sum;
  });
  protected readonly mayMake = computed(() => this.session.may('dispose'));

  constructor() {
    const step = (row: number, column: number) => () => this.step(row, column);
    const remove = inject(Keys).add({
      ArrowDown: [$localize`row below`, step(1, 0)],
      ArrowUp: [$localize`row above`, step(-1, 0)],
      ArrowRight: [$localize`next vintage`, step(0, 1)],
      ArrowLeft: [$localize`vintage before`, step(0, -1)],
      Enter: [$localize`open the list`, (event) => this.openActive(event)],
      ' ': [$localize`mark the cell`, () => this.markActive()],
      x: [$localize`mark the cell`, () => this.markActive()],
      n: [$localize`new place here`, () => this.mayMake() && this.making.set(true)],
      m: [$localize`move the place`, () => this.moveFocused()],
    });
    inject(DestroyRef).onDestroy(remove);
    effect(() => {
      this.rows();
      afterNextRender({ read: () => this.focusMoved() }, { injector: this.injector });
    });
  }

  /** A row that goes elsewhere loses the focus on its way. */
  private focusMoved(): void {
    if (this.movedId === null || document.activeElement !== document.body) return;
    const row = this.rows().findIndex(({ place }) => place.id === this.movedId);
    if (row >= 0) this.focusWhenDrawn(row, `a[data-place="${this.movedId}"]`);
  }

  protected name(key: string): string {
    if (key === 'running') return $localize`running`;
    return key === 'earlier' ? `≤ ${this.columns().years[0]! - 1}` : key;
  }

  protected words(row: RackRow, key: string, c: RackCounts): string {
    const parts = [$localize`${row.place.code}:code: ${this.name(key)}:vintage:: ${c.kept}:n: kept`];
    if (c.due) parts.push($localize`${c.due}:n: due`);
    if (c.held) parts.push($localize`${c.held}:n: held`);
    if (c.unscheduled) parts.push($localize`${c.unscheduled}:n: without a rule`);
    if (c.waiting) parts.push($localize`${c.waiting}:n: waiting`);
    return parts.join(', ');
  }

  protected setView(view: 'rack' | 'outline'): void {
    void this.router.navigate([], {
      relativeTo: this.route,
      queryParams: { view: view === 'rack' ? null : view },
      queryParamsHandling: 'merge',
    });
  }

  protected show(only: Only): void {
    void this.router.navigate([], {
      relativeTo: this.route,
      queryParams: { only: this.only() === only ? null : only },
      queryParamsHandling: 'merge',
    });
  }

  protected fold({ place }: RackRow): void {
    const set = holdsFolders(place) ? this.unfolded : this.folded;
    const now = new Set(set());
    if (!now.delete(place.id)) now.add(place.id);
    set.set(now);
    if (holdsFolders(place) && now.has(place.id) && !this.folders().has(place.id)) this.fetchFolders(place.id);
  }

  private fetchFolders(placeId: string): void {
    this.api.call(plan.folders, { params: { id: placeId } }).subscribe({
      next: (found) => this.folders.update((known) => new Map(known).set(placeId, found)),
      error: (error: unknown) => this.problem.set(toProblem(error)),
    });
  }

  protected isMarked(row: RackRow, key: string): boolean {
    const marked = this.marked();
    return marked.size > 0 && marked.has(`${row.place.id}.${key}`);
  }

  protected mark(row: RackRow, key: string): void {
    if (!row.cells.get(key)?.kept || row.foldable) return;
    const cell = `${row.place.id}.${key}`;
    const marked = new Set(this.marked());
    if (!marked.delete(cell)) marked.add(cell);
    this.marked.set(marked);
  }

  private markActive(): void {
    const { row, column } = this.active();
    const at = this.rows()[row];
    if (at) this.mark(at, this.columns().keys[column]!);
  }

  private openActive(event: KeyboardEvent): void {
    if (event.target instanceof HTMLElement && event.target.closest('a, button') && !event.target.closest('[data-cell]')) {
      event.target.click();
      return;
    }
    const { row, column } = this.active();
    const at = this.rows()[row];
    if (at) this.open(at, this.columns().keys[column]!);
  }

  private step(rows: number, columns: number): void {
    const { row, column } = this.active();
    const next = {
      row: Math.max(0, Math.min(this.rows().length - 1, row + rows)),
      column: Math.max(0, Math.min(this.columns().keys.length - 1, column + columns)),
    };
    this.active.set(next);
    this.focusWhenDrawn(next.row, `[data-cell="${next.row}-${next.column}"]`);
  }

  /** Gives the focus to something in a row, which may have to be drawn first. */
  private focusWhenDrawn(row: number, selector: string): void {
    const focus = (): boolean => {
      const element = this.host.nativeElement.querySelector<HTMLElement>(selector);
      element?.focus();
      return element !== null;
    };
    if (focus()) return;
    this.sight()?.want(row);
    afterNextRender({ read: () => void focus() }, { injector: this.injector });
  }

  /** The cell in which something happened: hundreds of them have no listeners of their own. */
  private cellOf(event: Event): { element: HTMLElement; row: number; column: number } | null {
    const element = (event.target as Element).closest<HTMLElement>('[data-cell]');
    if (!element) return null;
    const [row, column] = element.dataset['cell']!.split('-').map(Number) as [number, number];
    return { element, row, column };
  }

  protected clicked(event: Event): void {
    const cell = this.cellOf(event);
    const row = cell && this.rows()[cell.row];
    const key = cell && this.columns().keys[cell.column]!;
    if (row && key && row.cells.has(key)) this.open(row, key);
  }

  protected entered(event: Event): void {
    const cell = this.cellOf(event);
    if (cell) this.active.set({ row: cell.row, column: cell.column });
  }

  /** What a reader of screens hears, said under the mouse. */
  protected explain(event: Event): void {
    const element = this.cellOf(event)?.element;
    if (element) element.title = element.getAttribute('aria-label') ?? '';
  }

  /** The records behind a cell: for sums of several vintages or series, all of them. */
  protected open(row: RackRow, key: string): void {
    if (key === 'earlier') {
      const cells = this.cells().filter(
        (c) => c.vintage > 0 && c.vintage < this.columns().years[0]! && this.isUnder(c.seriesId, row.place.id),
      );
      this.openCells(cells.map((c) => `${c.seriesId}.${c.vintage}`));
      return;
    }
    void this.router.navigate(['/find'], { queryParams: { under: row.place.id, vintage: key === 'running' ? 0 : key } });
  }

  private isUnder(seriesId: string, placeId: string): boolean {
    const byId = new Map(this.places().map((p) => [p.id, p]));
    for (let at = byId.get(seriesId); at; at = at.parentId ? byId.get(at.parentId) : undefined) if (at.id === placeId) return true;
    return false;
  }

  protected openMarked(): void {
    const first = this.columns().years[0]!;
    const cells = [...this.marked()].flatMap((cell) => {
      const [seriesId, key] = cell.split('.') as [string, string];
      if (key === 'running') return [`${seriesId}.0`];
      if (key !== 'earlier') return [cell];
      return this.cells()
        .filter((c) => c.seriesId === seriesId && c.vintage > 0 && c.vintage < first)
        .map((c) => `${seriesId}.${c.vintage}`);
    });
    this.openCells(cells);
  }

  private openCells(cells: readonly string[]): void {
    void this.router.navigate(['/find'], { queryParams: { cells: cells.join(',') } });
  }

  protected drag(event: DragEvent, row: RackRow): void {
    this.dragged.set(row);
    event.dataTransfer?.setData('text/plain', row.place.code);
  }

  /** Whether what is dragged can go under a row; the server asks again, and knows more. */
  protected takes(row: RackRow): boolean {
    const dragged = this.dragged()?.place;
    if (!dragged || dragged.parentId === row.place.id || this.isUnder(row.place.id, dragged.id)) return false;
    return kindsInside(row.place.kind).some((kind) => kind === dragged.kind) && row.place.retiredOn === null;
  }

  protected dragOver(event: DragEvent, row: RackRow): void {
    if (!this.takes(row)) return;
    event.preventDefault();
    this.over.set(row.place.id);
  }

  protected drop(event: DragEvent, row: RackRow): void {
    event.preventDefault();
    const dragged = this.dragged();
    this.over.set(null);
    this.dragged.set(null);
    if (dragged) this.startMove(dragged.place.id, row.place.id);
  }

  /** With the keyboard: the place whose name has the focus in the outline. */
  private moveFocused(): void {
    const id = document.activeElement?.getAttribute('data-place');
    if (id && this.mayMake()) this.startMove(id, null);
  }

  /** Shows what moving would do; nothing moves before that was seen. */
  private startMove(id: string, target: string | null): void {
    this.api.call(plan.place, { params: { id } }).subscribe((place) => {
      this.moving.set(place);
      this.target.set(target);
      this.task.set('move');
    });
  }

  protected imported(outcome: TableOutcome): void {
    this.done.set($localize`${outcome.changes.length}:n: changes were made, ${outcome.recomputed}:m: records recalculated.`);
    this.made();
  }

  protected moved(sentence: string): void {
    this.movedId = this.moving()?.id ?? null;
    this.done.set(sentence);
    this.made();
  }

  protected made(): void {
    this.outline.reload();
    this.rack.reload();
    // What is folded is fetched anew when it is unfolded.
    this.folders.update((known) => new Map([...known].filter(([id]) => this.unfolded().has(id))));
    for (const id of this.folders().keys()) this.fetchFolders(id);
  }
}
