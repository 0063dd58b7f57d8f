import { civilDate } from '../calendar/index.js';
import { valuesOf, type FactScalar } from '../records/index.js';
import { wordQuery, type Criteria, type CriteriaRecord } from './criteria.js';

/** What a text must look like to be compared as a date. It stands in SQL as well, where a backslash has no place. */
export const dateShape = /^[0-9]{4}-[0-9]{2}-[0-9]{2}$/;

function factInRange(value: FactScalar, from: string | number | undefined, until: string | number | undefined): boolean {
  const kind = typeof (from ?? until);
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
      return valuesOf(record.facts[criteria.fact]).includes(criteria.value);
    case 'factStarts': {
      const { text } = criteria;
      return valuesOf(record.facts[criteria.fact]).some((value) => typeof value === 'string' && value.startsWith(text));
    }
    case 'factBetween': {
      const { from, until } = criteria;
      const values = valuesOf(record.facts[criteria.fact]);
      return from === undefined && until === undefined
        ? record.facts[criteria.fact] !== undefined
        : values.some((value) => factInRange(value, from, until));
    }
    case 'held':
      return record.held;
    case 'heldBy':
      return record.holds.has(criteria.holdId);
    case 'detected':
      return record.detected.has(criteria.detectorId);
    case 'conflict':
      return record.conflict;
    case 'gaps':
      return record.gaps > 0;
  }
}
