import { wordsOf } from './words.js';
import type { Criteria } from './criteria.js';

const fieldWords = {
  recordType: 'record type',
  state: 'state',
  medium: 'medium',
  outcome: 'outcome',
  created: 'created',
  received: 'received',
  filed: 'filed',
  declared: 'declared',
  due: 'due',
} as const;

/** Criteria in words, such as "has words ottoline and created before 2020-01-01". */
export function describeCriteria(criteria: Criteria): string {
  switch (criteria.op) {
    case 'and':
    case 'or':
      return criteria.of.length === 0
        ? criteria.op === 'and'
          ? 'everything'
          : 'nothing'
        : criteria.of
            .map((part) =>
              (part.op === 'and' || part.op === 'or') && part.of.length > 1 ? `(${describeCriteria(part)})` : describeCriteria(part),
            )
            .join(` ${criteria.op} `);
    case 'not':
      return `not (${describeCriteria(criteria.of)})`;
    case 'words':
      return `has ${wordsOf(criteria.text).length === 1 ? 'word' : 'words'} “${criteria.text.trim()}”`;
    case 'under':
      return `is under ${criteria.name}`;
    case 'is':
      return `${fieldWords[criteria.field]} is ${criteria.value}`;
    case 'between': {
      const field = fieldWords[criteria.field];
      if (criteria.from === undefined) {
        return criteria.until === undefined ? `has a date ${field}` : `${field} by ${criteria.until}`;
      }
      return criteria.until === undefined ? `${field} from ${criteria.from}` : `${field} between ${criteria.from} and ${criteria.until}`;
    }
    case 'fact':
      return `fact ${criteria.fact} is ${String(criteria.value)}`;
    case 'held':
      return 'is held';
  }
}
