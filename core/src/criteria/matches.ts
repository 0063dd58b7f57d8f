import { civilDate } from '../calendar/index.js';
import { wordQuery, type Criteria, type CriteriaRecord } from './criteria.js';

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
    case 'between': {
      const date = record.dates[criteria.field];
      return (
        date !== undefined &&
        (criteria.from === undefined || date >= civilDate(criteria.from)) &&
        (criteria.until === undefined || date <= civilDate(criteria.until))
      );
    }
    case 'fact':
      return record.facts[criteria.fact] === criteria.value;
    case 'held':
      return record.held;
  }
}
