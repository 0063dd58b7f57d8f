import { ChangeDetectionStrategy, Component, computed, ElementRef, inject, model, signal } from '@angular/core';
import { FormsModule } from '@angular/forms';
import { messageOfIssue, identity, ruleDefinition, schedule, type RuleDefinition } from '@key-cellar/contract';
import { parsePeriod } from '@key-cellar/core/calendar';
import {
  bases,
  describeBasis,
  describeStep,
  isDisposing,
  partsOf,
  stepKinds,
  type Basis,
  type SimpleTrigger,
  type StepKind,
} from '@key-cellar/core/schedule';
import { Button } from 'primeng/button';
import { InputText } from 'primeng/inputtext';
import { EMPTY } from 'rxjs';
import { say } from '../../words/say';
import { localeOf } from '../../words/language';
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
import { SampleField } from './sampleField';
import { emptyTrigger, simpleKinds, TriggerField } from './triggerField';

type Step = RuleDefinition['steps'][number];
type TriggerKind = RuleDefinition['trigger']['kind'];

type TriggerPart = Extract<RuleDefinition['trigger'], { kind: 'earliest' | 'latest' }>['of'][number];

const triggerKinds: readonly { readonly value: TriggerKind; readonly name: string }[] = [
  ...simpleKinds,
  { value: 'earliest', name: $localize`the earliest of several` },
  { value: 'latest', name: $localize`the latest of several` },
  { value: 'never', name: $localize`nothing: kept for good` },
];
const cutoffKinds = [
  { value: 'none', name: $localize`no cutoff` },
  { value: 'month', name: $localize`end of the month` },
  { value: 'quarter', name: $localize`end of the quarter` },
  { value: 'halfYear', name: $localize`end of the half-year` },
  { value: 'calendarYear', name: $localize`end of the calendar year` },
  { value: 'fiscalYear', name: $localize`end of the fiscal year` },
  { value: 'namedYear', name: $localize`end of a named year` },
] as const;
const dayKinds = [
  { value: false, name: $localize`all days` },
  { value: true, name: $localize`working days` },
] as const;
const mostParts = 6;
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
  const issues = result.success ? [] : result.error.issues.map((i) => [i.path.join('.'), say(messageOfIssue(i))] as const);
  const named = code === null || codePattern.test(code.trim());
  return Object.fromEntries(
    named ? issues : [...issues, ['code', $localize`must be capital letters, digits and hyphens, such as R-BER-6`]],
  );
}

/** The fields of a rule. What is wrong is said of a field that one has left, or of all once the whole is to be saved. */
@Component({
  selector: 'kc-rule-form',
  imports: [
    Button,
    Choice,
    EventTypeField,
    FormsModule,
    InputText,
    JurisdictionsField,
    Choices,
    PeriodField,
    ProblemNotice,
    SampleField,
    TextField,
    TriggerField,
  ],
  templateUrl: './ruleForm.html',
  styleUrl: './ruleForm.css',
  host: { '(focusout)': 'leave($event)' },
  changeDetection: ChangeDetectionStrategy.OnPush,
})
export class RuleForm {
  protected readonly labels = {
    of: $localize`Of`,
    and: $localize`and`,
  };
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
  private readonly rollsToNamed = computed(() => this.rule().cutoff.kind === 'namedYear');
  private readonly years = loaded(() => (this.rollsToNamed() ? this.api.call(schedule.namedYears) : EMPTY));
  /** Named years, the one that it rolls to among them though it may not be listed any more. */
  protected readonly namedYears = computed(() => {
    const { cutoff } = this.rule();
    const known = (this.years.value()?.years ?? []).map((y) => y.name);
    const all = cutoff.kind === 'namedYear' && cutoff.name && !known.includes(cutoff.name) ? [...known, cutoff.name] : known;
    return all.map((name) => ({ name, value: name }));
  });
  protected readonly problem = computed(() => this.people.problem() ?? this.years.problem());
  protected readonly destroys = computed(() => this.rule().steps.at(-1)?.kind === 'destroy' || this.rule().sample !== undefined);
  protected readonly simple = computed((): SimpleTrigger | null => {
    const { trigger } = this.rule();
    return trigger.kind === 'never' || 'of' in trigger ? null : trigger;
  });
  protected readonly several = computed((): readonly TriggerPart[] | null => {
    const { trigger } = this.rule();
    return 'of' in trigger ? trigger.of : null;
  });

  protected readonly triggerKinds = triggerKinds;
  protected readonly cutoffKinds = cutoffKinds;
  protected readonly simpleKinds = simpleKinds;
  protected readonly emptyTrigger = emptyTrigger;
  protected readonly mostParts = mostParts;
  protected readonly dayKinds = dayKinds;
  protected readonly bases = bases.map((basis) => ({ value: basis, name: say(describeBasis(basis)) }));
  /** Nothing here carries out a route yet, so none is offered; a rule that came with one keeps it. */
  protected readonly steps = stepKinds.filter((kind) => kind !== 'route').map((kind) => ({ value: kind, name: say(describeStep(kind)) }));
  protected readonly froms = [
    { value: 'clockStart', name: $localize`after the clock starts` },
    { value: 'previousStep', name: $localize`after the step before` },
  ] as const;
  protected readonly fromsOfOthers = [...this.froms, { value: 'beforeTrigger', name: $localize`before its date` }] as const;
  protected readonly months = Array.from({ length: 12 }, (_, i) => ({
    value: i + 1,
    name: new Date(2000, i, 1).toLocaleString(localeOf, { month: 'long' }),
  }));
  protected readonly isDisposing = isDisposing;
  protected readonly ends = (kind: StepKind): boolean => isDisposing(kind) || kind === 'keepPermanently';
  /** Only days can be counted as working days. */
  protected readonly inDays = (after: string): boolean => {
    const p = parsePeriod(after);
    return p !== null && p.days > 0 && p.years + p.months + p.weeks === 0;
  };

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
    const { trigger, steps } = this.rule();
    // Without a clock a rule can only keep for good; with one again, that step alone would say nothing.
    const fitting = kind === 'never' ? [keptForGood] : trigger.kind === 'never' ? [destroyed] : steps;
    const unclocked = kind === 'never' ? { suspension: undefined, basis: undefined } : {};
    this.change({ ...unclocked, trigger: this.begun(kind), steps: fitting });
  }

  /** What a kind of trigger begins with; several begin with what was there. */
  private begun(kind: TriggerKind): RuleDefinition['trigger'] {
    if (kind === 'never') return { kind };
    if (kind !== 'earliest' && kind !== 'latest') return emptyTrigger[kind] as RuleDefinition['trigger'];
    const there = [...partsOf(this.rule().trigger)] as TriggerPart[];
    const wanting = Array.from({ length: Math.max(0, 2 - there.length) }, (): TriggerPart => ({
      trigger: { kind: 'folderClosed' },
      after: 'P0D',
    }));
    return { kind, of: [...there, ...wanting] };
  }

  private setParts(change: (of: readonly TriggerPart[]) => TriggerPart[]): void {
    const { trigger } = this.rule();
    if ('of' in trigger) this.change({ trigger: { ...trigger, of: change(trigger.of) } });
  }

  protected setPart(index: number, changes: Partial<{ trigger: SimpleTrigger; after: string }>): void {
    this.setParts((of) => of.map((part, i) => (i === index ? ({ ...part, ...changes } as TriggerPart) : part)));
  }

  protected addPart(): void {
    this.setParts((of) => [...of, { trigger: { kind: 'recordDate', date: 'created' }, after: 'P0D' }]);
  }

  protected removePart(index: number): void {
    this.setParts((of) => of.filter((_, i) => i !== index));
  }

  protected setCutoff(kind: RuleDefinition['cutoff']['kind']): void {
    switch (kind) {
      case 'fiscalYear':
        return this.change({ cutoff: { kind, firstMonth: 4, firstDay: 1 } });
      case 'namedYear':
        return this.change({ cutoff: { kind, name: '' } });
      default:
        return this.change({ cutoff: { kind } });
    }
  }

  protected setBasis(basis: Basis): void {
    this.change({ basis: basis === 'required' ? undefined : basis });
  }

  protected setStep(index: number, changes: Partial<Step>): void {
    this.change({
      steps: this.rule().steps.map((step, i) => {
        if (i !== index) return step;
        const changed = { ...step, ...changes };
        return this.inDays(changed.after) ? changed : { ...changed, workingDays: undefined };
      }),
    });
  }

  protected setStepKind(index: number, kind: StepKind): void {
    const { from } = this.rule().steps[index]!;
    this.setStep(index, {
      kind,
      from: this.ends(kind) && from === 'beforeTrigger' ? 'clockStart' : from,
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
