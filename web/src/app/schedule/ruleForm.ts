import { ChangeDetectionStrategy, Component, computed, ElementRef, inject, model, signal } from '@angular/core';
import { identity } from '@key-cellar/contract';
import { messageOfIssue } from '@key-cellar/contract/issue';
import { ruleDefinition, type RuleDefinition } from '@key-cellar/contract/schedule';
import { bases, describeBasis, partsOf, type Basis, type SimpleTrigger } from '@key-cellar/core/schedule';
import { Button } from 'primeng/button';
import { say } from '../../words/say';
import { Api } from '../kit/api';
import { Choice } from '../kit/choice';
import { goToFirstWrong } from '../kit/firstWrong';
import { loaded } from '../kit/loaded';
import { ProblemNotice } from '../kit/notice';
import { PeriodField } from '../kit/periodField';
import { TextField } from '../kit/textField';
import { CutoffField } from './cutoffField';
import { EventTypeField } from './eventTypeField';
import { JurisdictionsField } from './jurisdictionsField';
import { RuleStep } from './ruleStep';
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
    CutoffField,
    EventTypeField,
    JurisdictionsField,
    PeriodField,
    ProblemNotice,
    RuleStep,
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
  protected readonly problem = this.people.problem;
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
  protected readonly simpleKinds = simpleKinds;
  protected readonly emptyTrigger = emptyTrigger;
  protected readonly mostParts = mostParts;
  protected readonly bases = bases.map((basis) => ({ value: basis, name: say(describeBasis(basis)) }));

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

  protected setBasis(basis: Basis): void {
    this.change({ basis: basis === 'required' ? undefined : basis });
  }

  protected setStep(index: number, changed: Step): void {
    this.change({ steps: this.rule().steps.map((step, i) => (i === index ? changed : step)) });
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
