import { type Db, row, rows, run } from '../kernel/index.js';
import type { StoredCalendar } from './ruleStore.js';

/** What a definition of a rule names: types of events in all its triggers and what stops it. `d` must be in scope. */
const namedEvents = `array_remove(array[d->'trigger'->>'eventType', d->'suspension'->>'stops', d->'suspension'->>'resumes'], null)
  || array(select p->'trigger'->>'eventType' from jsonb_array_elements(coalesce(d->'trigger'->'of', '[]')) p where p->'trigger' ? 'eventType')`;
/** Every definition that any rule has or had, and its draft. */
const definitions = `(select rule_id as id, definition as d from rule_version union all select id, draft from rule where draft is not null) defs`;

export function eventTypeLines(db: Db) {
  return rows<{ name: string; events: number; rules: number }>(
    db,
    'eventType.lines',
    `with named as (select distinct id, lower(unnest(${namedEvents})) as name from ${definitions}),
       used as (select name, count(*)::int as n from named group by name),
       recorded as (select lower(type) as name, count(*)::int as n from event where withdrawn_at is null group by 1)
     select t.name, coalesce(e.n, 0) as events, coalesce(u.n, 0) as rules
     from event_type t left join used u on u.name = lower(t.name) left join recorded e on e.name = lower(t.name) order by lower(t.name)`,
  );
}

export async function eventTypes(db: Db): Promise<string[]> {
  return (await rows<{ name: string }>(db, 'eventType.all', 'select name from event_type order by lower(name)')).map((t) => t.name);
}

export function addEventTypes(db: Db, names: readonly string[]): Promise<number> {
  return run(db, 'eventType.add', 'insert into event_type (name) select unnest($1::text[]) on conflict do nothing', [names]);
}

/** Locks a type of event, whatever the case of its letters; undefined when it is not in the list. */
export function lockEventType(db: Db, name: string) {
  return row<{ name: string }>(db, 'eventType.lock', 'select name from event_type where lower(name) = lower($1) for update', [name]);
}

export async function removeEventType(db: Db, name: string): Promise<void> {
  await run(db, 'eventType.remove', 'delete from event_type where name = $1', [name]);
}

/** How many rules and events name a type; events that were taken back count as well, for they are still to be read. */
export async function usesOfEventType(db: Db, name: string): Promise<{ rules: number; events: number }> {
  const found = await row<{ rules: number; events: number }>(
    db,
    'eventType.uses',
    `select (select count(distinct id) from ${definitions} where exists (select from unnest(${namedEvents}) n where lower(n) = lower($1)))::int as rules,
       (select count(*) from event where lower(type) = lower($1))::int as events`,
    [name],
  );
  return found!;
}

const rollsTo = `d->'cutoff'->>'kind' = 'namedYear' and d->'cutoff'->>'name'`;

export function namedYearLines(db: Db) {
  return rows<{ name: string; ends: string[]; rules: number }>(
    db,
    'namedYear.lines',
    `select y.name, y.ends::text[], (select count(distinct id) from ${definitions} where ${rollsTo} = y.name)::int as rules
     from named_year y order by y.name`,
  );
}

export function lockNamedYear(db: Db, name: string) {
  return row<{ name: string; ends: string[] }>(
    db,
    'namedYear.lock',
    'select name, ends::text[] from named_year where name = $1 for update',
    [name],
  );
}

export async function writeNamedYear(db: Db, name: string, ends: readonly string[]): Promise<void> {
  await run(
    db,
    'namedYear.write',
    'insert into named_year (name, ends) values ($1, $2) on conflict (name) do update set ends = excluded.ends',
    [name, ends],
  );
}

export async function removeNamedYear(db: Db, name: string): Promise<void> {
  await run(db, 'namedYear.remove', 'delete from named_year where name = $1', [name]);
}

/** Rules of which some version or draft rolls to a named year. */
export async function rulesRollingTo(db: Db, name: string): Promise<string[]> {
  const found = await rows<{ id: string }>(db, 'namedYear.rules', `select distinct id from ${definitions} where ${rollsTo} = $1`, [name]);
  return found.map((f) => f.id);
}

export async function writeCalendar(db: Db, jurisdiction: string, calendar: StoredCalendar | null): Promise<void> {
  await run(db, 'jurisdiction.calendar', 'update jurisdiction set calendar = $2 where name = $1', [
    jurisdiction,
    calendar === null ? null : JSON.stringify(calendar),
  ]);
}
