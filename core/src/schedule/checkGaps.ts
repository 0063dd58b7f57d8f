import { codesOf, counted, rulesByPlace, sumOf, type ScheduleCheck } from './finding.js';
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
    const undated = `${counted(records, 'record has', 'records have')} no date`;
    const sentence = reached
      ? `The rules that reach series ${place.code} hold elsewhere only: ${undated}.`
      : `No rule reaches series ${place.code}${records > 0 ? `: ${undated}` : ''}.`;
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
    const where = of.map((u) => codes.get(u.seriesId)).sort();
    const more = where.length > seriesNamed ? ` and ${where.length - seriesNamed} more series` : '';
    const sentence = `${counted(records, 'record', 'records')} of type ${type.title} ${records === 1 ? 'follows' : 'follow'} no rule, in ${where.slice(0, seriesNamed).join(', ')}${more}.`;
    return [{ kind: 'typeWithoutRule', sentence, mend: { at: 'records', id: type.code }, records }];
  });
};

/** Jurisdictions for which no rule is made, neither for them nor for a wider one. */
export const jurisdictionWithoutRule: ScheduleCheck = (s) =>
  s.jurisdictions.flatMap(({ name }) => {
    const wider = widened([name], s.jurisdictions);
    if (s.rules.some(({ version }) => version.jurisdictions.some((j) => wider.includes(j)))) return [];
    const sentence = `No rule is made for ${name}: only rules that hold everywhere count there.`;
    return [{ kind: 'jurisdictionWithoutRule', sentence, mend: { at: 'jurisdiction', id: name }, records: null }];
  });
