import { civilDate } from '../calendar/index.js';
import type { FactValue } from '../records/index.js';
import { wordQuery, type Criteria, type CriteriaRecord } from './criteria.js';

/** What a text must look like to be compared as a date. */
export const dateShape = /^\d{4}-\d{2}-\d{2}$/;

function factInRange(value: FactValue | undefined, from: string | number | undefined, until: string | number | undefined): boolean {
  if (value === undefined) return false;
  const kind = typeof (from ?? until);
  if (kind === 'undefined') return true;
  if (typeof value !== kind || (typeof value === 'string' && !dateShape.test(value))) return false;
  return (from === undefined || value >= from) && (until === undefined || value <= until);
}

/** Evaluates criteria in memory. An `and` of nothing is true, an `or` of nothing false. */
export function matches(criteria: Criteria, record: CriteriaRecord): boolean {
  switch (criteria.op) {
    case 'and':
      return criteria.of.every((part) => matches(part, record));
    case 'or':
      return criteria.of.some((part) => matches(part, record));
    case 'not':
      return !matches(criteria.of, record);
    case 'words': {
      const { whole, beginning } = wordQuery(criteria);
      return (
        whole.every((word) => record.words.has(word)) &&
        (beginning === null || [...record.words].some((word) => word.startsWith(beginning)))
      );
    }
    case 'under':
      return record.places.has(criteria.placeId);
    case 'is':
      return record[criteria.field] === criteria.value;
    case 'text':
      return criteria.how === 'is' ? record[criteria.field] === criteria.value : record[criteria.field].startsWith(criteria.value);
    case 'between': {
      const date = record.dates[criteria.field];
      return (
        date !== undefined &&
        (criteria.from === undefined || date >= civilDate(criteria.from)) &&
        (criteria.until === undefined || date <= civilDate(criteria.until))
      );
    }
    case 'person': {
      const person = record[criteria.field];
      return person !== null && (criteria.personId === undefined || person === criteria.personId);
    }
    case 'fact':
      return record.facts[criteria.fact] === criteria.value;
    case 'factStarts': {
      const value = record.facts[criteria.fact];
      return typeof value === 'string' && value.startsWith(criteria.text);
    }
    case 'factBetween':
      return factInRange(record.facts[criteria.fact], criteria.from, criteria.until);
    case 'held':
      return record.held;
    case 'heldBy':
      return record.holds.has(criteria.holdId);
    case 'gaps':
      return record.gaps > 0;
  }
}
