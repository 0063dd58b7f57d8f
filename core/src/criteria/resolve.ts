import { addPeriod, formatCivilDate, subtractPeriod, type EpochDay, type Period } from '../calendar/index.js';
import type { AskedCriteria, Criteria, SpanUnit, Within } from './criteria.js';

function span(count: number, unit: SpanUnit): Period {
  return { years: 0, months: 0, weeks: 0, days: 0, [`${unit}s`]: count };
}

function range({ way, count, unit }: Within, today: EpochDay): { from: string; until: string } {
  const length = span(count, unit);
  return way === 'last'
    ? { from: formatCivilDate(subtractPeriod(today, length) + 1), until: formatCivilDate(today) }
    : { from: formatCivilDate(today), until: formatCivilDate(addPeriod(today, length) - 1) };
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
    default:
      return asked;
  }
}
