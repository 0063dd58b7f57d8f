import { ChangeDetectionStrategy, Component, computed, DestroyRef, effect, inject, input, signal, untracked } from '@angular/core';
import { takeUntilDestroyed, toObservable, toSignal } from '@angular/core/rxjs-interop';
import { FormsModule } from '@angular/forms';
import { RouterLink } from '@angular/router';
import { plan, receiving, type Arrival, type Filing, type Problem } from '@key-cellar/contract';
import { civilDate } from '@key-cellar/core/calendar';
import { datedTitle } from '@key-cellar/core/plan';
import { completeFacts, type FactDefinition } from '@key-cellar/core/records';
import { Button } from 'primeng/button';
import { Tooltip } from 'primeng/tooltip';
import { catchError, debounceTime, of, switchMap, tap } from 'rxjs';
import { Session } from '../identity/index';
import { DateField } from '../kit/dateField';
import { Choice } from '../kit/choice';
import { Api, toProblem } from '../kit/api';
import { filingPlaces } from '../kit/filingPlaces';
import { Keys } from '../kit/keys';
import { loaded } from '../kit/loaded';
import { Mark } from '../kit/mark';
import { ProblemNotice } from '../kit/notice';
import { ResultList, type ResultLine } from '../kit/resultList';
import { Sheet } from '../kit/sheet';
import { Why } from '../kit/why';
import { BytesPipe, CountPipe, InstantPipe, KindOfFilePipe } from '../kit/words';
import { TextField } from '../kit/textField';
import { FactFields, Preview, RecordsService, type FactValues, type Shown } from '../records/index';
import { Uploads } from './uploads';

/** What has arrived and is not filed: choose type, place and facts for one or for many, see the date, file. */
@Component({
  selector: 'kc-receiving',
  imports: [
    TextField,
    DateField,
    BytesPipe,
    Button,
    CountPipe,
    FactFields,
    FormsModule,
    InstantPipe,
    KindOfFilePipe,
    Mark,
    Preview,
    ProblemNotice,
    ResultList,
    RouterLink,
    Choice,
    Sheet,
    Tooltip,
    Uploads,
    Why,
  ],
  templateUrl: './receivingPage.html',
  styleUrl: './receivingPage.css',
  changeDetection: ChangeDetectionStrategy.OnPush,
})
export class ReceivingPage {
  protected readonly labels = {
    fileMarked: $localize`File marked ones`,
    fileSome: (n: number) => $localize`File ${n}:count:`,
    describe: $localize`Describe a physical item`,
    file: $localize`:to put into the plan|:File`,
  };
  private readonly api = inject(Api);
  protected readonly session = inject(Session);
  /** A place to file into, when the page was opened from one. */
  readonly place = input<string>();

  protected readonly arrivals = loaded(() => this.api.call(receiving.list));
  protected readonly places = loaded(() => this.api.call(plan.outline, { query: { folders: true } }));
  protected readonly containers = loaded(() => this.api.call(receiving.containers));
  protected readonly types = toSignal(inject(RecordsService).types$);
  protected readonly marked = signal<ReadonlySet<string>>(new Set());

  protected readonly filing = signal<'arrivals' | 'physical' | null>(null);
  protected readonly recordType = signal<string | null>(null);
  protected readonly placeId = signal<string | null>(null);
  protected readonly createdOn = signal('');
  protected readonly title = signal('');
  protected readonly facts = signal<FactValues>({});
  protected readonly containerId = signal<string | null>(null);
  protected readonly busy = signal(false);
  protected readonly problem = signal<Problem | null>(null);
  protected readonly results = signal<readonly ResultLine[] | null>(null);

  protected readonly list = computed(() => this.arrivals.value()?.arrivals ?? []);
  protected readonly chosen = computed(() => this.list().filter((a) => this.marked().has(a.id)));
  protected readonly heldWords = $localize`An open hold covers records like this one. It is held as soon as it is filed.`;
  protected readonly twice = computed(() => this.list().filter((a) => a.sameAs.length > 0).length);
  protected readonly sheetOpen = computed(() => this.filing() !== null);
  /** The one thing that is being filed, to be looked at meanwhile. */
  protected readonly looked = computed<Shown | null>(
    () => {
      const [one, ...others] = this.chosen();
      if (this.filing() !== 'arrivals' || !one || others.length > 0) return null;
      return { kind: 'arrival', id: one.id, fileName: one.fileName, mediaType: one.mediaType, size: one.size, asText: true };
    },
    { equal: (a, b) => a?.id === b?.id },
  );
  protected readonly type = computed(() => this.types()?.types.find((t) => t.code === this.recordType()));
  /** What the chosen place says: its message, what it takes, and the facts that it gives on. */
  protected readonly chosenPlace = toSignal(
    toObservable(computed(() => this.placeId())).pipe(
      switchMap((id) => (id ? this.api.call(plan.place, { params: { id } }).pipe(catchError(() => of(null))) : of(null))),
    ),
    { initialValue: null },
  );
  protected readonly typeOptions = computed(() => {
    const place = this.chosenPlace();
    const takes = [place?.takes, ...(place?.takesAround.map((a) => a.takes) ?? [])].find((t) => t?.types)?.types;
    return (this.types()?.types ?? [])
      .filter((t) => !t.retired && (!takes || takes.includes(t.code)))
      .map((t) => ({ value: t.code, name: t.title }));
  });
  /** Titles that the place has ready, for the chosen type where there is one. */
  protected readonly readyTitles = computed(() =>
    (this.chosenPlace()?.readyTitles ?? [])
      .filter((t) => !this.recordType() || t.recordType === null || t.recordType === this.recordType())
      .map((t) => ({ title: datedTitle(t.text, t.date, this.createdOn()), recordType: t.recordType })),
  );
  /** What was filled in from the place and the type: it goes again when others are chosen. */
  private prefilled: FactValues = {};
  protected readonly placeOptions = computed(() =>
    filingPlaces(this.places.value()?.places ?? [], (p) => p.deposit).map(({ id, name }) => ({ value: id, name })),
  );
  protected readonly containerOptions = computed(() =>
    (this.containers.value()?.containers ?? []).map((c) => ({ value: c.id, name: `${c.code} ${c.title}, ${c.location}` })),
  );
  protected readonly wrong = computed(() =>
    Object.fromEntries((this.problem()?.fields ?? []).map((f) => [f.pointer.replace('/facts/', ''), f.sentence])),
  );
  protected readonly ready = computed(
    () =>
      !!this.recordType() &&
      !!this.placeId() &&
      !!this.createdOn() &&
      (this.filing() === 'arrivals' || (!!this.title().trim() && !!this.containerId())),
  );
  protected readonly button = computed(() => {
    if (this.filing() === 'physical') return $localize`Describe the item`;
    const n = this.chosen().length;
    return n === 1 ? $localize`File one record` : $localize`File ${n}:n: records`;
  });

  /** What would be filed now, for the preview; null until there is enough to say. */
  private readonly draft = computed<Filing | null>(() => {
    const [recordType, placeId, createdOn] = [this.recordType(), this.placeId(), this.createdOn()];
    if (this.filing() === null || !recordType || !placeId || !createdOn) return null;
    const arrivalId = this.chosen()[0]?.id ?? '00000000-0000-4000-8000-000000000000';
    return { arrivalId, recordType, placeId, createdOn, title: this.title().trim() || 'untitled', facts: this.facts() };
  });
  protected readonly previewProblem = signal<Problem | null>(null);
  protected readonly preview = toSignal(
    toObservable(this.draft).pipe(
      debounceTime(150),
      tap(() => this.previewProblem.set(null)),
      switchMap((filing) =>
        filing
          ? this.api.call(receiving.preview, { body: { filings: [filing] } }).pipe(
              catchError((error: unknown) => {
                this.previewProblem.set(toProblem(error));
                return of(null);
              }),
            )
          : of(null),
      ),
    ),
  );

  constructor() {
    const remove = inject(Keys).add({
      a: [$localize`mark all`, () => this.markAll()],
      n: [$localize`describe a physical item`, () => this.openPhysical()],
      f: [$localize`file what is marked`, () => this.chosen().length > 0 && this.openFiling(this.chosen())],
    });
    inject(DestroyRef).onDestroy(remove);
    effect(() => {
      const [type, place] = [this.type(), this.chosenPlace()];
      if (this.filing() === null || !type) return;
      untracked(() => this.prefill(type.facts, place ? [place.facts, ...place.factsAround.map((a) => a.facts)] : []));
    });
    toObservable(this.place)
      .pipe(takeUntilDestroyed())
      .subscribe((place) => place && this.placeId.set(place));
  }

  private prefill(definitions: readonly FactDefinition[], around: readonly FactValues[]): void {
    const typed = Object.entries(this.facts()).filter(([code, value]) => JSON.stringify(this.prefilled[code]) !== JSON.stringify(value));
    const said = Object.fromEntries(typed.filter(([code]) => definitions.some((d) => d.code === code)));
    const who = { today: civilDate(this.session.today()), me: this.session.me()?.id ?? '' };
    const completed = completeFacts(definitions, said, around, who);
    this.prefilled = Object.fromEntries(Object.entries(completed).filter(([code]) => !(code in said)));
    this.facts.set({ ...completed });
  }

  protected toggle(arrival: Arrival): void {
    const marked = new Set(this.marked());
    if (!marked.delete(arrival.id)) marked.add(arrival.id);
    this.marked.set(marked);
  }

  protected markAll(): void {
    this.marked.set(this.chosen().length === this.list().length ? new Set() : new Set(this.list().map((a) => a.id)));
  }

  protected openFiling(chosen: readonly Arrival[]): void {
    this.marked.set(new Set(chosen.map((a) => a.id)));
    this.begin('arrivals');
    this.title.set(chosen.length === 1 ? chosen[0]!.suggestedTitle : '');
    const own = chosen[0]?.placeId;
    if (own) this.placeId.set(own);
  }

  protected openPhysical(): void {
    this.begin('physical');
    this.title.set('');
  }

  private begin(kind: 'arrivals' | 'physical'): void {
    this.results.set(null);
    this.problem.set(null);
    this.createdOn.set(this.session.today());
    this.filing.set(kind);
  }

  protected close(open: boolean): void {
    if (!open) this.filing.set(null);
  }

  protected useTitle(ready: { title: string; recordType: string | null }): void {
    this.title.set(ready.title);
    if (ready.recordType && !this.recordType()) this.recordType.set(ready.recordType);
  }

  protected chooseType(code: string | null): void {
    this.recordType.set(code);
  }

  protected submit(): void {
    if (!this.ready()) return;
    this.busy.set(true);
    this.problem.set(null);
    if (this.filing() === 'physical') this.describe();
    else this.file();
  }

  private shared() {
    return { recordType: this.recordType()!, placeId: this.placeId()!, createdOn: this.createdOn(), facts: this.facts() };
  }

  private file(): void {
    // Numbers follow the order of arrival; the list shows the newest first.
    const chosen = this.chosen().toReversed();
    const filings = chosen.map((a) => ({
      ...this.shared(),
      arrivalId: a.id,
      title: chosen.length === 1 ? this.title().trim() || a.suggestedTitle : a.suggestedTitle,
    }));
    this.api.call(receiving.file, { body: { filings } }).subscribe({
      next: ({ results }) =>
        this.finish(
          results.map((r) => ({ name: r.name, outcome: r.outcome, why: r.why, link: r.recordId ? ['/records', r.recordId] : undefined })),
        ),
      error: (error: unknown) => this.fail(error),
    });
  }

  private describe(): void {
    this.api
      .call(receiving.describePhysical, { body: { ...this.shared(), title: this.title().trim(), containerId: this.containerId()! } })
      .subscribe({
        next: ({ recordId, number }) =>
          this.finish([
            { name: this.title(), outcome: 'done', why: $localize`Described as ${number}:number:.`, link: ['/records', recordId] },
          ]),
        error: (error: unknown) => this.fail(error),
      });
  }

  private finish(lines: readonly ResultLine[]): void {
    this.busy.set(false);
    this.results.set(lines);
    this.marked.set(new Set());
    this.reload();
  }

  private fail(error: unknown): void {
    this.busy.set(false);
    this.problem.set(toProblem(error));
  }

  protected discard(arrival: Arrival): void {
    this.api.call(receiving.discard, { params: { id: arrival.id } }).subscribe({
      next: () => this.reload(),
      error: (error: unknown) => this.problem.set(toProblem(error)),
    });
  }

  protected reload(): void {
    this.arrivals.reload();
    this.session.refresh();
  }
}
