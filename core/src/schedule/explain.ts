import { describePeriod, formatCivilDate, monthNames, parsePeriod, period, type EpochDay } from '../calendar/index.js';
import type { Cutoff } from './cutoff.js';
import type { ClockFacts } from './clockFacts.js';
import type { ClockState, Verdict } from './evaluate.js';
import type { StepDate } from './stepDate.js';
import { vintageIn, type ByHand, type Cap, type Governing, type Weighed, type YieldReason } from './governing.js';
import {
  actionOf,
  isDisposing,
  type Basis,
  type RuleVersion,
  type Step,
  type StepKind,
  type Suspension,
  type Trigger,
  type TriggerPart,
} from './rule.js';
import { describeSample, type Sample } from './sample.js';
import { countingPart, datedParts } from './triggerDate.js';

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
  readonly basis: Basis;
}

/** One of several triggers, as it stands. */
export interface ExplainedPart {
  readonly words: string;
  /** Its own date; null while it is not known. */
  readonly date: string | null;
  /** With its period added. */
  readonly counted: string | null;
  /** Whether it is the one that counts. */
  readonly counts: boolean;
}

/** What a rule that says *at most* does to a record. */
export interface ExplainedCap {
  readonly rule: ExplainedRule;
  readonly dueOn: string | null;
  readonly effect: Cap['effect'];
  readonly words: string;
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
  readonly clock: {
    readonly trigger: string;
    readonly date: string | null;
    readonly source: string;
    /** What it is the earliest or latest of; empty where it is one thing. */
    readonly parts: readonly ExplainedPart[];
  } | null;
  readonly cutoff: { readonly words: string; readonly clockStart: string } | null;
  /** The day on which somebody said that it is still needed, so that the clock counts from there. */
  readonly restartedOn: string | null;
  /** Days on which its clock stood; null: it stands. */
  readonly stops: readonly { readonly from: string; readonly until: string | null }[];
  /** The rule that says how long it may be kept at most. */
  readonly cap: ExplainedCap | null;
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

/** A trigger in words: "event “lease ended”", "day it was filed", "earliest of “born” + 25 years and “died” + 8 years". */
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
    case 'unreferenced':
      return trigger.fact ? `day nothing referred to it any more by “${trigger.fact}”` : 'day nothing referred to it any more';
    case 'earliest':
    case 'latest':
      return `the ${trigger.kind} of ${inOrder(trigger.of.map(describePart))}`;
    case 'never':
      return 'no clock: kept for good';
  }
}

/** Words one after another, the last with *and*. */
function inOrder(words: readonly string[]): string {
  return words.length < 2 ? words.join('') : `${words.slice(0, -1).join(', ')} and ${words.at(-1)!}`;
}

function describePart({ trigger, after }: TriggerPart): string {
  const p = parsePeriod(after);
  return after === 'P0D' ? describeTrigger(trigger) : `${describeTrigger(trigger)} + ${p ? describePeriod(p) : after}`;
}

/** What stops a clock and lets it go on, in words; empty where nothing does. */
export function describeSuspension(suspension: Suspension | undefined): string {
  return suspension ? `stands from “${suspension.stops}” until “${suspension.resumes}”` : '';
}

/** What a rule’s period means, in words. */
export const basisWords: Readonly<Record<Basis, string>> = {
  required: 'required: at least this long',
  customary: 'customary: this long unless the law allows less',
  atMost: 'at most this long',
};

/** A cutoff in words, empty without one. */
export function describeCutoff(cutoff: Cutoff): string {
  switch (cutoff.kind) {
    case 'none':
      return '';
    case 'month':
      return 'rolled to end of month';
    case 'quarter':
      return 'rolled to end of quarter';
    case 'halfYear':
      return 'rolled to end of half-year';
    case 'calendarYear':
      return 'rolled to end of year';
    case 'fiscalYear':
      return `rolled to end of the fiscal year that begins on ${cutoff.firstDay} ${monthNames[cutoff.firstMonth - 1]}`;
    case 'namedYear':
      return cutoff.name ? `rolled to end of ${cutoff.name}` : 'rolled to end of its year';
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
    basis: rule.basis ?? 'required',
  };
}

/**
 * How long after or before what a step is taken, in words: "7 years after the clock starts", "30 working days after the step before it";
 * a period that is still being typed stands as it is.
 */
export function describeStepTime(step: Pick<Step, 'after' | 'workingDays' | 'from'>): string {
  const p = parsePeriod(step.after);
  const after = p === null ? step.after : step.workingDays ? `${p.days} working ${p.days === 1 ? 'day' : 'days'}` : describePeriod(p);
  if (step.from === 'beforeTrigger') return `${after} before its date`;
  const base = step.from === 'previousStep' ? 'the step before it' : 'the clock starts';
  return `${after === 'no time' ? 'when' : `${after} after`} ${base}`;
}

function explainStep({ step, dueOn, doneOn }: StepDate, sample: Sample | undefined): ExplainedStep {
  return {
    kind: step.kind,
    dueOn: dueOn === null ? null : formatCivilDate(dueOn),
    doneOn: doneOn === null ? null : formatCivilDate(doneOn),
    words: `${stepWords[step.kind]}${step.to === undefined ? '' : ` to folder ${step.to}`} ${describeStepTime(step)}${sample && step.kind === 'destroy' ? `, but for ${describeSample(sample)}` : ''}`,
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
    case 'capped':
      return `customary, and ${loser.verdict.kind === 'dated' ? formatCivilDate(loser.verdict.dueOn) : 'what it keeps'} is later than the law allows`;
    case 'caps later':
      return loser.verdict.kind === 'dated'
        ? `allows longer, until ${formatCivilDate(loser.verdict.dueOn - 1)}`
        : 'has no date yet, so it limits nothing';
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

const day = (on: EpochDay | null | undefined): string | null => (on === null || on === undefined ? null : formatCivilDate(on));

/** What a trigger is the earliest or latest of, each as it stands. */
function explainParts(trigger: Trigger, facts: ClockFacts): ExplainedPart[] {
  if (trigger.kind !== 'earliest' && trigger.kind !== 'latest') return [];
  const parts = datedParts(trigger, facts);
  const counts = countingPart(trigger.kind, parts);
  return parts.map(({ part, found, on }) => ({
    words: describePart(part),
    date: day(found?.on),
    counted: day(on),
    counts: counts?.part === part,
  }));
}

/** The clock of a rule as it stands, in words. */
function explainClock(
  rule: RuleVersion,
  { trigger, clockStart, restartedOn, stops }: ClockState,
  facts: ClockFacts,
): Pick<Explanation, 'clock' | 'cutoff' | 'restartedOn' | 'stops'> {
  const words = describeTrigger(rule.trigger);
  const parts = explainParts(rule.trigger, facts);
  if (trigger === null) {
    const comes = rule.trigger.kind !== 'never';
    return {
      clock: comes ? { trigger: words, date: null, source: 'not known yet', parts } : null,
      cutoff: null,
      restartedOn: null,
      stops: [],
    };
  }
  const cutoff = describeCutoff(rule.cutoff);
  return {
    clock: { trigger: words, date: formatCivilDate(trigger.on), source: trigger.subject, parts },
    cutoff: cutoff && restartedOn === null && clockStart !== null ? { words: cutoff, clockStart: formatCivilDate(clockStart) } : null,
    restartedOn: day(restartedOn),
    stops: stops.map(({ from, until }) => ({ from: formatCivilDate(from), until: day(until) })),
  };
}

/** What a rule that says *at most* does, in words. */
function explainCap(cap: Cap | null): ExplainedCap | null {
  if (!cap) return null;
  const { rule, verdict } = cap.by;
  const dueOn = verdict.kind === 'dated' ? formatCivilDate(verdict.dueOn) : null;
  const words =
    cap.effect === 'conflict'
      ? `${rule.code} allows it to be kept until ${formatCivilDate((verdict as { dueOn: EpochDay }).dueOn - 1)} at most, and it must be kept longer: decide which of the two counts`
      : cap.effect === 'governs'
        ? `${rule.code} says how long it may be kept at most, and nothing requires longer`
        : dueOn === null
          ? `${rule.code} will limit it once its clock has started`
          : `${rule.code} allows it to be kept longer, until ${formatCivilDate((verdict as { dueOn: EpochDay }).dueOn - 1)}`;
  return { rule: explainRule(cap.by), dueOn, effect: cap.effect, words };
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

/** What a record waits for, since which day, and what is missing for it to go on. */
function waitingWords(
  rule: RuleVersion,
  verdict: Extract<Verdict, { kind: 'waiting' }>,
  action: 'destroy' | 'transfer',
  filed: EpochDay | undefined,
): { words: string; since: EpochDay | null; lacks: string | null } {
  switch (verdict.waitsFor) {
    case 'trigger': {
      const trigger = describeTrigger(rule.trigger);
      return { words: `Waits for ${trigger}.`, since: filed ?? null, lacks: trigger };
    }
    case 'yearEnd': {
      const name = rule.cutoff.kind === 'namedYear' ? rule.cutoff.name : '';
      return {
        words: `Waits until the end of ${name} is listed that its date lies in.`,
        since: verdict.trigger!.on,
        lacks: `the end of ${name}`,
      };
    }
    case 'resume': {
      const { resumes } = rule.suspension!;
      const since = verdict.stops.at(-1)!.from;
      return { words: `Its clock stands since ${formatCivilDate(since)}, until event “${resumes}”.`, since, lacks: `event “${resumes}”` };
    }
    case 'step': {
      const before = stepBefore(verdict.steps);
      const step = `${stepWords[before.step.kind]}${before.dueOn === null ? '' : `, from ${formatCivilDate(before.dueOn)}`}`;
      return {
        words: `Waits for the step before the last (${step}), then ${stepWords[action]}.`,
        since: before.dueOn ?? verdict.clockStart,
        lacks: null,
      };
    }
  }
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
  const conflict = governing.kind !== 'unscheduled' && governing.cap?.effect === 'conflict';
  const disputed = conflict ? ` ${governing.cap!.by.rule.code} allows less: a conflict.` : '';
  const nothing = {
    dueOn: null,
    action: null,
    clock: null,
    cutoff: null,
    restartedOn: null,
    stops: [],
    cap: governing.kind === 'unscheduled' ? null : explainCap(governing.cap),
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
      summary: `Kept until ${formatCivilDate(governing.dueOn - 1)}, then ${stepWords[governing.action]}, by override.${disputed}${frozen}`,
      dueOn,
      action: governing.action,
      governing: null,
      override: governing.hand,
      missing,
    };
  }

  if (governing.kind === 'overrideForGood') {
    const summary = `Kept for good by override.${disputed}`;
    return { ...nothing, ...shared, outcome: 'permanent', summary, governing: null, override: governing.hand, missing };
  }

  const { by } = governing;
  const { rule, verdict } = by;
  const action = actionOf(rule);
  const common = {
    ...nothing,
    ...shared,
    ...explainClock(rule, verdict, facts),
    governing: explainRule(by),
    override: governing.hand,
    steps: verdict.steps.map((step) => explainStep(step, rule.sample)),
    missing,
  };
  switch (verdict.kind) {
    case 'permanent':
      return { ...common, outcome: 'permanent', summary: `${permanence(rule)}${disputed}` };
    case 'waiting': {
      const { words, since, lacks } = waitingWords(rule, verdict, action!, filed);
      return {
        ...common,
        outcome: 'waiting',
        summary: `${words} Until then it is kept.${disputed}${frozen}`,
        action,
        waitingSince: day(since),
        missing: lacks === null ? missing : [lacks, ...missing],
      };
    }
    case 'dated':
      return {
        ...common,
        outcome: 'dated',
        summary: `Kept until ${formatCivilDate(verdict.dueOn - 1)}, then ${stepWords[verdict.action]}.${disputed}${frozen}`,
        dueOn: formatCivilDate(verdict.dueOn),
        action,
      };
  }
}
