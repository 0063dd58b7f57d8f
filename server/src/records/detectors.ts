import type { DetectorLine } from '@key-cellar/contract';
import { compileDetector, detectorProblems, type Sign } from '@key-cellar/core/criteria';
import { canonicalJson } from '@key-cellar/core/ledger';
import { isId, valuesOf } from '@key-cellar/core/records';
import { uuidv7 } from 'uuidv7';
import { requireAtRepository } from '../access/index.js';
import { mayNameDetectors } from '../criteria/index.js';
import { databaseAway, withUnitOfWork, type UnitOfWork } from '../db/index.js';
import type { Actor, SignedIn } from '../identity/index.js';
import { addJob, type JobContext } from '../jobs/index.js';
import { changedMeanwhile, notAllowed, notFound, Problem, wrongField } from '../problem.js';
import { recompute } from '../schedule/index.js';
import type { Services } from '../services.js';
import * as store from './detectorStore.js';
import { subjectOf } from './service.js';
import { wordsIn } from './texts.js';

/** Up to this many records are noted with the detector that they are to be looked at with. */
const notedAtOnce = 20_000;
const notedAStep = 5000;
/** Records that are looked at together. */
const atOnce = 50;
/** How long a server may look at them before another one does. */
const claimMinutes = 10;

const subject = (d: { id: string; title: string }) => ({ kind: 'detector', id: d.id, name: d.title });

export async function listDetectors(services: Services, person: SignedIn): Promise<{ detectors: DetectorLine[]; waiting: number }> {
  const access = await services.access.of(person);
  if (!mayNameDetectors(access)) throw notAllowed('audit', 'Detectors are for those who keep, hold or audit.');
  const [found, counts, waiting] = await Promise.all([
    store.detectors(services.pool),
    store.foundBy(services.pool, access.sets('discover')),
    store.notedCount(services.pool),
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
  return { detectors: found.map(line), waiting };
}

interface Input {
  readonly title: string;
  readonly note: string;
  readonly signs: readonly Sign[];
}

function requireSound(input: Input): void {
  const problems = detectorProblems(input.signs);
  if (problems.length === 0) return;
  throw new Problem(
    422,
    'wrong-detector',
    problems.map((p) => p.sentence).join(' '),
    problems.map((p) => ({ pointer: `/signs/${p.sign}`, sentence: p.sentence })),
  );
}

async function requireKeeper(services: Services, person: SignedIn): Promise<void> {
  await requireAtRepository(services.pool, await services.access.of(person), 'dispose', 'Keepers make detectors.');
}

async function requireFreeTitle(uow: UnitOfWork, title: string, id: string): Promise<void> {
  if (await store.detectorTitleTaken(uow, title, id)) throw wrongField('/title', `There is a detector “${title}” already.`);
}

/** Notes all records: at once when they are few, else as a job, so that nobody who files waits for it. Gives how many there are. */
async function noteAll(services: Services, uow: UnitOfWork, title: string): Promise<number> {
  const total = await store.keptCount(uow);
  if (total <= notedAtOnce) await store.noteAll(uow);
  else await addJob(uow, services.jobs, { kind: 'notes', subject: title, data: {}, total });
  return total;
}

/** The job that notes all records, some thousand at a time. */
export async function runNotes(services: Services, job: JobContext, actor: Actor): Promise<string> {
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
    if (last === null) return `${noted} records are looked at anew.`;
    noted += n;
    cursor = last;
  }
}

/** Makes a detector; all records are noted to be looked at with it. */
export async function makeDetector(services: Services, person: SignedIn, input: Input): Promise<{ id: string; waiting: number }> {
  await requireKeeper(services, person);
  requireSound(input);
  return withUnitOfWork(
    services.pool,
    person,
    async (uow) => {
      const id = uuidv7();
      await requireFreeTitle(uow, input.title, id);
      await store.addDetector(uow, { ...input, id });
      uow.enter({ act: 'made a detector', subject: subject({ id, title: input.title }), after: input });
      return { id, waiting: await noteAll(services, uow, input.title) };
    },
    'none',
  );
}

/** Changes a detector, or retires it; what it finds is looked for anew where its signs changed, and is gone when it is retired. */
export async function changeDetector(
  services: Services,
  person: SignedIn,
  id: string,
  input: Input & { readonly revision: number; readonly retired: boolean },
): Promise<{ revision: number; waiting: number }> {
  await requireKeeper(services, person);
  requireSound(input);
  return withUnitOfWork(
    services.pool,
    person,
    async (uow) => {
      const before = await store.lockDetector(uow, id);
      if (!before) throw notFound('This detector');
      if (before.revision !== input.revision) throw changedMeanwhile();
      await requireFreeTitle(uow, input.title, id);
      const retiredOn = input.retired ? (before.retired_on ?? person.today) : null;
      const { title, note, signs } = input;
      await store.writeDetector(uow, { id, title, note, signs, retiredOn });
      uow.enter({
        act: input.retired && before.retired_on === null ? 'retired a detector' : 'changed a detector',
        subject: subject({ id, title }),
        before: { title: before.title, note: before.note, signs: before.signs, retiredOn: before.retired_on },
        after: { title, note, signs, retiredOn },
      });
      const looksAnew = canonicalJson(before.signs) !== canonicalJson(signs) || before.retired_on !== retiredOn;
      return { revision: before.revision + 1, waiting: looksAnew ? await noteAll(services, uow, title) : 0 };
    },
    'none',
  );
}

interface Looked {
  readonly row: store.NotedRow;
  readonly detected: readonly string[];
  /** Why its content could not be read; null where it could, or where there is none. */
  readonly unread: string | null;
}

/** All that is looked at in a record. What stands apart stays apart: no pattern goes over the end of one text. */
async function textOf(services: Services, row: store.NotedRow): Promise<{ text: string; unread: string | null }> {
  const facts = Object.values(row.facts).flatMap((v) => valuesOf(v).map(String).filter((one) => !isId(one))); // prettier-ignore
  const own = [row.title, ...facts].join('\n\n');
  if (row.content_id === null) return { text: own, unread: null };
  try {
    const content = { content_id: row.content_id, sha256: row.sha256!, size: row.size!, media_type: row.media_type! };
    return { text: `${own}\n\n${await wordsIn(services, content)}`, unread: null };
  } catch (error) {
    if (databaseAway(error)) throw error;
    if (error instanceof Problem) return { text: own, unread: error.message };
    services.log.warn({ err: error, record: row.id }, 'a content could not be looked into');
    return { text: own, unread: 'Something went wrong with this content. The server’s log says what.' };
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
  const active = all.filter((d) => d.retired_on === null).map((d) => ({ id: d.id, look: compileDetector(d.signs) }));
  const looked: Looked[] = [];
  for (const row of noted) {
    if (row.state === 'disposed' || active.length === 0) {
      looked.push({ row, detected: [], unread: null });
      continue;
    }
    const { text, unread } = await textOf(services, row);
    looked.push({ row, detected: active.filter((d) => d.look(text).met).map((d) => d.id), unread });
  }
  const titles = new Map(all.map((d) => [d.id, d.title]));
  await withUnitOfWork(services.pool, actor, async (uow) => {
    const before = new Map((await store.detectedIn(uow, noted.map((n) => n.id))).map((r) => [r.id, r.detected])); // prettier-ignore
    const taken = await store.takeOff(uow, noted);
    const current = looked.filter(({ row }) => before.has(row.id) && taken.has(row.id));
    const sorted = (ids: readonly string[]): string => [...ids].sort().join();
    const changed = current.filter(({ row, detected }) => sorted(detected) !== sorted(before.get(row.id)!));
    await store.writeDetected(uow, changed.map(({ row, detected }) => ({ id: row.id, detected }))); // prettier-ignore
    const named = (ids: readonly string[]): string[] => ids.map((id) => titles.get(id) ?? id).sort();
    for (const { row, detected } of changed) {
      uow.enter({ act: 'found signs', subject: subjectOf(row), before: named(before.get(row.id)!), after: named(detected) });
    }
    for (const { row, unread } of current) {
      if (unread !== null) uow.enter({ act: 'could not look into', subject: subjectOf(row), note: unread });
    }
    await recompute(uow, changed.map(({ row }) => row.id), await services.rules.current(uow), actor.today); // prettier-ignore
  });
  return noted.length;
}
