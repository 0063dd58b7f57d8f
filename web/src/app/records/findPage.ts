import { ChangeDetectionStrategy, Component, computed, DestroyRef, inject, input, linkedSignal, signal } from '@angular/core';
import { FormsModule } from '@angular/forms';
import { ActivatedRoute, Router } from '@angular/router';
import { plan, type RecordFilter, type SortColumn } from '@key-cellar/contract';
import { parseCriteria, type AskedCriteria } from '@key-cellar/core/criteria';
import { factsOfTypes, type FactDefinition } from '@key-cellar/core/records';
import { Button } from 'primeng/button';
import { InputText } from 'primeng/inputtext';
import { Popover } from 'primeng/popover';
import { Tooltip } from 'primeng/tooltip';
import { toSignal } from '@angular/core/rxjs-interop';
import { catchError, of } from 'rxjs';
import { CriteriaField, VocabularyService } from '../criteria/index';
import { Session } from '../identity/index';
import { Choice } from '../kit/choice';
import { Api } from '../kit/api';
import { ExportMenu } from '../kit/exportMenu';
import { Keys } from '../kit/keys';
import { loaded } from '../kit/loaded';
import { byWords, CountPipe } from '../kit/words';
import { ActOnMany } from './actOnMany';
import { allColumns, columnNames, RecordTable, usualColumns, type Column } from './recordTable';
import { RecordsService, type ListState } from './recordsService';

const shows: { value: NonNullable<RecordFilter['show']>; name: string }[] = [
  { value: 'due', name: $localize`due` },
  { value: 'held', name: $localize`held` },
  { value: 'declared', name: $localize`declared` },
  { value: 'waiting', name: $localize`waiting for a date` },
  { value: 'permanent', name: $localize`kept for good` },
  { value: 'unscheduled', name: $localize`without a rule` },
  { value: 'gaps', name: $localize`with facts missing` },
  { value: 'disposed', name: $localize`disposed (stubs)` },
];

/** More would be asked for than the server tells at once. */
const mostFacts = 12;
/** A column of a fact, as the address has it. */
const factColumn = (fact: FactDefinition): string => `fact.${fact.code}`;

/** Where is it? Words, place, state; everything that narrows the list is in the address. */
@Component({
  selector: 'kc-find',
  imports: [ActOnMany, Button, CountPipe, CriteriaField, ExportMenu, FormsModule, InputText, Popover, RecordTable, Choice, Tooltip],
  templateUrl: './findPage.html',
  styleUrl: './findPage.css',
  changeDetection: ChangeDetectionStrategy.OnPush,
})
export class FindPage {
  private readonly api = inject(Api);
  private readonly router = inject(Router);
  private readonly route = inject(ActivatedRoute);
  protected readonly session = inject(Session);
  readonly words = input<string>();
  readonly under = input<string>();
  readonly vintage = input<string>();
  readonly cells = input<string>();
  readonly show = input<RecordFilter['show']>();
  readonly type = input<string>();
  /** Criteria in their text form. */
  readonly where = input<string>();
  readonly sortIn = input<SortColumn | undefined>(undefined, { alias: 'sort' });
  readonly down = input<string>();
  readonly columnsIn = input<string | undefined>(undefined, { alias: 'columns' });

  protected readonly shows = shows;
  protected readonly mostFacts = mostFacts;
  protected readonly allColumns = allColumns;
  protected readonly columnNames = columnNames;
  protected readonly types = toSignal(inject(RecordsService).types$);
  protected readonly places = loaded(() => this.api.call(plan.outline));
  protected readonly total = signal<number | null>(null);
  protected readonly marked = signal<ReadonlySet<string>>(new Set());
  protected readonly version = signal(0);

  private readonly vocabulary = toSignal(
    inject(VocabularyService)
      .get()
      .pipe(catchError(() => of(undefined))),
  );
  /** What is typed as a condition; the list follows it while it can be read. */
  protected readonly condition = linkedSignal(() => this.where() ?? '');
  protected readonly asking = linkedSignal(() => (this.where() ?? '') !== '');
  private readonly criteria = computed(() => {
    const vocabulary = this.vocabulary();
    const parsed = this.where() && vocabulary ? parseCriteria(this.where()!, vocabulary) : null;
    return parsed?.ok ? JSON.stringify(parsed.criteria) : undefined;
  });
  /** Criteria from an address cannot be read before it is known what they may speak of. */
  protected readonly ready = computed(() => !this.where() || this.criteria() !== undefined);
  protected readonly filter = computed<RecordFilter>(() => ({
    criteria: this.criteria(),
    words: this.words() || undefined,
    under: this.under() || undefined,
    vintage: this.vintage() === undefined ? undefined : Number(this.vintage()),
    cells: this.cells() || undefined,
    show: this.show() || undefined,
    recordType: this.type() || undefined,
  }));
  /** Facts that a column can be made of, by their titles. */
  protected readonly factColumns = computed(() =>
    factsOfTypes((this.types()?.types ?? []).filter((t) => !this.type() || t.code === this.type())).sort((a, b) =>
      byWords(a.title, b.title),
    ),
  );
  private readonly chosenColumns = computed(() => (this.columnsIn() ?? '').split(','));
  protected readonly facts = computed(() => this.factColumns().filter((f) => this.chosenColumns().includes(factColumn(f))));
  /** A text, so that a list is not asked for again when record types come that change nothing of it. */
  private readonly factCodes = computed(() =>
    this.facts()
      .map((f) => f.code)
      .join(','),
  );
  protected readonly state = computed<ListState>(() => ({
    filter: this.filter(),
    sort: this.sortIn() ?? 'number',
    descending: this.down() === 'true',
    facts: this.factCodes(),
  }));
  /** Where the list is saved from: all that it has, in its order, with the facts that are shown. */
  protected readonly exportAddress = computed(() => {
    const { filter, sort, descending, facts } = this.state();
    const query = new URLSearchParams({ sort, descending: String(descending) });
    for (const [name, value] of Object.entries({ ...filter, facts: facts || undefined }))
      if (value !== undefined) query.set(name, String(value));
    return `/api/records/export?${query.toString()}`;
  });
  protected readonly columns = computed<readonly Column[]>(() => {
    const chosen = this.chosenColumns().filter((c): c is Column => allColumns.includes(c as Column));
    return chosen.length > 0 ? chosen : usualColumns;
  });
  protected readonly placeOptions = computed(() =>
    (this.places.value()?.places ?? []).filter((p) => p.kind !== 'repository').map((p) => ({ value: p.id, name: `${p.code} ${p.title}` })),
  );
  protected readonly typeOptions = computed(() => (this.types()?.types ?? []).map((t) => ({ value: t.code, name: t.title })));
  protected readonly narrowed = computed(() => Object.values(this.filter()).some((v) => v !== undefined));

  constructor() {
    const remove = inject(Keys).add({
      f: [$localize`words`, () => document.getElementById('find-words')?.focus()],
      q: [$localize`condition`, () => this.toggleCondition()],
    });
    inject(DestroyRef).onDestroy(remove);
  }

  protected narrow(changes: Record<string, string | null | undefined>): void {
    this.marked.set(new Set());
    void this.router.navigate([], { relativeTo: this.route, queryParams: changes, queryParamsHandling: 'merge', replaceUrl: true });
  }

  /** Follows a condition as it is typed; its text goes into the address. */
  protected ask(criteria: AskedCriteria | null): void {
    if (criteria) this.narrow({ where: this.condition().trim() || null });
  }

  protected toggleCondition(): void {
    const open = !this.asking();
    this.asking.set(open);
    if (!open && this.where()) this.narrow({ where: null });
  }

  protected clear(): void {
    this.marked.set(new Set());
    void this.router.navigate([], { relativeTo: this.route, queryParams: {} });
  }

  protected sorted(by: { sort: SortColumn; descending: boolean }): void {
    void this.router.navigate([], {
      relativeTo: this.route,
      queryParams: { sort: by.sort, down: by.descending ? 'true' : null },
      queryParamsHandling: 'merge',
      replaceUrl: true,
    });
  }

  protected toggleColumn(column: Column): void {
    const now = this.columns();
    const next = now.includes(column) ? now.filter((c) => c !== column) : allColumns.filter((c) => now.includes(c) || c === column);
    if (next.length > 0) this.showColumns(next, this.facts());
  }

  protected toggleFact(fact: FactDefinition): void {
    const now = this.facts();
    this.showColumns(this.columns(), now.includes(fact) ? now.filter((f) => f !== fact) : [...now, fact]);
  }

  private showColumns(columns: readonly Column[], facts: readonly FactDefinition[]): void {
    const all = [...columns, ...facts.map(factColumn)];
    void this.router.navigate([], {
      relativeTo: this.route,
      queryParams: { columns: all.join(',') },
      queryParamsHandling: 'merge',
      replaceUrl: true,
    });
  }

  protected unmark(): void {
    this.marked.set(new Set());
  }

  protected acted(): void {
    this.unmark();
    this.version.update((n) => n + 1);
    this.session.refresh();
  }
}
