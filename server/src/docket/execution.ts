import { createHash } from 'node:crypto';
import { addPeriod, civilDate, formatCivilDate, period, yearMonthDay } from '@key-cellar/core/calendar';
import type { ItemOutcome } from '@key-cellar/core/docket';
import { uuidv7 } from 'uuidv7';
import { message, type Message } from '@key-cellar/words';
import { notFound, Problem, withUnitOfWork, type Actor, type JobContext, type UnitOfWork, endsJob, tellProblem } from '../kernel/index.js';
import { referrersGone } from '../facts/index.js';
import { readSettings, speakerOfPerson } from '../identity/index.js';
import { damagedAmong, dropUnusedContent, eraseKeys, keysGone, versionsOf } from '../records/index.js';
import type { Services } from './services.js';
import { finalHead } from '../ledger/index.js';
import { loadRuleBook, recompute } from '../schedule/index.js';
import { certificatePdf } from './certificate.js';
import { nextState } from './standing.js';
import * as batchStore from './batchStore.js';
import * as certificateStore from './certificateStore.js';
import * as dueStore from './dueStore.js';
import * as noticeStore from './noticeStore.js';
import * as transferStore from './transferStore.js';
import { dropBag, handOver } from './transfer.js';
import { verdictOn } from './verdict.js';

/** What executing a batch enters. */
export const executing = [
  'destroyed',
  'transferred',
  'was not destroyed',
  'was not transferred',
  'issued a certificate',
  'packed a bag',
  'got a receipt',
];

const doneWords = { destroy: 'destroyed', transfer: 'transferred' } as const;

type LockedRecord = NonNullable<Awaited<ReturnType<typeof batchStore.lockForExecution>>>;

/** Lets a record go, as its batch says: destroyed, or transferred under the archive's receipt. */
async function disposeOf(
  uow: UnitOfWork,
  batch: batchStore.BatchRow,
  record: LockedRecord,
  given: Pick<certificateStore.Evidence, 'physical' | 'accession'> = {},
): Promise<void> {
  const versions = await versionsOf(uow, record.id);
  const evidence: certificateStore.Evidence & { keys: number } = {
    number: record.number,
    title: record.title,
    recordType: record.record_type,
    createdOn: record.created_on,
    dueOn: record.due_on,
    rule: record.rule,
    authority: record.authority,
    disposedOn: uow.actor.today,
    versions: versions.map((v) => ({ no: v.no, fileName: v.file_name, size: v.size, sha256: v.sha256.toString('hex') })),
    keys: 0,
    ...given,
  };
  const contents = await batchStore.disposeRecord(uow, record.id, batch.id, uow.actor.today);
  // What it pointed at may count from the day on which nothing does any more.
  const pointedAt = await referrersGone(uow, [record.id]);
  if (pointedAt.length > 0) await recompute(uow, pointedAt, await loadRuleBook(uow), uow.actor.today);
  const dropped = await dropUnusedContent(uow, contents);
  evidence.keys = await keysGone(uow, dropped);
  await batchStore.setOutcome(uow, batch.id, [record.id], 'disposed', null, evidence);
  uow.enter({
    act: doneWords[batch.action],
    subject: { kind: 'record', id: record.id, name: `${record.number} ${record.title}` },
    before: { versions: evidence.versions, rule: record.rule, dueOn: record.due_on },
    after: {
      state: 'disposed',
      contentsDropped: dropped.length,
      contentsKeptForOthers: contents.length - dropped.length,
      ...given,
    },
  });
}

/** A record of the batch stays: with its outcome and reason, and due again if it still is. */
async function keep(
  uow: UnitOfWork,
  batch: batchStore.BatchRow,
  record: LockedRecord,
  outcome: ItemOutcome,
  reason: Message,
): Promise<void> {
  await batchStore.setOutcome(uow, batch.id, [record.id], outcome, reason);
  if (record.state !== 'disposed') {
    const stillDue = record.due_on !== null && record.due_on <= uow.actor.today && outcome !== 'deferred';
    await dueStore.setDocket(uow, [record.id], stillDue ? 'due' : 'none');
  }
  uow.enter({
    act: `was not ${doneWords[batch.action]}`,
    subject: { kind: 'record', id: record.id, name: `${record.number} ${record.title}` },
    after: { batch: batch.number, outcome, why: reason },
  });
}

/** An item that failed stays, as what it is, with what came in its way. */
async function keepFailed(uow: UnitOfWork, batch: batchStore.BatchRow, recordId: string, problem: Problem): Promise<void> {
  const record = await batchStore.lockForExecution(uow, recordId);
  if (!record) throw new Error(`Record ${recordId} of a batch is missing`);
  const why = problem.status < 500 ? problem.said : message('docket.logSaysWhy');
  await keep(uow, batch, record, 'dropped', message('docket.couldNotGo', { action: batch.action, why }));
}

/** Executes one item in its own transaction: judged again under the record's row lock, and hold wins. */
export async function executeItem(uow: UnitOfWork, batch: batchStore.BatchRow, recordId: string): Promise<void> {
  const record = await batchStore.lockForExecution(uow, recordId);
  if (!record) throw new Error(`Record ${recordId} of a batch is missing`);
  const verdict = verdictOn(
    record,
    {
      batchAction: batch.action,
      objected: await noticeStore.hasOpenObjection(uow, batch.id, recordId),
    },
    uow.actor.today,
  );
  switch (verdict.outcome) {
    case 'dispose': {
      if (batch.action === 'destroy') return disposeOf(uow, batch, record);
      const confirmed = await transferStore.receiptFor(uow, batch.id, recordId);
      if (!confirmed) {
        const damaged = (await damagedAmong(uow, [recordId])).size > 0;
        return keep(uow, batch, record, 'dropped', message(damaged ? 'docket.damagedNotInBag' : 'docket.notInBag'));
      }
      const { archive, accession } = confirmed.receipt;
      return disposeOf(uow, batch, record, { accession: { archive, number: accession } });
    }
    case 'task':
      return batchStore.setOutcome(uow, batch.id, [recordId], 'task', message('docket.waitsForHand', { action: batch.action }));
    case 'blocked':
    case 'objected':
    case 'dropped':
    case 'deferred':
      return keep(uow, batch, record, verdict.outcome, verdict.reason);
  }
}

/** Ends the batch once no item waits: with a certificate when anything left. */
async function finishIfDone(services: Services, uow: UnitOfWork, batchId: string): Promise<boolean> {
  const [batch] = (await batchStore.findBatches(uow, [batchId], true)) as [batchStore.BatchRow];
  if (batch.state !== 'executing') return batch.state === 'done';
  if ((await batchStore.countItems(uow, batchId, 'open')) > 0 || (await batchStore.countItems(uow, batchId, 'task')) > 0) return false;
  const { today } = uow.actor;
  const state = nextState(batch, { kind: 'finish' }, today);
  const items = await batchStore.items(uow, batchId);
  const gone = items.flatMap((i) => (i.outcome === 'disposed' && i.evidence ? [i.evidence] : []));
  await batchStore.setBatchState(uow, batchId, state, { finishedOn: today });
  await dropBag(uow, batchId);
  if (gone.length > 0) {
    const year = yearMonthDay(civilDate(today)).year;
    const number = `C-${year}-${String(await batchStore.nextBatchNumber(uow, 'certificate', year)).padStart(3, '0')}`;
    const approvals = await noticeStore.approvals(uow, batchId);
    const pdf = await certificatePdf(
      {
        repository: (await readSettings(uow)).repository,
        number,
        batch: batch.number,
        what: batch.what,
        issuedOn: today,
        proposedBy: batch.proposed_by_name,
        approvals: approvals.filter((a) => a.decision === 'approve').map((a) => ({ name: a.name, on: a.decided_on })),
        action: batch.action,
        receipt: batch.receipt,
        records: gone,
        head: await finalHead(uow),
        keyBackupsUntil: formatCivilDate(addPeriod(civilDate(today), period(`P${services.config.keyBackupDays}D`))),
        kept: items
          .filter((i) => i.outcome !== 'disposed')
          .map((i) => ({ name: `${i.number} ${i.title}`, reason: i.reason ?? message(`docket.outcome.${i.outcome as 'open'}`) })),
      },
      await speakerOfPerson(uow, uow.actor.id),
      services.config.assetsDir,
    );
    const id = uuidv7();
    const sha256 = createHash('sha256').update(pdf).digest();
    await certificateStore.addCertificate(uow, { id, number, batchId, issuedOn: today, sha256, pdf });
    uow.enter({
      act: 'issued a certificate',
      subject: { kind: 'certificate', id, name: number },
      after: { batch: batch.number, [doneWords[batch.action]]: gone.length, sha256: sha256.toString('hex') },
    });
  }
  return true;
}

const perRead = 200;

/** The job behind an execution: one transaction for each record, so that a crash loses none and doubles none. */
export async function runExecution(services: Services, job: JobContext, actor: Actor): Promise<Message> {
  const { batchId, by } = job.data as { batchId: string; by: { id: string; name: string } };
  const worker: Actor = { ...actor, id: by.id, name: by.name };
  const [batch] = await batchStore.findBatches(services.pool, [batchId], false);
  if (!batch) throw notFound(message('thing.batch'));
  if (batch.action === 'transfer') await handOver(services, job, worker, batch);
  for (;;) {
    const open = await batchStore.openItems(services.pool, batchId, perRead);
    if (open.length === 0) break;
    for (const { record_id } of open) {
      try {
        await withUnitOfWork(services.pool, worker, async (uow) => {
          await executeItem(uow, batch, record_id);
          await job.advance(uow, 1, record_id);
        });
      } catch (error) {
        if (endsJob(error)) throw error;
        // One that fails stays, and says why; the others go on.
        const problem = tellProblem(services.log, error, `record ${record_id} of batch ${batch.number} failed`);
        await withUnitOfWork(services.pool, worker, async (uow) => {
          await keepFailed(uow, batch, record_id, problem);
          await job.advance(uow, 1, record_id);
        });
      }
    }
  }
  // What was in the contents is gone for good before anybody certifies it.
  await eraseKeys(services, worker);
  // The certificate names a head that a witness has seen; while that is away it names the newest that it saw.
  await services.sealer.sealNow().catch((error: unknown) => services.log.warn({ err: error }, 'not sealed before a certificate'));
  const finished = await withUnitOfWork(services.pool, worker, (uow) => finishIfDone(services, uow, batchId));
  const [after] = (await batchStore.findBatches(services.pool, [batchId], false)) as [batchStore.BatchRow];
  return message(finished ? 'docket.executed' : 'docket.executedSoFar', {
    n: after.disposed,
    action: after.action,
    kept: after.refused,
    tasks: after.tasks,
  });
}

/** Disposes of what a person confirms to have destroyed or handed over by hand; what is held meanwhile is refused. */
export async function confirmByHand(
  services: Services,
  uow: UnitOfWork,
  batch: batchStore.BatchRow,
  input: { recordIds: readonly string[]; on: string; method: string; witness: string },
): Promise<void> {
  const tasks = new Map((await batchStore.items(uow, batch.id)).filter((i) => i.outcome === 'task').map((i) => [i.record_id, i]));
  for (const recordId of [...input.recordIds].sort()) {
    if (!tasks.has(recordId)) throw new Problem(409, 'no-task', message('docket.noTask'));
    const record = (await batchStore.lockForExecution(uow, recordId))!;
    if (record.hold_count > 0) {
      throw new Problem(409, 'record-held', message('docket.recordHeldMeanwhile', { number: record.number }));
    }
    await disposeOf(uow, batch, record, {
      physical: { container: record.container ?? 'no container', method: input.method, witness: input.witness, on: input.on },
    });
  }
  await finishIfDone(services, uow, batch.id);
}
