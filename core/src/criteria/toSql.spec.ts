import { criteriaToSql, dateFields, type Criteria } from './index.js';

/** With every parameter written where it stands. */
const sqlOf = (criteria: Criteria): string =>
  criteriaToSql(criteria, (value, type) => `<${value}:${type}>`)
    .replace(/\s+/g, ' ')
    .trim();

const held: Criteria = { op: 'held' };
const gaps: Criteria = { op: 'gaps' };
const many = (fact: string, any: string, one: string): string =>
  `(case when jsonb_typeof(r.facts-><${fact}:text>) = 'array' then exists (select from jsonb_array_elements(r.facts-><${fact}:text>) v where ${any}) else (${one}) end)`;
const day = String.raw`~ '^[0-9]{4}-[0-9]{2}-[0-9]{2}$'`;

const heldSql = '(exists (select from hold_cover c where c.record_id = r.id and c.released_at is null))';

describe('criteria as SQL', () => {
  const table: [Criteria, string][] = [
    [held, heldSql],
    [gaps, '(r.gaps > 0)'],
    [{ op: 'conflict' }, '(r.conflict_with is not null)'],
    [{ op: 'and', of: [] }, '(true)'],
    [{ op: 'or', of: [] }, '(false)'],
    [{ op: 'and', of: [held, gaps] }, `(${heldSql} and (r.gaps > 0))`],
    [{ op: 'or', of: [held, { op: 'not', of: gaps }] }, `(${heldSql} or (not (r.gaps > 0)))`],
    [{ op: 'words', text: 'Black barge' }, `(r.search @@ <'black' & 'barge':tsquery>)`],
    [{ op: 'words', text: 'black bar', prefix: true }, `(r.search @@ <'black' & 'bar':*:tsquery>)`],
    [{ op: 'words', text: 'bar', prefix: true }, `(r.search @@ <'bar':*:tsquery>)`],
    [{ op: 'under', placeId: 'p', name: 'P' }, '(r.places @> array[<p:uuid>])'],
    [{ op: 'is', field: 'recordType', value: 'lease' }, '(r.record_type = <lease:text>)'],
    [{ op: 'is', field: 'state', value: 'declared' }, '(r.state = <declared:text>)'],
    [{ op: 'is', field: 'medium', value: 'paper' }, '(r.medium = <paper:text>)'],
    [{ op: 'is', field: 'outcome', value: 'dated' }, '(r.outcome = <dated:text>)'],
    [{ op: 'is', field: 'docket', value: 'due' }, '(r.docket = <due:text>)'],
    [{ op: 'text', field: 'title', how: 'is', value: 'A' }, '(r.title = <A:text>)'],
    [{ op: 'text', field: 'number', how: 'startsWith', value: 'A-' }, '(r.number ^@ <A-:text>)'],
    [{ op: 'between', field: 'created', from: '2020-01-01' }, '(true and r.created_on >= <2020-01-01:date>)'],
    [{ op: 'between', field: 'received', until: '2020-12-31' }, '(true and r.received_on <= <2020-12-31:date>)'],
    [{ op: 'between', field: 'filed' }, '(true)'],
    [
      { op: 'between', field: 'declared', from: '2020-01-01', until: '2020-12-31' },
      '(r.declared_on is not null and r.declared_on >= <2020-01-01:date> and r.declared_on <= <2020-12-31:date>)',
    ],
    [
      { op: 'between', field: 'due', until: '2030-01-01' },
      `(r.due_on is not null and coalesce(r.due_on, 'infinity'::date) <= <2030-01-01:date>)`,
    ],
    [{ op: 'person', field: 'owner' }, '(r.owner_id is not null)'],
    [{ op: 'person', field: 'depositor', personId: 'd', name: 'D' }, '(r.deposited_by is not null and r.deposited_by = <d:uuid>)'],
    [{ op: 'fact', fact: 'vessel', value: 'Tern' }, `(r.facts @> <{"vessel":"Tern"}:jsonb> or r.facts @> <{"vessel":["Tern"]}:jsonb>)`],
    [
      { op: 'factStarts', fact: 'vessel', text: 'Te' },
      many(
        'vessel',
        `case when jsonb_typeof(v.value) = 'string' then v.value #>> '{}' ^@ <Te:text> else false end`,
        `case when jsonb_typeof((r.facts-><vessel:text>)) = 'string' then r.facts->><vessel:text> ^@ <Te:text> else false end`,
      ),
    ],
    [{ op: 'factBetween', fact: 'tons' }, '(jsonb_exists(r.facts, <tons:text>))'],
    [
      { op: 'factBetween', fact: 'tons', from: 5 },
      many(
        'tons',
        `case when jsonb_typeof(v.value) = 'number' then (v.value #>> '{}')::numeric >= <5:numeric> else false end`,
        `case when jsonb_typeof((r.facts-><tons:text>)) = 'number' then (r.facts->><tons:text>)::numeric >= <5:numeric> else false end`,
      ),
    ],
    [
      { op: 'factBetween', fact: 'signed', until: '2020-12-31' },
      many(
        'signed',
        `case when jsonb_typeof(v.value) = 'string' and v.value #>> '{}' ${day} then (v.value #>> '{}') collate "C" <= <2020-12-31:text> else false end`,
        `case when jsonb_typeof((r.facts-><signed:text>)) = 'string' and r.facts->><signed:text> ${day} then (r.facts->><signed:text>) collate "C" <= <2020-12-31:text> else false end`,
      ),
    ],
    [
      { op: 'factBetween', fact: 'tons', from: 5, until: 9 },
      many(
        'tons',
        `case when jsonb_typeof(v.value) = 'number' then (v.value #>> '{}')::numeric >= <5:numeric> and (v.value #>> '{}')::numeric <= <9:numeric> else false end`,
        `case when jsonb_typeof((r.facts-><tons:text>)) = 'number' then (r.facts->><tons:text>)::numeric >= <5:numeric> and (r.facts->><tons:text>)::numeric <= <9:numeric> else false end`,
      ),
    ],
    [
      { op: 'heldBy', holdId: 'h', name: 'H' },
      '(exists (select from hold_cover c where c.record_id = r.id and c.hold_id = <h:uuid> and c.released_at is null))',
    ],
    [{ op: 'detected', detectorId: 'x', name: 'X' }, `(r.detected @> array[<x:uuid>] and r.detected <> '{}')`],
  ];
  for (const [criteria, sql] of table) it(`says ${JSON.stringify(criteria)}`, () => expect(sqlOf(criteria)).toBe(sql));

  it('knows a column for every date', () => {
    for (const field of dateFields) expect(sqlOf({ op: 'between', field, from: '2020-01-01' })).toMatch(/r\.(\w+_on|clock_start)\b.* >= /);
  });
});
