import { message } from '@key-cellar/words';
import type { RuleDefinition, RuleLine, RulePage, RuleReach } from '@key-cellar/contract';
import { byForce } from '@key-cellar/core/schedule';
import { notFound, wrongField, type Db, type SignedIn } from '../kernel/index.js';
import * as levels from './levels.js';
import type { Services } from './services.js';
import * as ruleStore from './ruleStore.js';

export async function listRules(services: Services, person: SignedIn): Promise<RuleLine[]> {
  const { pool } = services;
  const access = await services.access.of(person);
  const [rules, versions, set, counts] = await Promise.all([
    ruleStore.rules(pool),
    ruleStore.allVersions(pool),
    ruleStore.setOn(pool, access.sets('discover')),
    ruleStore.recordsByVersion(pool, access.sets('discover')),
  ]);
  const count = new Map(counts.map((c) => [c.rule_id, c.n]));
  return rules.map((rule) => {
    const own = versions.filter((v) => v.rule_id === rule.id);
    const order = byForce(own.map((v) => ({ ...v, inForceFrom: v.in_force_from })));
    const current = order.find((v) => v.in_force_from <= person.today) ?? order.at(-1);
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
  const rule = await ruleStore.ruleById(pool, id);
  if (!rule) throw notFound(message('thing.rule'));
  const [lines, versions, pairs, byCriteria] = await Promise.all([
    listRules(services, person),
    ruleStore.publishedOf(pool, id),
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
      .map((v) => ({
        id: v.id,
        version: v.version,
        definition: v.definition,
        inForceFrom: v.in_force_from,
        takesOver: v.takes_over,
        publishedBy: v.published_by,
        publishedAt: v.published_at.toISOString(),
        withdrawn: v.withdrawn_at && { by: v.withdrawn_by!, at: v.withdrawn_at.toISOString(), reason: v.reason! },
      }))
      .reverse(),
    setOn: line.setOn,
    pairs: pairs.flatMap(({ rule: of, ...pair }) => (of.id === id ? [pair] : [])),
    criteria: byCriteria.filter((c) => c.rule.id === id),
    records: line.records,
  };
}

const yearsAhead = 10;

/** What a rule governs and brings among what the person may discover, and the rules that it meets where it is set. */
export async function ruleReach(services: Services, person: SignedIn, id: string): Promise<RuleReach> {
  const { pool } = services;
  const access = await services.access.of(person);
  if (!(await ruleStore.ruleById(pool, id))) throw notFound(message('thing.rule'));
  const sets = access.sets('discover');
  const thisYear = Number(person.today.slice(0, 4));
  const [governed, met] = await Promise.all([ruleStore.governedBy(pool, id, sets, person.today), ruleStore.metBy(pool, id, sets)]);
  const vintages = new Map<number | null, RuleReach['vintages'][number]>();
  const ahead = new Map(
    Array.from({ length: yearsAhead + 1 }, (_, i) => [thisYear + i, { year: thisYear + i, destroy: 0, transfer: 0, held: 0 }]),
  );
  for (const { vintage, due_year, action, held, due, n } of governed) {
    const line = vintages.get(vintage) ?? { vintage, kept: 0, due: 0, held: 0 };
    line.kept += n;
    if (held) line.held += n;
    else if (due) line.due += n;
    vintages.set(vintage, line);
    const year = due_year === null ? undefined : ahead.get(Math.max(due_year, thisYear));
    if (year && held) year.held += n;
    else if (year && action !== null) year[action] += n;
  }
  return {
    vintages: [...vintages.values()].sort((a, b) => (a.vintage ?? Infinity) - (b.vintage ?? Infinity)),
    ahead: [...ahead.values()],
    meets: met.map(({ place, rule_id, code, title, beside }) => ({
      place,
      id: rule_id,
      code,
      title,
      how: beside ? 'beside' : 'farther',
    })),
  };
}

/** Groups whose approval a rule asks for and that do not exist. */
export function unknownGroups(definition: RuleDefinition, groups: readonly string[]): string[] {
  return definition.steps.flatMap((s) => s.approverGroups ?? []).filter((name) => !groups.includes(name));
}

/** Refuses a definition that asks for groups that do not exist. */
export async function requireGroups(db: Db, definition: RuleDefinition): Promise<void> {
  if (definition.steps.every((s) => !s.approverGroups?.length)) return;
  const [unknown] = unknownGroups(definition, await ruleStore.groupNames(db));
  if (unknown !== undefined) throw wrongField('/definition/steps', message('schedule.thereNoGroupCould', { unknown }));
}
