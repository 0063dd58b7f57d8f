import { message } from '@key-cellar/words';
import { Readable } from 'node:stream';
import { dublinCoreOf } from '@key-cellar/core/records';
import * as z from 'zod';
import { type Actor, type JobContext, Problem, withUnitOfWork } from '../kernel/index.js';
import { readSettings, type Settings } from '../identity/index.js';
import { exportLines, finalHead, settledSize, type ExportLine } from '../ledger/index.js';
import { contentById, DamagedContent, damagedAmong, dropUnusedContent, setApart, versionsOf } from '../records/index.js';
import { factNames, recordTypes } from '../facts/index.js';
import type { Services } from './services.js';
import { type Bag, type Fixity, packBag, type PayloadFile, safePart, text } from './bag.js';
import { receiptSchema, wrongReceipt, type Receipt } from './receipt.js';
import { packageXml, type PackedFile, type PackedRecord } from './packageXml.js';
import type * as batchStore from './batchStore.js';
import * as transferStore from './transferStore.js';
import { verdictOn } from './verdict.js';

const ledgerFile = 'ledger.jsonl';

/** What goes into the bag for one record: its newest facts, every version's bytes, and what the ledger says of it. */
async function packRecord(
  services: Services,
  settings: Settings,
  record: transferStore.PackableRow,
  types: ReadonlyMap<string, Awaited<ReturnType<typeof recordTypes>>[number]>,
  headSize: number,
): Promise<{ described: PackedRecord; payload: PayloadFile[] }> {
  const { pool } = services;
  const folder = `records/${safePart(record.number)}`;
  const versions = await versionsOf(pool, record.id);
  const lines: ExportLine[] = [];
  const { timeZone } = settings;
  const question = { size: headSize, filter: { subject: record.id }, timeZone, since: [], ledgerName: services.config.ledgerName };
  for await (const line of exportLines(pool, question)) lines.push(line);
  const files: PackedFile[] = [
    ...versions.map((v) => ({
      path: `data/${folder}/${v.no}-${safePart(v.file_name)}`,
      fileName: v.file_name,
      mediaType: v.media_type,
      use: 'content' as const,
    })),
    { path: `data/${folder}/${ledgerFile}`, fileName: ledgerFile, mediaType: 'application/jsonl', use: 'ledger' },
  ];
  const payload: PayloadFile[] = versions.map((v, i) => ({
    path: files[i]!.path.slice('data/'.length),
    open: () => services.contents.readWhole(pool, { ...v, id: v.content_id }),
  }));
  const text = lines.map((line) => `${JSON.stringify(line)}\n`).join('');
  payload.push({ path: `${folder}/${ledgerFile}`, open: () => Readable.from([text], { objectMode: false }) });
  const events = lines.flatMap((line) => {
    if (!('entry' in line)) return [];
    const body = JSON.parse(line.entry) as { act: string; at: string; actor: { name: string }; note: string | null };
    return [{ act: body.act, at: body.at, agent: body.actor.name, note: body.note }];
  });
  const type = types.get(record.record_type)!;
  const names = await factNames(pool, record.facts);
  return {
    described: {
      id: record.id,
      number: record.number,
      title: record.title,
      typeTitle: type.title,
      dublinCore: dublinCoreOf(
        { number: record.number, title: record.title, createdOn: record.created_on, facts: record.facts },
        type,
        (value) => names.get(String(value)) ?? String(value),
      ),
      rule: record.rule ? `${record.rule}, ${record.authority}; due ${record.due_on}` : `due ${record.due_on} by override`,
      files,
      events,
    },
    payload,
  };
}

/** Which open records of the batch may go now; those go into the bag, and each is judged again before it is removed. */
async function goesInto(services: Services, batch: batchStore.BatchRow, today: string): Promise<transferStore.PackableRow[]> {
  const rows = await transferStore.packable(services.pool, batch.id);
  const damaged = await damagedAmong(
    services.pool,
    rows.map((r) => r.id),
  );
  return rows.filter(
    (r) => !damaged.has(r.id) && verdictOn(r, { batchAction: batch.action, objected: r.objected }, today).outcome === 'dispose',
  );
}

async function pack(services: Services, actor: Actor, batch: batchStore.BatchRow): Promise<void> {
  // What the ledger says of the records is in the bag with its proofs: so everything up to now is sealed first.
  await services.sealer.sealNow();
  const headSize = await settledSize(services.pool);
  const [settings, head] = await Promise.all([readSettings(services.pool), finalHead(services.pool)]);
  const records = await goesInto(services, batch, actor.today);
  if (records.length === 0) return;
  const types = new Map((await recordTypes(services.pool)).map((t) => [t.code, t]));
  const packed: Awaited<ReturnType<typeof packRecord>>[] = [];
  for (const record of records) packed.push(await packRecord(services, settings, record, types, headSize));
  // Writes no record: placing holds goes on while a large bag is made; what they cover is found when it is judged again.
  await withUnitOfWork(
    services.uploadPool,
    actor,
    async (uow) => {
      const description = {
        repository: settings.repository,
        batch: batch.number,
        what: batch.what,
        madeAt: uow.at,
        records: packed.map((p) => p.described),
      };
      const mets: PayloadFile = {
        path: 'mets.xml',
        open: (before) => Readable.from(text(packageXml(description, (path) => before.get(path) as Fixity)), { objectMode: false }),
      };
      let summary: { payloadOxum: string; files: number } | null = null;
      const described: Bag = {
        name: batch.number,
        payload: [...packed.flatMap((p) => p.payload), mets],
        info: [
          ['Source-Organization', settings.repository],
          ['External-Identifier', batch.number],
          ['External-Description', batch.what],
          ['Bagging-Date', actor.today],
          ...(head ? [['Ledger-Head', `${head.size} entries, root ${head.root}, cosigned by ${head.witness!.name}`] as const] : []),
        ],
        madeOn: new Date(`${actor.today}T12:00:00Z`),
      };
      const bag = packBag(described, (told) => (summary = told));
      const name = `${batch.number}.zip`;
      const content = await services.contents.write(uow, bag, name, Infinity);
      await transferStore.addTransfer(uow, {
        batchId: batch.id,
        records: records.map((r) => r.id),
        bagName: name,
        sha256: content.sha256,
        size: content.size,
        bagId: content.id,
        ...summary!,
        today: actor.today,
      });
      uow.enter({
        act: 'packed a bag',
        subject: { kind: 'batch', id: batch.id, name: batch.number },
        after: { records: records.length, sha256: content.sha256.toString('hex'), size: content.size },
      });
    },
    'none',
  );
}

/** How long the archive may take for one bag, and how often it is tried while it cannot be reached. */
const patienceMs = 30 * 60_000;
const tries = 3;
const pauseMs = 1000;

/** Sends the bag once. A bag is the same each time, and the archive answers the same again. */
function send(services: Services, today: string, content: { id: string; size: number; sha256: Buffer }): Promise<Response> {
  return fetch(`${services.archive.url}/accessions`, {
    method: 'POST',
    headers: { 'content-type': 'application/zip', 'x-sent-on': today },
    body: Readable.toWeb(Readable.from(services.contents.readWhole(services.pool, content))) as ReadableStream,
    duplex: 'half',
    signal: AbortSignal.timeout(patienceMs),
  } as RequestInit);
}

async function sendAgain(...sending: Parameters<typeof send>): Promise<Response> {
  for (let left = tries; ;) {
    try {
      return await send(...sending);
    } catch (error) {
      if (--left === 0) throw error;
      await new Promise((resolve) => setTimeout(resolve, pauseMs * (tries - left)));
    }
  }
}

/** Sends the bag. Throws a problem with a sentence when the archive cannot be reached, refuses it, or confirms another. */
async function deliver(services: Services, today: string, transfer: transferStore.TransferRow): Promise<Receipt> {
  const content = await contentById(services.pool, transfer.bag_id!);
  if (!content) throw new Problem(500, 'content-damaged', message('docket.bagMissing'));
  const response = await sendAgain(services, today, content).catch((error: unknown) => {
    services.log.warn({ err: error }, 'archive not reached');
    throw new Problem(503, 'archive-away', message('docket.archiveAway'));
  });
  const answer: unknown = await response.json().catch(() => null);
  if (!response.ok) {
    const detail = z.object({ detail: z.string() }).safeParse(answer);
    throw new Problem(
      409,
      'archive-refused',
      message('docket.archiveRefused', {
        what: detail.success ? detail.data.detail : message('docket.archiveAnswered', { status: String(response.status) }),
      }),
    );
  }
  const receipt = receiptSchema.safeParse(answer);
  const bag = {
    name: transfer.bag_name.replace(/\.zip$/, ''),
    sha256: transfer.bag_sha256.toString('hex'),
    payloadOxum: transfer.payload_oxum,
    files: transfer.files,
  };
  const wrong = receipt.success ? wrongReceipt(receipt.data, bag, services.archive.key) : message('docket.receipt.unreadable');
  if (!receipt.success || wrong !== null) {
    throw new Problem(409, 'receipt-wrong', message('docket.receiptWrong', { wrong: wrong! }));
  }
  return receipt.data;
}

/**
 * Packs what may go of an executing transfer batch into a bag, sends it and keeps the receipt; each step is done once,
 * however often a crash or a refusal makes it start again. Nothing is removed here: that is for the execution, on the
 * strength of the receipt.
 */
export async function handOver(services: Services, job: JobContext, actor: Actor, batch: batchStore.BatchRow): Promise<void> {
  const { pool } = services;
  while (!(await transferStore.transferOf(pool, batch.id))) {
    try {
      await pack(services, actor, batch);
      break;
    } catch (error) {
      // A record whose content turns out to be damaged stays; the others go.
      if (!(error instanceof DamagedContent) || !(await setApart(services, actor, error))) throw error;
    }
  }
  const transfer = await transferStore.transferOf(pool, batch.id);
  if (!transfer || transfer.receipt !== null) return;
  const receipt = await deliver(services, actor.today, transfer);
  await withUnitOfWork(pool, actor, async (uow) => {
    await transferStore.setReceipt(uow, batch.id, receipt);
    await job.advance(uow, 0, null);
    uow.enter({
      act: 'got a receipt',
      subject: { kind: 'batch', id: batch.id, name: batch.number },
      after: { archive: receipt.archive, accession: receipt.accession, receivedOn: receipt.receivedOn, bagSha256: receipt.bagSha256 },
    });
  });
}

/** Lets go of the bag once its batch is done: the archive has it. */
export async function dropBag(uow: Parameters<typeof dropUnusedContent>[0], batchId: string): Promise<void> {
  const bagId = await transferStore.forgetBag(uow, batchId);
  if (bagId) await dropUnusedContent(uow, [bagId]);
}
