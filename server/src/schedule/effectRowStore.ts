import { criteriaToSql } from '@key-cellar/core/criteria';
import type { DateSlots, RecordDate } from '@key-cellar/core/schedule';
import pg from 'pg';
import { to as copyTo } from 'pg-copy-streams';
import type { EffectPart, PageRange } from './effectTypes.js';
import { heldSql } from '../kernel/index.js';
import type { CriteriaRule } from './ruleBook.js';

const dateColumns: Record<RecordDate, string> = {
  created: 'r.created_on',
  received: 'r.received_on',
  filed: 'r.filed_on',
  modified: 'r.modified_on',
  declared: 'r.declared_on',
  superseded: 'r.superseded_on',
  lastUsed: 'r.last_used_on',
};
const outcomeCode = `case r.outcome when 'dated' then 0 when 'waiting' then 1 when 'permanent' then 2 else 3 end`;
const actionCode = `case r.action when 'destroy' then 1 when 'transfer' then 2 else 0 end`;

/** More criteria than bits of an integer: the rest goes into further columns. */
export const bitsAColumn = 30;

/** Flags packed into one integer. All bit operators of PostgreSQL bind alike, so each part stands in brackets. */
function packed(parts: readonly (readonly [string, number])[]): string {
  return `(${parts.map(([sql, shift]) => `((${sql})::int << ${shift})`).join(' | ')})`;
}

export interface CriteriaMasks {
  readonly columns: readonly string[];
  readonly before: readonly number[];
  readonly after: readonly number[];
}

/** Criteria rules before and after, each with its bit in a record's masks, and the columns that the masks are. */
export function criteriaMasks(part: EffectPart): CriteriaMasks {
  const bits = new Map<string, number>();
  const sql: string[] = [];
  const bitOf = (rule: CriteriaRule): number => {
    const key = JSON.stringify(rule.criteria);
    let bit = bits.get(key);
    if (bit === undefined) {
      bit = bits.size;
      bits.set(key, bit);
      sql.push(criteriaToSql(rule.criteria, (value, type) => `${pg.escapeLiteral(value)}::${type}`));
    }
    return bit;
  };
  const [before, after] = [part.before.criteriaRules.map(bitOf), part.after.criteriaRules.map(bitOf)];
  const columns: string[] = [];
  for (let i = 0; i < sql.length; i += bitsAColumn) columns.push(packed(sql.slice(i, i + bitsAColumn).map((s, bit) => [s, bit])));
  return { columns, before, after };
}

/** The number of columns before the flags: place, type, jurisdictions, and the masks after them. */
export const keyColumns = 3;

/** What one range of pages is asked for: rows in the order that {@link readRows} takes apart. */
function selectOf(part: EffectPart, slots: DateSlots, masks: readonly string[]): (range: PageRange) => string {
  const columns = [
    // First what decides which rules are asked: taken together, these bytes are a key.
    'r.place_id',
    'r.record_type',
    `case when r.jurisdictions = '{}' then null else array_to_string(r.jurisdictions, chr(31)) end`,
    ...masks,
    packed([
      [outcomeCode, 0],
      [actionCode, 2],
      [heldSql(), 4],
      [`r.docket = 'batch'`, 5],
      ['r.override is not null', 6],
      ['r.steps_taken is not null', 7],
      ['r.conflict_with is not null', 8],
    ]),
    'r.id',
    'r.rule_version_id',
    'r.clock_start',
    'r.due_on',
    'r.size',
    'r.trigger_on',
    ...slots.dates.map((date) => dateColumns[date]),
    ...slots.references.map(
      (fact) => `(select case when bool_and(x.until is not null) then max(x.until) end from record_reference x
         where x.target_id = r.id and x.fact = ${pg.escapeLiteral(fact)})`,
    ),
    ...slots.facts.map(({ fact }) => `r.facts->>${pg.escapeLiteral(fact)}`),
  ];
  return ({ from, until }) => `select ${columns.join(', ')} from record r
    where r.ctid >= '(${from},0)'::tid${until === null ? '' : ` and r.ctid < '(${until},0)'::tid`}
      and r.state <> 'disposed' and r.access_set_id = any ('{${part.sets.join(',')}}'::int[])`;
}

/** One connection in the snapshot that all threads read. */
export interface SnapshotReader {
  readonly client: pg.Client;
  /** The rows of a range as a binary COPY (PostgreSQL, COPY, binary format). */
  rowsIn(range: PageRange): AsyncIterable<Buffer>;
  close(): Promise<void>;
}

export async function openSnapshot(part: EffectPart, slots: DateSlots, masks: CriteriaMasks): Promise<SnapshotReader> {
  const select = selectOf(part, slots, masks.columns);
  const client = new pg.Client({ connectionString: part.url });
  await client.connect();
  await client.query(`begin isolation level repeatable read read only; set transaction snapshot ${pg.escapeLiteral(part.snapshot)}`);
  return {
    client,
    rowsIn: (range) => client.query(copyTo(`copy (${select(range)}) to stdout (format binary)`)),
    close: () => client.end(),
  };
}
