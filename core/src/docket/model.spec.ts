import { speaking } from '@key-cellar/words/testing';
import * as fc from 'fast-check';
import { civilDate } from '../calendar/index.js';
import {
  actOnBatch,
  approvalsNeeded,
  batchStates,
  countingApprovals,
  executionVerdict as executionVerdictSaid,
  type BatchAct,
  type BatchStanding,
  type ExecutionCheck,
} from './index.js';

const executionVerdict = speaking(executionVerdictSaid);

const today = civilDate('2026-09-14');
const people = ['ines', 'tomas', 'dario'];
/** Weighted as batches go, so that many come to their execution. */
const anyAct: fc.Arbitrary<BatchAct> = fc.oneof(
  { weight: 4, arbitrary: fc.constantFrom<BatchAct>({ kind: 'announce' }, { kind: 'execute' }) },
  { weight: 1, arbitrary: fc.constantFrom<BatchAct>({ kind: 'object' }, { kind: 'finish' }, { kind: 'withdraw' }) },
  { weight: 1, arbitrary: fc.record({ kind: fc.constant('reject' as const), by: fc.constantFrom(...people) }) },
  {
    weight: 6,
    arbitrary: fc.record({
      kind: fc.constant('approve' as const),
      by: fc.constantFrom(...people),
      groups: fc.subarray(['Board', 'Counsel', 'Staff']),
    }),
  },
);

/** Acts on a batch as a service does: a decision is kept, and an announcement says until when one may object. */
function after(standing: BatchStanding, act: BatchAct, day: number): BatchStanding {
  const next = actOnBatch(standing, act, day);
  if (typeof next !== 'string') return standing;
  const decided = act.kind === 'approve' || act.kind === 'reject';
  return {
    ...standing,
    state: next,
    approvals: decided ? [...standing.approvals, { by: act.by, decision: act.kind }] : standing.approvals,
    noticeUntil: act.kind === 'announce' ? day + 14 : standing.noticeUntil,
  };
}

describe('any sequence of acts on a batch', () => {
  const anyCourse = fc.array(fc.record({ act: anyAct, days: fc.nat(20) }), { maxLength: 25 });
  const begin = (needed: number): BatchStanding => ({
    state: 'proposed',
    proposedBy: 'ines',
    approvalsNeeded: needed,
    approvals: [],
    approverGroups: [],
    noticeUntil: null,
  });

  it('never executes what was not announced, was not left open to objections, or was approved by its proposer alone', () => {
    let executed = 0;
    fc.assert(
      fc.property(fc.nat(3), anyCourse, (needed, course) => {
        let standing = begin(needed);
        let day = today;
        for (const { act, days } of course) {
          day += days;
          standing = after(standing, act, day);
          if (standing.state !== 'executing') continue;
          executed += 1;
          expect(standing.noticeUntil).not.toBeNull();
          expect(day).toBeGreaterThan(standing.noticeUntil!);
          const yes = new Set(standing.approvals.filter((a) => a.decision === 'approve').map((a) => a.by));
          expect(yes.size).toBeGreaterThanOrEqual(Math.max(1, needed));
          expect([...yes].some((by) => by !== 'ines')).toBeTrue();
        }
      }),
      { numRuns: 1000 },
    );
    expect(executed).withContext('batches came to their execution').toBeGreaterThan(20);
  });

  it('leaves done and withdrawn as they are', () => {
    fc.assert(
      fc.property(fc.constantFrom('done' as const, 'withdrawn' as const), anyCourse, (state, course) => {
        let standing: BatchStanding = { ...begin(1), state, noticeUntil: today };
        for (const { act, days } of course) standing = after(standing, act, today + days);
        expect(standing.state).toBe(state);
      }),
    );
  });

  it('only ever moves forward, or out by the side door', () => {
    const order = (state: BatchStanding['state']): number => batchStates.indexOf(state);
    fc.assert(
      fc.property(fc.nat(2), anyCourse, (needed, course) => {
        let standing = begin(needed);
        let day = today;
        for (const { act, days } of course) {
          day += days;
          const next = after(standing, act, day);
          expect(order(next.state)).toBeGreaterThanOrEqual(order(standing.state));
          standing = next;
        }
      }),
    );
  });

  it('lets nobody decide twice', () => {
    fc.assert(
      fc.property(fc.integer({ min: 1, max: 3 }), anyCourse, (needed, course) => {
        let standing = begin(needed);
        let day = today;
        for (const { act, days } of course) standing = after(standing, act, (day += days));
        const deciders = standing.approvals.filter((a) => a.decision === 'approve').map((a) => a.by);
        expect(new Set(deciders).size).toBe(deciders.length);
      }),
    );
  });

  it('is approved by nobody who is of none of the groups', () => {
    const groups = fc.subarray(['Board', 'Counsel'], { minLength: 1 });
    fc.assert(
      fc.property(groups, anyCourse, (approverGroups, course) => {
        let standing: BatchStanding = { ...begin(1), approverGroups };
        let day = today;
        for (const { act, days } of course) {
          const before = standing;
          standing = after(standing, act, (day += days));
          const counted = act.kind === 'approve' && standing.approvals.length > before.approvals.length;
          if (counted) expect(act.groups.some((g) => approverGroups.includes(g))).toBeTrue();
        }
      }),
    );
  });

  it('counts the proposer only beside another', () => {
    fc.assert(
      fc.property(fc.array(fc.constantFrom(...people)), (names) => {
        const approvals = names.map((by) => ({ by, decision: 'approve' as const }));
        const counted = countingApprovals({ ...begin(1), approvals });
        const different = new Set(names).size;
        expect(counted).toBe(names.some((by) => by !== 'ines') ? different : 0);
      }),
    );
    expect(approvalsNeeded({ approvalsNeeded: 0 })).toBe(1);
  });
});

describe('any record at execution', () => {
  const anyCheck: fc.Arbitrary<ExecutionCheck> = fc.record({
    disposed: fc.boolean(),
    held: fc.boolean(),
    objected: fc.boolean(),
    deferredUntil: fc.option(fc.integer({ min: today - 2, max: today + 2 }), { nil: null }),
    action: fc.constantFrom('destroy' as const, 'transfer' as const, null),
    batchAction: fc.constantFrom('destroy' as const, 'transfer' as const),
    dueOn: fc.option(fc.integer({ min: today - 2, max: today + 2 }), { nil: null }),
    physical: fc.boolean(),
  });

  it('goes exactly when nothing at all is in its way', () => {
    fc.assert(
      fc.property(anyCheck, (check) => {
        const verdict = executionVerdict(check, today);
        const free =
          !check.disposed &&
          !check.held &&
          !check.objected &&
          (check.deferredUntil === null || check.deferredUntil <= today) &&
          check.action === check.batchAction &&
          check.dueOn !== null &&
          check.dueOn <= today;
        expect(verdict.outcome === 'dispose' || verdict.outcome === 'task').toBe(free);
        if (free) expect(verdict.outcome).toBe(check.physical ? 'task' : 'dispose');
        else expect('reason' in verdict && verdict.reason.length).toBeGreaterThan(10);
      }),
      { numRuns: 2000 },
    );
  });

  it('is never anything but blocked while a hold covers it', () => {
    fc.assert(
      fc.property(anyCheck, (check) => {
        if (check.disposed || !check.held) return;
        const verdict = executionVerdict(check, today);
        expect(verdict.outcome).toBe('blocked');
        expect('reason' in verdict && verdict.reason).toBe('It is held.');
      }),
    );
  });
});
