import { ChangeDetectionStrategy, Component, computed, input, output } from '@angular/core';
import { type RuleDefinition } from '@key-cellar/contract';
import { parsePeriod } from '@key-cellar/core/calendar';
import { describeStep, isDisposing, stepKinds, type StepKind } from '@key-cellar/core/schedule';
import { Button } from 'primeng/button';
import { say } from '../../words/say';
import { Choice, type Option } from '../kit/choice';
import { Choices } from '../kit/choices';
import { NumberField } from '../kit/numberField';
import { PeriodField } from '../kit/periodField';
import { TextField } from '../kit/textField';

type Step = RuleDefinition['steps'][number];

const dayKinds = [
  { value: false, name: $localize`all days` },
  { value: true, name: $localize`working days` },
] as const;
const froms = [
  { value: 'clockStart', name: $localize`after the clock starts` },
  { value: 'previousStep', name: $localize`after the step before` },
] as const;
const fromsOfOthers = [...froms, { value: 'beforeTrigger', name: $localize`before its date` }] as const;

/** The fields of one step of a rule: what happens, when, and whom it asks. */
@Component({
  selector: 'kc-rule-step',
  imports: [Button, Choice, Choices, NumberField, PeriodField, TextField],
  templateUrl: './ruleStep.html',
  styles: `
    .step {
      display: grid;
      grid-template-columns: repeat(auto-fit, minmax(150px, 1fr));
      gap: 10px;
      align-items: start;
      border: 1px solid var(--line);
      padding: 6px 12px 12px;
      margin: 0;
    }
    .step-acts {
      align-self: end;
    }
    .across {
      grid-column: 1 / -1;
    }
  `,
  changeDetection: ChangeDetectionStrategy.OnPush,
})
export class RuleStep {
  readonly step = input.required<Step>();
  /** Which of the steps it is, from 0, and of how many. */
  readonly index = input.required<number>();
  readonly of = input.required<number>();
  /** Groups whose people can be asked to approve. */
  readonly groups = input.required<readonly Option<string>[]>();
  /** What is wrong with fields of the rule, by their paths. */
  readonly says = input<Readonly<Record<string, string>>>({});
  /** What is wrong with the step as a whole. */
  readonly wrong = input<string>();
  readonly stepChange = output<Step>();
  readonly raise = output();
  readonly remove = output();

  protected readonly path = computed(() => `steps.${this.index()}`);
  /** Nothing here carries out a route yet, so none is offered; a rule that came with one keeps it. */
  protected readonly kinds = stepKinds.filter((kind) => kind !== 'route').map((kind) => ({ value: kind, name: say(describeStep(kind)) }));
  protected readonly dayKinds = dayKinds;
  protected readonly froms = froms;
  protected readonly fromsOfOthers = fromsOfOthers;
  protected readonly isDisposing = isDisposing;
  protected readonly ends = (kind: StepKind): boolean => isDisposing(kind) || kind === 'keepPermanently';
  /** Only days can be counted as working days. */
  protected readonly inDays = (after: string): boolean => {
    const p = parsePeriod(after);
    return p !== null && p.days > 0 && p.years + p.months + p.weeks === 0;
  };

  protected change(changes: Partial<Step>): void {
    const changed = { ...this.step(), ...changes };
    this.stepChange.emit(this.inDays(changed.after) ? changed : { ...changed, workingDays: undefined });
  }

  protected choose(kind: StepKind): void {
    const { from } = this.step();
    this.change({
      kind,
      from: this.ends(kind) && from === 'beforeTrigger' ? 'clockStart' : from,
      approvals: isDisposing(kind) ? 1 : 0,
      noticeDays: isDisposing(kind) ? 14 : 0,
      approverGroups: undefined,
      repeatEvery: kind === 'askOwner' ? 'P30D' : undefined,
      to: kind === 'move' ? '' : undefined,
    });
  }
}
