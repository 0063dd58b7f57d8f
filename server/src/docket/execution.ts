import { createHash } from 'node:crypto';
import { civilDate, yearMonthDay } from '@key-cellar/core/calendar';
import { executionVerdict } from '@key-cellar/core/docket';
import { uuidv7 } from 'uuidv7';
import { withUnitOfWork, type UnitOfWork } from '../db/index.js';
import { readSettings, type Actor, type SignedIn } from '../identity/index.js';
import { addJob, type JobContext } from '../jobs/index.js';
import { notFound, Problem, wrongField } from '../problem.js';
import { dropUnusedContent, versionsOf } from '../records/index.js';
import type { Services } from '../services.js';
import { certificatePdf } from './certificate.js';
import { nextState, requireBatch, subjectOf } from './service.js';
import * as store from './store.js';

/** Starts the execution of an approved batch as a job that survives a crash. */
export async function execute(services: Services, person: SignedIn, id: string): Promise<string> {
  return withUnitOfWork(services.pool, person, async (uow) => {
    const batch = await requireBatch(services, uow, person, id, 'dispose');
    const state = await nextState(uow, batch, { kind: 'execute' });
    if (batch.state === 'executing') throw new Problem(409, 'batch-executing', 'This batch is being executed already.');
    await store.setBatchState(uow, id, state);
    await uow.enter({ act: 'executed a batch', subject: subjectOf(batch), after: { records: batch.count } });
    return addJob(uow, services.jobs, {
      kind: 'execute',
      subject: batch.number,
      data: { batchId: id, by: { id: person.id, name: person.name } },
      total: await store.countItems(uow, id, 'open'),
    });
  });
}

type LockedRecord = NonNullable<Awaited<ReturnType<typeof store.lockForExecution>>>;

async function destroyRecord(uow: UnitOfWork, batchId: string, record: LockedRecord, physical: store.Evidence['physical']): Promise<void> {
  const versions = await versionsOf(uow, record.id);
  const evidence: store.Evidence = {
    number: record.number,
    title: record.title,
    recordType: record.record_type,
    createdOn: record.created_on,
    dueOn: record.due_on,
    rule: record.rule,
    authority: record.authority,
    disposedOn: uow.actor.today,
    versions: versions.map((v) => ({ no: v.no, fileName: v.file_name, size: v.size, sha256: v.sha256.toString('hex') })),
    physical,
  };
  const contents = await store.disposeRecord(uow, record.id, batchId, uow.actor.today);
  const dropped = await dropUnusedContent(uow, contents);
  await store.setOutcome(uow, batchId, record.id, 'disposed', null, evidence);
  await uow.enter({
    act: 'destroyed',
    subject: { kind: 'record', id: record.id, name: `${record.number} ${record.title}` },
    before: { versions: evidence.versions, rule: record.rule, dueOn: record.due_on },
    after: {
      state: 'disposed',
      contentsDropped: dropped.length,
      contentsKeptForOthers: contents.length - dropped.length,
      ...(physical ? { physical } : {}),
    },
  });
}

/** Executes one item in its own transaction: judged again under the record's row lock, and hold wins. */
export async function executeItem(uow: UnitOfWork, batch: store.BatchRow, recordId: string): Promise<void> {
  const record = await store.lockForExecution(uow, recordId);
  if (!record) throw new Error(`Record ${recordId} of a batch is missing`);
  const verdict = executionVerdict(
    {
      disposed: record.state === 'disposed',
      holds: await store.holdNames(uow, recordId),
      objected: await store.hasOpenObjection(uow, batch.id, recordId),
      action: record.action,
      batchAction: batch.action,
      dueOn: record.due_on === null ? null : civilDate(record.due_on),
      physical: record.medium === 'physical',
    },
    civilDate(uow.actor.today),
  );
  switch (verdict.outcome) {
    case 'dispose':
      return destroyRecord(uow, batch.id, record, undefined);
    case 'task':
      return store.setOutcome(uow, batch.id, recordId, 'task', 'A person has to destroy it and say so.');
    case 'blocked':
    case 'objected':
    case 'dropped':
    case 'deferred':
      await store.setOutcome(uow, batch.id, recordId, verdict.outcome, verdict.reason);
      if (record.state !== 'disposed') {
        const stillDue = record.due_on !== null && record.due_on <= uow.actor.today;
        await store.setDocket(uow, [recordId], stillDue ? 'due' : 'none');
      }
      return uow.enter({
        act: 'was not destroyed',
        subject: { kind: 'record', id: recordId, name: `${record.number} ${record.title}` },
        after: { batch: batch.number, outcome: verdict.outcome },
        note: verdict.reason,
      });
  }
}

/** Ends the batch once no item waits: with a certificate when anything was destroyed. */
async function finishIfDone(services: Services, uow: UnitOfWork, batchId: string): Promise<boolean> {
  const batch = (await store.lockBatch(uow, batchId))!;
  if (batch.state !== 'executing') return batch.state === 'done';
  if ((await store.countItems(uow, batchId, 'open')) > 0 || (await store.countItems(uow, batchId, 'task')) > 0) return false;
  const state = await nextState(uow, batch, { kind: 'finish' });
  const { today } = uow.actor;
  const items = await store.items(uow, batchId);
  const destroyed = items.flatMap((i) => (i.outcome === 'disposed' && i.evidence ? [i.evidence] : []));
  await store.setBatchState(uow, batchId, state, { finishedOn: today });
  if (destroyed.length > 0) {
    const year = yearMonthDay(civilDate(today)).year;
    const number = `C-${year}-${String(await store.nextBatchNumber(uow, 'certificate', year)).padStart(3, '0')}`;
    const approvals = await store.approvals(uow, batchId);
    const pdf = await certificatePdf(
      {
        repository: (await readSettings(uow)).repository,
        number,
        batch: batch.number,
        what: batch.what,
        issuedOn: today,
        proposedBy: batch.proposed_by_name,
        approvals: approvals.filter((a) => a.decision === 'approve').map((a) => ({ name: a.name, on: a.decided_on })),
        records: destroyed,
        kept: items.filter((i) => i.outcome !== 'disposed').map((i) => ({ name: `${i.number} ${i.title}`, reason: i.reason ?? i.outcome })),
      },
      services.config.fontsDir,
    );
    const id = uuidv7();
    const sha256 = createHash('sha256').update(pdf).digest();
    await store.addCertificate(uow, { id, number, batchId, issuedOn: today, sha256, pdf });
    await uow.enter({
      act: 'issued a certificate',
      subject: { kind: 'certificate', id, name: number },
      after: { batch: batch.number, destroyed: destroyed.length, sha256: sha256.toString('hex') },
    });
  }
  return true;
}

const perRead = 200;

/** The job behind an execution: one transaction for each record, so that a crash loses none and doubles none. */
export async function runExecution(services: Services, job: JobContext, actor: Actor): Promise<string> {
  const { batchId, by } = job.data as { batchId: string; by: { id: string; name: string } };
  const worker: Actor = { ...actor, id: by.id, name: by.name };
  const batch = await store.batchById(services.pool, batchId);
  if (!batch) throw notFound('This batch');
  for (;;) {
    const open = await store.openItems(services.pool, batchId, perRead);
    if (open.length === 0) break;
    for (const { record_id } of open) {
      await withUnitOfWork(services.pool, worker, async (uow) => {
        await executeItem(uow, batch, record_id);
        await job.advance(uow, 1, record_id);
      });
    }
  }
  const finished = await withUnitOfWork(services.pool, worker, (uow) => finishIfDone(services, uow, batchId));
  const after = (await store.batchById(services.pool, batchId))!;
  return finished
    ? `${after.disposed} destroyed, ${after.refused} not.`
    : `${after.disposed} destroyed, ${after.refused} not, ${after.tasks} wait for a person.`;
}

/** A person says that physical items were destroyed: date, method and witness. */
export async function confirm(
  services: Services,
  person: SignedIn,
  id: string,
  input: { recordIds: readonly string[]; on: string; method: string; witness: string },
): Promise<void> {
  if (input.on > person.today) throw wrongField('/on', 'This day is still to come.');
  await withUnitOfWork(services.pool, person, async (uow) => {
    const batch = await requireBatch(services, uow, person, id, 'dispose');
    const tasks = new Map((await store.items(uow, id)).filter((i) => i.outcome === 'task').map((i) => [i.record_id, i]));
    for (const recordId of [...input.recordIds].sort()) {
      if (!tasks.has(recordId)) throw new Problem(409, 'no-task', 'One of these items does not wait to be destroyed by hand.');
      const record = (await store.lockForExecution(uow, recordId))!;
      const holds = await store.holdNames(uow, recordId);
      if (holds.length > 0) {
        throw new Problem(
          409,
          'record-held',
          `${record.number} is held by “${holds.join('” and “')}”. If it was destroyed all the same, tell counsel now.`,
        );
      }
      await destroyRecord(uow, id, record, {
        container: record.container ?? 'no container',
        method: input.method,
        witness: input.witness,
        on: input.on,
      });
    }
    await uow.enter({
      act: 'confirmed destruction by hand',
      subject: subjectOf(batch),
      after: { records: input.recordIds.length, on: input.on, method: input.method, witness: input.witness },
    });
    await finishIfDone(services, uow, id);
  });
}
