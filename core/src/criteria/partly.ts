import type { Criteria, CriteriaRecord } from './criteria.js';
import { wordQuery } from './criteria.js';
import { matches } from './matches.js';

/** What is known of something that may become a record. Words, title and places are among those it will have; more may come. */
export type PartlyKnown = Pick<CriteriaRecord, 'words'> & Partial<Omit<CriteriaRecord, 'words' | 'title' | 'number'>>;

/** Three-valued, after Kleene: null where it depends on what is not known yet. */
function judge(criteria: Criteria, known: PartlyKnown): boolean | null {
  const of = (parts: readonly Criteria[]): (boolean | null)[] => parts.map((part) => judge(part, known));
  // Everything a leaf looks at is there when this is asked.
  const leaf = (isKnown: boolean): boolean | null => (isKnown ? matches(criteria, known as CriteriaRecord) : null);
  switch (criteria.op) {
    case 'and': {
      const parts = of(criteria.of);
      return parts.includes(false) ? false : parts.includes(null) ? null : true;
    }
    case 'or': {
      const parts = of(criteria.of);
      return parts.includes(true) ? true : parts.includes(null) ? null : false;
    }
    case 'not': {
      const part = judge(criteria.of, known);
      return part === null ? null : !part;
    }
    case 'words': {
      const { whole, beginning } = wordQuery(criteria);
      const has =
        whole.every((word) => known.words.has(word)) && (beginning === null || [...known.words].some((word) => word.startsWith(beginning)));
      // A number, a fact or another title may still bring the word.
      return has ? true : null;
    }
    case 'under':
      return leaf(known.places !== undefined);
    case 'is':
      return leaf(known[criteria.field] !== undefined);
    case 'text':
      return null;
    case 'between':
      return leaf(known.dates?.[criteria.field] !== undefined);
    case 'person':
      return leaf(known[criteria.field] !== undefined);
    case 'fact':
    case 'factStarts':
    case 'factBetween':
      return leaf(known.facts?.[criteria.fact] !== undefined);
    case 'held':
    case 'heldBy':
    case 'detected':
    case 'gaps':
    case 'conflict':
      return null;
  }
}

/**
 * Whether criteria match whatever else will be known of it: of what has arrived and is not filed yet.
 *
 *     surelyMatches({ op: 'words', text: 'lease' }, { words: new Set(['lease', '2027']) })   // true
 *     surelyMatches({ op: 'not', of: { op: 'words', text: 'lease' } }, { words: new Set() })  // false: it may still be a lease
 */
export function surelyMatches(criteria: Criteria, known: PartlyKnown): boolean {
  return judge(criteria, known) === true;
}
