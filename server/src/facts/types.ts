import type { TypeEffect, TypeLine, TypePage } from '@key-cellar/contract';
import {
  changeProblems,
  definitionProblems,
  factGaps,
  factProblems,
  type FactDefinition,
  type FactProblem,
} from '@key-cellar/core/records';
import { message, sentences, type Message } from '@key-cellar/words';
import {
  addJob,
  notFound,
  Problem,
  withUnitOfWork,
  type Actor,
  type Db,
  type JobContext,
  type PersonAccess,
  type Services,
  type UnitOfWork,
} from '../kernel/index.js';
import * as store from './store.js';

/** Up to this many records get their gaps counted anew in the transaction that publishes; more become a job. */
export const gapsInOneTransaction = 2000;
const perStep = 2000;
/** A trial looks at this many records, the newest. */
const mostTried = 50_000;

export const subjectOfType = (type: { code: string; title: string }) => ({
  kind: 'recordType',
  id: null,
  name: `${type.code} ${type.title}`,
});

export function refuseDefinitions(problems: readonly FactProblem[]): void {
  if (problems.length === 0) return;
  throw new Problem(
    422,
    'wrong-definitions',
    sentences(problems.map((p) => p.sentence)),
    problems.map((p) => ({ pointer: `/facts/${p.fact}`, sentence: p.sentence })),
  );
}

export async function listTypes(services: Services, access: PersonAccess): Promise<TypeLine[]> {
  const [types, counts] = await Promise.all([store.recordTypes(services.pool), store.countsByType(services.pool, access.sets('discover'))]);
  const of = new Map(counts.map((c) => [c.record_type, c]));
  return types.map((t) => ({
    code: t.code,
    title: t.title,
    version: t.version,
    facts: t.facts,
    retiredOn: t.retired_on,
    records: of.get(t.code)?.records ?? 0,
    gaps: of.get(t.code)?.gaps ?? 0,
  }));
}

export async function typePage(services: Services, access: PersonAccess, code: string): Promise<TypePage> {
  const line = (await listTypes(services, access)).find((t) => t.code === code);
  if (!line) throw notFound(message('thing.recordType'));
  const versions = await store.typeVersions(services.pool, code, access.sets('discover'));
  return {
    ...line,
    versions: versions.map((v) => ({
      version: v.version,
      title: v.title,
      facts: v.facts,
      publishedBy: v.published_by,
      publishedAt: v.published_at.toISOString(),
      records: v.records,
    })),
  };
}

function difference(before: readonly FactDefinition[], after: readonly FactDefinition[], row: store.FactsRow) {
  const missing = new Set(factGaps(after, row.facts));
  const had = new Set(factGaps(before, row.facts));
  return {
    gaps: missing.size,
    newGaps: [...missing].some((title) => !had.has(title)),
    closedGaps: [...had].some((title) => !missing.has(title)),
    unfitting: factProblems(after, row.facts).map((p) => p.fact),
  };
}

/** What another list of facts would do to the records of a type; the newest are looked at when there are very many. */
export async function effectOf(
  services: Services,
  code: string,
  before: readonly FactDefinition[],
  after: readonly FactDefinition[],
): Promise<TypeEffect> {
  const records = await store.countOfType(services.pool, code);
  const unfitting = new Map<string, number>();
  let [looked, newGaps, closedGaps] = [0, 0, 0];
  for (let cursor: string | null = null; looked < mostTried;) {
    const rows: store.FactsRow[] = await store.factsOfType(services.pool, code, cursor, perStep);
    if (rows.length === 0) break;
    for (const row of rows) {
      const change = difference(before, after, row);
      newGaps += Number(change.newGaps);
      closedGaps += Number(change.closedGaps);
      for (const fact of new Set(change.unfitting)) unfitting.set(fact, (unfitting.get(fact) ?? 0) + 1);
    }
    looked += rows.length;
    cursor = rows.at(-1)!.id;
  }
  return { records, looked, newGaps, closedGaps, unfitting: [...unfitting].sort().map(([fact, n]) => ({ fact, records: n })) };
}

/**
 * Publishes the next version of a type whose row is locked: what becomes unique must be so already, and gaps are counted anew, at once
 * when its records are few. Gives the version, and the job that counts when they are many.
 */
export async function publishVersion(
  services: Services,
  uow: UnitOfWork,
  type: store.TypeRow,
  next: { title: string; facts: readonly FactDefinition[]; by: string | null; at: string },
): Promise<{ version: number; jobId: string | null }> {
  const { code } = type;
  for (const fact of next.facts.filter((f) => f.unique && !type.facts.some((o) => o.code === f.code && o.unique))) {
    const twice = await store.claimAll(uow, code, fact.code);
    if (twice) {
      throw new Problem(409, 'not-unique', message('facts.notUnique', { title: fact.title, n: twice.n, value: String(twice.value) }), [
        { pointer: `/facts/${fact.code}`, sentence: message('facts.recordsHave', { n: twice.n, value: String(twice.value) }) },
      ]);
    }
  }
  const version = type.version + 1;
  await store.writeType(uow, { code, version, title: next.title, facts: next.facts });
  await store.addTypeVersion(uow, { code, version, title: next.title, facts: next.facts, by: next.by, at: next.at });
  uow.enter({
    act: 'changed a record type',
    subject: subjectOfType({ code, title: next.title }),
    before: { title: type.title, facts: type.facts },
    after: { title: next.title, facts: next.facts, version },
  });
  const total = await store.countOfType(uow, code);
  if (total > gapsInOneTransaction) {
    return { version, jobId: await addJob(uow, services.jobs, { kind: 'gaps', subject: code, data: { code }, total }) };
  }
  await store.writeGaps(uow, changedGaps(next.facts, await store.lockFactsOfType(uow, code, null, gapsInOneTransaction)));
  return { version, jobId: null };
}

/** Refuses facts of a type's next version that are unsound, or give a code of before another meaning. */
export async function requireNextFacts(db: Db, type: store.TypeRow, facts: readonly FactDefinition[]): Promise<void> {
  refuseDefinitions([
    ...definitionProblems(facts),
    ...changeProblems([...type.facts, ...(await store.earlierFacts(db, type.code))], facts),
  ]);
}

function changedGaps(facts: readonly FactDefinition[], rows: readonly store.FactsRow[]): { id: string; gaps: number }[] {
  return rows.flatMap((row) => {
    const gaps = factGaps(facts, row.facts).length;
    return gaps === row.gaps ? [] : [{ id: row.id, gaps }];
  });
}

/** The job that counts the gaps of all records of a type anew. */
export async function runGaps(services: Services, job: JobContext, actor: Actor): Promise<Message> {
  const { code } = job.data as { code: string };
  let [looked, changed] = [0, 0];
  for (let cursor = job.cursor; ;) {
    const rows = await withUnitOfWork(services.pool, actor, async (uow) => {
      const type = (await store.recordType(uow, code))!;
      const found = await store.lockFactsOfType(uow, code, cursor, perStep);
      if (found.length === 0) return found;
      const gaps = changedGaps(type.facts, found);
      await store.writeGaps(uow, gaps);
      await job.advance(uow, found.length, found.at(-1)!.id);
      uow.enter({ act: 'counted gaps', subject: subjectOfType(type), after: { looked: found.length, changed: gaps.length } });
      changed += gaps.length;
      return found;
    });
    if (rows.length === 0) return message('facts.gapsCounted', { changed, looked });
    looked += rows.length;
    cursor = rows.at(-1)!.id;
  }
}
