import { message, sentences, told, type Message, type Value } from '@key-cellar/words';
import { formatCivilDate, parsePeriod, type EpochDay } from '../calendar/index.js';
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
  readonly hold: { readonly id: string; readonly name: string; readonly matter: string; readonly because: Message } | null;
}

export interface ExplainedRule {
  readonly code: string;
  readonly version: number;
  readonly title: string;
  readonly authority: string;
  readonly setOn: Message;
  readonly inForceFrom: string;
  readonly takesOver: 'all' | 'laterClocks';
  readonly basis: Basis;
}

/** One of several triggers, as it stands. */
export interface ExplainedPart {
  readonly words: Message;
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
  readonly words: Message;
}

export interface ExplainedStep {
  readonly kind: StepKind;
  readonly dueOn: string | null;
  readonly doneOn: string | null;
  readonly words: Message;
  readonly repeat: Message | null;
  readonly approvals: number;
  /** Names of the groups that they must be of; absent: of any. */
  readonly approverGroups?: readonly string[];
  readonly noticeDays: number;
}

/** What the schedule says of a record, in structure and in words. The interface shows it and computes nothing. */
export interface Explanation {
  readonly outcome: 'permanent' | 'waiting' | 'dated' | 'unscheduled';
  /** One sentence that answers "until when?". */
  readonly summary: Message;
  readonly dueOn: string | null;
  readonly action: 'destroy' | 'transfer' | null;
  readonly governing: ExplainedRule | null;
  readonly clock: {
    readonly trigger: Message;
    readonly date: string | null;
    readonly source: Message;
    /** What it is the earliest or latest of; empty where it is one thing. */
    readonly parts: readonly ExplainedPart[];
  } | null;
  readonly cutoff: { readonly words: Message; readonly clockStart: string } | null;
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
  readonly override: (ByHand & { readonly reason: Message }) | null;
  readonly yielded: readonly {
    readonly rule: ExplainedRule;
    readonly reason: YieldReason;
    readonly words: Message;
    readonly dueOn: string | null;
  }[];
  readonly holds: readonly HoldInTheWay[];
  readonly missing: readonly Message[];
}

/** A trigger in words: "event “lease ended”", "day it was filed", "earliest of “born” + 25 years and “died” + 8 years". */
export function describeTrigger(trigger: Trigger): Message {
  switch (trigger.kind) {
    case 'recordDate':
      return message(`schedule.date.${trigger.date}`);
    case 'fact':
      if (!trigger.fact) return message('schedule.theFact');
      return message('schedule.fact', { fact: trigger.fact, which: trigger.occurrence ?? 'last' });
    case 'folderClosed':
      return message('schedule.folderClosed');
    case 'event':
      if (!trigger.eventType) return message('schedule.theEvent');
      return message('schedule.event', { event: trigger.eventType, which: trigger.occurrence ?? 'last' });
    case 'unreferenced':
      return trigger.fact ? message('schedule.unreferencedBy', { fact: trigger.fact }) : message('schedule.unreferenced');
    case 'earliest':
    case 'latest':
      return message(trigger.kind === 'earliest' ? 'schedule.earliest' : 'schedule.latest', {
        parts: { all: trigger.of.map(describePart) },
      });
    case 'never':
      return message('schedule.never');
  }
}

/** A period; one that is still being typed stands as it is. */
const length = (after: string): Value => (parsePeriod(after) ? { period: after } : after);

function describePart({ trigger, after }: TriggerPart): Message {
  const words = describeTrigger(trigger);
  return after === 'P0D' ? words : message('schedule.plus', { trigger: words, after: length(after) });
}

/** What stops a clock and lets it go on, in words; null where nothing does. */
export function describeSuspension(suspension: Suspension | undefined): Message | null {
  return suspension ? message('schedule.stands', { stops: suspension.stops, resumes: suspension.resumes }) : null;
}

/** What a rule’s period means, in words. */
export function describeBasis(basis: Basis): Message {
  return message(`schedule.basis.${basis}`);
}

/** A cutoff in words, null without one. */
export function describeCutoff(cutoff: Cutoff): Message | null {
  switch (cutoff.kind) {
    case 'none':
      return null;
    case 'fiscalYear':
      return message('schedule.cutoffFiscalYear', { day: String(cutoff.firstDay), month: { month: cutoff.firstMonth } });
    case 'namedYear':
      return cutoff.name ? message('schedule.cutoffNamedYear', { name: cutoff.name }) : message('schedule.cutoff.itsYear');
    default:
      return message(`schedule.cutoff.${cutoff.kind}`);
  }
}

/** A step kind in words. */
export function describeStep(kind: StepKind): Message {
  return message(`schedule.step.${kind}`);
}

function explainRule(weighed: { rule: RuleVersion; setOn: Value }): ExplainedRule {
  const { rule } = weighed;
  return {
    code: rule.code,
    version: rule.version,
    title: rule.title,
    authority: rule.authority,
    setOn: told(weighed.setOn),
    inForceFrom: rule.inForceFrom,
    takesOver: rule.takesOver,
    basis: rule.basis ?? 'required',
  };
}

/**
 * How long after or before what a step is taken, in words: "7 years after the clock starts", "30 working days after the step before it";
 * a period that is still being typed stands as it is.
 */
export function describeStepTime(step: Pick<Step, 'after' | 'workingDays' | 'from'>): Message {
  const after: Value = step.workingDays ? message('schedule.workingDays', { n: parsePeriod(step.after)?.days ?? 0 }) : length(step.after);
  if (step.from === 'beforeTrigger') return message('schedule.beforeDate', { after });
  const base = step.from === 'previousStep' ? 'stepBefore' : 'clockStart';
  return step.after === 'P0D' ? message(`schedule.when.${base}`) : message(`schedule.after.${base}`, { after });
}

/** A step with its time: “moved to folder CLOSED 2 years after the clock starts”. */
function stepWords(step: Step, sample: Sample | undefined): Message {
  const [what, time] = [describeStep(step.kind), describeStepTime(step)];
  const words =
    step.to === undefined ? message('schedule.stepAt', { what, time }) : message('schedule.stepTo', { what, folder: step.to, time });
  return sample && step.kind === 'destroy' ? message('schedule.butFor', { what: words, sample: describeSample(sample) }) : words;
}

function explainStep({ step, dueOn, doneOn }: StepDate, sample: Sample | undefined): ExplainedStep {
  return {
    kind: step.kind,
    dueOn: dueOn === null ? null : formatCivilDate(dueOn),
    doneOn: doneOn === null ? null : formatCivilDate(doneOn),
    words: stepWords(step, sample),
    repeat: step.repeatEvery ? message('schedule.againEvery', { period: { period: step.repeatEvery } }) : null,
    approvals: step.approvals,
    ...(step.approverGroups?.length ? { approverGroups: step.approverGroups } : {}),
    noticeDays: step.noticeDays,
  };
}

function verdictDate(verdict: Verdict): EpochDay | null {
  return verdict.kind === 'dated' ? verdict.dueOn : null;
}

/** A day in a sentence. */
const onDay = (on: EpochDay): Value => ({ day: formatCivilDate(on) });

function yieldWords(reason: YieldReason, { rule, setOn, verdict }: Weighed, winnerDue: EpochDay | null): Message {
  switch (reason) {
    case 'farther away':
      return message('schedule.yields.fartherAway', { setOn });
    case 'other jurisdiction':
      return message('schedule.yields.otherJurisdiction', { jurisdictions: { all: rule.jurisdictions } });
    case 'not in force':
      return message('schedule.yields.notInForce', { from: { day: rule.inForceFrom } });
    case 'tie, destroys':
      return message('schedule.yields.tieDestroys');
    case 'tie, later code':
      return message('schedule.yields.tieLaterCode');
    case 'capped':
      return verdict.kind === 'dated'
        ? message('schedule.yields.cappedDated', { due: onDay(verdict.dueOn) })
        : message('schedule.yields.capped');
    case 'caps later':
      return verdict.kind === 'dated'
        ? message('schedule.yields.capsLater', { until: onDay(verdict.dueOn - 1) })
        : message('schedule.yields.capsNothing');
    case 'keeps shorter': {
      const due = verdictDate(verdict);
      return due !== null && winnerDue !== null
        ? message('schedule.yields.keepsShorterDated', { due: onDay(due) })
        : message('schedule.yields.keepsShorter');
    }
  }
}

export interface ExplainInput {
  readonly governing: Governing;
  readonly facts: ClockFacts;
  readonly holds: readonly HoldInTheWay[];
  /** Titles of facts that are missing. */
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
      clock: comes ? { trigger: words, date: null, source: message('schedule.notKnownYet'), parts } : null,
      cutoff: null,
      restartedOn: null,
      stops: [],
    };
  }
  const cutoff = describeCutoff(rule.cutoff);
  return {
    clock: { trigger: words, date: formatCivilDate(trigger.on), source: told(trigger.subject), parts },
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
  const until: Value = verdict.kind === 'dated' ? onDay(verdict.dueOn - 1) : '';
  const words =
    cap.effect === 'conflict'
      ? message('schedule.cap.conflict', { rule: rule.code, until })
      : cap.effect === 'governs'
        ? message('schedule.cap.governs', { rule: rule.code })
        : dueOn === null
          ? message('schedule.cap.noDateYet', { rule: rule.code })
          : message('schedule.cap.allowsLonger', { rule: rule.code, until });
  return { rule: explainRule(cap.by), dueOn, effect: cap.effect, words };
}

/** Why a rule keeps for good. */
function permanence(rule: RuleVersion): Message {
  if (rule.trigger.kind === 'never' || rule.steps.some((s) => s.kind === 'keepPermanently'))
    return message('schedule.permanent', { rule: rule.code });
  const reviewed = rule.steps.some((s) => s.kind === 'review');
  return message(reviewed ? 'schedule.permanentReviewed' : 'schedule.permanentNoStep', { rule: rule.code });
}

/** What is there of some sentences, in their order. */
const inOrder = (...all: readonly (Message | null)[]): Message => sentences(all.filter((one) => one !== null));

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
): { words: Message; since: EpochDay | null; lacks: Message | null } {
  switch (verdict.waitsFor) {
    case 'trigger': {
      const trigger = describeTrigger(rule.trigger);
      return { words: message('schedule.waitsFor', { trigger }), since: filed ?? null, lacks: trigger };
    }
    case 'yearEnd': {
      const year = rule.cutoff.kind === 'namedYear' ? rule.cutoff.name : '';
      return {
        words: message('schedule.waitsForYearEnd', { year }),
        since: verdict.trigger!.on,
        lacks: message('schedule.theEndOf', { year }),
      };
    }
    case 'resume': {
      const { resumes } = rule.suspension!;
      const since = verdict.stops.at(-1)!.from;
      return {
        words: message('schedule.clockStands', { since: onDay(since), event: resumes }),
        since,
        lacks: message('schedule.event', { event: resumes, which: 'last' }),
      };
    }
    case 'step': {
      const before = stepBefore(verdict.steps);
      const step = describeStep(before.step.kind);
      const then = describeStep(action);
      return {
        words:
          before.dueOn === null
            ? message('schedule.waitsForStep', { step, then })
            : message('schedule.waitsForStepFrom', { step, from: onDay(before.dueOn), then }),
        since: before.dueOn ?? verdict.clockStart,
        lacks: null,
      };
    }
  }
}

function explainHand(hand: ByHand | null): Explanation['override'] {
  return hand && { ...hand, reason: typeof hand.reason === 'string' ? told(hand.reason) : hand.reason };
}

/** Builds the explanation of what {@link import('./governing.js').governingRule} decided. */
export function explain({ governing, facts, holds, missing }: ExplainInput): Explanation {
  const frozen = holds.length > 0 ? message('schedule.frozen') : null;
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
  const disputed = conflict ? message('schedule.disputed', { rule: governing.cap!.by.rule.code }) : null;
  const gaps = missing.map(told);
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
      summary: message('schedule.unscheduled'),
      governing: null,
      missing: [message('schedule.aRule'), ...gaps],
    };
  }
  if (governing.kind === 'overrideDate') {
    const dueOn = formatCivilDate(governing.dueOn);
    return {
      ...nothing,
      ...shared,
      outcome: 'dated',
      summary: inOrder(
        message('schedule.keptUntilByOverride', { until: onDay(governing.dueOn - 1), then: describeStep(governing.action) }),
        disputed,
        frozen,
      ),
      dueOn,
      action: governing.action,
      governing: null,
      override: explainHand(governing.hand),
      missing: gaps,
    };
  }

  if (governing.kind === 'overrideForGood') {
    const summary = inOrder(message('schedule.permanentByOverride'), disputed);
    return { ...nothing, ...shared, outcome: 'permanent', summary, governing: null, override: explainHand(governing.hand), missing: gaps };
  }

  const { by } = governing;
  const { rule, verdict } = by;
  const action = actionOf(rule);
  const common = {
    ...nothing,
    ...shared,
    ...explainClock(rule, verdict, facts),
    governing: explainRule(by),
    override: explainHand(governing.hand),
    steps: verdict.steps.map((step) => explainStep(step, rule.sample)),
    missing: gaps,
  };
  switch (verdict.kind) {
    case 'permanent':
      return { ...common, outcome: 'permanent', summary: inOrder(permanence(rule), disputed) };
    case 'waiting': {
      const { words, since, lacks } = waitingWords(rule, verdict, action!, filed);
      return {
        ...common,
        outcome: 'waiting',
        summary: inOrder(words, message('schedule.keptUntilThen'), disputed, frozen),
        action,
        waitingSince: day(since),
        missing: lacks === null ? gaps : [lacks, ...gaps],
      };
    }
    case 'dated':
      return {
        ...common,
        outcome: 'dated',
        summary: inOrder(
          message('schedule.keptUntil', { until: onDay(verdict.dueOn - 1), then: describeStep(verdict.action) }),
          disputed,
          frozen,
        ),
        dueOn: formatCivilDate(verdict.dueOn),
        action,
      };
  }
}
