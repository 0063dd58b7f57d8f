import { message } from '@key-cellar/words';
import type { CriteriaRuleLine, JurisdictionLine } from '@key-cellar/contract';
import { civilDate } from '@key-cellar/core/calendar';
import { clausesOf, describeCriteria, resolveCriteria, type AskedCriteria, type Criteria } from '@key-cellar/core/criteria';
import { mayBePartOf } from '@key-cellar/core/schedule';
import { requireNamable } from '../criteria/index.js';
import { mayAtRepository, visibleSql, wrongField, type SignedIn, type UnitOfWork } from '../kernel/index.js';
import * as levels from './levelsStore.js';
import type { Services } from './services.js';
import * as clockStore from './clockStore.js';

export async function listPairs(services: Services, person: SignedIn) {
  const access = await services.access.of(person);
  const seen = access.sets('discover');
  const [pairs, series] = await Promise.all([levels.pairs(services.pool), clockStore.seriesSets(services.pool)]);
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
  if (!(await mayAtRepository(services.pool, await services.access.of(person), 'dispose'))) return [];
  return (await levels.criteriaRuleLines(services.pool)).map(toLine);
}

/** What the schedule itself says of a record cannot decide which rule it follows, and neither can holds. */
export function requireForRules(criteria: Criteria): void {
  const circular = clausesOf(criteria).find(
    (c) =>
      c.op === 'held' ||
      c.op === 'heldBy' ||
      c.op === 'conflict' ||
      (c.op === 'is' && (c.field === 'outcome' || c.field === 'docket')) ||
      (c.op === 'between' && (c.field === 'due' || c.field === 'clockStart')),
  );
  if (circular) {
    throw wrongField('/criteria', message('schedule.followsFromScheduleFrom', { circular: describeCriteria(circular) }));
  }
}

export async function countCriteria(services: Services, person: SignedIn, asked: AskedCriteria): Promise<number> {
  const access = await services.access.of(person);
  requireNamable(access, asked);
  const criteria = resolveCriteria(asked, civilDate(person.today));
  return levels.countMatching(services.pool, criteria, (bind) => visibleSql(access, person, 'discover', bind));
}

export async function listJurisdictions(services: Services): Promise<JurisdictionLine[]> {
  const found = await levels.jurisdictionLines(services.pool);
  return found.map((j) => ({ name: j.name, partOf: j.part_of, rules: j.rules, places: j.places, calendar: j.calendar }));
}

/** A jurisdiction with all that are part of it, by their names. */
export function partsWithin(all: readonly { readonly name: string; readonly part_of: string | null }[], name: string): string[] {
  const tree = all.map((j) => ({ name: j.name, partOf: j.part_of }));
  return tree.filter((j) => !mayBePartOf(name, j.name, tree)).map((j) => j.name);
}

/** Refuses names that no jurisdiction has; none of those there can be removed before the transaction ends. */
export async function requireJurisdictions(uow: UnitOfWork, names: readonly string[]): Promise<void> {
  const all = await levels.lockJurisdictions(uow);
  const unknown = names.find((name) => !all.some((j) => j.name === name));
  if (unknown !== undefined) throw wrongField('/jurisdictions', message('schedule.thereNoJurisdiction', { unknown }));
}
