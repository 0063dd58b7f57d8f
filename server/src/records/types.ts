import type { TypeEffect, TypeLine, TypePage } from '@key-cellar/contract';
import {
  changeProblems,
  definitionProblems,
  factGaps,
  factProblems,
  type FactDefinition,
  type FactProblem,
} from '@key-cellar/core/records';
import { requireAtRepository } from '../access/index.js';
import { withUnitOfWork } from '../db/index.js';
import type { Actor, SignedIn } from '../identity/index.js';
import { addJob, type JobContext } from '../jobs/index.js';
import { changedMeanwhile, notFound, Problem } from '../problem.js';
import type { Services } from '../services.js';
import * as store from './factStore.js';

/** Up to this many records get their gaps counted anew in the transaction that publishes; more become a job. */
const inOneTransaction = 2000;
const perStep = 2000;
/** A trial looks at this many records, the newest. */
const mostTried = 50_000;

const subject = (type: { code: string; title: string }) => ({ kind: 'recordType', id: null, name: `${type.code} ${type.title}` });

function refuseDefinitions(problems: readonly FactProblem[]): void {
  if (problems.length === 0) return;
  throw new Problem(
    422,
    'wrong-definitions',
    problems.map((p) => p.sentence).join(' '),
    problems.map((p) => ({ pointer: `/facts/${p.fact}`, sentence: p.sentence })),
  );
}

/** Record types are the keepers' of the whole repository. */
async function requireKeeper(services: Services, person: SignedIn): Promise<void> {
  await requireAtRepository(services.pool, await services.access.of(person), 'dispose', 'Keepers decide what record types there are.');
}

export async function listTypes(services: Services, person: SignedIn): Promise<TypeLine[]> {
  const access = await services.access.of(person);
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

export async function typePage(services: Services, person: SignedIn, code: string): Promise<TypePage> {
  const line = (await listTypes(services, person)).find((t) => t.code === code);
  if (!line) throw notFound('This record type');
  const versions = await store.typeVersions(services.pool, code);
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

export async function makeType(
  services: Services,
  person: SignedIn,
  input: { code: string; title: string; facts: readonly FactDefinition[] },
): Promise<void> {
  await requireKeeper(services, person);
  refuseDefinitions(definitionProblems(input.facts));
  await withUnitOfWork(services.pool, person, async (uow) => {
    if (!(await store.addType(uow, input))) throw new Problem(409, 'code-taken', `There is a record type “${input.code}” already.`);
    await store.addTypeVersion(uow, { ...input, version: 1, by: person.id, at: uow.at });
    uow.enter({ act: 'made a record type', subject: subject(input), after: input });
  });
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

async function effectOf(
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
 * Publishes another version of a record type. Its records stay valid as they are; required facts that they lack now are
 * gaps. A fact keeps the meaning of its code, and one that becomes unique must be so already.
 */
export async function changeType(
  services: Services,
  person: SignedIn,
  code: string,
  input: { version: number; title: string; facts: readonly FactDefinition[]; dryRun: boolean },
): Promise<{ effect: TypeEffect; version: number; jobId: string | null }> {
  await requireKeeper(services, person);
  const seen = await store.recordType(services.pool, code);
  if (!seen) throw notFound('This record type');
  const known = [...seen.facts, ...(await store.earlierFacts(services.pool, code))];
  refuseDefinitions([...definitionProblems(input.facts), ...changeProblems(known, input.facts)]);
  const effect = await effectOf(services, code, seen.facts, input.facts);
  if (input.dryRun) return { effect, version: seen.version, jobId: null };
  return withUnitOfWork(services.pool, person, async (uow) => {
    const type = (await store.lockType(uow, code))!;
    if (type.version !== input.version) throw changedMeanwhile();
    for (const fact of input.facts.filter((f) => f.unique && !type.facts.some((o) => o.code === f.code && o.unique))) {
      const twice = await store.claimAll(uow, code, fact.code);
      if (twice) {
        throw new Problem(409, 'not-unique', `${fact.title} cannot become unique: ${twice.n} records have ${twice.value}.`, [
          { pointer: `/facts/${fact.code}`, sentence: `${twice.n} records have ${twice.value}.` },
        ]);
      }
    }
    const next = { code, version: type.version + 1, title: input.title, facts: input.facts };
    await store.writeType(uow, next);
    await store.addTypeVersion(uow, { ...next, by: person.id, at: uow.at });
    uow.enter({
      act: 'changed a record type',
      subject: subject(next),
      before: { title: type.title, facts: type.facts },
      after: { title: next.title, facts: next.facts, version: next.version },
    });
    if (effect.records > inOneTransaction) {
      const job = { kind: 'gaps' as const, subject: code, data: { code }, total: effect.records };
      return { effect, version: next.version, jobId: await addJob(uow, services.jobs, job) };
    }
    await store.writeGaps(uow, changedGaps(next.facts, await store.lockFactsOfType(uow, code, null, inOneTransaction)));
    return { effect, version: next.version, jobId: null };
  });
}

function changedGaps(facts: readonly FactDefinition[], rows: readonly store.FactsRow[]): { id: string; gaps: number }[] {
  return rows.flatMap((row) => {
    const gaps = factGaps(facts, row.facts).length;
    return gaps === row.gaps ? [] : [{ id: row.id, gaps }];
  });
}

/** The job that counts the gaps of all records of a type anew. */
export async function runGaps(services: Services, job: JobContext, actor: Actor): Promise<string> {
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
      uow.enter({ act: 'counted gaps', subject: subject(type), after: { looked: found.length, changed: gaps.length } });
      changed += gaps.length;
      return found;
    });
    if (rows.length === 0) return `${changed} of ${looked} records have other gaps now.`;
    looked += rows.length;
    cursor = rows.at(-1)!.id;
  }
}

export async function retireType(services: Services, person: SignedIn, code: string, retired: boolean): Promise<void> {
  await requireKeeper(services, person);
  await withUnitOfWork(services.pool, person, async (uow) => {
    const type = await store.lockType(uow, code);
    if (!type) throw notFound('This record type');
    if ((type.retired_on !== null) === retired) return;
    await store.retireType(uow, code, retired ? person.today : null);
    uow.enter({ act: retired ? 'retired a record type' : 'took a record type up again', subject: subject(type) });
  });
}
