import { message, type Message } from '@key-cellar/words';
import { formatCivilDate, type EpochDay } from '../calendar/index.js';
import { refuse, type Refusal } from '../records/index.js';

export const batchStates = ['proposed', 'notice', 'approved', 'executing', 'done', 'withdrawn'] as const;
export type BatchState = (typeof batchStates)[number];

export const itemOutcomes = ['open', 'objected', 'disposed', 'blocked', 'dropped', 'deferred', 'sampled'] as const;
export type ItemOutcome = (typeof itemOutcomes)[number];

export interface Approval {
  readonly by: string;
  readonly decision: 'approve' | 'reject';
}

/** What a decision about a batch depends on. People are principal ids. */
export interface BatchStanding {
  readonly state: BatchState;
  readonly proposedBy: string;
  readonly approvalsNeeded: number;
  readonly approvals: readonly Approval[];
  /** Names of the groups that those who approve must be of; none: of any. */
  readonly approverGroups: readonly string[];
  /** Last day to object; null before the notice. */
  readonly noticeUntil: EpochDay | null;
}

export type BatchAct =
  | { readonly kind: 'announce' }
  /** With the names of all groups that the person is of. */
  | { readonly kind: 'approve'; readonly by: string; readonly groups: readonly string[] }
  | { readonly kind: 'reject'; readonly by: string }
  | { readonly kind: 'object' }
  | { readonly kind: 'execute' }
  | { readonly kind: 'finish' }
  | { readonly kind: 'withdraw' };

/** Approvals that count: the proposer's own counts only beside somebody else's. */
export function countingApprovals(standing: BatchStanding): number {
  const approvers = new Set(standing.approvals.filter((a) => a.decision === 'approve').map((a) => a.by));
  const others = [...approvers].some((by) => by !== standing.proposedBy);
  return others ? approvers.size : 0;
}

/** Whether somebody of these groups is one of those who approve. */
export function mayApprove(approverGroups: readonly string[], groups: readonly string[]): boolean {
  return approverGroups.length === 0 || approverGroups.some((g) => groups.includes(g));
}

/** How many people have to agree: at least one, and never the proposer alone. */
export function approvalsNeeded(standing: Pick<BatchStanding, 'approvalsNeeded'>): number {
  return Math.max(1, standing.approvalsNeeded);
}

/** The state a batch is in after an act, or why the act is refused (docs/semantics.md 8.1, 8.2). */
export function actOnBatch(standing: BatchStanding, act: BatchAct, today: EpochDay): BatchState | Refusal {
  const { state } = standing;
  const over = state === 'done' || state === 'withdrawn';
  const running = over || state === 'executing';
  switch (act.kind) {
    case 'announce':
      return state === 'proposed' ? 'notice' : refuse('batch-announced', message('docket.batchAnnounced'));
    case 'object':
      if (state !== 'notice') return refuse('notice-closed', message('docket.noticeClosed'));
      return standing.noticeUntil !== null && today > standing.noticeUntil
        ? refuse('notice-closed', message('docket.lastDayObjectPassed'))
        : state;
    case 'approve': {
      if (state !== 'notice') return refuse('batch-not-deciding', message('docket.batchNotDeciding'));
      if (standing.noticeUntil !== null && today <= standing.noticeUntil) {
        return refuse('notice-open', message('docket.noticeOpen'));
      }
      if (standing.approvals.some((a) => a.by === act.by)) {
        return refuse('decided-before', message('docket.decidedBefore'));
      }
      if (!mayApprove(standing.approverGroups, act.groups)) {
        return refuse('not-of-group', message('docket.notOfGroup', { groups: { any: standing.approverGroups } }));
      }
      const after: BatchStanding = {
        ...standing,
        approvals: [...standing.approvals, { by: act.by, decision: 'approve' }],
      };
      return countingApprovals(after) >= approvalsNeeded(standing) ? 'approved' : state;
    }
    case 'reject':
      return state === 'notice' || state === 'approved' ? 'withdrawn' : refuse('batch-not-deciding', message('docket.batchNotDeciding'));
    case 'execute':
      return state === 'approved' || state === 'executing' ? 'executing' : refuse('batch-not-approved', message('docket.batchNotApproved'));
    case 'finish':
      return state === 'executing' ? 'done' : refuse('batch-not-executing', message('docket.batchNotExecuting'));
    case 'withdraw':
      return running ? refuse('batch-running', message('docket.batchRunning')) : 'withdrawn';
  }
}

/** What is known of one record at the moment of execution, read under its row lock. */
export interface ExecutionCheck {
  readonly disposed: boolean;
  readonly held: boolean;
  readonly objected: boolean;
  /** Put off until this day; null when it is not. */
  readonly deferredUntil: EpochDay | null;
  readonly action: 'destroy' | 'transfer' | null;
  readonly batchAction: 'destroy' | 'transfer';
  readonly dueOn: EpochDay | null;
  readonly physical: boolean;
}

export type ExecutionVerdict =
  | { readonly outcome: 'dispose' }
  | { readonly outcome: 'task' }
  | { readonly outcome: Exclude<ItemOutcome, 'open' | 'disposed' | 'sampled'>; readonly reason: Message };

/** Whether one record of a batch may go now. Hold wins over everything but being gone. */
export function executionVerdict(check: ExecutionCheck, today: EpochDay): ExecutionVerdict {
  if (check.disposed) return { outcome: 'dropped', reason: message('docket.disposedBefore') };
  if (check.held) {
    return { outcome: 'blocked', reason: message('docket.held') };
  }
  if (check.objected) return { outcome: 'objected', reason: message('docket.objectionStands') };
  if (check.deferredUntil !== null && check.deferredUntil > today) {
    return { outcome: 'deferred', reason: message('docket.putOffUntil', { on: { day: formatCivilDate(check.deferredUntil) } }) };
  }
  if (check.action !== check.batchAction || check.dueOn === null || check.dueOn > today) {
    return { outcome: 'dropped', reason: message('docket.noLongerDueUnder') };
  }
  return check.physical ? { outcome: 'task' } : { outcome: 'dispose' };
}
