import { ChangeDetectionStrategy, Component, computed, effect, inject, input, linkedSignal, signal, untracked } from '@angular/core';
import { takeUntilDestroyed, toObservable } from '@angular/core/rxjs-interop';
import { FormsModule } from '@angular/forms';
import { schedule, type EffectPage, type Problem, type ScheduleCases } from '@key-cellar/contract';
import { ruleDefinition } from '@key-cellar/contract/schedule';
import { civilDate } from '@key-cellar/core/calendar';
import {
  describeTrigger,
  explain,
  governingRule,
  judgeCase,
  withDraft,
  withEnds,
  type Explanation,
  type ScheduleCase,
} from '@key-cellar/core/schedule';
import { Button } from 'primeng/button';
import { catchError, debounceTime, EMPTY, of, switchMap } from 'rxjs';
import { spoken } from '@key-cellar/words/spoken';
import { say } from '../../words/say';
import { DateField } from '../kit/dateField';
import { Api, toProblem } from '../kit/api';
import { loaded } from '../kit/loaded';
import { ProblemNotice } from '../kit/notice';
import { RuleStrip } from '../kit/ruleStrip';
import { ThingField } from '../kit/thingField';
import { Why } from '../kit/why';
import { CountPipe, DayPipe } from '../kit/words';
import { EffectFound } from './effectFound';
import { WhatIf } from './whatIf';
import type { Draft } from './whatIfModel';
import { workedExample } from './workedExample';

/** A draft tried as one types: on one record or one date in full, and on all that the rule may govern in numbers. */
@Component({
  selector: 'kc-draft-trial',
  imports: [DateField, Button, CountPipe, DayPipe, EffectFound, FormsModule, ProblemNotice, RuleStrip, ThingField, Why],
  providers: [WhatIf],
  templateUrl: './draftTrial.html',
  styleUrl: './draftTrial.css',
  changeDetection: ChangeDetectionStrategy.OnPush,
})
export class DraftTrial {
  private readonly api = inject(Api);
  private readonly whatIf = inject(WhatIf);
  readonly draft = input.required<Draft>();

  private readonly ruleId = computed(() => this.draft().ruleId);
  protected readonly reached = loaded(() =>
    this.ruleId() ? this.api.call(schedule.ruleCases, { params: { id: this.ruleId() } }) : of({ cases: [], rules: {}, more: false }),
  );
  protected readonly cases = computed(() => this.reached.value()?.cases ?? []);

  private readonly rollsToNamed = computed(() => this.draft().definition.cutoff.kind === 'namedYear');
  private readonly named = loaded(() => (this.rollsToNamed() ? this.api.call(schedule.namedYears) : EMPTY));
  /** The ends of named years, by their name. */
  private readonly years = computed(() => Object.fromEntries((this.named.value()?.years ?? []).map((y) => [y.name, y.ends])));

  /** A record that was looked for, with what surrounds it; else one of those that the rule may govern. */
  private readonly sought = signal<ScheduleCases | null>(null);
  private readonly at = signal(0);
  protected readonly problem = signal<Problem | null>(null);
  protected readonly chosenWay = signal<'record' | 'date' | null>(null);
  /** A real record where there is one, for as long as nobody said otherwise. */
  protected readonly way = computed(() => this.chosenWay() ?? (this.cases().length > 0 ? 'record' : 'date'));
  protected readonly on = signal('');
  protected readonly exampleLabel = computed(
    () => $localize`If ${say(describeTrigger(this.draft().definition.trigger))}:trigger: falls on`,
  );
  protected readonly outcomes: Record<Explanation['outcome'], string> = {
    dated: $localize`no last day`,
    waiting: $localize`waiting`,
    permanent: $localize`for good`,
    unscheduled: $localize`no rule`,
  };

  protected readonly isSound = computed(() => {
    const { definition } = this.draft();
    return ruleDefinition.safeParse({ ...definition, title: definition.title || 'x', authority: definition.authority || 'x' }).success;
  });
  /** The draft as it was when it was last sound: half a period is typed on the way to a whole one. */
  private readonly soundDraft = linkedSignal<Draft, Draft | null>({
    source: this.draft,
    computation: (draft, before) => (this.isSound() ? draft : (before?.value ?? null)),
  });
  protected readonly byDate = computed(() => {
    const draft = this.soundDraft();
    return draft && this.on() ? workedExample(draft.definition, this.on(), this.years()) : null;
  });
  protected readonly record = computed<ScheduleCase | undefined>(() => this.sought()?.cases[0] ?? this.cases()[this.at()]);
  protected readonly soughtIds = computed(() => this.sought()?.cases.map((c) => c.id) ?? []);
  protected readonly place = computed(() => (this.sought() ? null : this.at() + 1));
  /** The record as it is judged now and as it would be; the rule may not reach it at all. */
  protected readonly byRecord = computed(() => {
    const draft = this.soundDraft();
    const record = this.record();
    const rules = (this.sought() ?? this.reached.value())?.rules;
    if (!draft || !record || !rules) return null;
    const { ruleId, code, definition, inForceFrom, takesOver } = draft;
    const id = ruleId || 'new';
    const tried = withDraft(rules, id, code || '?', { ...withEnds(definition, this.years()), inForceFrom, takesOver });
    const today = civilDate(draft.today);
    const day = Math.max(today, civilDate(inForceFrom));
    const reaches = record.candidates.some((c) => c.ruleId === id) || (record.override?.kind === 'rule' && record.override.ruleId === id);
    const governing = reaches
      ? judgeCase(record, tried, day)
      : governingRule(
          [{ level: 'folder', distance: 0, setOn: $localize`its folder, if it were`, versions: tried[id]! }],
          null,
          record.facts,
          record.jurisdictions,
          day,
        );
    const words = (by: typeof governing) => spoken(explain({ governing: by, facts: record.facts, holds: [], missing: [] }), say);
    return { reaches, before: words(judgeCase(record, rules, today)), after: words(governing) };
  });

  protected readonly effect = signal<EffectPage | null>(null);
  protected readonly failed = signal(false);

  constructor() {
    effect(() => {
      const { today } = this.draft();
      untracked(() => this.on() || this.on.set(today));
    });
    effect(() => {
      const given = this.reached.value();
      if (given) this.whatIf.take(given);
    });
    toObservable(computed(() => (this.cases().length > 0 ? this.soundDraft() : null)))
      .pipe(
        // Within one breath of typing only what was typed last is tried.
        debounceTime(40),
        switchMap((draft) =>
          draft === null
            ? of(null)
            : this.whatIf.effect(draft).pipe(
                catchError(() => {
                  this.failed.set(true);
                  return EMPTY;
                }),
              ),
        ),
        takeUntilDestroyed(),
      )
      .subscribe((found) => this.effect.set(found));
  }

  protected step(by: number): void {
    const n = this.cases().length;
    this.sought.set(null);
    this.at.update((at) => (at + by + n) % n);
  }

  protected look(id: string): void {
    this.chosenWay.set('record');
    this.sought.set(null);
    this.at.set(
      Math.max(
        0,
        this.cases().findIndex((c) => c.id === id),
      ),
    );
  }

  protected seek(ids: readonly string[]): void {
    this.problem.set(null);
    const [id] = ids;
    if (id === undefined) {
      this.sought.set(null);
      return;
    }
    this.api.call(schedule.recordCase, { params: { id } }).subscribe({
      next: (given) => this.sought.set(given),
      error: (error: unknown) => this.problem.set(toProblem(error)),
    });
  }
}
