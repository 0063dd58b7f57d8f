import { ChangeDetectionStrategy, Component, computed, effect, inject, input, model, output, signal, untracked } from '@angular/core';
import { FormsModule } from '@angular/forms';
import { RouterLink } from '@angular/router';
import { holds, identity, type Problem, type ResponseOf } from '@key-cellar/contract';
import type { AskedCriteria, Criteria } from '@key-cellar/core/criteria';
import { Button } from 'primeng/button';
import { map, switchMap, type Observable, EMPTY } from 'rxjs';
import { CriteriaField } from '../criteria/index';
import { Choice } from '../kit/choice';
import { Api, toProblem } from '../kit/api';
import { Choices } from '../kit/choices';
import { loaded } from '../kit/loaded';
import { ProblemNotice } from '../kit/notice';
import { ResultList, type ResultLine } from '../kit/resultList';
import { Sheet } from '../kit/sheet';
import { CountPipe } from '../kit/words';
import { matterKindNames } from '../kit/names';
import { TextField } from '../kit/textField';
import { LongTextField } from '../kit/longTextField';
import { Session } from '../identity/index';

const newMatter = 'new';
const newHold = 'new';

const outcomeWords = {
  covered: $localize`Held now.`,
  'already covered': $localize`The hold covered it before.`,
  'gone before the hold': $localize`It had been disposed of before the hold.`,
  'not found': $localize`No such record, or you may not see it.`,
  refused: $localize`You may not place it on hold.`,
} as const;

type Placed = Pick<ResponseOf<typeof holds.placeHold>, 'covered' | 'results' | 'doing'> & { readonly id: string };

/** Places a hold: on marked records, or on whatever matches criteria, now and later. Marked records may join an open one. */
@Component({
  selector: 'kc-hold-sheet',
  imports: [
    LongTextField,
    TextField,
    Button,
    CountPipe,
    CriteriaField,
    FormsModule,
    Choices,
    ProblemNotice,
    ResultList,
    RouterLink,
    Choice,
    Sheet,
  ],
  templateUrl: './holdSheet.html',
  styles: `
    .placed {
      display: flex;
      flex-wrap: wrap;
      gap: 4px 10px;
    }
  `,
  changeDetection: ChangeDetectionStrategy.OnPush,
})
export class HoldSheet {
  private readonly api = inject(Api);
  private readonly session = inject(Session);
  readonly open = model.required<boolean>();
  /** Marked records; empty to hold by criteria. */
  readonly recordIds = input<readonly string[]>([]);
  readonly matterId = input<string>();
  readonly placed = output();

  protected readonly matters = loaded(() => (this.open() ? this.api.call(holds.matters) : EMPTY));
  protected readonly people = loaded(() => (this.open() ? this.api.call(identity.people) : EMPTY));
  protected readonly matter = signal<string>(newMatter);
  protected readonly matterCode = signal('');
  protected readonly matterTitle = signal('');
  protected readonly matterKind = signal<'case' | 'audit' | 'inquiry'>('case');
  protected readonly name = signal('');
  protected readonly reason = signal('');
  protected readonly freeze = signal(false);
  protected readonly custodians = signal<string[]>([]);
  protected readonly text = signal('');
  protected readonly criteria = signal<Criteria | null>(null);
  protected readonly holdId = signal(newHold);
  protected readonly busy = signal(false);
  protected readonly problem = signal<Problem | null>(null);
  protected readonly results = signal<{ id: string; covered: number; joined: boolean; goesOn: boolean; lines: ResultLine[] } | null>(null);
  private readonly chosen = signal<readonly string[]>([]);

  protected readonly kinds = (['case', 'audit', 'inquiry'] as const).map((kind) => ({ value: kind, name: matterKindNames[kind] }));
  protected readonly matterOptions = computed(() => [
    ...(this.matters.value()?.matters ?? []).map((m) => ({ value: m.id, name: `${m.code} ${m.title}` })),
    { value: newMatter, name: $localize`A new matter …` },
  ]);
  protected readonly personOptions = computed(() =>
    (this.people.value()?.people ?? []).filter((p) => p.kind === 'person').map(({ id, name }) => ({ name, value: id })),
  );
  protected readonly isNew = computed(() => this.matter() === newMatter);
  protected readonly holdOptions = computed(() => [
    { value: newHold, name: $localize`A new hold` },
    ...(this.matters.value()?.matters ?? []).flatMap((m) =>
      m.holds.filter((h) => h.state === 'open').map((h) => ({ value: h.id, name: `${m.code} ${h.name}` })),
    ),
  ]);
  /** Marked records join a hold that is open already. */
  protected readonly joining = computed(() => this.count() > 0 && this.holdId() !== newHold);
  protected readonly count = computed(() => this.chosen().length);
  protected readonly heading = computed(() => (this.joining() ? $localize`Add to a hold` : $localize`Place a hold`));
  protected readonly button = computed(() =>
    this.count() === 0
      ? $localize`Place hold on what matches`
      : this.joining()
        ? this.count() === 1
          ? $localize`Add one record to the hold`
          : $localize`Add ${this.count()}:n: records to the hold`
        : this.count() === 1
          ? $localize`Place hold on one record`
          : $localize`Place hold on ${this.count()}:n: records`,
  );

  protected readonly counter = (criteria: AskedCriteria): Observable<number> =>
    this.api.call(holds.countScope, { body: { criteria: criteria as Criteria } }).pipe(map(({ count }) => count));

  constructor() {
    effect(() => {
      if (!this.open()) return;
      // Only opening starts anew: the marks go once the hold is placed, and its results stay to be read.
      untracked(() => {
        this.chosen.set(this.recordIds());
        this.results.set(null);
        this.problem.set(null);
        this.text.set('');
        this.understood(null);
        this.holdId.set(newHold);
        const given = this.matterId();
        if (given) this.matter.set(given);
      });
    });
  }

  /** An empty sentence would hold everything, so it counts as none. */
  protected understood(criteria: AskedCriteria | null): void {
    this.criteria.set(this.text().trim() === '' ? null : (criteria as Criteria | null));
  }

  private add(): Observable<Placed> {
    const id = this.holdId();
    return this.api
      .call(holds.addRecords, { params: { id }, body: { recordIds: [...this.chosen()] } })
      .pipe(map((added) => ({ ...added, id, doing: null })));
  }

  private placeIn(matterId: string): Observable<Placed> {
    // Should the hold itself be refused, the matter exists already: a second try uses it.
    this.matter.set(matterId);
    return this.api.call(holds.placeHold, {
      body: {
        matterId,
        name: this.name(),
        reason: this.reason(),
        freeze: this.freeze(),
        recordIds: [...this.chosen()],
        criteria: this.count() === 0 ? (this.criteria() ?? undefined) : undefined,
        custodianIds: this.custodians(),
      },
    });
  }

  private placeNew(): Observable<Placed> {
    if (!this.isNew()) return this.placeIn(this.matter());
    return this.api
      .call(holds.makeMatter, { body: { code: this.matterCode(), title: this.matterTitle(), kind: this.matterKind(), note: '' } })
      .pipe(switchMap(({ id }) => this.placeIn(id)));
  }

  protected place(): void {
    this.busy.set(true);
    this.problem.set(null);
    const joined = this.joining();
    const call = joined ? this.add() : this.placeNew();
    call.subscribe({
      next: ({ id, covered, doing, results }) => {
        this.busy.set(false);
        this.results.set({
          id,
          covered,
          joined,
          goesOn: doing !== null,
          lines: results.map((r) => ({
            name: r.name,
            outcome: r.outcome === 'covered' ? 'done' : r.outcome === 'already covered' ? 'skipped' : 'refused',
            why: outcomeWords[r.outcome],
            link: r.outcome === 'not found' ? undefined : ['/records', r.id],
          })),
        });
        this.matters.reload();
        this.session.refresh();
        this.placed.emit();
      },
      error: (error: unknown) => {
        this.busy.set(false);
        this.matters.reload();
        this.problem.set(toProblem(error));
      },
    });
  }
}
