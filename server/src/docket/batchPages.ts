import type { BatchLine, BatchPage, Gate } from '@key-cellar/contract';
import { hasRight } from '@key-cellar/core/access';
import { civilDate } from '@key-cellar/core/calendar';
import { approvalsNeeded, mayApprove, type BatchState } from '@key-cellar/core/docket';
import { mayDoTo, mayKnowOf, notFound, type PersonAccess, type SignedIn } from '../kernel/index.js';
import { batchKind } from './kinds.js';
import type { Receipt } from './receipt.js';
import type { Services } from './services.js';
import * as batchStore from './batchStore.js';
import * as noticeStore from './noticeStore.js';

function gatesOf(batch: batchStore.BatchRow, today: string): Gate[] {
  const order: BatchState[] = ['proposed', 'notice', 'approved', 'executing', 'done'];
  const reached = batch.state === 'withdrawn' ? -1 : order.indexOf(batch.state);
  const noticeClosed = batch.notice_until !== null && batch.notice_until < today;
  const blocked = batch.held > 0 && batch.held === batch.count;
  const needed = approvalsNeeded({ approvalsNeeded: batch.approvals_needed });
  const state = (passed: boolean, current: boolean): Gate['state'] => (passed ? 'passed' : current ? 'current' : 'ahead');
  const deciding = batch.state === 'notice' && noticeClosed;
  return [
    { name: 'proposed', state: state(reached >= 1, batch.state === 'proposed'), words: batch.proposed_on },
    {
      name: 'notice',
      state: state(noticeClosed || reached >= 2, batch.state === 'notice'),
      words:
        batch.notice_until === null ? '–' : noticeClosed || reached >= 2 ? `closed ${batch.notice_until}` : `until ${batch.notice_until}`,
    },
    {
      name: 'approved',
      state: blocked && reached < 3 ? 'blocked' : state(reached >= 2, deciding),
      words:
        blocked && reached < 3
          ? 'blocked by a hold'
          : reached >= 2
            ? (batch.approved_on ?? '')
            : deciding
              ? `${batch.approved_count} of ${needed}`
              : '–',
    },
    {
      name: 'done',
      state: state(batch.state === 'done', batch.state === 'executing' || batch.state === 'approved'),
      words: batch.finished_on ?? (batch.tasks > 0 ? 'waits for a person' : '–'),
    },
  ];
}

const plural = (n: number, one: string, many = `${one}s`): string => `${n} ${n === 1 ? one : many}`;

function noteOf(batch: batchStore.BatchRow, today: string): string {
  if (batch.state === 'withdrawn') return `withdrawn: ${batch.withdrawn_reason ?? ''}`;
  if (batch.state === 'done') {
    const kept = batch.refused > 0 ? `, ${batch.refused} not` : '';
    return `${batch.certificate_number ? `certificate ${batch.certificate_number} · ` : ''}${batch.disposed} ${batch.action === 'destroy' ? 'destroyed' : `transferred${batch.receipt ? `, accession ${batch.receipt.accession}` : ''}`}${kept}`;
  }
  const parts: string[] = [];
  if (batch.objections > 0) parts.push(plural(batch.objections, 'open objection'));
  if (batch.held > 0) parts.push(`${batch.held} stopped by a hold`);
  if (batch.tasks > 0)
    parts.push(`${plural(batch.tasks, 'physical item')} to ${batch.action === 'destroy' ? 'destroy' : 'hand over'} by hand`);
  if (batch.state === 'notice' && batch.notice_until !== null && batch.notice_until >= today) {
    const left = civilDate(batch.notice_until) - civilDate(today);
    parts.push(left === 0 ? 'last day to object' : `${plural(left, 'day')} left to object`);
  }
  if (batch.state === 'notice' && batch.notice_until !== null && batch.notice_until < today) parts.push('waits for a decision');
  if (batch.state === 'approved') parts.push('approved, not executed yet');
  if (batch.state === 'proposed') parts.push('not announced yet');
  if (stopped(batch)) parts.push('stopped before its end: execute it again');
  return parts.join(' · ');
}

/** Its job ended in failure (an archive that was away): executing again goes on where it stood. */
function stopped(batch: batchStore.BatchRow): boolean {
  return batch.state === 'executing' && !batch.running && batch.disposed + batch.refused + batch.tasks < batch.count;
}

const sentence = (words: string): string => words.replace(/^\p{Ll}/u, (first) => first.toUpperCase());

/** What a receipt says to people; what it proves by stays with the transfer. */
const shownReceipt = ({ archive, accession, receivedOn, bagSha256, files }: Receipt): BatchLine['receipt'] => ({
  archive,
  accession,
  receivedOn,
  bagSha256,
  files,
});

/** A decision that waits longer than this after the notice closed is late. */
const lateAfterDays = 7;

/** What may be done with a batch by somebody, and by whose rule: that of the acts themselves. */
interface BatchRights {
  readonly dispose: boolean;
  readonly approve: boolean;
}

function toLine(person: SignedIn, rights: BatchRights, batch: batchStore.BatchRow, groups: readonly string[]): BatchLine {
  const noticeClosed = batch.notice_until !== null && batch.notice_until < person.today;
  const decided = new Set(batch.decided_by);
  const acts: BatchLine['acts'] = [];
  if (batch.state === 'proposed' && rights.dispose) acts.push('announce');
  if (batch.state === 'notice' && !noticeClosed) acts.push('object');
  if (batch.state === 'notice' && noticeClosed && rights.approve && !decided.has(person.id)) {
    // The proposer's approval counts only beside another's; alone it would only confuse.
    const alone = batch.proposed_by === person.id && batch.approvals_needed <= 1;
    if (!alone && mayApprove(batch.approver_groups, groups)) acts.push('approve');
    acts.push('reject');
  }
  if ((batch.state === 'approved' || stopped(batch)) && rights.dispose) acts.push('execute');
  if (batch.state === 'executing' && rights.dispose && batch.tasks > 0) acts.push('confirm');
  if (['proposed', 'notice', 'approved'].includes(batch.state) && rights.dispose) acts.push('withdraw');
  return {
    id: batch.id,
    number: batch.number,
    action: batch.action,
    what: batch.what,
    state: batch.state,
    count: batch.count,
    held: batch.held,
    objections: batch.objections,
    tasks: batch.tasks,
    note: sentence(noteOf(batch, person.today)),
    gates: gatesOf(batch, person.today),
    late:
      batch.state === 'notice' && batch.notice_until !== null && civilDate(person.today) - civilDate(batch.notice_until) > lateAfterDays,
    certificate: batch.certificate_id ? { id: batch.certificate_id, number: batch.certificate_number! } : null,
    acts,
    receipt: batch.receipt && shownReceipt(batch.receipt),
  };
}

async function rightsOn(services: Services, person: SignedIn, access: PersonAccess, batch: batchStore.BatchRow): Promise<BatchRights> {
  const may = (right: 'dispose' | 'approve') => mayDoTo(services.pool, batchKind, batch, right, person, access);
  return { dispose: await may('dispose'), approve: await may('approve') };
}

/** Batches of which the person may see everything, late ones first. */
export async function listBatches(services: Services, person: SignedIn): Promise<BatchLine[]> {
  const access = await services.access.of(person);
  const [found, groups] = await Promise.all([batchStore.batches(services.pool), noticeStore.groupsOf(services.pool, person.id)]);
  const visible = await mayKnowOf(services.pool, batchKind, found, person, access);
  const lines = await Promise.all(visible.map(async (b) => toLine(person, await rightsOn(services, person, access, b), b, groups)));
  return lines.sort((a, b) => Number(b.late) - Number(a.late));
}

/** A batch with its numbers as they are for somebody who sees some of its records. */
function asSeen(
  batch: batchStore.BatchRow,
  all: number,
  items: readonly batchStore.ItemRow[],
  objections: readonly { readonly answer: string | null }[],
): batchStore.BatchRow {
  if (items.length === all) return batch;
  const of = (...outcomes: string[]): number => items.filter((i) => outcomes.includes(i.outcome)).length;
  return {
    ...batch,
    count: items.length,
    disposed: of('disposed'),
    refused: of('objected', 'blocked', 'dropped', 'deferred', 'sampled'),
    tasks: of('task'),
    held: items.filter((i) => i.outcome === 'open' && i.hold_count > 0).length,
    objections: objections.filter((o) => o.answer === null).length,
  };
}

/** One batch, with those of its records that the person may discover or owns. */
export async function batchPage(services: Services, person: SignedIn, id: string): Promise<BatchPage> {
  const { pool } = services;
  const access = await services.access.of(person);
  const [batch] = await batchStore.findBatches(pool, [id], false);
  if (!batch) throw notFound('This batch');
  const items = await batchStore.items(pool, id);
  const visible = items.filter((i) => hasRight(access.on(i.access_set_id).all, 'discover') || i.owner_id === person.id);
  if (visible.length === 0) throw notFound('This batch');
  const seen = new Set(visible.map((i) => i.record_id));
  const [approvals, all] = await Promise.all([noticeStore.approvals(pool, id), noticeStore.objections(pool, id)]);
  const objections = all.filter((o) => seen.has(o.record_id));
  return {
    ...toLine(
      person,
      await rightsOn(services, person, access, batch),
      asSeen(batch, items.length, visible, objections),
      await noticeStore.groupsOf(pool, person.id),
    ),
    revision: batch.revision,
    proposedBy: batch.proposed_by_name,
    approvalsNeeded: approvalsNeeded({ approvalsNeeded: batch.approvals_needed }),
    approverGroups: batch.approver_groups,
    noticeUntil: batch.notice_until,
    withdrawnReason: batch.withdrawn_reason,
    approvals: approvals.map((a) => ({ by: a.name, decision: a.decision, note: a.note, on: a.decided_on })),
    objectionList: objections.map((o) => ({
      id: o.id,
      recordId: o.record_id,
      record: o.record,
      by: o.by_name,
      reason: o.reason,
      answer: o.answer,
    })),
    items: visible.map((i) => ({
      recordId: i.record_id,
      number: i.number,
      title: i.title,
      dueOn: i.due_on ?? i.evidence?.dueOn ?? null,
      held: i.hold_count,
      medium: i.medium,
      container: i.container,
      outcome: i.outcome,
      reason: i.reason,
    })),
  };
}
