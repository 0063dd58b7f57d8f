import type { BatchLine, BatchPage, Gate, Told } from '@key-cellar/contract';
import { hasRight } from '@key-cellar/core/access';
import { civilDate } from '@key-cellar/core/calendar';
import { approvalsNeeded, mayApprove, type BatchState } from '@key-cellar/core/docket';
import { message, type Message } from '@key-cellar/words';
import { mayDoTo, mayKnowOf, notFound, type PersonAccess, type SignedIn } from '../kernel/index.js';
import { batchKind } from './kinds.js';
import type { Receipt } from './receipt.js';
import type { Services } from './services.js';
import { verdictOn } from './verdict.js';
import * as batchStore from './batchStore.js';
import * as noticeStore from './noticeStore.js';

function gatesOf(batch: batchStore.BatchRow, today: string): Told<Gate>[] {
  const order: BatchState[] = ['proposed', 'notice', 'approved', 'executing', 'done'];
  const reached = batch.state === 'withdrawn' ? -1 : order.indexOf(batch.state);
  const noticeClosed = batch.notice_until !== null && batch.notice_until < today;
  const blocked = batch.held > 0 && batch.held === batch.count;
  const needed = approvalsNeeded({ approvalsNeeded: batch.approvals_needed });
  const state = (passed: boolean, current: boolean): Told<Gate>['state'] => (passed ? 'passed' : current ? 'current' : 'ahead');
  const deciding = batch.state === 'notice' && noticeClosed;
  return [
    { name: 'proposed', state: state(reached >= 1, batch.state === 'proposed'), words: onDay(batch.proposed_on) },
    {
      name: 'notice',
      state: state(noticeClosed || reached >= 2, batch.state === 'notice'),
      words: noticeWords(batch, noticeClosed || reached >= 2),
    },
    {
      name: 'approved',
      state: blocked && reached < 3 ? 'blocked' : state(reached >= 2, deciding),
      words:
        blocked && reached < 3
          ? message('docket.gate.blocked')
          : reached >= 2 && batch.approved_on !== null
            ? onDay(batch.approved_on)
            : deciding
              ? message('docket.gate.approvals', { n: batch.approved_count, needed })
              : message('docket.gate.notYet'),
    },
    {
      name: 'done',
      state: state(batch.state === 'done', batch.state === 'executing' || batch.state === 'approved'),
      words:
        batch.finished_on !== null
          ? onDay(batch.finished_on)
          : message(batch.tasks > 0 ? 'docket.gate.waitsForPerson' : 'docket.gate.notYet'),
    },
  ];
}

const onDay = (day: string): Message => message('shared.asIs', { text: { day } });

function noticeWords({ notice_until: until }: batchStore.BatchRow, closed: boolean): Message {
  if (until === null) return message('docket.gate.notYet');
  return message(closed ? 'docket.gate.noticeClosed' : 'docket.gate.noticeUntil', { on: { day: until } });
}

/** Several notes in one line. */
const inLine = (parts: readonly Message[]): Message =>
  parts.length === 0 ? message('shared.nothing') : parts.reduce((first, second) => message('shared.inLine', { first, second }));

function noteOf(batch: batchStore.BatchRow, today: string): Message {
  if (batch.state === 'withdrawn') {
    if (batch.withdrawn_reason) return message('docket.note.withdrawn', { reason: batch.withdrawn_reason });
    return message(batch.count > 0 && batch.sampled === batch.count ? 'docket.note.allSampled' : 'docket.note.withdrawnOnly');
  }
  const parts: Message[] = [];
  if (batch.state === 'done') {
    if (batch.certificate_number) parts.push(message('docket.note.certificate', { number: batch.certificate_number }));
    parts.push(message('docket.note.done', { n: batch.disposed, action: batch.action, kept: batch.refused }));
    if (batch.receipt) parts.push(message('docket.note.accession', { accession: batch.receipt.accession }));
    return inLine(parts);
  }
  if (batch.objections > 0) parts.push(message('docket.note.objections', { n: batch.objections }));
  if (batch.held > 0) parts.push(message('docket.note.held', { n: batch.held }));
  if (batch.tasks > 0) parts.push(message('docket.note.tasks', { n: batch.tasks, action: batch.action }));
  if (batch.state === 'notice' && batch.notice_until !== null) {
    const left = civilDate(batch.notice_until) - civilDate(today);
    parts.push(left < 0 ? message('docket.note.waitsForDecision') : message('docket.note.daysLeft', { n: left }));
  }
  if (batch.state === 'approved') parts.push(message('docket.note.approved'));
  if (batch.state === 'proposed') parts.push(message('docket.note.proposed'));
  if (stopped(batch)) parts.push(message('docket.note.stopped'));
  return inLine(parts);
}

/** Its job ended in failure (an archive that was away): executing again goes on where it stood. */
function stopped(batch: batchStore.BatchRow): boolean {
  return batch.state === 'executing' && !batch.running && batch.disposed + batch.refused + batch.tasks < batch.count;
}

/** What a receipt says to people; what it proves by stays with the transfer. */
const shownReceipt = ({ archive, accession, receivedOn, bagSha256, files }: Receipt): Told<BatchLine>['receipt'] => ({
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

function toLine(person: SignedIn, rights: BatchRights, batch: batchStore.BatchRow, groups: readonly string[]): Told<BatchLine> {
  const noticeClosed = batch.notice_until !== null && batch.notice_until < person.today;
  const decided = new Set(batch.decided_by);
  const acts: Told<BatchLine>['acts'] = [];
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
    note: noteOf(batch, person.today),
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

/** Batches of which the person may see everything, late ones first: all, or those that are not done or withdrawn. */
export async function listBatches(services: Services, person: SignedIn, which: 'all' | 'open'): Promise<Told<BatchLine>[]> {
  const access = await services.access.of(person);
  const [found, groups] = await Promise.all([
    which === 'all' ? batchStore.batches(services.pool) : batchStore.openBatches(services.pool),
    noticeStore.groupsOf(services.pool, person.id),
  ]);
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
    sampled: of('sampled'),
    tasks: of('task'),
    held: items.filter((i) => i.outcome === 'open' && i.hold_count > 0).length,
    objections: objections.filter((o) => o.answer === null).length,
  };
}

/** Why a record that is still open would not go if the batch were executed now, by the rule alone; null where it would, or is kept by something else. */
function notDue(item: batchStore.ItemRow, batchAction: 'destroy' | 'transfer', today: string): Message | null {
  if (item.outcome !== 'open') return null;
  const verdict = verdictOn({ ...item, deferred_until: null }, { batchAction, objected: false }, today);
  return verdict.outcome === 'dropped' ? verdict.reason : null;
}

/** One batch, with those of its records that the person may discover or owns. */
export async function batchPage(services: Services, person: SignedIn, id: string): Promise<Told<BatchPage>> {
  const { pool } = services;
  const access = await services.access.of(person);
  const [batch] = await batchStore.findBatches(pool, [id], false);
  if (!batch) throw notFound(message('thing.batch'));
  const items = await batchStore.items(pool, id);
  const visible = items.filter((i) => hasRight(access.on(i.access_set_id).all, 'discover') || i.owner_id === person.id);
  if (visible.length === 0) throw notFound(message('thing.batch'));
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
    notDue: visible.filter((i) => notDue(i, batch.action, person.today) !== null).length,
    items: visible.map((i) => ({
      recordId: i.record_id,
      number: i.number,
      title: i.title,
      dueOn: i.due_on ?? i.evidence?.dueOn ?? null,
      held: i.hold_count,
      medium: i.medium,
      container: i.container,
      outcome: i.outcome,
      reason: i.reason ?? notDue(i, batch.action, person.today),
    })),
  };
}
