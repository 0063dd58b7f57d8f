import { civilDate } from '@key-cellar/core/calendar';
import { executionVerdict, type ExecutionVerdict } from '@key-cellar/core/docket';

/** What execution has to know of a record, as its row says it. */
export interface ExecutableRow {
  readonly state: string;
  readonly medium: 'electronic' | 'physical';
  readonly due_on: string | null;
  readonly deferred_until: string | null;
  readonly action: 'destroy' | 'transfer' | null;
  /** How many holds cover it: written by the functions of holds only, under the row’s lock. */
  readonly hold_count: number;
}

/** Whether a record of a batch may go today: asked when a bag is packed, and again under its row lock when it leaves. */
export function verdictOn(
  record: ExecutableRow,
  more: { readonly batchAction: 'destroy' | 'transfer'; readonly objected: boolean },
  today: string,
): ExecutionVerdict {
  const day = (text: string | null) => (text === null ? null : civilDate(text));
  return executionVerdict(
    {
      ...more,
      disposed: record.state === 'disposed',
      held: record.hold_count > 0,
      deferredUntil: day(record.deferred_until),
      action: record.action,
      dueOn: day(record.due_on),
      physical: record.medium === 'physical',
    },
    civilDate(today),
  );
}
