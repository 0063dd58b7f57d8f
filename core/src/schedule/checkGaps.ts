import { message, type Value } from '@key-cellar/words';
import { codesOf, rulesByPlace, sumOf, type ScheduleCheck } from './finding.js';
import { widened } from './jurisdiction.js';

/** Series that no rule reaches, or whose rules leave some of their records out. */
export const seriesWithoutRule: ScheduleCheck = (s) => {
  const setAt = rulesByPlace(s);
  const paired = new Set(s.pairRules.map((p) => p.seriesId));
  const missing = new Map<string, number>();
  for (const { seriesId, records } of s.unscheduled) missing.set(seriesId, (missing.get(seriesId) ?? 0) + records);
  return s.places.flatMap((place) => {
    if (place.kind !== 'series') return [];
    const records = missing.get(place.id) ?? 0;
    const reached = place.path.some((id) => setAt.has(id));
    if (records === 0 && (reached || paired.has(place.id))) return [];
    const sentence = message(reached ? 'schedule.rulesHoldElsewhere' : 'schedule.seriesWithoutRule', { series: place.code, n: records });
    return [{ kind: 'seriesWithoutRule', sentence, mend: { at: 'place', id: place.id }, records }];
  });
};

const seriesNamed = 5;

/** Record types of which some records follow no rule. */
export const typeWithoutRule: ScheduleCheck = (s) => {
  const codes = codesOf(s);
  return s.types.flatMap((type) => {
    const of = s.unscheduled.filter((u) => u.recordType === type.code);
    if (of.length === 0) return [];
    const records = sumOf(of);
    const where = of.map((u) => codes.get(u.seriesId)!).sort();
    const series: Value[] = where.slice(0, seriesNamed);
    if (where.length > seriesNamed) series.push(message('schedule.moreSeries', { n: where.length - seriesNamed }));
    const sentence = message('schedule.typeWithoutRule', { n: records, type: type.title, series: { all: series } });
    return [{ kind: 'typeWithoutRule', sentence, mend: { at: 'records', id: type.code }, records }];
  });
};

/** Jurisdictions for which no rule is made, neither for them nor for a wider one. */
export const jurisdictionWithoutRule: ScheduleCheck = (s) =>
  s.jurisdictions.flatMap(({ name }) => {
    const wider = widened([name], s.jurisdictions);
    if (s.rules.some(({ version }) => version.jurisdictions.some((j) => wider.includes(j)))) return [];
    const sentence = message('schedule.jurisdictionWithoutRule', { name });
    return [{ kind: 'jurisdictionWithoutRule', sentence, mend: { at: 'jurisdiction', id: name }, records: null }];
  });
