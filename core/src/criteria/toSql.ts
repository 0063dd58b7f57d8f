import { wordQuery, type Clause, type CodeField, type Criteria, type DateField, type PersonField, type TextField } from './criteria.js';
import { dateShape } from './matches.js';

export type SqlType = 'text' | 'uuid' | 'date' | 'tsquery' | 'jsonb' | 'numeric';
/** Takes a parameter and returns the SQL that stands for it, already of the type. */
export type Bind = (value: string, type: SqlType) => string;

const dateColumns: Record<DateField, string> = {
  created: 'r.created_on',
  received: 'r.received_on',
  filed: 'r.filed_on',
  modified: 'r.modified_on',
  declared: 'r.declared_on',
  clockStart: 'r.clock_start',
  // As the index has it.
  due: `coalesce(r.due_on, 'infinity'::date)`,
};
const knownDates: Record<DateField, string> = {
  created: 'true',
  received: 'true',
  filed: 'true',
  modified: 'true',
  declared: 'r.declared_on is not null',
  clockStart: 'r.clock_start is not null',
  due: 'r.due_on is not null',
};
const codeColumns: Record<CodeField, string> = {
  recordType: 'r.record_type',
  state: 'r.state',
  medium: 'r.medium',
  outcome: 'r.outcome',
  docket: 'r.docket',
};
const textColumns: Record<TextField, string> = { title: 'r.title', number: 'r.number' };
const personColumns: Record<PersonField, string> = { owner: 'r.owner_id', depositor: 'r.deposited_by' };

function factRange(clause: Extract<Clause, { op: 'factBetween' }>, bind: Bind): string {
  const fact = bind(clause.fact, 'text');
  const { from, until } = clause;
  if (from === undefined && until === undefined) return `(jsonb_exists(r.facts, ${fact}))`;
  const asNumber = typeof (from ?? until) === 'number';
  const type = asNumber ? 'numeric' : 'text';
  const [least, most] = [from, until].map((bound) => (bound === undefined ? null : bind(String(bound), type)));
  return ofAnyValue(fact, (value, text) => {
    const compared = asNumber ? `(${text})::numeric` : `(${text}) collate "C"`;
    const bounds = [...(least ? [`${compared} >= ${least}`] : []), ...(most ? [`${compared} <= ${most}`] : [])].join(' and ');
    // A CASE, because the cast must not be tried on another kind of value.
    const kind = asNumber ? `jsonb_typeof(${value}) = 'number'` : `jsonb_typeof(${value}) = 'string' and ${text} ~ '${dateShape.source}'`;
    return `case when ${kind} then ${bounds} else false end`;
  });
}

/** A condition on the value of a fact, or on any one of them where it has many. */
function ofAnyValue(fact: string, condition: (value: string, text: string) => string): string {
  const one = condition(`(r.facts->${fact})`, `r.facts->>${fact}`);
  const any = condition('v.value', `v.value #>> '{}'`);
  return `(case when jsonb_typeof(r.facts->${fact}) = 'array'
    then exists (select from jsonb_array_elements(r.facts->${fact}) v where ${any}) else (${one}) end)`;
}

/**
 * Renders criteria as a boolean SQL expression over the table `record r`. Never null: a missing value is false.
 * Values only ever travel through `bind`.
 */
export function criteriaToSql(criteria: Criteria, bind: Bind): string {
  switch (criteria.op) {
    case 'and':
    case 'or': {
      if (criteria.of.length === 0) return criteria.op === 'and' ? '(true)' : '(false)';
      return `(${criteria.of.map((part) => criteriaToSql(part, bind)).join(` ${criteria.op} `)})`;
    }
    case 'not':
      return `(not ${criteriaToSql(criteria.of, bind)})`;
    case 'words': {
      const { whole, beginning } = wordQuery(criteria);
      const terms = whole.map((word) => `'${word}'`);
      if (beginning !== null) terms.push(`'${beginning}':*`);
      return terms.length === 0 ? '(true)' : `(r.search @@ ${bind(terms.join(' & '), 'tsquery')})`;
    }
    case 'under':
      return `(r.places @> array[${bind(criteria.placeId, 'uuid')}])`;
    case 'is':
      return `(${codeColumns[criteria.field]} = ${bind(criteria.value, 'text')})`;
    case 'text':
      return `(${textColumns[criteria.field]} ${criteria.how === 'is' ? '=' : '^@'} ${bind(criteria.value, 'text')})`;
    case 'between': {
      const column = dateColumns[criteria.field];
      const bounds = [knownDates[criteria.field]];
      if (criteria.from !== undefined) bounds.push(`${column} >= ${bind(criteria.from, 'date')}`);
      if (criteria.until !== undefined) bounds.push(`${column} <= ${bind(criteria.until, 'date')}`);
      return `(${bounds.join(' and ')})`;
    }
    case 'person': {
      const column = personColumns[criteria.field];
      const known = `${column} is not null`;
      return criteria.personId === undefined ? `(${known})` : `(${known} and ${column} = ${bind(criteria.personId, 'uuid')})`;
    }
    case 'fact':
      // Of one value, or of many: two shapes that one index finds.
      return `(r.facts @> ${bind(JSON.stringify({ [criteria.fact]: criteria.value }), 'jsonb')}
        or r.facts @> ${bind(JSON.stringify({ [criteria.fact]: [criteria.value] }), 'jsonb')})`;
    case 'factStarts': {
      const fact = bind(criteria.fact, 'text');
      const text = bind(criteria.text, 'text');
      return ofAnyValue(fact, (value, has) => `case when jsonb_typeof(${value}) = 'string' then ${has} ^@ ${text} else false end`);
    }
    case 'factBetween':
      return factRange(criteria, bind);
    case 'held':
      return '(exists (select from hold_cover c where c.record_id = r.id and c.released_at is null))';
    case 'heldBy':
      return `(exists (select from hold_cover c where c.record_id = r.id and c.hold_id = ${bind(criteria.holdId, 'uuid')} and c.released_at is null))`;
    case 'detected':
      // The second half is what the index is over.
      return `(r.detected @> array[${bind(criteria.detectorId, 'uuid')}] and r.detected <> '{}')`;
    case 'gaps':
      return '(r.gaps > 0)';
    case 'conflict':
      return '(r.conflict_with is not null)';
  }
}
