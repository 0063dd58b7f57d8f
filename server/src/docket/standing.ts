import { civilDate } from '@key-cellar/core/calendar';
import { actOnBatch, type BatchAct, type BatchState } from '@key-cellar/core/docket';
import type { Refusal } from '@key-cellar/core/records';
import { refused } from '../kernel/index.js';
import type { BatchRow } from './batchStore.js';

/** What the core says of an act on a batch today: the state it is in afterwards, or why it is refused. */
export function stateAfter(batch: BatchRow, act: BatchAct, today: string): BatchState | Refusal {
  return actOnBatch(
    {
      state: batch.state,
      proposedBy: batch.proposed_by,
      approvalsNeeded: batch.approvals_needed,
      approverGroups: batch.approver_groups,
      approvals: batch.decided_by.map((by, i) => ({ by, decision: batch.decisions[i]! })),
      noticeUntil: batch.notice_until === null ? null : civilDate(batch.notice_until),
    },
    act,
    civilDate(today),
  );
}

/** The same, throwing what is refused as a problem (409). */
export function nextState(batch: BatchRow, act: BatchAct, today: string): BatchState {
  const next = stateAfter(batch, act, today);
  if (typeof next !== 'string') throw refused(next);
  return next;
}
