import { describePeriod, formatCivilDate, monthNames, period, type EpochDay } from '../calendar/index.js';
import { vintageOf, type Cutoff } from './cutoff.js';
import type { ClockFacts, Verdict } from './evaluate.js';
import type { StepDate } from './stepDate.js';
import type { ByHand, Governing, Weighed, YieldReason } from './governing.js';
import { isDisposing, type RuleVersion, type StepKind, type Trigger } from './rule.js';

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
  readonly vintage: number | null;
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
      return trigger.fact ? `fact “${trigger.fact}”` : 'the fact';
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

/** Builds the explanation of what {@link import('./governing.js').governingRule} decided. */
export function explain({ governing, holds, missing }: ExplainInput): Explanation {
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
  const nothing = { dueOn: null, action: null, clock: null, cutoff: null, restartedOn: null, vintage: null, steps: [], override: null };

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
  const disposing = rule.steps.find((s) => isDisposing(s.kind));
  const action = disposing && isDisposing(disposing.kind) ? disposing.kind : null;
  const common = {
    ...nothing,
    ...shared,
    governing: explainRule(by),
    override: governing.hand,
    steps: verdict.steps.map(explainStep),
    missing,
  };
  const trigger = describeTrigger(rule.trigger);
  switch (verdict.kind) {
    case 'permanent':
      return { ...common, outcome: 'permanent', summary: `Kept for good under rule ${rule.code}.` };
    case 'waiting':
      return {
        ...common,
        outcome: 'waiting',
        summary: `Waits for ${trigger}. Until then it is kept.${frozen}`,
        action,
        clock: { trigger, date: null, source: 'not known yet' },
        missing: [trigger, ...missing],
      };
    case 'dated': {
      const cutoffWords = describeCutoff(rule.cutoff);
      const summary =
        verdict.dueOn !== null && action
          ? `Kept until ${formatCivilDate(verdict.dueOn - 1)}, then ${stepWords[action]}.${frozen}`
          : action
            ? `Kept until the step before is done, then ${stepWords[action]}.${frozen}`
            : `Kept under rule ${rule.code}, which has no last step.`;
      return {
        ...common,
        outcome: 'dated',
        summary,
        dueOn: verdict.dueOn === null ? null : formatCivilDate(verdict.dueOn),
        action,
        clock: { trigger, date: formatCivilDate(verdict.trigger.on), source: verdict.trigger.subject },
        restartedOn: verdict.restartedOn === null ? null : formatCivilDate(verdict.restartedOn),
        cutoff:
          cutoffWords && verdict.restartedOn === null ? { words: cutoffWords, clockStart: formatCivilDate(verdict.clockStart) } : null,
        vintage: vintageOf(verdict.clockStart, rule.cutoff),
      };
    }
  }
}
