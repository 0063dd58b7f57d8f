import { ChangeDetectionStrategy, Component, computed, ElementRef, inject, model, signal } from '@angular/core';
import { FormsModule } from '@angular/forms';
import { identity, records, ruleDefinition, type RuleDefinition } from '@key-cellar/contract';
import { describeStep, describeTrigger, isDisposing, recordDates, stepKinds, type StepKind } from '@key-cellar/core/schedule';
import { Button } from 'primeng/button';
import { InputText } from 'primeng/inputtext';
import { EMPTY } from 'rxjs';
import { Api } from '../kit/api';
import { Choice } from '../kit/choice';
import { Choices } from '../kit/choices';
import { goToFirstWrong } from '../kit/firstWrong';
import { loaded } from '../kit/loaded';
import { ProblemNotice } from '../kit/notice';
import { PeriodField } from '../kit/periodField';
import { TextField } from '../kit/textField';
import { EventTypeField } from './eventTypeField';
import { JurisdictionsField } from './jurisdictionsField';

type Step = RuleDefinition['steps'][number];
type TriggerKind = RuleDefinition['trigger']['kind'];

const triggerKinds = [
  { value: 'recordDate', name: $localize`a date of the record` },
  { value: 'fact', name: $localize`a date fact` },
  { value: 'folderClosed', name: $localize`the closing of its folder` },
  { value: 'event', name: $localize`an event outside` },
  { value: 'never', name: $localize`nothing: kept for good` },
] as const;
const cutoffKinds = [
  { value: 'none', name: $localize`no cutoff` },
  { value: 'month', name: $localize`end of the month` },
  { value: 'quarter', name: $localize`end of the quarter` },
  { value: 'halfYear', name: $localize`end of the half-year` },
  { value: 'calendarYear', name: $localize`end of the calendar year` },
  { value: 'fiscalYear', name: $localize`end of the fiscal year` },
] as const;
const occurrences = [
  { value: 'last', name: $localize`the last time counts` },
  { value: 'first', name: $localize`the first time counts` },
] as const;
const datesOf = [
  { value: 'last', name: $localize`the last one counts` },
  { value: 'first', name: $localize`the first one counts` },
] as const;
const destroyed: Step = { kind: 'destroy', after: 'P7Y', from: 'clockStart', approvals: 1, noticeDays: 14 };
const keptForGood: Step = { kind: 'keepPermanently', after: 'P0D', from: 'clockStart', approvals: 0, noticeDays: 0 };

/** What a new rule begins with. */
export const emptyRule: RuleDefinition = {
  title: '',
  authority: '',
  jurisdictions: [],
  trigger: { kind: 'recordDate', date: 'created' },
  cutoff: { kind: 'calendarYear' },
  steps: [destroyed],
};

const codePattern = /^[A-Z0-9][A-Z0-9-]{0,29}$/;

/** What is wrong with a draft, by the path of the field; `code` where a new rule's code is none. The server asks the same. */
export function wrongIn(draft: RuleDefinition, code: string | null): Readonly<Record<string, string>> {
  const result = ruleDefinition.safeParse(draft);
  const issues = result.success ? [] : result.error.issues.map((i) => [i.path.join('.'), i.message] as const);
  const named = code === null || codePattern.test(code.trim());
  return Object.fromEntries(
    named ? issues : [...issues, ['code', $localize`must be capital letters, digits and hyphens, such as R-BER-6`]],
  );
}

/** The fields of a rule. What is wrong is said of a field that one has left, or of all once the whole is to be saved. */
@Component({
  selector: 'kc-rule-form',
  imports: [Button, Choice, EventTypeField, FormsModule, InputText, JurisdictionsField, Choices, PeriodField, ProblemNotice, TextField],
  templateUrl: './ruleForm.html',
  styleUrl: './ruleForm.css',
  host: { '(focusout)': 'leave($event)' },
  changeDetection: ChangeDetectionStrategy.OnPush,
})
export class RuleForm {
  private readonly api = inject(Api);
  private readonly host = inject<ElementRef<HTMLElement>>(ElementRef);
  readonly rule = model.required<RuleDefinition>();
  /** The code of a rule that is new; null where it has one already. */
  readonly code = model<string | null>(null);

  /** Groups whose people can be asked to approve. */
  protected readonly people = loaded(() => this.api.call(identity.people));
  protected readonly groups = computed(() =>
    (this.people.value()?.people ?? []).filter((p) => p.kind === 'group').map(({ name }) => ({ name, value: name })),
  );
  private readonly byFact = computed(() => this.rule().trigger.kind === 'fact');
  protected readonly types = loaded(() => (this.byFact() ? this.api.call(records.types) : EMPTY));
  /** Facts that are dates, with the types that have them. */
  protected readonly dateFacts = computed(() => {
    const found = new Map<string, { title: string; types: string[]; many: boolean }>();
    for (const type of this.types.value()?.types ?? []) {
      for (const fact of type.facts.filter((f) => f.kind === 'date')) {
        const known = found.get(fact.code) ?? { title: fact.title, types: [], many: false };
        found.set(fact.code, { ...known, types: [...known.types, type.title], many: known.many || fact.many === true });
      }
    }
    const trigger = this.rule().trigger;
    if (trigger.kind === 'fact' && trigger.fact && !found.has(trigger.fact))
      found.set(trigger.fact, { title: trigger.fact, types: [], many: false });
    return [...found]
      .map(([value, { title, types, many }]) => ({ value, name: `${title} (${types.join(', ') || $localize`no type has it`})`, many }))
      .sort((a, b) => (a.name < b.name ? -1 : 1));
  });
  /** Whether the fact that it counts from may have several dates. */
  protected readonly severalDates = computed(() => {
    const trigger = this.rule().trigger;
    return trigger.kind === 'fact' && (trigger.occurrence === 'first' || this.dateFacts().some((f) => f.value === trigger.fact && f.many));
  });

  protected readonly triggerKinds = triggerKinds;
  protected readonly cutoffKinds = cutoffKinds;
  protected readonly datesOf = datesOf;
  protected readonly occurrences = occurrences;
  protected readonly dates = recordDates.map((date) => ({ value: date, name: describeTrigger({ kind: 'recordDate', date }) }));
  /** Nothing here carries out a route yet, so none is offered; a rule that came with one keeps it. */
  protected readonly steps = stepKinds.filter((kind) => kind !== 'route').map((kind) => ({ value: kind, name: describeStep(kind) }));
  protected readonly froms = [
    { value: 'clockStart', name: $localize`after the clock starts` },
    { value: 'previousStep', name: $localize`after the step before` },
  ] as const;
  protected readonly months = Array.from({ length: 12 }, (_, i) => ({
    value: i + 1,
    name: new Date(2000, i, 1).toLocaleString('en', { month: 'long' }),
  }));
  protected readonly isDisposing = isDisposing;

  private readonly left = signal<ReadonlySet<string>>(new Set());
  private readonly told = signal(false);
  protected readonly wrong = computed(() => wrongIn(this.rule(), this.code()));
  /** What to say of each field: nothing yet of those that nobody has been in. */
  protected readonly says = computed<Readonly<Record<string, string>>>(() =>
    Object.fromEntries(Object.entries(this.wrong()).filter(([path]) => this.told() || this.left().has(path))),
  );

  /** Says of every field what is wrong with it, and goes to the first. */
  tell(): void {
    this.told.set(true);
    goToFirstWrong(this.host.nativeElement);
  }

  protected leave({ target }: FocusEvent): void {
    const path = (target as HTMLElement).closest<HTMLElement>('[data-path]')?.dataset['path'];
    if (path !== undefined) this.left.update((left) => new Set(left).add(path));
  }

  protected change(changes: Partial<RuleDefinition>): void {
    this.rule.update((rule) => ({ ...rule, ...changes }));
  }

  protected setTrigger(kind: TriggerKind): void {
    const triggers: Record<TriggerKind, RuleDefinition['trigger']> = {
      recordDate: { kind: 'recordDate', date: 'created' },
      fact: { kind: 'fact', fact: '' },
      folderClosed: { kind: 'folderClosed' },
      event: { kind: 'event', eventType: '', occurrence: 'last' },
      never: { kind: 'never' },
    };
    const { trigger, steps } = this.rule();
    // Without a clock a rule can only keep for good; with one again, that step alone would say nothing.
    const fitting = kind === 'never' ? [keptForGood] : trigger.kind === 'never' ? [destroyed] : steps;
    this.change({ trigger: triggers[kind], steps: fitting });
  }

  protected setCutoff(kind: RuleDefinition['cutoff']['kind']): void {
    this.change({ cutoff: kind === 'fiscalYear' ? { kind, firstMonth: 4, firstDay: 1 } : { kind } });
  }

  protected setStep(index: number, changes: Partial<Step>): void {
    this.change({ steps: this.rule().steps.map((step, i) => (i === index ? { ...step, ...changes } : step)) });
  }

  protected setStepKind(index: number, kind: StepKind): void {
    this.setStep(index, {
      kind,
      approvals: isDisposing(kind) ? 1 : 0,
      noticeDays: isDisposing(kind) ? 14 : 0,
      approverGroups: undefined,
      repeatEvery: kind === 'askOwner' ? 'P30D' : undefined,
      to: kind === 'move' ? '' : undefined,
    });
  }

  protected addStep(): void {
    this.change({ steps: [{ kind: 'review', after: 'P1Y', from: 'clockStart', approvals: 0, noticeDays: 0 }, ...this.rule().steps] });
  }

  protected removeStep(index: number): void {
    this.change({ steps: this.rule().steps.filter((_, i) => i !== index) });
  }

  /** Steps are taken in their order: puts one before the one above it. */
  protected raiseStep(index: number): void {
    this.change({ steps: this.rule().steps.map((step, i, all) => (i === index - 1 ? all[index]! : i === index ? all[index - 1]! : step)) });
  }
}
