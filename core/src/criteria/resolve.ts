import { addPeriod, civilDate, formatCivilDate, subtractPeriod, type EpochDay, type Period } from '../calendar/index.js';
import type { AskedCriteria, Criteria, SpanUnit, Within } from './criteria.js';

function span(count: number, unit: SpanUnit): Period {
  return { years: 0, months: 0, weeks: 0, days: 0, [`${unit}s`]: count };
}

const [first, last] = [civilDate('0001-01-01'), civilDate('9999-12-31')];
/** A span that reaches beyond the dates that there are ends with them. */
const written = (day: EpochDay): string => formatCivilDate(Math.min(Math.max(day, first), last));

function range({ way, count, unit }: Within, today: EpochDay): { from: string; until: string } {
  const length = span(count, unit);
  return way === 'last'
    ? { from: written(subtractPeriod(today, length) + 1), until: formatCivilDate(today) }
    : { from: formatCivilDate(today), until: written(addPeriod(today, length) - 1) };
}

/** Replaces relative dates by the days that they mean on `today`, a date in the repository's zone. */
export function resolveCriteria(asked: AskedCriteria, today: EpochDay): Criteria {
  switch (asked.op) {
    case 'and':
    case 'or':
      return { op: asked.op, of: asked.of.map((part) => resolveCriteria(part, today)) };
    case 'not':
      return { op: 'not', of: resolveCriteria(asked.of, today) };
    case 'within':
      return { op: 'between', field: asked.field, ...range(asked, today) };
    case 'factWithin':
      return { op: 'factBetween', fact: asked.fact, ...range(asked, today) };
    default:
      return asked;
  }
}
