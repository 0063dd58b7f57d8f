import type { CriteriaRuleLine, JurisdictionLine } from '@key-cellar/contract';
import { hasRight } from '@key-cellar/core/access';
import { civilDate } from '@key-cellar/core/calendar';
import { clausesOf, describeCriteria, resolveCriteria, type AskedCriteria, type Criteria } from '@key-cellar/core/criteria';
import { mayBePartOf } from '@key-cellar/core/schedule';
import { uuidv7 } from 'uuidv7';
import { visibleSql } from '../access/index.js';
import { requireNamable } from '../criteria/index.js';
import { withUnitOfWork, type UnitOfWork } from '../db/index.js';
import type { SignedIn } from '../identity/index.js';
import { notFound, Problem, wrongField } from '../problem.js';
import type { Services } from '../services.js';
import * as levels from './levelsStore.js';
import { recomputeWithin } from './service.js';
import * as store from './store.js';

async function ruleOf(uow: UnitOfWork, id: string): Promise<store.RuleRow> {
  const rule = await store.ruleById(uow, id);
  if (!rule) throw notFound('This rule');
  return rule;
}

export async function listPairs(services: Services, person: SignedIn) {
  const access = await services.access.of(person);
  const seen = access.sets('discover');
  const [pairs, series] = await Promise.all([levels.pairs(services.pool), store.seriesSets(services.pool)]);
  const open = new Set(series.filter((s) => seen.includes(s.access_set_id)).map((s) => s.id));
  return pairs
    .filter((p) => open.has(p.series_id))
    .map((p) => ({
      recordType: p.record_type,
      typeTitle: p.type_title,
      seriesId: p.series_id,
      code: p.code,
      title: p.title,
      rule: { id: p.rule_id, code: p.rule_code, title: p.rule_title },
    }));
}

export async function setPair(
  services: Services,
  person: SignedIn,
  pair: { recordType: string; seriesId: string; ruleId: string },
  set: boolean,
): Promise<number> {
  return withUnitOfWork(services.pool, person, async (uow) => {
    const rule = await ruleOf(uow, pair.ruleId);
    const [series, type] = await Promise.all([levels.seriesById(uow, pair.seriesId), levels.typeByCode(uow, pair.recordType)]);
    if (series?.kind !== 'series') throw wrongField('/seriesId', 'This is no series.');
    if (!type) throw wrongField('/recordType', `There is no record type “${pair.recordType}”.`);
    const touched = set ? await levels.addPair(uow, pair) : await levels.removePair(uow, pair);
    const where = `${type.title} in ${series.code}`;
    if (touched === 0) {
      throw new Problem(
        409,
        'nothing-to-do',
        set ? `Rule ${rule.code} is set on ${where} already.` : `Rule ${rule.code} is not set on ${where}.`,
      );
    }
    uow.enter({
      act: set ? 'set a rule' : 'took a rule off',
      subject: { kind: 'place', id: series.id, name: `${series.code} ${series.title}` },
      after: { rule: rule.code, recordType: type.code },
    });
    return recomputeWithin(services, uow, { pairs: [pair] }, rule.code);
  });
}

function toLine(c: levels.CriteriaRuleLineRow, index: number): CriteriaRuleLine {
  return {
    id: c.id,
    rule: { id: c.rule_id, code: c.rule_code, title: c.rule_title },
    criteria: c.criteria,
    note: c.note,
    order: index + 1,
  };
}

/** Rules by criteria in their order, for those who keep the schedule: criteria may name what others may not discover. */
export async function listCriteriaRules(services: Services, person: SignedIn): Promise<CriteriaRuleLine[]> {
  if (!hasRight((await services.access.of(person)).anywhere, 'dispose')) return [];
  return (await levels.criteriaRuleLines(services.pool)).map(toLine);
}

/** What the schedule itself says of a record cannot decide which rule it follows, and neither can holds. */
function requireForRules(criteria: Criteria): void {
  const circular = clausesOf(criteria).find(
    (c) =>
      c.op === 'held' ||
      c.op === 'heldBy' ||
      (c.op === 'is' && (c.field === 'outcome' || c.field === 'docket')) ||
      (c.op === 'between' && c.field === 'due'),
  );
  if (circular) {
    throw wrongField(
      '/criteria',
      `“${describeCriteria(circular)}” follows from the schedule or from holds, so no rule can be set by it. Use facts, places, dates or people.`,
    );
  }
}

export async function addCriteriaRule(
  services: Services,
  person: SignedIn,
  input: { ruleId: string; criteria: Criteria; note: string },
): Promise<{ id: string; recomputed: number }> {
  requireForRules(input.criteria);
  return withUnitOfWork(services.pool, person, async (uow) => {
    const rule = await ruleOf(uow, input.ruleId);
    const all = await levels.lockCriteriaRules(uow);
    const id = uuidv7();
    await levels.addCriteriaRule(uow, { ...input, id, position: (all.at(-1)?.position ?? 0) + 1 });
    uow.enter({
      act: 'set a rule by criteria',
      subject: { kind: 'rule', id: rule.id, name: rule.code },
      after: { criteria: describeCriteria(input.criteria), order: all.length + 1 },
      note: input.note || undefined,
    });
    return { id, recomputed: await recomputeWithin(services, uow, { criteria: [input.criteria] }, rule.code) };
  });
}

type Locked = Awaited<ReturnType<typeof levels.lockCriteriaRules>>[number];

/** Changes one of the rules by criteria while nobody else changes their order. */
async function changing(
  services: Services,
  person: SignedIn,
  id: string,
  change: (uow: UnitOfWork, all: readonly Locked[], at: Locked, rule: store.RuleRow) => Promise<readonly Criteria[]>,
): Promise<number> {
  return withUnitOfWork(services.pool, person, async (uow) => {
    const all = await levels.lockCriteriaRules(uow);
    const at = all.find((c) => c.id === id);
    if (!at) throw notFound('This rule by criteria');
    const rule = await ruleOf(uow, at.rule_id);
    return recomputeWithin(services, uow, { criteria: await change(uow, all, at, rule) }, rule.code);
  });
}

const subject = (rule: store.RuleRow) => ({ kind: 'rule', id: rule.id, name: rule.code });

export function changeCriteriaRule(
  services: Services,
  person: SignedIn,
  id: string,
  input: { criteria: Criteria; note: string },
): Promise<number> {
  requireForRules(input.criteria);
  return changing(services, person, id, async (uow, _all, at, rule) => {
    await levels.writeCriteriaRule(uow, id, input.criteria, input.note);
    uow.enter({
      act: 'changed the criteria of a rule',
      subject: subject(rule),
      before: { criteria: describeCriteria(at.criteria), note: at.note },
      after: { criteria: describeCriteria(input.criteria), note: input.note },
    });
    return [at.criteria, input.criteria];
  });
}

export function moveCriteriaRule(services: Services, person: SignedIn, id: string, order: number): Promise<number> {
  return changing(services, person, id, async (uow, all, at, rule) => {
    const from = all.indexOf(at);
    const to = Math.min(order, all.length) - 1;
    if (from === to) throw new Problem(409, 'nothing-to-do', 'It is asked at this place already.');
    const ids = all.map((c) => c.id);
    ids.splice(to, 0, ...ids.splice(from, 1));
    await levels.orderCriteriaRules(uow, ids);
    uow.enter({
      act: 'moved a rule by criteria',
      subject: subject(rule),
      before: { order: from + 1 },
      after: { order: to + 1 },
      note: describeCriteria(at.criteria),
    });
    // Only what this one matches can get another rule: the order of all others among themselves stays.
    return [at.criteria];
  });
}

export function dropCriteriaRule(services: Services, person: SignedIn, id: string): Promise<number> {
  return changing(services, person, id, async (uow, all, at, rule) => {
    await levels.removeCriteriaRule(uow, id);
    await levels.orderCriteriaRules(
      uow,
      all.filter((c) => c.id !== id).map((c) => c.id),
    );
    uow.enter({ act: 'took a rule by criteria off', subject: subject(rule), before: { criteria: describeCriteria(at.criteria) } });
    return [at.criteria];
  });
}

export async function countCriteria(services: Services, person: SignedIn, asked: AskedCriteria): Promise<number> {
  const access = await services.access.of(person);
  requireNamable(access, asked);
  const criteria = resolveCriteria(asked, civilDate(person.today));
  return levels.countMatching(services.pool, criteria, (bind) => visibleSql(access, person, 'discover', bind));
}

export async function listJurisdictions(services: Services): Promise<JurisdictionLine[]> {
  const found = await levels.jurisdictionLines(services.pool);
  return found.map((j) => ({ name: j.name, partOf: j.part_of, rules: j.rules, places: j.places }));
}

const jurisdictionSubject = (name: string) => ({ kind: 'jurisdiction', id: null, name });

export async function makeJurisdiction(
  services: Services,
  person: SignedIn,
  input: { name: string; partOf: string | null },
): Promise<void> {
  await withUnitOfWork(services.pool, person, async (uow) => {
    const all = await levels.lockJurisdictions(uow);
    if (all.some((j) => j.name.toLowerCase() === input.name.toLowerCase())) throw wrongField('/name', `${input.name} exists already.`);
    if (input.partOf !== null && !all.some((j) => j.name === input.partOf)) throw wrongField('/partOf', `There is no ${input.partOf}.`);
    await levels.addJurisdiction(uow, input.name, input.partOf);
    uow.enter({ act: 'added a jurisdiction', subject: jurisdictionSubject(input.name), after: { partOf: input.partOf } });
  });
}

export async function moveJurisdiction(
  services: Services,
  person: SignedIn,
  { name, partOf }: { name: string; partOf: string | null },
): Promise<number> {
  return withUnitOfWork(services.pool, person, async (uow) => {
    const all = (await levels.lockJurisdictions(uow)).map((j) => ({ name: j.name, partOf: j.part_of }));
    const before = all.find((j) => j.name === name);
    if (!before) throw notFound('This jurisdiction');
    if (partOf !== null && !all.some((j) => j.name === partOf)) throw wrongField('/partOf', `There is no ${partOf}.`);
    if (partOf !== null && !mayBePartOf(name, partOf, all)) throw wrongField('/partOf', `${partOf} is part of ${name} itself.`);
    await levels.moveJurisdiction(uow, name, partOf);
    uow.enter({
      act: 'moved a jurisdiction',
      subject: jurisdictionSubject(name),
      before: { partOf: before.partOf },
      after: { partOf },
    });
    const narrower = all.filter((j) => !mayBePartOf(name, j.name, all)).map((j) => j.name);
    return recomputeWithin(services, uow, { jurisdictions: narrower }, name);
  });
}

export async function dropJurisdiction(services: Services, person: SignedIn, name: string): Promise<void> {
  await withUnitOfWork(services.pool, person, async (uow) => {
    const all = await levels.lockJurisdictions(uow);
    if (!all.some((j) => j.name === name)) throw notFound('This jurisdiction');
    const uses = await levels.usesOfJurisdiction(uow, name);
    if (uses) throw new Problem(409, 'in-use', `${name} is used by ${uses}. What is published keeps its words, so it stays.`);
    await levels.removeJurisdiction(uow, name);
    uow.enter({ act: 'removed a jurisdiction', subject: jurisdictionSubject(name) });
  });
}

/** Says in which jurisdictions a place is; none: those of the place around it. */
/** Refuses names that no jurisdiction has; none of those there can be removed before the transaction ends. */
export async function requireJurisdictions(uow: UnitOfWork, names: readonly string[]): Promise<void> {
  const all = await levels.lockJurisdictions(uow);
  const unknown = names.find((name) => !all.some((j) => j.name === name));
  if (unknown !== undefined) throw wrongField('/jurisdictions', `There is no jurisdiction ${unknown}.`);
}

export async function setPlaceJurisdictions(
  services: Services,
  person: SignedIn,
  place: { id: string; code: string; title: string },
  names: readonly string[],
): Promise<number> {
  return withUnitOfWork(services.pool, person, async (uow) => {
    await requireJurisdictions(uow, names);
    const [before] = await store.chainPlaces(uow, [place.id]);
    await levels.writePlaceJurisdictions(uow, place.id, [...new Set(names)]);
    uow.enter({
      act: 'set the jurisdictions of a place',
      subject: { kind: 'place', id: place.id, name: `${place.code} ${place.title}` },
      before: before?.jurisdictions ?? [],
      after: names,
    });
    return recomputeWithin(services, uow, { placeIds: [place.id] }, place.code);
  });
}
