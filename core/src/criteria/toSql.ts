import { wordQuery, type CodeField, type Criteria, type DateField } from './criteria.js';

export type SqlType = 'text' | 'uuid' | 'date' | 'tsquery' | 'jsonb';
/** Takes a parameter and returns the SQL that stands for it, already of the type. */
export type Bind = (value: string, type: SqlType) => string;

const dateColumns: Record<DateField, string> = {
  created: 'r.created_on',
  received: 'r.received_on',
  filed: 'r.filed_on',
  declared: 'r.declared_on',
  due: 'r.due_on',
};
const codeColumns: Record<CodeField, string> = {
  recordType: 'r.record_type',
  state: 'r.state',
  medium: 'r.medium',
  outcome: 'r.outcome',
};

/**
 * Renders criteria as a boolean SQL expression over the table `record r`. Never null: a missing value is false.
 * Values only ever travel through `bind`.
 */
export function criteriaToSql(criteria: Criteria, bind: Bind): string {
  switch (criteria.op) {
    case 'and':
    case 'or': {
      if (criteria.of.length === 0) return criteria.op === 'and' ? 'true' : 'false';
      return `(${criteria.of.map((part) => criteriaToSql(part, bind)).join(` ${criteria.op} `)})`;
    }
    case 'not':
      return `(not ${criteriaToSql(criteria.of, bind)})`;
    case 'words': {
      const { whole, beginning } = wordQuery(criteria);
      const terms = whole.map((word) => `'${word}'`);
      if (beginning !== null) terms.push(`'${beginning}':*`);
      return terms.length === 0 ? 'true' : `(r.search @@ ${bind(terms.join(' & '), 'tsquery')})`;
    }
    case 'under':
      return `(r.places @> array[${bind(criteria.placeId, 'uuid')}])`;
    case 'is':
      return `(${codeColumns[criteria.field]} = ${bind(criteria.value, 'text')})`;
    case 'between': {
      const column = dateColumns[criteria.field];
      const bounds = [`${column} is not null`];
      if (criteria.from !== undefined) bounds.push(`${column} >= ${bind(criteria.from, 'date')}`);
      if (criteria.until !== undefined) bounds.push(`${column} <= ${bind(criteria.until, 'date')}`);
      return `(${bounds.join(' and ')})`;
    }
    case 'fact':
      return `(r.facts @> ${bind(JSON.stringify({ [criteria.fact]: criteria.value }), 'jsonb')})`;
    case 'held':
      return '(r.hold_count > 0)';
  }
}
