import type { DetectorLine, Told, UnreadRecords } from '@key-cellar/contract';
import { detectorProblems, type Sign } from '@key-cellar/core/criteria';
import { isId, valuesOf } from '@key-cellar/core/records';
import { message, sentences, type Message } from '@key-cellar/words';
import {
  addJob,
  databaseAway,
  GivenUp,
  inEnglish,
  notAllowed,
  Problem,
  withUnitOfWork,
  wrongField,
  type Actor,
  type JobContext,
  type PersonAccess,
  type UnitOfWork,
} from '../kernel/index.js';
import { mayNameDetectors, recordsUnread } from '../criteria/index.js';
import { recompute } from '../schedule/index.js';
import type { Services } from './services.js';
import * as store from './detectorStore.js';
import { unreadWords, type Unread } from './documentText.js';
import { lookingForSigns, wordsIn } from './texts.js';

/** Up to this many records are noted with the detector that they are to be looked at with. */
export const notedAtOnce = 20_000;
const notedAStep = 5000;
/** Records that are looked at together. */
const atOnce = 50;
/** How long a server may look at them before another one does. */
const claimMinutes = 10;

const recordSubject = (r: { id: string; number: string; title: string }) => ({ kind: 'record', id: r.id, name: `${r.number} ${r.title}` });

export async function listDetectors(
  services: Services,
  access: PersonAccess,
): Promise<{ detectors: DetectorLine[]; waiting: number; unread: number }> {
  if (!mayNameDetectors(access)) throw notAllowed('audit', message('records.detectorsThoseWhoKeep'));
  const sets = access.sets('discover');
  const [found, counts, waiting, unread] = await Promise.all([
    store.detectors(services.pool),
    store.foundBy(services.pool, sets),
    store.notedCount(services.pool),
    recordsUnread(services.pool, sets),
  ]);
  const n = new Map(counts.map((c) => [c.id, c.n]));
  const line = ({ id, title, note, signs, revision, retired_on }: store.DetectorRow): DetectorLine => ({
    id,
    title,
    note,
    signs: signs as DetectorLine['signs'],
    revision,
    retiredOn: retired_on,
    records: n.get(id) ?? 0,
  });
  return { detectors: found.map(line), waiting, unread };
}

const mostUnread = 500;

/** Records of which detectors could not read all, newest first, each with what and why. */
export async function listUnread(services: Services, access: PersonAccess): Promise<Told<UnreadRecords>> {
  if (!mayNameDetectors(access)) throw notAllowed('audit', message('records.detectorsThoseWhoKeep'));
  const sets = access.sets('discover');
  const [rows, total] = await Promise.all([store.unread(services.pool, sets, mostUnread), recordsUnread(services.pool, sets)]);
  return { records: rows.map(({ id, number, title, parts }) => ({ id, number, title, unread: parts.map(unreadWords) })), total };
}

interface Input {
  readonly title: string;
  readonly note: string;
  readonly signs: readonly Sign[];
}

export function requireSoundSigns(input: Input): void {
  const problems = detectorProblems(input.signs);
  if (problems.length === 0) return;
  throw new Problem(
    422,
    'wrong-detector',
    sentences(problems.map((p) => p.sentence)),
    problems.map((p) => ({ pointer: `/signs/${p.sign}`, sentence: p.sentence })),
  );
}

export async function requireFreeTitle(uow: UnitOfWork, title: string, id: string): Promise<void> {
  if (await store.detectorTitleTaken(uow, title, id)) throw wrongField('/title', message('records.thereDetectorAlready', { title }));
}

/** Notes all records: at once when they are few, else as a job, so that nobody who files waits for it. Gives how many there are. */
export async function noteAll(services: Services, uow: UnitOfWork, title: string): Promise<number> {
  const total = await store.keptCount(uow);
  if (total <= notedAtOnce) await store.noteAll(uow);
  else await addJob(uow, services.jobs, { kind: 'notes', subject: title, data: {}, total });
  return total;
}

/** The job that notes all records, some thousand at a time. */
export async function runNotes(services: Services, job: JobContext, actor: Actor): Promise<Message> {
  let noted = 0;
  for (let cursor = job.cursor; ;) {
    const { last, n } = await withUnitOfWork(
      services.pool,
      actor,
      async (uow) => {
        const some = await store.noteSome(uow, cursor, notedAStep);
        if (some.last !== null) await job.advance(uow, some.n, some.last);
        return some;
      },
      'none',
    );
    if (last === null) return message('records.lookedAtAnew', { n: noted });
    noted += n;
    cursor = last;
  }
}

interface Looked {
  readonly row: store.NotedRow;
  /** Null where nobody could look: what was found before stays. */
  readonly detected: readonly string[] | null;
  /** Why its content could not be looked into; null where it could, or where there is none. */
  readonly failed: string | null;
  /** What of it has no words here. */
  readonly unread: readonly Unread[];
}

/** All that is looked at in a record; scans that nobody looked at yet until `until`, where it is given. What stands apart stays apart: no pattern goes over the end of one text. */
export async function textOf(
  services: Services,
  row: store.LookedRow,
  until?: number,
): Promise<{ text: string; failed: string | null; unread: readonly Unread[] }> {
  const facts = Object.values(row.facts).flatMap((v) =>
    valuesOf(v)
      .map(String)
      .filter((one) => !isId(one)),
  );
  const own = [row.title, ...facts].join('\n\n');
  if (row.content_id === null) return { text: own, failed: null, unread: [] };
  const unreadable = (failed: string) => ({ text: own, failed, unread: [{ part: null, why: 'damaged' as const }] });
  try {
    const content = { content_id: row.content_id, sha256: row.sha256!, size: row.size!, media_type: row.media_type! };
    const { text, unread } = await wordsIn(services, content, until);
    const damaged = unread.some((u) => u.part === null && u.why === 'damaged');
    return { text: `${own}\n\n${text}`, failed: damaged ? inEnglish(message('records.notRead')) : null, unread };
  } catch (error) {
    if (databaseAway(error)) throw error;
    if (error instanceof Problem) return unreadable(error.message);
    services.log.warn({ err: error, record: row.id }, 'a content could not be looked into');
    return unreadable('Something went wrong with this content. The server’s log says what.');
  }
}

/**
 * Works off some of the notes: looks at each record, and then writes what was found in one short transaction, in which what
 * comes to match criteria by that is dated anew and held. A record that was written while it was looked at stays noted. Gives
 * how many records were looked at; 0 when there was nothing to do.
 */
export async function lookForSigns(services: Services, actor: Actor): Promise<number> {
  const noted = await store.claimNotes(services.pool, atOnce, claimMinutes);
  if (noted.length === 0) return 0;
  const all = await store.detectors(services.pool);
  const active = all.filter((d) => d.retired_on === null).map(({ id, signs }) => ({ id, signs: signs as readonly Sign[] }));
  const looked: Looked[] = [];
  const until = Date.now() + (claimMinutes * 60_000) / 2;
  for (const row of noted) {
    // Scans take their time: what is left is taken by whoever asks next.
    if (Date.now() > until) break;
    if (row.state === 'disposed' || active.length === 0) {
      looked.push({ row, detected: [], failed: null, unread: [] });
      continue;
    }
    const { text, failed, unread } = await textOf(services, row);
    try {
      looked.push({ row, detected: await services.reading.run(lookingForSigns, { text, detectors: active }), failed, unread });
    } catch (error) {
      if (!(error instanceof GivenUp)) throw error;
      looked.push({
        row,
        detected: null,
        failed: 'The detectors took too long over this record.',
        unread: [{ part: null, why: 'damaged' }],
      });
    }
  }
  const titles = new Map(all.map((d) => [d.id, d.title]));
  await withUnitOfWork(services.pool, actor, async (uow) => {
    const before = new Map(
      (
        await store.detectedIn(
          uow,
          looked.map(({ row }) => row.id),
        )
      ).map((r) => [r.id, r.detected]),
    );
    const taken = await store.takeOff(
      uow,
      looked.map(({ row }) => row),
    );
    await store.giveBack(uow, noted.slice(looked.length));
    const current = looked.filter(({ row }) => before.has(row.id) && taken.has(row.id));
    const sorted = (ids: readonly string[]): string => [...ids].sort().join();
    const changed = current.flatMap(({ row, detected }) =>
      detected !== null && sorted(detected) !== sorted(before.get(row.id)!) ? [{ row, detected }] : [],
    );
    await store.writeDetected(
      uow,
      changed.map(({ row, detected }) => ({ id: row.id, detected })),
    );
    const named = (ids: readonly string[]): string[] => ids.map((id) => titles.get(id) ?? id).sort();
    for (const { row, detected } of changed) {
      uow.enter({ act: 'found signs', subject: recordSubject(row), before: named(before.get(row.id)!), after: named(detected) });
    }
    for (const { row, failed } of current) {
      if (failed !== null) uow.enter({ act: 'could not look into', subject: recordSubject(row), note: failed });
    }
    await store.writeUnread(
      uow,
      current.map(({ row, unread }) => ({ id: row.id, unread })),
    );
    await recompute(
      uow,
      changed.map(({ row }) => row.id),
      await services.rules.current(uow),
      actor.today,
    );
  });
  return looked.length;
}
