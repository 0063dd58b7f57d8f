import { message, type Message } from '@key-cellar/words';
import type { EpochDay } from '../calendar/index.js';
import { refusalFor, type RecordStanding } from '../records/index.js';
import type { Step, StepKind, StepOutcome } from '../schedule/index.js';

/** What the sweep knows of a record whose step may be due. */
export interface StepCheck {
  readonly standing: RecordStanding;
  readonly dueOn: EpochDay;
  /** First day on which the step after it is due; null when none follows or it waits. */
  readonly overtakenOn: EpochDay | null;
  /** The question or review that is open about this very step. */
  readonly open: { readonly againOn: EpochDay | null } | null;
  readonly versions: number;
  /** Whether it lies in the folder that the step names already. */
  readonly inTarget: boolean;
}

/** What the sweep does about a step on a day (docs/semantics.md 5). */
export type StepVerdict =
  | { readonly kind: 'ask'; readonly again: boolean }
  | { readonly kind: 'unanswered' }
  | { readonly kind: 'review' }
  | { readonly kind: 'declare' }
  | { readonly kind: 'trim'; readonly versions: number }
  | { readonly kind: 'move'; readonly to: string }
  /** Nothing to do: it is so already. */
  | { readonly kind: 'already'; readonly sentence: Message }
  /** It cannot be taken now; the sweep tries again each day. */
  | { readonly kind: 'stopped'; readonly sentence: Message }
  | { readonly kind: 'notYet' };

/**
 * Decides what the sweep does about the next step of a record. Hold wins over removing versions, and a freeze over moving;
 * asking, reviewing and declaring go on, because the clock of a held record goes on.
 */
export function stepVerdict(step: Step, check: StepCheck, today: EpochDay): StepVerdict {
  if (check.dueOn > today) return { kind: 'notYet' };
  switch (step.kind) {
    case 'askOwner':
      if (check.overtakenOn !== null && check.overtakenOn <= today) return { kind: 'unanswered' };
      if (check.open === null) return { kind: 'ask', again: false };
      return check.open.againOn !== null && check.open.againOn <= today ? { kind: 'ask', again: true } : { kind: 'notYet' };
    case 'review':
      return check.open === null ? { kind: 'review' } : { kind: 'notYet' };
    case 'declare':
      return check.standing.state === 'declared' ? { kind: 'already', sentence: message('docket.declaredAlready') } : { kind: 'declare' };
    case 'trimVersions':
      if (check.versions <= 1) return { kind: 'already', sentence: message('docket.noOlderVersions') };
      return check.standing.holds > 0
        ? { kind: 'stopped', sentence: message('docket.holdCoversOlderVersions') }
        : { kind: 'trim', versions: check.versions - 1 };
    case 'move': {
      // Versions that were published before steps named a folder never change.
      if (!step.to) return { kind: 'stopped', sentence: message('docket.ruleDoesNotSay') };
      if (check.inTarget) return { kind: 'already', sentence: message('docket.thereAlready') };
      const refusal = refusalFor({ kind: 'change', part: 'moving' }, check.standing);
      return refusal ? { kind: 'stopped', sentence: refusal.sentence } : { kind: 'move', to: step.to };
    }
    case 'route':
      return {
        kind: 'stopped',
        sentence: message('docket.routesNotSetUp'),
      };
    case 'transfer':
    case 'destroy':
    case 'keepPermanently':
      return { kind: 'notYet' };
  }
}

/** What may be answered: an owner says *keep* or *not needed*; a keeper who reviews may also let the clock run on. */
export function answersTo(kind: StepKind): readonly StepOutcome[] {
  return kind === 'askOwner' ? ['keep', 'notNeeded'] : kind === 'review' ? ['goOn', 'keep', 'notNeeded'] : [];
}
