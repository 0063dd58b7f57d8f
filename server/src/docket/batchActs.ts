import { message } from '@key-cellar/words';
import { docket } from '@key-cellar/contract';
import { civilDate, yearMonthDay } from '@key-cellar/core/calendar';
import type { BatchAct, BatchState } from '@key-cellar/core/docket';
import { refuse, type Refusal } from '@key-cellar/core/records';
import { describeSample, isSampled } from '@key-cellar/core/schedule';
import { uuidv7 } from 'uuidv7';
import { send } from '../identity/index.js';
import { actsFor, addJob, many, noRight, notAllowed, one, Problem, wrongField, type Entered, type UnitOfWork } from '../kernel/index.js';
import { keepForGood, lastDayOfNotice } from '../schedule/index.js';
import { confirmByHand } from './execution.js';
import { disposingStep, groupKey, groupOfKey, vintageWords } from './groups.js';
import { batchKind, dueKind, itemKind, objectionKind } from './kinds.js';
import type { Services } from './services.js';
import { nextState, stateAfter } from './standing.js';
import * as batchStore from './batchStore.js';
import * as dueStore from './dueStore.js';
import * as noticeStore from './noticeStore.js';

const { act } = actsFor<Services>();
const yearOf = (date: string): number => yearMonthDay(civilDate(date)).year;
const padded = (n: number): string => String(n).padStart(3, '0');

/** Why the core refuses an act on a batch. */
const refusalOf = (batch: batchStore.BatchRow, asked: BatchAct, today: string): Refusal | null => {
  const next = stateAfter(batch, asked, today);
  return typeof next === 'string' ? null : next;
};

/** Announces a batch: from now on its owners may object. Gives what the ledger says of it. */
async function announceBatch(uow: UnitOfWork, batch: batchStore.BatchRow): Promise<Entered> {
  const items = (await batchStore.items(uow, batch.id)).filter((i) => i.outcome === 'open');
  const ids = items.map((i) => i.record_id);
  const noticeUntil = await lastDayOfNotice(uow, ids, batch.notice_days, uow.actor.today);
  await batchStore.setBatchState(uow, batch.id, 'notice', { announcedOn: uow.actor.today, noticeUntil });
  const owners = new Map<string, number>();
  for (const item of items) if (item.owner_id) owners.set(item.owner_id, (owners.get(item.owner_id) ?? 0) + 1);
  await send(
    uow,
    [...owners].map(([toId, n]) => ({
      toId,
      kind: 'notice',
      subject: message('docket.letter.notice', { number: batch.number, n, action: batch.action }),
      body: message('docket.letter.noticeBody', {
        number: batch.number,
        what: batch.what,
        n,
        until: { day: noticeUntil },
        action: batch.action,
      }),
      link: `/docket/${batch.id}`,
    })),
  );
  return { act: 'announced a batch', subject: batchKind.subject(batch), after: { noticeUntil, notified: [...owners.keys()] } };
}

/** Those of a group that its rule keeps as a sample. */
async function sampleOf(
  uow: UnitOfWork,
  { sample, action }: dueStore.GroupRow,
  records: readonly dueStore.DueRow[],
): Promise<dueStore.DueRow[]> {
  if (!sample || action !== 'destroy') return [];
  const matched =
    sample.kind === 'criteria'
      ? await dueStore.matchingAmong(
          uow,
          records.map((r) => r.id),
          sample.criteria,
        )
      : new Set<string>();
  return records.filter((r) => isSampled(sample, r, matched.has(r.id)));
}

/** The day on which a record that is put off comes due again: after today and within thirty years. */
function requireLater(today: string, until: string): string {
  if (until <= today) throw wrongField('/until', message('docket.mustDayAfterToday'));
  if (yearOf(until) > yearOf(today) + 30) throw wrongField('/until', message('docket.moreThirtyYearsAhead'));
  return until;
}

/** Takes a record of a batch that is still under way out of it until a day. Gives what the ledger says of it. */
async function putOff(
  uow: UnitOfWork,
  batch: batchStore.BatchRow,
  item: batchStore.ItemRow,
  given: { until: string; reason: string },
): Promise<Entered> {
  await batchStore.setOutcome(
    uow,
    batch.id,
    [item.record_id],
    'deferred',
    message('docket.deferred', { until: { day: given.until }, reason: given.reason }),
  );
  await dueStore.defer(uow, [item.record_id], given.until, given.reason);
  return {
    act: 'deferred',
    subject: { kind: 'record', id: item.record_id, name: `${item.number} ${item.title}` },
    after: { batch: batch.number, until: given.until },
    note: given.reason,
  };
}

/** Ends a batch before its time; its records are due again and need a new notice. */
async function letGo(uow: UnitOfWork, batch: batchStore.BatchRow, reason: string): Promise<void> {
  await batchStore.setBatchState(uow, batch.id, 'withdrawn', { withdrawnReason: reason });
  const open = (await batchStore.items(uow, batch.id)).filter((i) => i.outcome === 'open').map((i) => i.record_id);
  await batchStore.setOutcome(uow, batch.id, open, 'dropped', message('docket.batchWithdrawn'));
  await dueStore.setDocket(uow, open, 'due');
}

export const batchActs = {
  propose: act(docket.propose, {
    name: 'proposed a batch',
    also: ['announced a batch', 'kept as a sample'],
    on: {
      records: many(
        dueKind,
        async ({ body }, { db, access }) => {
          const group = groupOfKey(body.groupKey);
          return group ? dueStore.idsInGroup(db, group, access.sets('discover')) : [];
        },
        'dispose',
      ),
    },
    repeat: 'refused',
    async write(uow, { on: { records }, left, body, access, person }) {
      const found = await dueStore.dueGroups(uow, access.sets('discover'), access.sets('dispose'));
      const group = found.find((g) => groupKey(g) === body.groupKey);
      if (!group) throw new Problem(409, 'group-gone', message('docket.groupGone'));
      if (records.length === 0) throw left.length > 0 ? notAllowed('dispose') : new Problem(409, 'group-held', message('docket.groupHeld'));
      const needed = disposingStep(group);
      if (body.noticeDays < needed.noticeDays) {
        throw wrongField('/noticeDays', message('docket.ruleAsksAtLeast', { noticeDays: needed.noticeDays }));
      }
      const year = yearOf(person.today);
      const number = `D-${year}-${padded(await batchStore.nextBatchNumber(uow, 'batch', year))}`;
      const id = uuidv7();
      const vintages = [...new Set(records.map((r) => r.vintage ?? 0))].sort((a, b) => a - b);
      const sampled = await sampleOf(uow, group, records);
      const sampledIds = sampled.map((r) => r.id);
      const isKept = new Set(sampledIds);
      const going = records.map((r) => r.id).filter((recordId) => !isKept.has(recordId));
      const what = [`${going.length} × ${group.series_title}`, group.series_code, vintageWords(vintages)].filter(Boolean).join(', ');
      await batchStore.addBatch(uow, {
        id,
        number,
        action: group.action,
        what,
        approvalsNeeded: needed.approvals,
        approverGroups: needed.approverGroups,
        noticeDays: body.noticeDays,
        by: person.id,
        today: person.today,
      });
      await batchStore.addItems(
        uow,
        id,
        records.map((r) => r.id),
      );
      await dueStore.setDocket(uow, going, 'batch');
      const kept = message('docket.keptAsSample', {
        sample: group.sample ? describeSample(group.sample) : '',
        rule: group.rule_code ?? '',
      });
      await batchStore.setOutcome(uow, id, sampledIds, 'sampled', kept);
      await keepForGood(uow, sampledIds, kept);
      const proposed = {
        act: 'proposed a batch',
        subject: { kind: 'batch', id, name: number },
        after: { what, action: group.action, records: going.length, sampled: sampled.length, rule: group.rule_code },
      };
      const samples = sampled.map((r) => ({
        act: 'kept as a sample',
        subject: { kind: 'record', id: r.id, name: `${r.number} ${r.title}` },
        after: { batch: number, why: kept },
      }));
      // Nothing is left to be destroyed; the batch stays to say what was kept, and why.
      if (going.length === 0) await batchStore.setBatchState(uow, id, 'withdrawn');
      const announced =
        body.announce && going.length > 0 ? [await announceBatch(uow, (await batchStore.findBatches(uow, [id], true))[0]!)] : [];
      return { answer: { id, number }, entry: [proposed, ...samples, ...announced] };
    },
  }),

  announce: act(docket.announce, {
    name: 'announced a batch',
    on: { batch: one(batchKind, ({ params }) => params.id, 'dispose') },
    repeat: 'refused',
    decide: ({ on: { batch }, person }) => refusalOf(batch, { kind: 'announce' }, person.today),
    async write(uow, { on: { batch } }) {
      return { answer: {}, entry: await announceBatch(uow, batch) };
    },
  }),

  object: act(docket.object, {
    name: 'objected',
    on: { one: one(itemKind, ({ params, body }) => `${params.id}/${body.recordId}`, 'read') },
    repeat: 'another',
    decide: ({ on: { one: of }, person }) => refusalOf(of.batch, { kind: 'object' }, person.today),
    async write(uow, { on: { one: of }, body, person }) {
      const { batch, item } = of;
      await noticeStore.addObjection(uow, {
        id: uuidv7(),
        batchId: batch.id,
        recordId: item.record_id,
        by: person.id,
        reason: body.reason,
        at: uow.at,
      });
      await send(uow, [
        {
          toId: batch.proposed_by,
          kind: 'objection',
          subject: message('docket.letter.objection', { number: batch.number, record: item.number }),
          body: message('docket.letter.objectionBody', {
            person: person.name,
            action: batch.action,
            record: item.number,
            title: item.title,
            reason: body.reason,
          }),
          link: `/docket/${batch.id}`,
        },
      ]);
      return { answer: {}, entry: { after: { batch: batch.number }, note: body.reason } };
    },
  }),

  /** With `keep` the record leaves the batch and is deferred until a day, else it goes on. */
  answer: act(docket.answer, {
    name: 'answered an objection',
    also: ['deferred'],
    on: { one: one(objectionKind, ({ params }) => params.id, 'dispose') },
    repeat: 'refused',
    decide({ on: { one: of } }) {
      if (of.objection.answered_at !== null) return refuse('answered-before', message('docket.answeredBefore'));
      const open = of.batch.state === 'notice' || of.batch.state === 'approved';
      return open ? null : refuse('batch-running', message('docket.batchRunning'));
    },
    async write(uow, { on: { one: of }, body, person }) {
      const { batch, objection } = of;
      await noticeStore.answerObjection(uow, objection.id, body.answer, uow.at);
      const answered = {
        act: 'answered an objection',
        subject: batchKind.subject(batch),
        after: { record: objection.record_id, keep: body.keep, ...(body.keep ? { until: body.until } : {}) },
        note: body.answer,
      };
      await send(uow, [
        {
          toId: objection.by_id,
          kind: 'objection answered',
          subject: message('docket.letter.answered', { number: batch.number }),
          body: body.keep
            ? message('docket.letter.answeredKeep', { until: { day: body.until }, answer: body.answer })
            : message('docket.letter.answeredGoOn', { answer: body.answer }),
          link: `/docket/${batch.id}`,
        },
      ]);
      if (!body.keep) return { answer: {}, entry: answered };
      const item = (await batchStore.itemOf(uow, batch.id, objection.record_id))!;
      const until = requireLater(person.today, body.until);
      return { answer: {}, entry: [answered, await putOff(uow, batch, item, { until, reason: body.answer })] };
    },
  }),

  defer: act(docket.defer, {
    name: 'deferred',
    on: {
      batch: one(batchKind, ({ params }) => params.id, 'dispose'),
      one: one(itemKind, ({ params, body }) => `${params.id}/${body.recordId}`, noRight),
    },
    repeat: 'refused',
    decide: ({ on: { batch, one: of } }) =>
      ['proposed', 'notice', 'approved'].includes(batch.state) && of.item.outcome === 'open'
        ? null
        : refuse('batch-running', message('docket.recordCanNoLonger')),
    async write(uow, { on: { batch, one: of }, body, person }) {
      const until = requireLater(person.today, body.until);
      return { answer: {}, entry: await putOff(uow, batch, of.item, { until, reason: body.reason }) };
    },
  }),

  approve: act(docket.approve, {
    name: 'approved a batch',
    on: { batch: one(batchKind, ({ params }) => params.id, 'approve') },
    repeat: 'refused',
    async write(uow, { on: { batch }, body, person }) {
      if (batch.objections > 0) {
        throw new Problem(409, 'objection-open', message('docket.objectionOpen'));
      }
      const state = nextState(batch, { kind: 'approve', by: person.id, groups: await noticeStore.groupsOf(uow, person.id) }, person.today);
      await noticeStore.addApproval(uow, {
        batchId: batch.id,
        by: person.id,
        decision: 'approve',
        note: body.note,
        today: person.today,
        at: uow.at,
      });
      if (state !== batch.state) await batchStore.setBatchState(uow, batch.id, state, { approvedOn: person.today });
      return { answer: {}, entry: { note: body.note || undefined } };
    },
  }),

  reject: act(docket.reject, {
    name: 'refused a batch',
    on: { batch: one(batchKind, ({ params }) => params.id, 'approve') },
    repeat: 'refused',
    decide: ({ on: { batch }, person }) => refusalOf(batch, { kind: 'reject', by: person.id }, person.today),
    async write(uow, { on: { batch }, body: { reason }, person }) {
      await noticeStore.addApproval(uow, {
        batchId: batch.id,
        by: person.id,
        decision: 'reject',
        note: reason,
        today: person.today,
        at: uow.at,
      });
      await letGo(uow, batch, reason);
      return { answer: {}, entry: { note: reason } };
    },
  }),

  withdraw: act(docket.withdraw, {
    name: 'withdrew a batch',
    on: { batch: one(batchKind, ({ params }) => params.id, 'dispose') },
    repeat: 'refused',
    decide: ({ on: { batch }, person }) => refusalOf(batch, { kind: 'withdraw' }, person.today),
    async write(uow, { on: { batch }, body: { reason } }) {
      await letGo(uow, batch, reason);
      return { answer: {}, entry: { note: reason } };
    },
  }),

  /** Starts the execution as a job that survives a crash. */
  execute: act(docket.execute, {
    name: 'executed a batch',
    on: { batch: one(batchKind, ({ params }) => params.id, 'dispose') },
    repeat: 'refused',
    job: { kind: 'execute', beyond: 0 },
    decide: ({ on: { batch }, person }) =>
      refusalOf(batch, { kind: 'execute' }, person.today) ??
      (batch.running ? refuse('batch-executing', message('docket.batchExecuting')) : null),
    async write(uow, { on: { batch }, person, services }) {
      await batchStore.setBatchState(uow, batch.id, 'executing' satisfies BatchState);
      const jobId = await addJob(uow, services.jobs, {
        kind: 'execute',
        subject: batch.number,
        data: { batchId: batch.id, by: { id: person.id, name: person.name } },
        total: await batchStore.countItems(uow, batch.id, 'open'),
      });
      return { answer: { jobId }, entry: { after: { records: batch.count } } };
    },
  }),

  /** A person says that physical items were destroyed, or handed over: date, method and witness. */
  confirm: act(docket.confirm, {
    name: ['confirmed destruction by hand', 'confirmed handing over'],
    also: ['destroyed', 'transferred', 'issued a certificate'],
    on: { batch: one(batchKind, ({ params }) => params.id, 'dispose') },
    repeat: 'refused',
    async write(uow, { on: { batch }, body, person, services }) {
      if (body.on > person.today) throw wrongField('/on', message('docket.dayStillCome'));
      await confirmByHand(services, uow, batch, body);
      return {
        answer: {},
        entry: {
          act: batch.action === 'destroy' ? 'confirmed destruction by hand' : 'confirmed handing over',
          after: { records: body.recordIds.length, on: body.on, method: body.method, witness: body.witness },
        },
      };
    },
  }),
};
