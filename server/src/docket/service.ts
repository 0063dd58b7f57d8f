import type { BatchLine, BatchPage, DueGroup, Gate } from '@key-cellar/contract';
import { hasRight } from '@key-cellar/core/access';
import { civilDate, formatCivilDate, yearMonthDay } from '@key-cellar/core/calendar';
import { actOnBatch, approvalsNeeded, mayApprove, type BatchAct, type BatchStanding, type BatchState } from '@key-cellar/core/docket';
import { uuidv7 } from 'uuidv7';
import { requireRight, type PersonAccess } from '../access/index.js';
import { withUnitOfWork, type UnitOfWork } from '../db/index.js';
import { send, type SignedIn } from '../identity/index.js';
import { notAllowed, notFound, Problem, refused, wrongField } from '../problem.js';
import { recordById } from '../records/index.js';
import type { Services } from '../services.js';
import * as store from './store.js';

const yearOf = (date: string): number => yearMonthDay(civilDate(date)).year;
const padded = (n: number): string => String(n).padStart(3, '0');

export function groupKey(g: Pick<store.GroupRow, 'series_id' | 'rule_version_id' | 'action' | 'medium'>): string {
  return [g.series_id, g.rule_version_id ?? '-', g.action, g.medium].join('|');
}

function disposingStep(g: store.GroupRow): { approvals: number; noticeDays: number; approverGroups: readonly string[] } {
  const step = g.steps?.find((s) => s.kind === g.action);
  return { approvals: Math.max(1, step?.approvals ?? 1), noticeDays: step?.noticeDays ?? 14, approverGroups: step?.approverGroups ?? [] };
}

export async function dueGroups(services: Services, person: SignedIn): Promise<DueGroup[]> {
  const access = await services.access.of(person);
  const found = await store.dueGroups(services.pool, access.sets('discover'), access.sets('dispose'));
  return found.map((g) => ({
    key: groupKey(g),
    seriesId: g.series_id,
    seriesCode: g.series_code,
    seriesTitle: g.series_title,
    ruleCode: g.rule_code,
    action: g.action,
    medium: g.medium,
    vintages: g.vintages.sort((a, b) => a - b),
    since: g.since,
    count: g.n,
    held: g.held,
    ...disposingStep(g),
    mayPropose: g.disposable > 0 && g.n > 0,
  }));
}

/** Vintages in words: "2015", "2015 and 2016", "2012 to 2016". */
export function vintageWords(vintages: readonly number[]): string {
  const years = vintages.filter((v) => v > 0);
  if (years.length === 0) return '';
  if (years.length === 1) return String(years[0]);
  if (years.length === 2) return `${years[0]} and ${years[1]}`;
  return `${years[0]} to ${years.at(-1)}`;
}

export async function propose(
  services: Services,
  person: SignedIn,
  input: { groupKey: string; noticeDays: number; announce: boolean },
): Promise<{ id: string; number: string }> {
  const access = await services.access.of(person);
  const groups = await store.dueGroups(services.pool, access.sets('discover'), access.sets('dispose'));
  const group = groups.find((g) => groupKey(g) === input.groupKey);
  if (!group) throw new Problem(409, 'group-gone', 'Nothing of this group is due any more, or it is in a batch already.');
  const needed = disposingStep(group);
  if (input.noticeDays < needed.noticeDays) {
    throw wrongField('/noticeDays', `The rule asks for at least ${needed.noticeDays} days of notice.`);
  }
  return withUnitOfWork(services.pool, person, async (uow) => {
    const records = await store.lockGroup(
      uow,
      { seriesId: group.series_id, ruleVersionId: group.rule_version_id, action: group.action, medium: group.medium },
      access.sets('dispose'),
    );
    if (records.length === 0) throw notAllowed('dispose');
    const year = yearOf(person.today);
    const number = `D-${year}-${padded(await store.nextBatchNumber(uow, 'batch', year))}`;
    const id = uuidv7();
    const vintages = [...new Set(records.map((r) => r.vintage ?? 0))].sort((a, b) => a - b);
    const what = [`${records.length} × ${group.series_title}`, group.series_code, vintageWords(vintages)].filter(Boolean).join(', ');
    await store.addBatch(uow, {
      id,
      number,
      action: group.action,
      what,
      approvalsNeeded: needed.approvals,
      approverGroups: needed.approverGroups,
      noticeDays: input.noticeDays,
      by: person.id,
      today: person.today,
    });
    await store.addItems(
      uow,
      id,
      records.map((r) => r.id),
    );
    await store.setDocket(
      uow,
      records.map((r) => r.id),
      'batch',
    );
    uow.enter({
      act: 'proposed a batch',
      subject: { kind: 'batch', id, name: number },
      after: { what, action: group.action, records: records.length, rule: group.rule_code },
    });
    if (input.announce) await announceIn(uow, (await store.batchById(uow, id))!, person);
    return { id, number };
  });
}

async function standingOf(uow: UnitOfWork, batch: store.BatchRow): Promise<BatchStanding> {
  const approvals = await store.approvals(uow, batch.id);
  return {
    state: batch.state,
    proposedBy: batch.proposed_by,
    approvalsNeeded: batch.approvals_needed,
    approverGroups: batch.approver_groups,
    approvals: approvals.map((a) => ({ by: a.principal_id, decision: a.decision })),
    noticeUntil: batch.notice_until === null ? null : civilDate(batch.notice_until),
  };
}

async function nextState(uow: UnitOfWork, batch: store.BatchRow, act: BatchAct): Promise<BatchState> {
  const next = actOnBatch(await standingOf(uow, batch), act, civilDate(uow.actor.today));
  if (typeof next !== 'string') throw refused(next);
  return next;
}

const subjectOf = (b: store.BatchRow) => ({ kind: 'batch', id: b.id, name: b.number });

async function announceIn(uow: UnitOfWork, batch: store.BatchRow, person: SignedIn): Promise<void> {
  const state = await nextState(uow, batch, { kind: 'announce' });
  const noticeUntil = formatCivilDate(civilDate(person.today) + batch.notice_days);
  await store.setBatchState(uow, batch.id, state, { announcedOn: person.today, noticeUntil });
  const items = await store.items(uow, batch.id);
  const what = batch.action === 'destroy' ? 'destroyed' : 'transferred to the archive and removed here';
  const owners = new Map<string, number>();
  for (const item of items) if (item.owner_id) owners.set(item.owner_id, (owners.get(item.owner_id) ?? 0) + 1);
  await send(
    uow,
    [...owners].map(([toId, n]) => ({
      toId,
      kind: 'notice',
      subject: `Notice ${batch.number}: ${n} of your records are due to be ${batch.action === 'destroy' ? 'destroyed' : 'transferred'}`,
      body: `Batch ${batch.number} holds ${batch.what}. You own ${n} of them. If one of them must stay, object with a reason by ${noticeUntil}. Without an objection they are ${what} after approval.`,
      link: `/docket/${batch.id}`,
    })),
  );
  uow.enter({ act: 'announced a batch', subject: subjectOf(batch), after: { noticeUntil, notified: [...owners.keys()] } });
}

interface BatchRights {
  readonly see: boolean;
  readonly dispose: boolean;
  readonly approve: boolean;
}

/** Rights on a batch are rights on everything in it. */
function rightsOn(batch: store.BatchRow, access: PersonAccess): BatchRights {
  const every = (right: 'discover' | 'dispose' | 'approve'): boolean =>
    (batch.sets ?? []).every((set) => hasRight(access.on(set).all, right));
  return { see: every('discover'), dispose: every('dispose'), approve: every('approve') };
}

async function requireBatch(
  services: Services,
  uow: UnitOfWork,
  person: SignedIn,
  id: string,
  right: 'dispose' | 'approve',
): Promise<store.BatchRow> {
  const batch = await store.lockBatch(uow, id);
  if (!batch) throw notFound('This batch');
  const rights = rightsOn(batch, await services.access.of(person));
  if (!rights.see) throw notFound('This batch');
  if (!rights[right]) throw notAllowed(right);
  return batch;
}

function gatesOf(batch: store.BatchRow, today: string): Gate[] {
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

function noteOf(batch: store.BatchRow, today: string): string {
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
function stopped(batch: store.BatchRow): boolean {
  return batch.state === 'executing' && !batch.running && batch.disposed + batch.refused + batch.tasks < batch.count;
}

const sentence = (words: string): string => words.replace(/^\p{Ll}/u, (first) => first.toUpperCase());

/** A decision that waits longer than this after the notice closed is late. */
const lateAfterDays = 7;

async function toLine(
  services: Services,
  person: SignedIn,
  access: PersonAccess,
  batch: store.BatchRow,
  groups: readonly string[],
): Promise<BatchLine> {
  const rights = rightsOn(batch, access);
  const noticeClosed = batch.notice_until !== null && batch.notice_until < person.today;
  const decided = new Set((await store.approvals(services.pool, batch.id)).map((a) => a.principal_id));
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
    receipt: batch.receipt,
  };
}

export async function listBatches(services: Services, person: SignedIn): Promise<BatchLine[]> {
  const access = await services.access.of(person);
  const visible = (await store.batches(services.pool)).filter((b) => rightsOn(b, access).see);
  const groups = await store.groupsOf(services.pool, person.id);
  const lines = await Promise.all(visible.map((b) => toLine(services, person, access, b, groups)));
  return lines.sort((a, b) => Number(b.late) - Number(a.late));
}

export async function batchPage(services: Services, person: SignedIn, id: string): Promise<BatchPage> {
  const { pool } = services;
  const access = await services.access.of(person);
  const batch = await store.batchById(pool, id);
  if (!batch) throw notFound('This batch');
  const items = await store.items(pool, id);
  const visible = items.filter((i) => hasRight(access.on(i.access_set_id).all, 'discover') || i.owner_id === person.id);
  if (visible.length === 0) throw notFound('This batch');
  const seen = new Set(visible.map((i) => i.record_id));
  const [approvals, objections] = await Promise.all([store.approvals(pool, id), store.objections(pool, id)]);
  return {
    ...(await toLine(services, person, access, batch, await store.groupsOf(pool, person.id))),
    revision: batch.revision,
    proposedBy: batch.proposed_by_name,
    approvalsNeeded: approvalsNeeded({ approvalsNeeded: batch.approvals_needed }),
    approverGroups: batch.approver_groups,
    noticeUntil: batch.notice_until,
    withdrawnReason: batch.withdrawn_reason,
    approvals: approvals.map((a) => ({ by: a.name, decision: a.decision, note: a.note, on: a.decided_on })),
    objectionList: objections
      .filter((o) => seen.has(o.record_id))
      .map((o) => ({ id: o.id, recordId: o.record_id, record: o.record, by: o.by_name, reason: o.reason, answer: o.answer })),
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

export async function announce(services: Services, person: SignedIn, id: string): Promise<void> {
  await withUnitOfWork(services.pool, person, async (uow) => {
    await announceIn(uow, await requireBatch(services, uow, person, id, 'dispose'), person);
  });
}

export async function object(services: Services, person: SignedIn, id: string, input: { recordId: string; reason: string }): Promise<void> {
  const access = await services.access.of(person);
  await withUnitOfWork(services.pool, person, async (uow) => {
    const batch = await store.lockBatch(uow, id);
    const item = batch && (await store.items(uow, id)).find((i) => i.record_id === input.recordId);
    if (!batch || !item) throw notFound('This record of the batch');
    requireRight(access, person, await recordById(uow, input.recordId), 'read');
    await nextState(uow, batch, { kind: 'object' });
    await store.addObjection(uow, { id: uuidv7(), batchId: id, recordId: input.recordId, by: person.id, reason: input.reason, at: uow.at });
    uow.enter({
      act: 'objected',
      subject: { kind: 'record', id: input.recordId, name: `${item.number} ${item.title}` },
      after: { batch: batch.number },
      note: input.reason,
    });
    await send(uow, [
      {
        toId: batch.proposed_by,
        kind: 'objection',
        subject: `Objection in ${batch.number}: ${item.number}`,
        body: `${person.name} objects to the ${batch.action === 'destroy' ? 'destruction' : 'transfer'} of ${item.number} ${item.title}: ${input.reason}`,
        link: `/docket/${id}`,
      },
    ]);
  });
}

/** How long a record is put off: the day on which it comes due again, after today and within thirty years. */
function requireLater(person: SignedIn, until: string): string {
  if (until <= person.today) throw wrongField('/until', 'This must be a day after today.');
  if (yearOf(until) > yearOf(person.today) + 30)
    throw wrongField('/until', 'This is more than thirty years ahead; an override says so better.');
  return until;
}

/** Takes a record of a batch that is still under way out of it until a day. */
async function putOff(
  uow: UnitOfWork,
  batch: store.BatchRow,
  item: store.ItemRow,
  given: { until: string; reason: string },
): Promise<void> {
  await store.setOutcome(uow, batch.id, item.record_id, 'deferred', `Put off until ${given.until}: ${given.reason}`);
  await store.defer(uow, [item.record_id], given.until, given.reason);
  uow.enter({
    act: 'put off',
    subject: { kind: 'record', id: item.record_id, name: `${item.number} ${item.title}` },
    after: { batch: batch.number, until: given.until },
    note: given.reason,
  });
}

export async function defer(
  services: Services,
  person: SignedIn,
  id: string,
  input: { recordId: string; until: string; reason: string },
): Promise<void> {
  const until = requireLater(person, input.until);
  await withUnitOfWork(services.pool, person, async (uow) => {
    const batch = await requireBatch(services, uow, person, id, 'dispose');
    const item = (await store.items(uow, id)).find((i) => i.record_id === input.recordId);
    if (!item) throw notFound('This record of the batch');
    if (!['proposed', 'notice', 'approved'].includes(batch.state) || item.outcome !== 'open')
      throw new Problem(409, 'batch-running', 'This record can no longer be put off: the batch has dealt with it.');
    await putOff(uow, batch, item, { until, reason: input.reason });
  });
}

/** Answers an objection: with `keep` the record leaves the batch and is put off until a day, else it goes on. */
export async function answer(
  services: Services,
  person: SignedIn,
  objectionId: string,
  input: { keep: true; answer: string; until: string } | { keep: false; answer: string },
): Promise<void> {
  await withUnitOfWork(services.pool, person, async (uow) => {
    const objection = await store.objectionById(uow, objectionId);
    if (!objection) throw notFound('This objection');
    const batch = await requireBatch(services, uow, person, objection.batch_id, 'dispose');
    if (objection.answered_at !== null) throw new Problem(409, 'answered-before', 'This objection was answered before.');
    if (!['notice', 'approved'].includes(batch.state))
      throw new Problem(409, 'batch-running', 'The batch is past the point of objections.');
    await store.answerObjection(uow, objectionId, input.answer, uow.at);
    if (input.keep) {
      const item = (await store.items(uow, batch.id)).find((i) => i.record_id === objection.record_id)!;
      await putOff(uow, batch, item, { until: requireLater(person, input.until), reason: input.answer });
    }
    uow.enter({
      act: 'answered an objection',
      subject: subjectOf(batch),
      after: { record: objection.record_id, keep: input.keep, ...(input.keep ? { until: input.until } : {}) },
      note: input.answer,
    });
    await send(uow, [
      {
        toId: objection.by_id,
        kind: 'objection answered',
        subject: `Your objection in ${batch.number} was answered`,
        body: `${input.keep ? `The record stays until ${input.until}.` : 'The record goes on.'} ${input.answer}`,
        link: `/docket/${batch.id}`,
      },
    ]);
  });
}

export async function decide(
  services: Services,
  person: SignedIn,
  id: string,
  input: { decision: 'approve' | 'reject'; note: string },
): Promise<void> {
  await withUnitOfWork(services.pool, person, async (uow) => {
    const batch = await requireBatch(services, uow, person, id, 'approve');
    if (batch.objections > 0 && input.decision === 'approve') {
      throw new Problem(409, 'objection-open', 'An objection is not answered yet. The keeper who proposed the batch answers it.');
    }
    const state = await nextState(
      uow,
      batch,
      input.decision === 'reject'
        ? { kind: 'reject', by: person.id }
        : { kind: 'approve', by: person.id, groups: await store.groupsOf(uow, person.id) },
    );
    await store.addApproval(uow, {
      batchId: id,
      by: person.id,
      decision: input.decision,
      note: input.note,
      today: person.today,
      at: uow.at,
    });
    uow.enter({
      act: input.decision === 'approve' ? 'approved a batch' : 'refused a batch',
      subject: subjectOf(batch),
      note: input.note || undefined,
    });
    if (input.decision === 'reject') await letGo(uow, batch, `refused by ${person.name}: ${input.note}`);
    else if (state !== batch.state) await store.setBatchState(uow, id, state, { approvedOn: person.today });
  });
}

/** Ends a batch before its time; its records are due again and want a fresh notice. */
async function letGo(uow: UnitOfWork, batch: store.BatchRow, reason: string): Promise<void> {
  await store.setBatchState(uow, batch.id, 'withdrawn', { withdrawnReason: reason });
  const items = (await store.items(uow, batch.id)).filter((i) => i.outcome === 'open');
  for (const item of items) await store.setOutcome(uow, batch.id, item.record_id, 'dropped', 'The batch was withdrawn.');
  await store.setDocket(
    uow,
    items.map((i) => i.record_id),
    'due',
  );
}

export async function withdraw(services: Services, person: SignedIn, id: string, reason: string): Promise<void> {
  await withUnitOfWork(services.pool, person, async (uow) => {
    const batch = await requireBatch(services, uow, person, id, 'dispose');
    await nextState(uow, batch, { kind: 'withdraw' });
    await letGo(uow, batch, reason);
    uow.enter({ act: 'withdrew a batch', subject: subjectOf(batch), note: reason });
  });
}

export { nextState, requireBatch, subjectOf };
