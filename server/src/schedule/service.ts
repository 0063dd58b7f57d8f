import type { RuleDefinition, RuleLine, RulePage } from '@key-cellar/contract';
import type pg from 'pg';
import { uuidv7 } from 'uuidv7';
import { withUnitOfWork, type UnitOfWork } from '../db/index.js';
import type { Actor, SignedIn } from '../identity/index.js';
import { addJob, type JobContext } from '../jobs/index.js';
import { changedMeanwhile, notFound, Problem, wrongField } from '../problem.js';
import type { Services } from '../services.js';
import { recompute } from './evaluation.js';
import { loadRuleBook } from './ruleBook.js';
import * as levels from './levels.js';
import * as store from './store.js';

/** Up to this many records are recomputed in the transaction that touches them; more become a job. */
const inOneTransaction = 2000;
const perStep = 2000;

export async function listRules(services: Services, person: SignedIn): Promise<RuleLine[]> {
  const { pool } = services;
  const access = await services.access.of(person);
  const [rules, versions, set, counts] = await Promise.all([
    store.rules(pool),
    store.allVersions(pool),
    store.setOn(pool, access.sets('discover')),
    store.recordsByVersion(pool, access.sets('discover')),
  ]);
  const count = new Map(counts.map((c) => [c.rule_id, c.n]));
  return rules.map((rule) => {
    const own = versions.filter((v) => v.rule_id === rule.id);
    const current = own.filter((v) => v.in_force_from <= person.today).at(-1) ?? own.at(-1);
    return {
      id: rule.id,
      code: rule.code,
      version: current?.version ?? null,
      definition: current?.definition ?? rule.draft!,
      inForceFrom: current?.in_force_from ?? null,
      hasDraft: rule.draft !== null,
      setOn: set.filter((s) => s.rule_id === rule.id).map((s) => ({ placeId: s.place_id, code: s.code, title: s.title })),
      records: count.get(rule.id) ?? 0,
    };
  });
}

export async function rulePage(services: Services, person: SignedIn, id: string): Promise<RulePage> {
  const { pool } = services;
  const rule = await store.ruleById(pool, id);
  if (!rule) throw notFound('This rule');
  const [lines, versions, pairs, byCriteria] = await Promise.all([
    listRules(services, person),
    store.allVersions(pool),
    levels.listPairs(services, person),
    levels.listCriteriaRules(services, person),
  ]);
  const line = lines.find((l) => l.id === id)!;
  return {
    id: rule.id,
    code: rule.code,
    revision: rule.revision,
    draft: rule.draft,
    draftSaved: rule.draft && rule.draft_by && rule.draft_at ? { by: rule.draft_by, at: rule.draft_at.toISOString() } : null,
    versions: versions
      .filter((v) => v.rule_id === id)
      .map((v) => ({
        id: v.id,
        version: v.version,
        definition: v.definition,
        inForceFrom: v.in_force_from,
        takesOver: v.takes_over,
        publishedBy: v.published_by,
        publishedAt: v.published_at.toISOString(),
      }))
      .reverse(),
    setOn: line.setOn,
    pairs: pairs.filter((p) => p.rule.id === id),
    criteria: byCriteria.filter((c) => c.rule.id === id),
    records: line.records,
  };
}

/** Groups whose approval a rule asks for and that do not exist. */
export function unknownGroups(definition: RuleDefinition, groups: readonly string[]): string[] {
  return definition.steps.flatMap((s) => s.approverGroups ?? []).filter((name) => !groups.includes(name));
}

async function requireGroups(uow: UnitOfWork, definition: RuleDefinition): Promise<void> {
  if (definition.steps.every((s) => !s.approverGroups?.length)) return;
  const [unknown] = unknownGroups(definition, await store.groupNames(uow));
  if (unknown !== undefined) throw wrongField('/definition/steps', `There is no group “${unknown}” that could approve.`);
}

const subject = (rule: { id: string; code: string }) => ({ kind: 'rule', id: rule.id, name: rule.code });

export async function makeRule(pool: pg.Pool, person: SignedIn, input: { code: string; definition: RuleDefinition }): Promise<string> {
  return withUnitOfWork(pool, person, async (uow) => {
    await requireGroups(uow, input.definition);
    const rule = { id: uuidv7(), code: input.code, draft: input.definition };
    await store.addRule(uow, rule);
    uow.enter({ act: 'began a rule', subject: subject(rule), after: input.definition });
    return rule.id;
  });
}

async function lockAtRevision(uow: UnitOfWork, id: string, revision: number): Promise<store.RuleRow> {
  const rule = await store.lockRule(uow, id);
  if (!rule) throw notFound('This rule');
  if (rule.revision !== revision) throw changedMeanwhile();
  return rule;
}

export async function saveDraft(
  pool: pg.Pool,
  person: SignedIn,
  id: string,
  input: { revision: number; definition: RuleDefinition },
): Promise<number> {
  return withUnitOfWork(pool, person, async (uow) => {
    const rule = await lockAtRevision(uow, id, input.revision);
    await requireGroups(uow, input.definition);
    uow.enter({ act: 'saved a rule draft', subject: subject(rule), before: rule.draft, after: input.definition });
    return store.writeDraft(uow, id, input.definition);
  });
}

export async function dropDraft(pool: pg.Pool, person: SignedIn, id: string, revision: number): Promise<void> {
  await withUnitOfWork(pool, person, async (uow) => {
    const rule = await lockAtRevision(uow, id, revision);
    const versions = (await store.allVersions(uow)).filter((v) => v.rule_id === id);
    if (versions.length === 0) {
      throw new Problem(409, 'never-published', 'This rule was never published, so its draft is all there is of it.');
    }
    uow.enter({ act: 'dropped a rule draft', subject: subject(rule), before: rule.draft });
    await store.writeDraft(uow, id, null);
  });
}

/** Publishes the draft as the next version and starts the recompute of all that the rule may govern. */
export async function publish(
  services: Services,
  person: SignedIn,
  id: string,
  input: { revision: number; inForceFrom: string; takesOver: 'all' | 'laterClocks' },
): Promise<{ version: number; jobId: string }> {
  return withUnitOfWork(services.pool, person, async (uow) => {
    const rule = await lockAtRevision(uow, id, input.revision);
    if (!rule.draft) throw new Problem(409, 'no-draft', 'There is no draft to publish. Edit the rule first.');
    const earlier = (await store.allVersions(uow)).filter((v) => v.rule_id === id);
    const version = (earlier.at(-1)?.version ?? 0) + 1;
    await store.addVersion(uow, {
      id: uuidv7(),
      ruleId: id,
      version,
      definition: rule.draft,
      inForceFrom: input.inForceFrom,
      takesOver: input.takesOver,
      publishedBy: person.id,
      at: uow.at,
    });
    await store.writeDraft(uow, id, null);
    uow.enter({
      act: 'published a rule',
      subject: subject(rule),
      before: earlier.at(-1)?.definition ?? null,
      after: { ...rule.draft, version, inForceFrom: input.inForceFrom, takesOver: input.takesOver },
    });
    const jobId = await recomputeRules(services, uow, [id], rule.code);
    return { version, jobId };
  });
}

/** Recomputes, as a job, all that rules may govern. */
export async function recomputeRules(
  services: Services,
  uow: UnitOfWork,
  ruleIds: readonly string[],
  subjectName: string,
): Promise<string> {
  return recomputeAsJob(services, uow, await store.reachOfRules(uow, ruleIds), subjectName);
}

/** Recomputes everything, as a job; or only counts, in the same way, what would change. */
export async function recomputeAll(services: Services, person: SignedIn, dryRun: boolean): Promise<string> {
  return withUnitOfWork(services.pool, person, async (uow) => {
    const reach: store.Reach = { placeIds: [await store.rootPlace(uow)] };
    const total = await store.countWithin(uow, reach);
    uow.enter({
      act: dryRun ? 'tried a recompute' : 'asked for a recompute',
      subject: { kind: 'schedule', id: null, name: 'schedule' },
      after: { records: total },
    });
    return addJob(uow, services.jobs, { kind: 'recompute', subject: 'all records', data: { reach, dryRun }, total });
  });
}

async function recomputeAsJob(services: Services, uow: UnitOfWork, reach: store.Reach, subjectName: string): Promise<string> {
  const total = await store.countWithin(uow, reach);
  return addJob(uow, services.jobs, { kind: 'recompute', subject: subjectName, data: { reach }, total });
}

/**
 * Recomputes what a change may touch: at once when little, as a job when much.
 * Gives the number of records looked at, or to be looked at.
 */
export async function recomputeWithin(services: Services, uow: UnitOfWork, reach: store.Reach, subjectName: string): Promise<number> {
  const ids = await store.idsWithin(uow, reach, null, inOneTransaction + 1);
  if (ids.length > inOneTransaction) {
    await recomputeAsJob(services, uow, reach, subjectName);
    return store.countWithin(uow, reach);
  }
  // This transaction may have changed the rules itself, so it reads them through its own eyes.
  await recompute(uow, ids, await loadRuleBook(uow), uow.actor.today);
  return ids.length;
}

/** The job behind a large recompute: one transaction for each step, a cursor that survives a crash. */
export async function runRecompute(services: Services, job: JobContext, actor: Actor): Promise<string> {
  const { reach, dryRun = false } = job.data as { reach: store.Reach; dryRun?: boolean };
  let changed = 0;
  let looked = 0;
  for (let cursor = job.cursor; ;) {
    const ids = await store.idsWithin(services.pool, reach, cursor, perStep);
    if (ids.length === 0) break;
    changed += await withUnitOfWork(services.pool, actor, async (uow) => {
      const n = await recompute(uow, ids, await services.rules.current(uow), actor.today, dryRun);
      await job.advance(uow, ids.length, ids.at(-1)!);
      if (dryRun) return n;
      uow.enter({
        act: 'recomputed due dates',
        subject: { kind: 'rule', id: null, name: job.subject },
        after: { looked: ids.length, changed: n, upTo: ids.at(-1) },
      });
      return n;
    });
    looked += ids.length;
    cursor = ids.at(-1)!;
  }
  return `${changed} of ${looked} records ${dryRun ? 'would get' : 'got'} another date, rule or next step.`;
}

export async function setRule(
  services: Services,
  person: SignedIn,
  place: { id: string; code: string; title: string },
  ruleId: string,
  set: boolean,
): Promise<number> {
  return withUnitOfWork(services.pool, person, async (uow) => {
    const rule = await store.ruleById(uow, ruleId);
    if (!rule) throw notFound('This rule');
    const touched = set ? await store.addPlaceRule(uow, place.id, ruleId) : await store.removePlaceRule(uow, place.id, ruleId);
    if (touched === 0) {
      throw new Problem(409, 'nothing-to-do', set ? `Rule ${rule.code} is set here already.` : `Rule ${rule.code} is not set here.`);
    }
    uow.enter({
      act: set ? 'set a rule' : 'took a rule off',
      subject: { kind: 'place', id: place.id, name: `${place.code} ${place.title}` },
      after: { rule: rule.code },
    });
    return recomputeWithin(services, uow, { placeIds: [place.id] }, rule.code);
  });
}
