import { message } from '@key-cellar/words';
import type { ScheduleCases } from '@key-cellar/contract';
import { type RuleVersion, type ScheduleCase } from '@key-cellar/core/schedule';
import { mayOn, notFound, type SignedIn } from '../kernel/index.js';
import type { Services } from './services.js';
import { judge } from './evaluation.js';
import * as clockStore from './clockStore.js';
import * as reachStore from './reachStore.js';
import * as ruleStore from './ruleStore.js';

/** As many as a browser takes in at once and judges between two keys. */
const mostCases = 1000;

async function asCases(services: Services, person: SignedIn, rows: readonly clockStore.CaseRow[]): Promise<ScheduleCases> {
  const book = await services.rules.current(services.pool);
  const series = await clockStore.chainPlaces(services.pool, [...new Set(rows.map((r) => r.series_id))]);
  const seriesById = new Map(series.map(({ id, code, title }) => [id, { id, code, title }]));
  const judged = await judge(services.pool, rows, book, person.today);
  const cases = judged.map(({ facts, candidates, jurisdictions }, i): ScheduleCase => {
    const row = rows[i]!;
    return {
      id: row.id,
      number: row.number,
      title: row.title,
      series: seriesById.get(row.series_id)!,
      bytes: row.size,
      held: row.hold_count > 0,
      inBatch: row.docket === 'batch',
      facts,
      candidates: candidates.map(({ ruleId, level, distance, setOn }) => ({ ruleId, level, distance, setOn })),
      jurisdictions,
      override: row.override,
    };
  });
  const used = new Set(
    cases.flatMap((c) => [...c.candidates.map((k) => k.ruleId), ...(c.override?.kind === 'rule' ? [c.override.ruleId] : [])]),
  );
  const rules: Record<string, readonly RuleVersion[]> = {};
  for (const id of used) rules[id] = book.versionsOf(id);
  return { cases, rules };
}

/** Records that a rule may govern, among those the person may discover; those filed first when there are too many. */
export async function casesOfRule(services: Services, person: SignedIn, ruleId: string): Promise<ScheduleCases & { more: boolean }> {
  if (!(await ruleStore.ruleById(services.pool, ruleId))) throw notFound(message('thing.rule'));
  const access = await services.access.of(person);
  const reach = await reachStore.reachOfRules(services.pool, [ruleId]);
  const rows = await reachStore.casesWithin(services.pool, reach, access.sets('discover'), mostCases + 1);
  return { ...(await asCases(services, person, rows.slice(0, mostCases))), more: rows.length > mostCases };
}

/** One record, whatever governs it. */
export async function caseOfRecord(services: Services, person: SignedIn, id: string): Promise<ScheduleCases> {
  const access = await services.access.of(person);
  const found = await reachStore.caseOf(services.pool, id);
  if (!found || !mayOn(access, person, found, 'discover')) throw notFound(message('thing.record'));
  return asCases(services, person, [found]);
}
