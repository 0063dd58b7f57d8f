import { describePeriod, formatCivilDate, monthNames, period, type EpochDay } from '../calendar/index.js';
import type { Cutoff } from './cutoff.js';
import type { ClockFacts, ClockState, Verdict } from './evaluate.js';
import type { StepDate } from './stepDate.js';
import { vintageIn, type ByHand, type Governing, type Weighed, type YieldReason } from './governing.js';
import { actionOf, isDisposing, type RuleVersion, type StepKind, type Trigger } from './rule.js';

/** A hold that stands in the way of a disposition. */
export interface HoldInTheWay {
  /** YYYY-MM-DD */
  readonly since: string;
  /** Null for whoever may know no more than that it is held. */
  readonly hold: { readonly id: string; readonly name: string; readonly matter: string; readonly because: string } | null;
}

export interface ExplainedRule {
  readonly code: string;
  readonly version: number;
  readonly title: string;
  readonly authority: string;
  readonly setOn: string;
  readonly inForceFrom: string;
  readonly takesOver: 'all' | 'laterClocks';
}

export interface ExplainedStep {
  readonly kind: StepKind;
  readonly dueOn: string | null;
  readonly doneOn: string | null;
  readonly words: string;
  readonly repeat: string | null;
  readonly approvals: number;
  /** Names of the groups that they must be of; absent: of any. */
  readonly approverGroups?: readonly string[];
  readonly noticeDays: number;
}

/** What the schedule says of a record, in structure and in words. The interface shows it and computes nothing. */
export interface Explanation {
  readonly outcome: 'permanent' | 'waiting' | 'dated' | 'unscheduled';
  /** One sentence that answers "until when?". */
  readonly summary: string;
  readonly dueOn: string | null;
  readonly action: 'destroy' | 'transfer' | null;
  readonly governing: ExplainedRule | null;
  readonly clock: { readonly trigger: string; readonly date: string | null; readonly source: string } | null;
  readonly cutoff: { readonly words: string; readonly clockStart: string } | null;
  /** The day on which somebody said that it is still needed, so that the clock counts from there. */
  readonly restartedOn: string | null;
  /** Under which year the rack has it. */
  readonly vintage: number | null;
  /** Since which day it waits: for its date since it was filed, for a step since that was due. */
  readonly waitingSince: string | null;
  readonly steps: readonly ExplainedStep[];
  readonly override: ByHand | null;
  readonly yielded: readonly {
    readonly rule: ExplainedRule;
    readonly reason: YieldReason;
    readonly words: string;
    readonly dueOn: string | null;
  }[];
  readonly holds: readonly HoldInTheWay[];
  readonly missing: readonly string[];
}

const dateWords: Record<string, string> = {
  created: 'date of the document',
  received: 'day it was received',
  filed: 'day it was filed',
  modified: 'day of its newest version',
  declared: 'day it was declared',
  superseded: 'day it was superseded',
  lastUsed: 'day it was last used',
};

/** A trigger in words: "event “lease ended”", "day it was filed". */
export function describeTrigger(trigger: Trigger): string {
  switch (trigger.kind) {
    case 'recordDate':
      return dateWords[trigger.date]!;
    case 'fact':
      return trigger.fact ? `${trigger.occurrence === 'first' ? 'first ' : ''}fact “${trigger.fact}”` : 'the fact';
    case 'folderClosed':
      return 'closing of its folder';
    case 'event':
      if (!trigger.eventType) return 'the event';
      return `${trigger.occurrence === 'first' ? 'first ' : ''}event “${trigger.eventType}”`;
    case 'never':
      return 'no clock: kept for good';
  }
}

/** A cutoff in words, empty without one. */
export function describeCutoff(cutoff: Cutoff): string {
  switch (cutoff.kind) {
    case 'none':
      return '';
    case 'month':
      return 'rolled to the end of the month';
    case 'quarter':
      return 'rolled to the end of the quarter';
    case 'halfYear':
      return 'rolled to the end of the half-year';
    case 'calendarYear':
      return 'rolled to the end of the year';
    case 'fiscalYear':
      return `rolled to the end of the fiscal year that begins on ${cutoff.firstDay} ${monthNames[cutoff.firstMonth - 1]}`;
  }
}

const stepWords: Record<StepKind, string> = {
  askOwner: 'the owner is asked',
  review: 'a keeper reviews',
  declare: 'declared by itself',
  trimVersions: 'older versions are removed',
  move: 'moved',
  route: 'sent on a route',
  transfer: 'transferred to the archive',
  destroy: 'destroyed',
  keepPermanently: 'kept for good',
};

/** A step kind in words. */
export function describeStep(kind: StepKind): string {
  return stepWords[kind];
}

function explainRule(weighed: { rule: RuleVersion; setOn: string }): ExplainedRule {
  const { rule } = weighed;
  return {
    code: rule.code,
    version: rule.version,
    title: rule.title,
    authority: rule.authority,
    setOn: weighed.setOn,
    inForceFrom: rule.inForceFrom,
    takesOver: rule.takesOver,
  };
}

function explainStep({ step, dueOn, doneOn }: StepDate): ExplainedStep {
  const after = describePeriod(period(step.after));
  const base = step.from === 'previousStep' ? 'the step before it' : 'the clock starts';
  return {
    kind: step.kind,
    dueOn: dueOn === null ? null : formatCivilDate(dueOn),
    doneOn: doneOn === null ? null : formatCivilDate(doneOn),
    words: `${stepWords[step.kind]}${step.to === undefined ? '' : ` to folder ${step.to}`} ${after === 'no time' ? 'when' : `${after} after`} ${base}`,
    repeat: step.repeatEvery ? `again every ${describePeriod(period(step.repeatEvery))}` : null,
    approvals: step.approvals,
    ...(step.approverGroups?.length ? { approverGroups: step.approverGroups } : {}),
    noticeDays: step.noticeDays,
  };
}

function verdictDate(verdict: Verdict): EpochDay | null {
  return verdict.kind === 'dated' ? verdict.dueOn : null;
}

function yieldWords(reason: YieldReason, loser: Weighed, winnerDue: EpochDay | null): string {
  switch (reason) {
    case 'farther away':
      return `set on ${loser.setOn}, which is farther away`;
    case 'other jurisdiction':
      return `holds in ${loser.rule.jurisdictions.join(', ')} only`;
    case 'not in force':
      return `not in force for this record (from ${loser.rule.inForceFrom})`;
    case 'tie, destroys':
      return 'comes due on the same day; a transfer keeps longer than destruction';
    case 'tie, later code':
      return 'keeps exactly as long; the rule code that comes first counts';
    case 'keeps shorter': {
      const due = verdictDate(loser.verdict);
      if (due !== null && winnerDue !== null) return `${formatCivilDate(due)} is earlier; the longest keeps`;
      return 'keeps shorter; the longest keeps';
    }
  }
}

export interface ExplainInput {
  readonly governing: Governing;
  readonly facts: ClockFacts;
  readonly holds: readonly HoldInTheWay[];
  readonly missing: readonly string[];
}

/** The clock of a rule as it stands, in words. */
function explainClock(
  rule: RuleVersion,
  { trigger, clockStart, restartedOn }: ClockState,
): Pick<Explanation, 'clock' | 'cutoff' | 'restartedOn'> {
  const words = describeTrigger(rule.trigger);
  if (trigger === null || clockStart === null) {
    const comes = rule.trigger.kind !== 'never';
    return { clock: comes ? { trigger: words, date: null, source: 'not known yet' } : null, cutoff: null, restartedOn: null };
  }
  const cutoff = describeCutoff(rule.cutoff);
  return {
    clock: { trigger: words, date: formatCivilDate(trigger.on), source: trigger.subject },
    cutoff: cutoff && restartedOn === null ? { words: cutoff, clockStart: formatCivilDate(clockStart) } : null,
    restartedOn: restartedOn === null ? null : formatCivilDate(restartedOn),
  };
}

/** Why a rule keeps for good. */
function permanence(rule: RuleVersion): string {
  if (rule.trigger.kind === 'never' || rule.steps.some((s) => s.kind === 'keepPermanently'))
    return `Kept for good under rule ${rule.code}.`;
  const reviewed = rule.steps.some((s) => s.kind === 'review') ? ', and reviewed' : '';
  return `Kept for good under rule ${rule.code}${reviewed}: it has no step that lets go.`;
}

/** The step that the last one waits for. */
function stepBefore(steps: readonly StepDate[]): StepDate {
  return steps[steps.findIndex((s) => isDisposing(s.step.kind)) - 1]!;
}

/** Builds the explanation of what {@link import('./governing.js').governingRule} decided. */
export function explain({ governing, facts, holds, missing }: ExplainInput): Explanation {
  const frozen = holds.length > 0 ? ' Nothing happens while it is held.' : '';
  const winnerDue =
    governing.kind === 'rule' ? verdictDate(governing.by.verdict) : governing.kind === 'overrideDate' ? governing.dueOn : null;
  const shared = {
    yielded: governing.yielded.map((y) => {
      const due = verdictDate(y.verdict);
      return {
        rule: explainRule(y),
        reason: y.reason,
        words: yieldWords(y.reason, y, winnerDue),
        dueOn: due === null ? null : formatCivilDate(due),
      };
    }),
    holds,
  };
  const { created, filed } = facts.dates;
  const day = (on: EpochDay | null | undefined): string | null => (on === null || on === undefined ? null : formatCivilDate(on));
  const nothing = {
    dueOn: null,
    action: null,
    clock: null,
    cutoff: null,
    restartedOn: null,
    vintage: created === undefined ? null : vintageIn(governing, created),
    waitingSince: null,
    steps: [],
    override: null,
  };

  if (governing.kind === 'unscheduled') {
    return {
      ...nothing,
      ...shared,
      outcome: 'unscheduled',
      summary: 'No rule reaches this record, so it has no date. Set a rule on its series or its folder.',
      governing: null,
      missing: ['a rule', ...missing],
    };
  }
  if (governing.kind === 'overrideDate') {
    const dueOn = formatCivilDate(governing.dueOn);
    return {
      ...nothing,
      ...shared,
      outcome: 'dated',
      summary: `Kept until ${formatCivilDate(governing.dueOn - 1)}, then ${stepWords[governing.action]}: set by hand.${frozen}`,
      dueOn,
      action: governing.action,
      governing: null,
      override: governing.hand,
      missing,
    };
  }

  const { by } = governing;
  const { rule, verdict } = by;
  const action = actionOf(rule);
  const common = {
    ...nothing,
    ...shared,
    ...explainClock(rule, verdict),
    governing: explainRule(by),
    override: governing.hand,
    steps: verdict.steps.map(explainStep),
    missing,
  };
  switch (verdict.kind) {
    case 'permanent':
      return { ...common, outcome: 'permanent', summary: permanence(rule) };
    case 'waiting': {
      if (verdict.waitsFor === 'step') {
        const before = stepBefore(verdict.steps);
        const step = `${stepWords[before.step.kind]}${before.dueOn === null ? '' : `, from ${formatCivilDate(before.dueOn)}`}`;
        const summary = `Waits for the step before the last (${step}), then ${stepWords[action!]}. Until then it is kept.${frozen}`;
        return { ...common, outcome: 'waiting', summary, action, waitingSince: day(before.dueOn ?? verdict.clockStart) };
      }
      const trigger = describeTrigger(rule.trigger);
      return {
        ...common,
        outcome: 'waiting',
        summary: `Waits for ${trigger}. Until then it is kept.${frozen}`,
        action,
        waitingSince: day(filed),
        missing: [trigger, ...missing],
      };
    }
    case 'dated':
      return {
        ...common,
        outcome: 'dated',
        summary: `Kept until ${formatCivilDate(verdict.dueOn - 1)}, then ${stepWords[verdict.action]}.${frozen}`,
        dueOn: formatCivilDate(verdict.dueOn),
        action,
      };
  }
}
