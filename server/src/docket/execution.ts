import { createHash } from 'node:crypto';
import { addPeriod, civilDate, formatCivilDate, period, yearMonthDay } from '@key-cellar/core/calendar';
import type { ItemOutcome } from '@key-cellar/core/docket';
import { uuidv7 } from 'uuidv7';
import { message, type Message } from '@key-cellar/words';
import {
  notFound,
  Problem,
  withUnitOfWork,
  type Actor,
  type JobContext,
  type UnitOfWork,
  endsJob,
  gaveWayToOthers,
  tellProblem,
} from '../kernel/index.js';
import { referrersGone } from '../facts/index.js';
import { readSettings, speakerOfPerson } from '../identity/index.js';
import { damagedAmong, dropUnusedContent, eraseKeys, keysGone, versionsOfAll } from '../records/index.js';
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

type LockedRecord = Awaited<ReturnType<typeof batchStore.lockForExecution>>[number];

/** A record that goes, with what is said of it beside what its row says. */
interface Leaving {
  readonly record: LockedRecord;
  readonly given?: Pick<certificateStore.Evidence, 'physical' | 'accession'>;
}

/** A record of the batch that stays, and why. */
interface Staying {
  readonly record: LockedRecord;
  readonly outcome: ItemOutcome;
  readonly reason: Message;
}

const subjectOf = (record: LockedRecord) => ({ kind: 'record', id: record.id, name: `${record.number} ${record.title}` });

/** Lets records go, as their batch says: destroyed, or transferred under the archive's receipt. */
async function disposeOf(uow: UnitOfWork, batch: batchStore.BatchRow, leaving: readonly Leaving[]): Promise<void> {
  if (leaving.length === 0) return;
  const ids = leaving.map(({ record }) => record.id);
  const versions = await versionsOfAll(uow, ids);
  const contents = await batchStore.disposeRecords(uow, ids, batch.id, uow.actor.today);
  // What they pointed at may count from the day on which nothing does any more.
  const pointedAt = await referrersGone(uow, ids);
  if (pointedAt.length > 0) await recompute(uow, pointedAt, await loadRuleBook(uow), uow.actor.today);
  // A content that several of them had goes with the last.
  const last = new Map(ids.flatMap((id) => contents.get(id)!.map((content) => [content, id])));
  const dropped = new Set(await dropUnusedContent(uow, [...last.keys()]));
  const keys = await keysGone(uow, [...dropped]);
  const outcomes = leaving.map(({ record, given = {} }) => {
    const had = contents.get(record.id)!;
    const gone = had.filter((content) => dropped.has(content) && last.get(content) === record.id);
    const evidence: certificateStore.Evidence = {
      number: record.number,
      title: record.title,
      recordType: record.record_type,
      createdOn: record.created_on,
      dueOn: record.due_on,
      rule: record.rule,
      authority: record.authority,
      disposedOn: uow.actor.today,
      versions: versions
        .filter((v) => v.record_id === record.id)
        .map((v) => ({
          no: v.no,
          fileName: v.file_name,
          size: v.size,
          sha256: v.sha256.toString('hex'),
        })),
      keys: gone.filter((content) => keys.has(content)).length,
      ...given,
    };
    uow.enter({
      act: doneWords[batch.action],
      subject: subjectOf(record),
      before: { versions: evidence.versions, rule: record.rule, dueOn: record.due_on },
      after: { state: 'disposed', contentsDropped: gone.length, contentsKeptForOthers: had.length - gone.length, ...given },
    });
    return { recordId: record.id, outcome: 'disposed', reason: null, evidence } as const;
  });
  await batchStore.setOutcomes(uow, batch.id, outcomes);
}

/** Records of the batch stay: with their outcome and reason, and due again if they still are. */
async function keep(uow: UnitOfWork, batch: batchStore.BatchRow, staying: readonly Staying[]): Promise<void> {
  await batchStore.setOutcomes(
    uow,
    batch.id,
    staying.map(({ record, outcome, reason }) => ({ recordId: record.id, outcome, reason })),
  );
  const { today } = uow.actor;
  const here = staying.filter(({ record }) => record.state !== 'disposed');
  const isDue = ({ record, outcome }: Staying): boolean => record.due_on !== null && record.due_on <= today && outcome !== 'deferred';
  for (const docket of ['due', 'none'] as const) {
    const ids = here.filter((one) => isDue(one) === (docket === 'due')).map(({ record }) => record.id);
    if (ids.length > 0) await dueStore.setDocket(uow, ids, docket);
  }
  for (const { record, outcome, reason } of staying) {
    uow.enter({
      act: `was not ${doneWords[batch.action]}`,
      subject: subjectOf(record),
      after: { batch: batch.number, outcome, why: reason },
    });
  }
}

/** An item that failed stays, as what it is, with what came in its way. */
async function keepFailed(uow: UnitOfWork, batch: batchStore.BatchRow, recordId: string, problem: Problem): Promise<void> {
  const [record] = await batchStore.lockForExecution(uow, batch.id, [recordId]);
  if (!record) throw new Error(`Record ${recordId} of a batch is missing`);
  const why = problem.status < 500 ? problem.said : message('docket.logSaysWhy');
  const reason = message('docket.couldNotGo', { action: batch.action, why });
  await keep(uow, batch, [{ record, outcome: 'dropped', reason }]);
}

/** Of records that an archive is to have: those that it has confirmed go, the others stay. */
async function confirmedAmong(
  uow: UnitOfWork,
  batch: batchStore.BatchRow,
  records: readonly LockedRecord[],
): Promise<{ leaving: Leaving[]; staying: Staying[] }> {
  const ids = records.map((r) => r.id);
  const confirmed = await transferStore.receiptFor(uow, batch.id, ids);
  const held = records.filter((r) => confirmed?.held.includes(r.id));
  const missing = records.filter((r) => !confirmed?.held.includes(r.id));
  const accession = confirmed && { archive: confirmed.receipt.archive, number: confirmed.receipt.accession };
  const damaged =
    missing.length === 0
      ? new Set()
      : await damagedAmong(
          uow,
          missing.map((r) => r.id),
        );
  return {
    leaving: held.map((record) => ({ record, given: { accession } })),
    staying: missing.map((record) => ({
      record,
      outcome: 'dropped',
      reason: message(damaged.has(record.id) ? 'docket.damagedNotInBag' : 'docket.notInBag'),
    })),
  };
}

/** Executes items in one transaction: each is judged again under its row lock, and hold wins. When one cannot go, none does. */
export async function executeItems(uow: UnitOfWork, batch: batchStore.BatchRow, recordIds: readonly string[]): Promise<void> {
  const records = await batchStore.lockForExecution(uow, batch.id, recordIds);
  if (records.length < recordIds.length) throw new Error(`Records of batch ${batch.number} are missing`);
  const going: LockedRecord[] = [];
  const tasks: batchStore.Outcome[] = [];
  const staying: Staying[] = [];
  for (const record of records) {
    const verdict = verdictOn(record, { batchAction: batch.action, objected: record.objected }, uow.actor.today);
    switch (verdict.outcome) {
      case 'dispose':
        going.push(record);
        break;
      case 'task':
        tasks.push({ recordId: record.id, outcome: 'task', reason: message('docket.waitsForHand', { action: batch.action }) });
        break;
      case 'blocked':
      case 'objected':
      case 'dropped':
      case 'deferred':
        staying.push({ record, outcome: verdict.outcome, reason: verdict.reason });
    }
  }
  const confirmed = batch.action === 'transfer' ? await confirmedAmong(uow, batch, going) : null;
  await disposeOf(uow, batch, confirmed?.leaving ?? going.map((record) => ({ record })));
  await batchStore.setOutcomes(uow, batch.id, tasks);
  await keep(uow, batch, [...staying, ...(confirmed?.staying ?? [])]);
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

/** Records a transaction: so few that a hold that is placed meanwhile hardly waits for them. */
const together = 25;
/** How often something is tried again that PostgreSQL gave up so that others could go on. */
const mostTries = 5;

/**
 * The job behind an execution: some records a transaction, so that a crash loses none and doubles none. When one of them cannot go, each of
 * them is done by itself, and what fails stays and says why.
 */
export async function runExecution(services: Services, job: JobContext, actor: Actor): Promise<Message> {
  const { batchId, by } = job.data as { batchId: string; by: { id: string; name: string } };
  const worker: Actor = { ...actor, id: by.id, name: by.name };
  const [batch] = await batchStore.findBatches(services.pool, [batchId], false);
  if (!batch) throw notFound(message('thing.batch'));
  if (batch.action === 'transfer') await handOver(services, job, worker, batch);
  const execute = (ids: readonly string[]): Promise<void> =>
    withUnitOfWork(services.pool, worker, async (uow) => {
      await executeItems(uow, batch, ids);
      await job.advance(uow, ids.length, ids.at(-1)!);
    });
  const alone = async (id: string, tries = 1): Promise<void> => {
    try {
      await execute([id]);
    } catch (error) {
      if (endsJob(error)) throw error;
      if (gaveWayToOthers(error) && tries < mostTries) return alone(id, tries + 1);
      const problem = tellProblem(services.log, error, `record ${id} of batch ${batch.number} failed`);
      await withUnitOfWork(services.pool, worker, async (uow) => {
        await keepFailed(uow, batch, id, problem);
        await job.advance(uow, 1, id);
      });
    }
  };
  for (;;) {
    const ids = (await batchStore.openItems(services.pool, batchId, together)).map((item) => item.record_id);
    if (ids.length === 0) break;
    try {
      await execute(ids);
    } catch (error) {
      if (endsJob(error)) throw error;
      for (const id of ids) await alone(id);
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
  const ids = [...new Set(input.recordIds)];
  if (ids.some((id) => !tasks.has(id))) throw new Problem(409, 'no-task', message('docket.noTask'));
  const records = await batchStore.lockForExecution(uow, batch.id, ids);
  const held = records.find((record) => record.hold_count > 0);
  if (held) throw new Problem(409, 'record-held', message('docket.recordHeldMeanwhile', { number: held.number }));
  await disposeOf(
    uow,
    batch,
    records.map((record) => ({
      record,
      given: { physical: { container: record.container ?? 'no container', method: input.method, witness: input.witness, on: input.on } },
    })),
  );
  await finishIfDone(services, uow, batch.id);
}
