import { ChangeDetectionStrategy, Component, computed, DestroyRef, inject, signal } from '@angular/core';
import { toSignal } from '@angular/core/rxjs-interop';
import { FormsModule } from '@angular/forms';
import { RouterLink } from '@angular/router';
import { schedule, type CriteriaRuleLine, type Problem } from '@key-cellar/contract';
import { emptyVocabulary, printCriteria, type AskedCriteria, type Criteria } from '@key-cellar/core/criteria';
import { Button } from 'primeng/button';
import { Tooltip } from 'primeng/tooltip';
import { map, catchError, of, type Observable } from 'rxjs';
import { CriteriaField, VocabularyService } from '../criteria/index';
import { Api, toProblem } from '../kit/api';
import { Choice } from '../kit/choice';
import { Keys } from '../kit/keys';
import { loaded } from '../kit/loaded';
import { ProblemNotice } from '../kit/notice';
import { Sheet } from '../kit/sheet';
import { LongTextField } from '../kit/longTextField';
import { ScheduleNav } from './scheduleNav';

/** Rules set on what criteria match, in the order in which they are asked. */
@Component({
  selector: 'kc-criteria-rules',
  imports: [LongTextField, Button, Choice, CriteriaField, FormsModule, ProblemNotice, RouterLink, ScheduleNav, Sheet, Tooltip],
  templateUrl: './criteriaPage.html',
  styleUrl: './criteriaPage.css',
  changeDetection: ChangeDetectionStrategy.OnPush,
})
export class CriteriaPage {
  protected readonly labels = {
    changeCriteria: $localize`Change the criteria`,
    setByCriteria: $localize`Set a rule by criteria`,
    save: $localize`Save the criteria`,
    set: $localize`Set the rule`,
  };
  private readonly api = inject(Api);
  protected readonly page = loaded(() => this.api.call(schedule.criteriaRules));
  private readonly rules = loaded(() => this.api.call(schedule.rules));
  private readonly vocabulary = toSignal(
    inject(VocabularyService)
      .get()
      .pipe(catchError(() => of(emptyVocabulary))),
    { initialValue: emptyVocabulary },
  );
  protected readonly ruleOptions = computed(() =>
    (this.rules.value()?.rules ?? [])
      .filter((r) => r.version !== null)
      .map((r) => ({ value: r.id, name: `${r.code} ${r.definition.title}` })),
  );
  protected readonly open = signal(false);
  protected readonly changing = signal<CriteriaRuleLine | null>(null);
  protected readonly ruleId = signal<string | null>(null);
  protected readonly text = signal('');
  protected readonly criteria = signal<AskedCriteria | null>(null);
  protected readonly note = signal('');
  protected readonly busy = signal(false);
  protected readonly problem = signal<Problem | null>(null);
  protected readonly done = signal('');

  protected readonly counter = (criteria: AskedCriteria): Observable<number> =>
    this.api.call(schedule.countCriteria, { body: { criteria: criteria as Criteria } }).pipe(map(({ count }) => count));

  constructor() {
    const remove = inject(Keys).add({ n: [$localize`set a rule by criteria`, () => this.begin(null)] });
    inject(DestroyRef).onDestroy(remove);
  }

  protected words(criteria: Criteria): string {
    return printCriteria(criteria, this.vocabulary());
  }

  protected begin(line: CriteriaRuleLine | null): void {
    this.changing.set(line);
    this.ruleId.set(line?.rule.id ?? null);
    this.text.set(line ? this.words(line.criteria) : '');
    this.criteria.set(line?.criteria ?? null);
    this.note.set(line?.note ?? '');
    this.problem.set(null);
    this.open.set(true);
  }

  protected save(): void {
    const criteria = this.criteria() as Criteria;
    const note = this.note();
    const line = this.changing();
    this.act(
      line
        ? this.api.call(schedule.changeCriteriaRule, { params: { id: line.id }, body: { criteria, note } })
        : this.api.call(schedule.addCriteriaRule, { body: { ruleId: this.ruleId()!, criteria, note } }),
    );
  }

  protected move(line: CriteriaRuleLine, by: number): void {
    this.act(this.api.call(schedule.moveCriteriaRule, { params: { id: line.id }, body: { order: line.order + by } }));
  }

  protected drop(line: CriteriaRuleLine): void {
    this.act(this.api.call(schedule.dropCriteriaRule, { params: { id: line.id } }));
  }

  private act(call: Observable<{ recomputed: number }>): void {
    this.busy.set(true);
    this.problem.set(null);
    call.subscribe({
      next: ({ recomputed }) => {
        this.busy.set(false);
        this.open.set(false);
        this.done.set(recomputed === 1 ? $localize`One record was recalculated.` : $localize`${recomputed}:n: records were recalculated.`);
        this.page.reload();
      },
      error: (error: unknown) => {
        this.busy.set(false);
        this.problem.set(toProblem(error));
      },
    });
  }
}
