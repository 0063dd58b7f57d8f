import { ChangeDetectionStrategy, Component, computed, effect, inject, input, model, output, signal, untracked } from '@angular/core';
import { FormsModule } from '@angular/forms';
import { schedule, type OverrideInput, type Problem, type ResponseOf } from '@key-cellar/contract';
import { Button } from 'primeng/button';
import { EMPTY } from 'rxjs';
import { DateField } from '../kit/dateField';
import { Api, toProblem } from '../kit/api';
import { Choice } from '../kit/choice';
import { loaded } from '../kit/loaded';
import { ProblemNotice } from '../kit/notice';
import { ResultList, type ResultLine } from '../kit/resultList';
import { Sheet } from '../kit/sheet';
import { LongTextField } from '../kit/longTextField';
import { JurisdictionsField } from './jurisdictionsField';
import { TrialFound } from './trialFound';

type Way = 'date' | 'rule' | 'forGood' | 'jurisdictions' | 'rules';

/** Sets a due date or a rule by hand, or lets the rules decide again; says first what that does. */
@Component({
  selector: 'kc-override-sheet',
  imports: [LongTextField, DateField, Button, Choice, FormsModule, JurisdictionsField, ProblemNotice, ResultList, Sheet, TrialFound],
  template: `
    <kc-sheet [(open)]="open" heading="Set the date by hand" i18n-heading [width]="640">
      @if (results(); as lines) {
        <kc-result-list [lines]="lines" />
      } @else {
        <form class="form" (ngSubmit)="carryOut(false)">
          @if (way() === 'jurisdictions') {
            <p i18n>
              Rules for these jurisdictions will apply to these records. None: those of their place. Shortening retention needs a keeper.
              The ledger keeps your reason.
            </p>
          } @else {
            <p i18n>An override takes precedence over every rule. Shortening retention needs a keeper. The ledger keeps your reason.</p>
          }
          <kc-choice field="hand-way" label="What" i18n-label [options]="ways" [value]="way()" (valueChange)="way.set($event); stale()" />
          @switch (way()) {
            @case ('date') {
              <div class="row-fields">
                <kc-date-field field="hand-due" label="Due on" i18n-label [value]="dueOn()" (valueChange)="dueOn.set($event); stale()" />
                <kc-choice
                  field="hand-action"
                  label="Then"
                  i18n-label
                  [options]="actions"
                  [value]="action()"
                  (valueChange)="action.set($event); stale()"
                />
              </div>
            }
            @case ('jurisdictions') {
              <kc-jurisdictions-field
                field="hand-jurisdictions"
                label="In"
                i18n-label
                placeholder="as its place"
                i18n-placeholder
                [value]="jurisdictions()"
                (valueChange)="jurisdictions.set($event); stale()"
              />
            }
            @case ('rule') {
              <kc-choice
                field="hand-rule"
                label="Rule"
                i18n-label
                [options]="ruleOptions()"
                [value]="ruleId()"
                (valueChange)="ruleId.set($event); stale()"
              />
            }
          }
          <kc-long-text-field
            field="hand-reason"
            label="Reason"
            i18n-label
            [rows]="3"
            [needed]="true"
            [value]="reason()"
            (valueChange)="reason.set($event)"
          />
          <kc-problem [problem]="problem()" />
          @if (tried(); as t) {
            <kc-trial-found [found]="t">
              <p i18n>
                <b>{{ of('done') }}</b> of {{ t.results.length }} would change, {{ shorter() }} of them with shorter retention;
                {{ of('refused') }} refused.
              </p>
            </kc-trial-found>
          }
          <div class="acts">
            <p-button
              severity="secondary"
              [outlined]="true"
              [disabled]="busy() || !ready()"
              label="What would change?"
              i18n-label
              (onClick)="carryOut(true)"
            />
            <p-button type="submit" [disabled]="busy() || !ready()" [label]="button()" />
          </div>
        </form>
      }
    </kc-sheet>
  `,
  changeDetection: ChangeDetectionStrategy.OnPush,
})
export class OverrideSheet {
  private readonly api = inject(Api);
  readonly open = model.required<boolean>();
  readonly ids = input.required<readonly string[]>();
  readonly acted = output();

  private readonly rules = loaded(() => (this.open() ? this.api.call(schedule.rules) : EMPTY));
  protected readonly ruleOptions = computed(() =>
    (this.rules.value()?.rules ?? [])
      .filter((r) => r.version !== null)
      .map((r) => ({ value: r.id, name: `${r.code} ${r.definition.title}` })),
  );
  protected readonly ways: { value: Way; name: string }[] = [
    { value: 'date', name: $localize`a due date` },
    { value: 'rule', name: $localize`a rule` },
    { value: 'forGood', name: $localize`nothing ever: kept for good` },
    { value: 'jurisdictions', name: $localize`jurisdictions` },
    { value: 'rules', name: $localize`nothing: the rules decide again` },
  ];
  protected readonly actions: { value: 'destroy' | 'transfer'; name: string }[] = [
    { value: 'destroy', name: $localize`destroyed` },
    { value: 'transfer', name: $localize`transferred to the archive` },
  ];
  protected readonly way = signal<Way>('date');
  protected readonly dueOn = signal('');
  protected readonly action = signal<'destroy' | 'transfer'>('destroy');
  protected readonly ruleId = signal<string | null>(null);
  protected readonly jurisdictions = signal<readonly string[]>([]);
  protected readonly reason = signal('');
  protected readonly busy = signal(false);
  protected readonly problem = signal<Problem | null>(null);
  /** What it would do, as the server said of a trial. */
  protected readonly tried = signal<ResponseOf<typeof schedule.override> | null>(null);
  protected readonly results = signal<ResultLine[] | null>(null);
  private readonly chosen = signal<readonly string[]>([]);
  protected readonly shorter = computed(() => (this.tried()?.results ?? []).filter((l) => l.outcome === 'done' && l.shortens).length);
  private readonly override = computed<OverrideInput | null | undefined>(() => {
    switch (this.way()) {
      case 'rules':
        return null;
      case 'rule':
        return this.ruleId() ? { kind: 'rule', ruleId: this.ruleId()! } : undefined;
      case 'forGood':
        return { kind: 'forGood' };
      case 'jurisdictions':
        return { kind: 'jurisdictions', jurisdictions: [...this.jurisdictions()] };
      case 'date':
        return this.dueOn() ? { kind: 'date', dueOn: this.dueOn(), action: this.action() } : undefined;
    }
  });
  protected readonly ready = computed(() => this.override() !== undefined && this.reason().trim().length > 2);
  protected readonly button = computed(() =>
    this.chosen().length === 1 ? $localize`Set it on one record` : $localize`Set it on ${this.chosen().length}:n: records`,
  );

  constructor() {
    effect(() => {
      if (!this.open()) return;
      untracked(() => {
        this.chosen.set(this.ids());
        this.results.set(null);
        this.tried.set(null);
        this.problem.set(null);
        this.reason.set('');
        this.jurisdictions.set([]);
      });
    });
  }

  protected stale(): void {
    this.tried.set(null);
  }

  protected of(outcome: 'done' | 'refused'): number {
    return (this.tried()?.results ?? []).filter((l) => l.outcome === outcome).length;
  }

  protected carryOut(dryRun: boolean): void {
    this.busy.set(true);
    this.problem.set(null);
    this.api
      .call(schedule.override, { body: { ids: [...this.chosen()], override: this.override()!, reason: this.reason(), dryRun } })
      .subscribe({
        next: (answer) => {
          this.busy.set(false);
          if (dryRun) {
            this.tried.set(answer);
            return;
          }
          this.results.set(
            answer.results.map((r) => ({
              name: r.name,
              outcome: r.outcome,
              why: r.outcome === 'done' ? `${r.before} → ${r.after}` : r.why,
              link: ['/records', r.id],
            })),
          );
          this.acted.emit();
        },
        error: (error: unknown) => {
          this.busy.set(false);
          this.problem.set(toProblem(error));
        },
      });
  }
}
