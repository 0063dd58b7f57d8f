import type { FactDefinition, Facts } from '@key-cellar/core/records';
import { type Db, row, rows, run } from '../kernel/index.js';

/** Something that a fact can point at, by what it is. */
export interface ThingRow extends Record<string, unknown> {
  id: string;
  kind: 'person' | 'party' | 'object' | 'place' | 'reference';
  name: string;
  /** Of places and records: who may know of it. */
  access_set_id: number | null;
  /** Nothing new may point at it. */
  gone: boolean;
}

const things = `select id, 'person' as kind, name, null::int as access_set_id, not active as gone from principal where kind = 'person'
  union all select id, kind, name, null, retired_on is not null from entity
  union all select id, 'place', code || ' ' || title, access_set_id, retired_on is not null from place
  union all select id, 'reference', number || ' ' || title, access_set_id, state = 'disposed' from record`;

export function thingsById(db: Db, ids: readonly string[]) {
  return rows<ThingRow>(db, 'fact.things', `select * from (${things}) t where id = any ($1::uuid[])`, [ids]);
}

export interface OptionRow extends Record<string, unknown> {
  id: string;
  name: string;
  more: string;
}
const likeOf = (text: string): string => `%${text.replace(/[\\%_]/g, (c) => `\\${c}`)}%`;
const mostOptions = 30;

export function peopleLike(db: Db, text: string) {
  return rows<OptionRow>(
    db,
    'fact.people',
    `select id, name, coalesce(login, '') as more from principal where kind = 'person' and active and name ilike $1 order by name limit $2`,
    [likeOf(text), mostOptions],
  );
}

export function entitiesLike(db: Db, kind: 'party' | 'object', text: string) {
  return rows<OptionRow>(
    db,
    'fact.entities',
    `select id, name, code as more from entity where kind = $1 and retired_on is null and (name ilike $2 or code ilike $2) order by name limit $3`,
    [kind, likeOf(text), mostOptions],
  );
}

export function placesLike(db: Db, text: string, sets: readonly number[]) {
  return rows<OptionRow>(
    db,
    'fact.places',
    `select id, code || ' ' || title as name, kind as more from place where retired_on is null and kind <> 'repository'
       and access_set_id = any ($2::int[]) and code || ' ' || title ilike $1 order by code limit $3`,
    [likeOf(text), sets, mostOptions],
  );
}

export function recordsLike(db: Db, text: string, sets: readonly number[]) {
  return rows<OptionRow>(
    db,
    'fact.records',
    `select id, number || ' ' || title as name, created_on::text as more from record
     where state <> 'disposed' and access_set_id = any ($2::int[]) and number >= $1 and number < $1 || chr(1114111) order by number limit $3`,
    [text, sets, mostOptions],
  );
}

/** Takes values for a record that no other of its type may have; gives what is taken by another already. */
export async function claimValues(
  db: Db,
  recordType: string,
  recordId: string,
  values: readonly { fact: string; value: string }[],
): Promise<{ fact: string; value: string; number: string; access_set_id: number }[]> {
  await run(db, 'fact.release', 'delete from fact_value where record_id = $1', [recordId]);
  if (values.length === 0) return [];
  const [facts, texts] = [values.map((v) => v.fact), values.map((v) => v.value)];
  await run(
    db,
    'fact.claim',
    'insert into fact_value (record_type, fact, value, record_id) select $1, fact, fold_value(value), $2 from unnest($3::text[], $4::text[]) as v (fact, value) on conflict do nothing',
    [recordType, recordId, facts, texts],
  );
  return rows(
    db,
    'fact.claimed',
    `select f.fact, v.value, r.number, r.access_set_id from fact_value f join unnest($3::text[], $4::text[]) as v (fact, value) on f.fact = v.fact and f.value = fold_value(v.value)
     join record r on r.id = f.record_id
     where f.record_type = $1 and f.record_id <> $2`,
    [recordType, recordId, facts, texts],
  );
}

/** Claims a fact of all records of a type that becomes unique; gives one value that two of them share, if any. */
export async function claimAll(db: Db, recordType: string, fact: string): Promise<{ value: string; n: number } | undefined> {
  await run(db, 'fact.releaseAll', 'delete from fact_value where record_type = $1 and fact = $2', [recordType, fact]);
  const twice = await row<{ value: string; n: number }>(
    db,
    'fact.twice',
    `select min(facts->>$2) as value, count(*)::int as n from record where record_type = $1 and jsonb_exists(facts, $2)
     group by fold_value(facts->>$2) having count(*) > 1 order by 2 desc, 1 limit 1`,
    [recordType, fact],
  );
  if (twice) return twice;
  await run(
    db,
    'fact.claimAll',
    `insert into fact_value (record_type, fact, value, record_id) select record_type, $2, fold_value(facts->>$2), id from record where record_type = $1 and jsonb_exists(facts, $2)`,
    [recordType, fact],
  );
  return undefined;
}

export interface FactsRow extends Record<string, unknown> {
  id: string;
  facts: Facts;
  gaps: number;
}

/** Records of a type, kept ones only, before an id: the newest first. */
export function factsOfType(db: Db, recordType: string, before: string | null, limit: number) {
  return rows<FactsRow>(
    db,
    'fact.ofType',
    `select id, facts, gaps from record where record_type = $1 and state <> 'disposed' and ($2::uuid is null or id < $2) order by id desc limit $3`,
    [recordType, before, limit],
  );
}

export function lockFactsOfType(db: Db, recordType: string, before: string | null, limit: number) {
  return rows<FactsRow>(
    db,
    'fact.lockOfType',
    `select id, facts, gaps from record where record_type = $1 and state <> 'disposed' and ($2::uuid is null or id < $2) order by id desc limit $3 for no key update`,
    [recordType, before, limit],
  );
}

export async function writeGaps(db: Db, gaps: readonly { id: string; gaps: number }[]): Promise<void> {
  if (gaps.length === 0) return;
  await run(
    db,
    'fact.writeGaps',
    'update record r set gaps = g.gaps from unnest($1::uuid[], $2::smallint[]) as g (id, gaps) where r.id = g.id',
    [gaps.map((g) => g.id), gaps.map((g) => g.gaps)],
  );
}

export interface TypeRow extends Record<string, unknown> {
  code: string;
  title: string;
  version: number;
  facts: FactDefinition[];
  retired_on: string | null;
}
const typeColumns = 'code, title, revision as version, facts, retired_on';

export function recordTypes(db: Db) {
  return rows<TypeRow>(db, 'type.all', `select ${typeColumns} from record_type order by title`);
}

export function recordType(db: Db, code: string) {
  return row<TypeRow>(db, 'type.byCode', `select ${typeColumns} from record_type where code = $1`, [code]);
}

export function lockType(db: Db, code: string) {
  return row<TypeRow>(db, 'type.lock', `select ${typeColumns} from record_type where code = $1 for update`, [code]);
}

/** The versions of a type, with how many records in these sets were last checked against each. */
export function typeVersions(db: Db, code: string, sets: readonly number[]) {
  return rows<{
    version: number;
    title: string;
    facts: FactDefinition[];
    published_by: string | null;
    published_at: Date;
    records: number;
  }>(
    db,
    'type.versions',
    `select v.version, v.title, v.facts, p.name as published_by, v.published_at,
       (select count(*)::int from record r where r.record_type = v.code and r.type_version = v.version and r.state <> 'disposed' and r.access_set_id = any ($2::int[])) as records
     from record_type_version v left join principal p on p.id = v.published_by where v.code = $1 order by v.version desc`,
    [code, sets],
  );
}

/** Facts of earlier versions of a type that the newest does not have. */
export async function earlierFacts(db: Db, code: string): Promise<FactDefinition[]> {
  const found = await rows<{ facts: FactDefinition[] }>(
    db,
    'type.earlier',
    'select facts from record_type_version where code = $1 order by version desc',
    [code],
  );
  const [newest = { facts: [] }, ...older] = found;
  const known = new Map<string, FactDefinition>();
  for (const fact of older.flatMap((v) => v.facts)) if (!known.has(fact.code)) known.set(fact.code, fact);
  for (const fact of newest.facts) known.delete(fact.code);
  return [...known.values()];
}

export function countsByType(db: Db, sets: readonly number[]) {
  return rows<{ record_type: string; records: number; gaps: number }>(
    db,
    'type.counts',
    `select record_type, count(*)::int as records, (count(*) filter (where gaps > 0))::int as gaps from record
     where state <> 'disposed' and access_set_id = any ($1::int[]) group by record_type`,
    [sets],
  );
}

export async function countOfType(db: Db, code: string): Promise<number> {
  return (await row<{ n: number }>(
    db,
    'type.count',
    `select count(*)::int as n from record where record_type = $1 and state <> 'disposed'`,
    [code],
  ))!.n;
}

export async function addType(db: Db, t: { code: string; title: string; facts: readonly FactDefinition[] }): Promise<boolean> {
  const added = await run(db, 'type.add', 'insert into record_type (code, title, facts) values ($1, $2, $3) on conflict do nothing', [
    t.code,
    t.title,
    JSON.stringify(t.facts),
  ]);
  return added > 0;
}

export async function addTypeVersion(
  db: Db,
  v: { code: string; version: number; title: string; facts: readonly FactDefinition[]; by: string | null; at: string },
): Promise<void> {
  await run(
    db,
    'type.addVersion',
    'insert into record_type_version (code, version, title, facts, published_by, published_at) values ($1, $2, $3, $4, $5, $6)',
    [v.code, v.version, v.title, JSON.stringify(v.facts), v.by, v.at],
  );
}

export async function writeType(
  db: Db,
  t: { code: string; version: number; title: string; facts: readonly FactDefinition[] },
): Promise<void> {
  await run(db, 'type.write', 'update record_type set title = $2, facts = $3, revision = $4 where code = $1', [
    t.code,
    t.title,
    JSON.stringify(t.facts),
    t.version,
  ]);
}

export async function retireType(db: Db, code: string, on: string | null): Promise<void> {
  await run(db, 'type.retire', 'update record_type set retired_on = $2 where code = $1', [code, on]);
}

export interface EntityRow extends Record<string, unknown> {
  id: string;
  kind: 'party' | 'object';
  name: string;
  code: string;
  note: string;
  retired_on: string | null;
  revision: number;
  records: number;
}
const entityColumns = (sets: string): string => `e.id, e.kind, e.name, e.code, e.note, e.retired_on, e.revision,
  (select count(*)::int from record r where r.refers @> array[e.id] and r.refers <> '{}' and r.state <> 'disposed' and r.access_set_id = any (${sets}::int[])) as records`;

export function entities(db: Db, kind: 'party' | 'object', text: string, sets: readonly number[], limit: number) {
  return rows<EntityRow>(
    db,
    'entity.list',
    `select ${entityColumns('$3')} from entity e where e.kind = $1 and (e.name ilike $2 or e.code ilike $2)
     order by e.retired_on is not null, lower(e.name) limit $4`,
    [kind, likeOf(text), sets, limit],
  );
}

export function entityById(db: Db, id: string, sets: readonly number[]) {
  return row<EntityRow>(db, 'entity.byId', `select ${entityColumns('$2')} from entity e where e.id = $1`, [id, sets]);
}

export interface LockedEntity extends Record<string, unknown> {
  id: string;
  kind: 'party' | 'object';
  name: string;
  code: string;
  note: string;
  retired_on: string | null;
  revision: number;
  /** Access sets of all records that refer to it. */
  sets: number[];
}

export async function findEntities(db: Db, ids: readonly string[], lock: boolean): Promise<LockedEntity[]> {
  if (lock) await rows(db, 'entity.lock', 'select id from entity where id = any ($1::uuid[]) order by id for update', [ids]);
  return rows<LockedEntity>(
    db,
    'entity.find',
    `select e.id, e.kind, e.name, e.code, e.note, e.retired_on, e.revision,
       coalesce((select array_agg(distinct r.access_set_id) from record r where r.refers @> array[e.id] and r.refers <> '{}' and r.state <> 'disposed'), '{}') as sets
     from entity e where e.id = any ($1::uuid[])`,
    [ids],
  );
}

export async function entityNameTaken(db: Db, kind: string, name: string, exceptId: string): Promise<boolean> {
  return (
    (await row(db, 'entity.taken', 'select from entity where kind = $1 and lower(name) = lower($2) and id <> $3', [
      kind,
      name,
      exceptId,
    ])) !== undefined
  );
}

export async function addEntity(db: Db, e: { id: string; kind: string; name: string; code: string; note: string }): Promise<void> {
  await run(db, 'entity.add', 'insert into entity (id, kind, name, code, note) values ($1, $2, $3, $4, $5)', [
    e.id,
    e.kind,
    e.name,
    e.code,
    e.note,
  ]);
}

export async function writeEntity(
  db: Db,
  e: { id: string; name: string; code: string; note: string; retiredOn: string | null },
): Promise<void> {
  await run(
    db,
    'entity.write',
    'update entity set name = $2, code = $3, note = $4, retired_on = $5, revision = revision + 1 where id = $1',
    [e.id, e.name, e.code, e.note, e.retiredOn],
  );
}

/** Records that point at an entity, to be found by its new name. */
export function referring(db: Db, entityId: string) {
  return rows<{ id: string; number: string; title: string; facts: Facts; record_type: string }>(
    db,
    'entity.referring',
    `select id, number, title, facts, record_type from record where refers @> array[$1::uuid] and refers <> '{}' and state <> 'disposed' order by id for no key update`,
    [entityId],
  );
}

export async function writeSearch(db: Db, id: string, words: readonly string[]): Promise<void> {
  await run(db, 'record.words', 'update record set search = array_to_tsvector($2::text[]) where id = $1', [id, words]);
}
