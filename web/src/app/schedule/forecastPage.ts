import { ChangeDetectionStrategy, Component, computed, inject, linkedSignal, signal } from '@angular/core';
import { takeUntilDestroyed, toObservable } from '@angular/core/rxjs-interop';
import { plan, schedule, type EffectLine, type EffectPage, type Problem, type ScheduleChange } from '@key-cellar/contract';
import { describeStep, type StepKind } from '@key-cellar/core/schedule';
import { Button } from 'primeng/button';
import { catchError, EMPTY, map, of, switchMap, type Observable } from 'rxjs';
import { say } from '../../words/say';
import { Session } from '../identity/index';
import { Api, toProblem } from '../kit/api';
import { Choice } from '../kit/choice';
import { loaded } from '../kit/loaded';
import { ProblemNotice } from '../kit/notice';
import { TwoHorizons } from '../kit/twoHorizons';
import { byWords, BytesPipe, CountPipe } from '../kit/words';
import { byMonth, byYear, cellsOf, counted, forecastCsv, saveText } from './effectModel';
import { ScheduleNav } from './scheduleNav';

const yearsShown = 30;

/** What comes due in the thirty years ahead, as the schedule stands today and, if one likes, with a draft of a rule. */
@Component({
  selector: 'kc-forecast',
  imports: [BytesPipe, Button, Choice, CountPipe, ProblemNotice, ScheduleNav, TwoHorizons],
  templateUrl: './forecastPage.html',
  styleUrl: './forecastPage.css',
  changeDetection: ChangeDetectionStrategy.OnPush,
})
export class ForecastPage {
  private readonly api = inject(Api);
  private readonly session = inject(Session);
  private readonly places = loaded(() => this.api.call(plan.outline));
  private readonly rules = loaded(() => this.api.call(schedule.rules));
  protected readonly progress = signal<{ done: number; total: number } | null>(null);
  protected readonly found = signal<EffectPage | null>(null);
  protected readonly problem = signal<Problem | null>(null);

  protected readonly year = signal<string | null>(null);
  protected readonly step = signal<StepKind | null>(null);
  protected readonly series = signal<string | null>(null);
  protected readonly rule = signal<string | null>(null);
  /** The rule with whose draft it is to be worked out. */
  protected readonly draftOf = signal<string | null>(null);
  /** Was what is shown worked out with a draft? While another is being worked out, what was before stays. */
  protected readonly withDraft = signal(false);
  protected readonly by = signal<'step' | 'series' | 'rule'>('step');

  private readonly first = Number(this.session.today().slice(0, 4));
  protected readonly yearOptions = Array.from({ length: yearsShown }, (_, i) => String(this.first + i)).map((year) => ({
    value: year,
    name: year,
  }));
  protected readonly within = computed(() =>
    this.year() ? $localize`in ${this.year()!}:year:` : $localize`until ${this.first + yearsShown}:year:`,
  );

  private readonly all = computed(() => cellsOf(this.found()));
  private readonly narrowed = computed(() => {
    const [step, series, rule] = [this.step(), this.series(), this.rule()];
    return this.all().filter((c) => (!step || c.step === step) && (!series || c.series === series) && (rule === null || c.rule === rule));
  });
  private readonly cells = computed(() => this.narrowed().filter((c) => this.year() === null || c.month.startsWith(this.year()!)));
  protected readonly bars = computed(() =>
    this.year() === null ? byYear(this.narrowed(), this.first, yearsShown) : byMonth(this.cells(), this.year()!),
  );
  protected readonly total = computed(() =>
    this.cells().reduce(
      (sum, c) => ({
        records: sum.records + c.records,
        bytes: sum.bytes + c.bytes,
        afterRecords: sum.afterRecords + c.afterRecords,
      }),
      { records: 0, bytes: 0, afterRecords: 0 },
    ),
  );

  private readonly titles = computed(() => new Map((this.places.value()?.places ?? []).map((p) => [p.code, p.title])));
  private readonly ruleTitles = computed(() => new Map((this.rules.value()?.rules ?? []).map((r) => [r.code, r.definition.title])));
  /** What a step, a series or a rule is called. */
  private readonly naming = computed(() => {
    const titled = (titles: ReadonlyMap<string, string>) => (code: string) => `${code} ${titles.get(code) ?? ''}`.trim();
    const rule = titled(this.ruleTitles());
    return {
      step: (kind: string) => say(describeStep(kind as StepKind)),
      series: titled(this.titles()),
      rule: (code: string) => (code === '' ? $localize`override` : rule(code)),
    };
  });
  private options<K extends 'step' | 'series' | 'rule'>(kind: K): { value: EffectPage['forecast'][number][K]; name: string }[] {
    const name = this.naming()[kind];
    return [...new Set((this.found()?.forecast ?? []).map((c) => c[kind]))]
      .map((value) => ({ value, name: name(value) }))
      .sort((a, b) => byWords(a.name, b.name));
  }
  protected readonly stepOptions = computed(() => this.options('step'));
  protected readonly seriesOptions = computed(() => this.options('series'));
  protected readonly ruleOptions = computed(() => this.options('rule'));
  protected readonly draftOptions = computed(() =>
    (this.rules.value()?.rules ?? []).filter((r) => r.hasDraft).map((r) => ({ value: r.id, name: $localize`draft of ${r.code}:code:` })),
  );

  protected readonly lines = computed(() => {
    const name = this.naming()[this.by()];
    const lines = counted(this.cells(), this.year() ? 7 : 4, this.by());
    // A year or month is written once, before its first line.
    return lines.map((line, i) => ({ ...line, words: name(line.what), first: lines[i - 1]?.when !== line.when }));
  });
  /** So many lines are drawn; others on request. */
  protected readonly linesShown = linkedSignal({ source: this.lines, computation: () => 200 });

  constructor() {
    toObservable(this.draftOf)
      .pipe(
        switchMap((ruleId) =>
          this.change(ruleId).pipe(
            switchMap((change) => this.api.lines<EffectLine>(schedule.effect, { change })),
            map((line) => ({ line, withDraft: ruleId !== null })),
            catchError((error: unknown) => {
              this.progress.set(null);
              this.problem.set(toProblem(error));
              return EMPTY;
            }),
          ),
        ),
        takeUntilDestroyed(),
      )
      .subscribe(({ line, withDraft }) => {
        this.progress.set('done' in line ? line : null);
        if ('effect' in line) {
          this.found.set(line.effect);
          this.withDraft.set(withDraft);
        } else if ('problem' in line) this.problem.set(line.problem);
      });
  }

  /** The draft of a rule as a change, in force from today for all records; or nothing. */
  private change(ruleId: string | null): Observable<ScheduleChange> {
    this.problem.set(null);
    if (ruleId === null) return of({ kind: 'nothing' });
    return this.api.call(schedule.rule, { params: { id: ruleId } }).pipe(
      switchMap(({ draft }): Observable<ScheduleChange> => {
        if (draft) return of({ kind: 'rule', ruleId, definition: draft, inForceFrom: this.session.today(), takesOver: 'all' });
        // Somebody dropped or published it meanwhile.
        this.rules.reload();
        this.draftOf.set(null);
        return EMPTY;
      }),
    );
  }

  protected save(): void {
    saveText('forecast.csv', forecastCsv(this.cells()));
  }
}
