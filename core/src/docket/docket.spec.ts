import { speaking } from '@key-cellar/words/testing';
import { civilDate } from '../calendar/index.js';
import {
  actOnBatch,
  batchStates,
  executionVerdict as executionVerdictSaid,
  type BatchAct,
  type BatchStanding,
  type BatchState,
  type ExecutionCheck,
} from './index.js';

const executionVerdict = speaking(executionVerdictSaid);

const today = civilDate('2026-09-14');
const batch = (changes: Partial<BatchStanding> = {}): BatchStanding => ({
  state: 'notice',
  proposedBy: 'ines',
  approvalsNeeded: 1,
  approvals: [],
  approverGroups: [],
  noticeUntil: today - 1,
  ...changes,
});
const outcome = (standing: BatchStanding, act: BatchAct): string => {
  const result = actOnBatch(standing, act, today);
  return typeof result === 'string' ? result : result.code;
};
const yes = (by: string) => ({ by, decision: 'approve' as const });

describe('a batch', () => {
  const table: [string, BatchStanding, BatchAct, string][] = [
    ['is announced once', batch({ state: 'proposed' }), { kind: 'announce' }, 'notice'],
    ['is not announced twice', batch(), { kind: 'announce' }, 'batch-announced'],
    ['is not decided while the notice is open', batch({ noticeUntil: today }), { kind: 'approve', by: 'tomas', groups: [] }, 'notice-open'],
    ['is approved by another person', batch(), { kind: 'approve', by: 'tomas', groups: [] }, 'approved'],
    ['is not approved by its proposer alone', batch(), { kind: 'approve', by: 'ines', groups: [] }, 'notice'],
    [
      '…but the proposer counts beside another',
      batch({ approvalsNeeded: 2, approvals: [yes('ines')] }),
      { kind: 'approve', by: 'tomas', groups: [] },
      'approved',
    ],
    ['needs as many as the rule says', batch({ approvalsNeeded: 2 }), { kind: 'approve', by: 'tomas', groups: [] }, 'notice'],
    ['needs one even when the rule says none', batch({ approvalsNeeded: 0 }), { kind: 'approve', by: 'ines', groups: [] }, 'notice'],
    [
      'is not decided twice by one person',
      batch({ approvalsNeeded: 2, approvals: [yes('tomas')] }),
      { kind: 'approve', by: 'tomas', groups: [] },
      'decided-before',
    ],
    [
      'is approved by people of the groups that the rule names',
      batch({ approverGroups: ['Board', 'Counsel'] }),
      { kind: 'approve', by: 'tomas', groups: ['Staff', 'Counsel'] },
      'approved',
    ],
    [
      '…and by nobody else',
      batch({ approverGroups: ['Board', 'Counsel'] }),
      { kind: 'approve', by: 'tomas', groups: ['Staff'] },
      'not-of-group',
    ],
    ['is refused by anybody who may decide', batch({ approverGroups: ['Board'] }), { kind: 'reject', by: 'tomas' }, 'withdrawn'],
    ['is withdrawn by a rejection', batch(), { kind: 'reject', by: 'tomas' }, 'withdrawn'],
    ['takes objections on the last day', batch({ noticeUntil: today }), { kind: 'object' }, 'notice'],
    ['takes none after it', batch(), { kind: 'object' }, 'notice-closed'],
    ['is executed when approved', batch({ state: 'approved' }), { kind: 'execute' }, 'executing'],
    ['resumes', batch({ state: 'executing' }), { kind: 'execute' }, 'executing'],
    ['is not executed before', batch(), { kind: 'execute' }, 'batch-not-approved'],
    ['is not withdrawn while running', batch({ state: 'executing' }), { kind: 'withdraw' }, 'batch-running'],
    ['ends', batch({ state: 'executing' }), { kind: 'finish' }, 'done'],
    ['does not end before it ran', batch({ state: 'approved' }), { kind: 'finish' }, 'batch-not-executing'],
    ['stays done', batch({ state: 'done' }), { kind: 'withdraw' }, 'batch-running'],
  ];
  for (const [name, standing, act, expected] of table) {
    it(name, () => expect(outcome(standing, act)).toBe(expected));
  }
});

describe('at execution', () => {
  const check = (changes: Partial<ExecutionCheck> = {}): ExecutionCheck => ({
    disposed: false,
    held: false,
    objected: false,
    deferredUntil: null,
    action: 'destroy',
    batchAction: 'destroy',
    dueOn: today,
    physical: false,
    ...changes,
  });
  const table: [string, ExecutionCheck, string][] = [
    ['a record due today goes', check(), 'dispose'],
    ['one due tomorrow does not', check({ dueOn: today + 1 }), 'dropped'],
    ['one that waits again does not', check({ dueOn: null }), 'dropped'],
    ['one whose rule now transfers does not', check({ action: 'transfer' }), 'dropped'],
    ['a held one stays, objection or not', check({ held: true, objected: true }), 'blocked'],
    ['one with an objection stays', check({ objected: true }), 'objected'],
    ['one that was put off stays', check({ deferredUntil: today + 1 }), 'deferred'],
    ['one that was put off until today goes', check({ deferredUntil: today }), 'dispose'],
    ['one that was put off without a day is not put off', check({ deferredUntil: null }), 'dispose'],
    ['a held one is held, put off or not', check({ deferredUntil: today + 1, held: true }), 'blocked'],
    ['one that is gone is dropped', check({ disposed: true, held: true }), 'dropped'],
    ['a physical one becomes a task', check({ physical: true }), 'task'],
  ];
  for (const [name, what, expected] of table) {
    it(name, () => expect(executionVerdict(what, today).outcome).toBe(expected as 'dispose'));
  }
  it('the hold is named', () => {
    const verdict = executionVerdict(check({ held: true }), today);
    expect('reason' in verdict && verdict.reason).toBe('It is held.');
  });
});

describe('every act on a batch in every state', () => {
  const acts: Record<string, BatchAct> = {
    announce: { kind: 'announce' },
    object: { kind: 'object' },
    approve: { kind: 'approve', by: 'tomas', groups: [] },
    reject: { kind: 'reject', by: 'tomas' },
    execute: { kind: 'execute' },
    finish: { kind: 'finish' },
    withdraw: { kind: 'withdraw' },
  };
  /** What comes of it; “no” for a refusal. */
  const table: Record<BatchState, Record<keyof typeof acts, string>> = {
    proposed: { announce: 'notice', object: 'no', approve: 'no', reject: 'no', execute: 'no', finish: 'no', withdraw: 'withdrawn' },
    notice: { announce: 'no', object: 'no', approve: 'approved', reject: 'withdrawn', execute: 'no', finish: 'no', withdraw: 'withdrawn' },
    approved: {
      announce: 'no',
      object: 'no',
      approve: 'no',
      reject: 'withdrawn',
      execute: 'executing',
      finish: 'no',
      withdraw: 'withdrawn',
    },
    executing: { announce: 'no', object: 'no', approve: 'no', reject: 'no', execute: 'executing', finish: 'done', withdraw: 'no' },
    done: { announce: 'no', object: 'no', approve: 'no', reject: 'no', execute: 'no', finish: 'no', withdraw: 'no' },
    withdrawn: { announce: 'no', object: 'no', approve: 'no', reject: 'no', execute: 'no', finish: 'no', withdraw: 'no' },
  };
  for (const state of batchStates) {
    for (const [name, act] of Object.entries(acts)) {
      it(`${name} of what is ${state}: ${table[state][name]}`, () => {
        const result = actOnBatch(batch({ state }), act, today);
        expect(typeof result === 'string' ? result : 'no').toBe(table[state][name]!);
      });
    }
  }
  it('objections are taken while there is a notice that is not over', () => {
    expect(outcome(batch({ noticeUntil: null }), { kind: 'object' })).toBe('notice');
    expect(outcome(batch({ noticeUntil: today + 1 }), { kind: 'object' })).toBe('notice');
    for (const state of ['proposed', 'approved'] as const) {
      expect(outcome(batch({ state, noticeUntil: today + 1 }), { kind: 'object' })).toBe('notice-closed');
    }
    expect(outcome(batch({ noticeUntil: null }), { kind: 'approve', by: 'tomas', groups: [] })).toBe('approved');
  });
  it('a refusal is no approval', () => {
    const no = { by: 'piet', decision: 'reject' as const };
    expect(outcome(batch({ approvalsNeeded: 2, approvals: [no] }), { kind: 'approve', by: 'tomas', groups: [] })).toBe('notice');
    expect(outcome(batch({ approvals: [no] }), { kind: 'approve', by: 'ines', groups: [] })).toBe('notice');
  });
});
