import type { ItemOf, Reference, RuleDefinition } from '@key-cellar/contract';
import type { Sign } from '@key-cellar/core/criteria';
import type { KeptDefinition } from '@key-cellar/core/plan';
import type { FactDefinition } from '@key-cellar/core/records';
import type { Criteria } from '@key-cellar/core/criteria';
import { type Db, row, rows, run } from '../kernel/index.js';

/** Everything but places and records that values may point at, by the name that it has in packages. */
export function named(db: Db) {
  return rows<{ refers: Reference['refers']; id: string; name: string }>(
    db,
    'exchange.named',
    `select case kind when 'person' then 'person' else 'group' end as refers, id, coalesce(login, name) as name from principal where kind <> 'service'
     union all select kind, id, name from entity
     union all select 'rule', id, code from rule
     union all select 'tag', id, name from access_tag
     union all select 'numbering', id, title from numbering
     union all select 'detector', id, title from detector
     union all select 'stencil', id, title from stencil`,
    [],
  );
}

/** Tables whose rows a section is made of, with what tells them apart. */
const keys = {
  jurisdiction: 'name',
  event_type: 'name',
  named_year: 'name',
  own_profile: 'code',
  access_tag: 'id',
  principal: 'id',
  record_type: 'code',
  numbering: 'id',
  detector: 'id',
  entity: 'id',
  rule: 'id',
  stencil: 'id',
  criteria_rule: 'id',
} as const;
export type LockedTable = keyof typeof keys;

/** Waits for whoever is changing rows of a table, and keeps them as they are until the end of the transaction. */
export async function lockRows(db: Db, table: LockedTable): Promise<void> {
  const key = keys[table];
  await run(db, `exchange.lock.${table}`, `select ${key} from ${table} order by ${key} for no key update`, []);
}

/** Places from the outside inwards, as far as a path needs to know. */
export function wayParts(db: Db) {
  return rows<{ id: string; kind: string; code: string; parent_id: string | null }>(
    db,
    'exchange.ways',
    'select id, kind, code, parent_id from place order by cardinality(ancestors)',
    [],
  );
}

export function records(db: Db, ids: readonly string[], numbers: readonly string[]) {
  return rows<{ id: string; number: string }>(
    db,
    'exchange.records',
    'select id, number from record where id = any ($1::uuid[]) or number = any ($2)',
    [ids, numbers],
  );
}

export function jurisdictions(db: Db) {
  return rows<ItemOf<'jurisdictions'>>(
    db,
    'exchange.jurisdictions',
    `select name, part_of as "partOf", calendar from jurisdiction order by name collate "C"`,
    [],
  );
}

export function eventTypes(db: Db) {
  return rows<{ name: string }>(db, 'exchange.eventTypes', 'select name from event_type order by name collate "C"', []);
}

export function namedYears(db: Db) {
  return rows<ItemOf<'namedYears'>>(db, 'exchange.namedYears', 'select name, ends::text[] from named_year order by name collate "C"', []);
}

export function people(db: Db) {
  return rows<{ id: string; login: string; name: string; email: string | null; level: number; caveats: string[]; active: boolean }>(
    db,
    'exchange.people',
    `select id, login, name, email, clearance_level as level, clearance_caveats as caveats, active from principal
     where kind = 'person' and login is not null order by login collate "C"`,
    [],
  );
}

export function groups(db: Db) {
  return rows<{ id: string; name: string; active: boolean; second_factor: boolean; members: string[] }>(
    db,
    'exchange.groups',
    `select g.id, g.name, g.active, g.second_factor, coalesce((select array_agg(m.member_id order by coalesce(p.login, p.name) collate "C") from membership m join principal p on p.id = m.member_id
         where m.group_id = g.id), '{}') as members
     from principal g where g.kind = 'group' order by g.name collate "C"`,
    [],
  );
}

/** Access tags with what is given by them, but to programs. */
export function accessTags(db: Db) {
  return rows<ItemOf<'accessTags'> & { id: string }>(
    db,
    'exchange.accessTags',
    `select t.id, t.name, t.note, t.active, coalesce((select json_agg(json_build_object('principal', g.principal_id, 'profile', g.profile, 'from', g.from_on,
         'until', g.until_on, 'reason', g.reason) order by coalesce(p.login, p.name) collate "C", g.profile, g.from_on, g.until_on, g.reason collate "C")
         from grant_ g join principal p on p.id = g.principal_id where g.tag_id = t.id and p.kind <> 'service'), '[]') as grants
     from access_tag t order by lower(t.name) collate "C"`,
    [],
  );
}

/** The ids of what is given by a tag, but to programs. */
export async function grantsOnTag(db: Db, tagId: string): Promise<string[]> {
  const found = await rows<{ id: string }>(
    db,
    'exchange.grantsOnTag',
    `select g.id from grant_ g join principal p on p.id = g.principal_id where g.tag_id = $1 and p.kind <> 'service'`,
    [tagId],
  );
  return found.map((g) => g.id);
}

export async function addPerson(db: Db, p: ItemOf<'people'> & { id: string }): Promise<void> {
  await run(
    db,
    'exchange.addPerson',
    `insert into principal (id, kind, name, login, email, clearance_level, clearance_caveats, active) values ($1, 'person', $2, lower($3), $4, $5, $6, $7)`,
    [p.id, p.name, p.login, p.email, p.clearance.level, p.clearance.caveats, p.active],
  );
}

export async function writePerson(db: Db, p: ItemOf<'people'> & { id: string }): Promise<void> {
  await run(
    db,
    'exchange.writePerson',
    'update principal set name = $2, email = $3, clearance_level = $4, clearance_caveats = $5, active = $6, revision = revision + 1 where id = $1',
    [p.id, p.name, p.email, p.clearance.level, p.clearance.caveats, p.active],
  );
}

export async function addGroup(db: Db, g: { id: string; name: string; active: boolean; secondFactor: boolean }): Promise<void> {
  await run(db, 'exchange.addGroup', `insert into principal (id, kind, name, active, second_factor) values ($1, 'group', $2, $3, $4)`, [
    g.id,
    g.name,
    g.active,
    g.secondFactor,
  ]);
}

export async function writeGroup(db: Db, g: { id: string; active: boolean; secondFactor: boolean }): Promise<void> {
  await run(db, 'exchange.writeGroup', 'update principal set active = $2, second_factor = $3, revision = revision + 1 where id = $1', [
    g.id,
    g.active,
    g.secondFactor,
  ]);
}

export async function writeMembers(db: Db, groupId: string, members: readonly string[]): Promise<void> {
  await run(db, 'exchange.dropMembers', 'delete from membership where group_id = $1 and not member_id = any ($2::uuid[])', [
    groupId,
    members,
  ]);
  await run(
    db,
    'exchange.addMembers',
    'insert into membership (member_id, group_id) select m, $1 from unnest($2::uuid[]) m on conflict do nothing',
    [groupId, members],
  );
}

export function recordTypes(db: Db) {
  return rows<{
    code: string;
    retired_on: string | null;
    title: string;
    facts: FactDefinition[];
    published_by: string | null;
    published_at: Date;
  }>(
    db,
    'exchange.types',
    `select t.code, t.retired_on, v.title, v.facts, v.published_by, v.published_at
     from record_type t join record_type_version v on v.code = t.code order by t.code collate "C", v.version`,
    [],
  );
}

export function numberings(db: Db) {
  return rows<ItemOf<'numberings'> & { id: string }>(
    db,
    'exchange.numberings',
    'select id, title, pattern, per, gapless from numbering order by title collate "C"',
    [],
  );
}

export function detectors(db: Db) {
  return rows<{ id: string; title: string; note: string; signs: Sign[]; retiredOn: string | null }>(
    db,
    'exchange.detectors',
    `select id, title, note, signs, retired_on as "retiredOn" from detector order by title collate "C"`,
    [],
  );
}

export function entities(db: Db) {
  return rows<ItemOf<'entities'> & { id: string }>(
    db,
    'exchange.entities',
    `select id, kind, name, code, note, retired_on as "retiredOn" from entity order by kind, name collate "C"`,
    [],
  );
}

export function rules(db: Db) {
  return rows<{ id: string; code: string; draft: RuleDefinition | null }>(
    db,
    'exchange.rules',
    'select id, code, draft from rule order by code collate "C"',
    [],
  );
}

export function ruleVersions(db: Db) {
  return rows<{
    rule_id: string;
    definition: RuleDefinition;
    in_force_from: string;
    takes_over: 'all' | 'laterClocks';
    published_by: string;
    published_at: Date;
    withdrawn_by: string | null;
    withdrawn_at: Date | null;
    reason: string | null;
  }>(
    db,
    'exchange.ruleVersions',
    `select v.rule_id, v.definition, v.in_force_from, v.takes_over, v.published_by, v.published_at, w.withdrawn_by, w.withdrawn_at, w.reason
     from rule_version v left join rule_withdrawal w on w.version_id = v.id order by v.rule_id, v.version`,
    [],
  );
}

export function versionIds(db: Db, ruleId: string) {
  return rows<{ id: string; version: number }>(db, 'exchange.versionIds', 'select id, version from rule_version where rule_id = $1', [
    ruleId,
  ]);
}

/** A group that is in itself, by itself or through others. */
export async function groupInItself(db: Db): Promise<{ name: string } | undefined> {
  return row<{ name: string }>(
    db,
    'exchange.circle',
    `with recursive way as (select group_id as start, member_id as at from membership
       union select w.start, m.member_id from way w join membership m on m.group_id = w.at)
     select p.name from way w join principal p on p.id = w.start where w.start = w.at limit 1`,
    [],
  );
}

export async function addWithdrawal(db: Db, w: { versionId: string; by: string; at: string; reason: string }): Promise<void> {
  await run(
    db,
    'exchange.withdraw',
    'insert into rule_withdrawal (version_id, withdrawn_by, withdrawn_at, reason) values ($1, $2, $3, $4)',
    [w.versionId, w.by, w.at, w.reason],
  );
}

export function criteriaRules(db: Db) {
  return rows<{ rule: string; criteria: Criteria; note: string }>(
    db,
    'exchange.criteriaRules',
    'select rule_id as rule, criteria, note from criteria_rule order by position',
    [],
  );
}

export async function dropCriteriaRules(db: Db): Promise<void> {
  await run(db, 'exchange.dropCriteriaRules', 'delete from criteria_rule', []);
}

export function stencils(db: Db) {
  return rows<{
    id: string;
    title: string;
    subject: string;
    note: string;
    retired_on: string | null;
    definition: KeptDefinition;
    made_by: string;
    made_at: Date;
  }>(
    db,
    'exchange.stencils',
    `select s.id, s.title, s.subject, s.note, s.retired_on, v.definition, v.made_by, v.made_at
     from stencil s join stencil_version v on v.stencil_id = s.id order by s.title collate "C", v.version`,
    [],
  );
}

export interface ExchangedPlace extends Record<string, unknown> {
  id: string;
  kind: ItemOf<'places'>['kind'];
  parent_id: string | null;
  ancestors: string[];
  code: string;
  title: string;
  note: string;
  not_here: string;
  message: string;
  opened_on: string;
  closed_on: string | null;
  retired_on: string | null;
  jurisdictions: string[];
  numbering_id: string | null;
  takes: ItemOf<'places'>['takes'];
  facts: ItemOf<'places'>['facts'];
  ready_titles: ItemOf<'places'>['readyTitles'];
  declare_on: ItemOf<'places'>['declareOn'];
  frozen_when_declared: ItemOf<'places'>['frozenWhenDeclared'];
  stand_alone: boolean;
  reader_on_pages: boolean;
  access_tags: string[];
  marking_level: number;
  marking_caveats: string[];
  stencil_id: string | null;
  stencil_version: number | null;
  stencil_key: string | null;
  stencil_words: Record<string, unknown> | null;
  position: number;
  access_set_id: number;
  rules: string[];
  former: { code: string; until: string }[];
  pairs: { recordType: string; rule: string }[];
  grants: ItemOf<'places'>['grants'];
}

/** Places with all that is set on them, in the order of their positions and codes. */
export function places(db: Db) {
  return rows<ExchangedPlace>(
    db,
    'exchange.places',
    `with rules as (select s.place_id, array_agg(s.rule_id order by r.code collate "C") as rules from place_rule s join rule r on r.id = s.rule_id group by 1),
       former as (select place_id, json_agg(json_build_object('code', code, 'until', until) order by until, code) as former from former_code group by 1),
       pairs as (select s.series_id, json_agg(json_build_object('recordType', s.record_type, 'rule', s.rule_id) order by s.record_type collate "C", r.code collate "C") as pairs
         from pair_rule s join rule r on r.id = s.rule_id group by 1),
       grants as (select g.place_id, json_agg(json_build_object('principal', g.principal_id, 'profile', g.profile, 'from', g.from_on, 'until', g.until_on,
           'reason', g.reason, 'stencil', g.by_stencil)
           order by coalesce(p.login, p.name) collate "C", g.profile, g.from_on, g.until_on, g.reason collate "C") as grants
         from grant_ g join principal p on p.id = g.principal_id where g.place_id is not null and p.kind <> 'service' group by 1)
     select p.id, p.kind, p.parent_id, p.ancestors, p.code, p.title, p.note, p.not_here, p.message, p.opened_on, p.closed_on, p.retired_on, p.jurisdictions,
       p.numbering_id, p.takes, p.facts, p.ready_titles, p.declare_on, p.frozen_when_declared, p.stand_alone, p.reader_on_pages, p.access_tags, p.marking_level, p.marking_caveats,
       p.stencil_id, p.stencil_version, p.stencil_key, p.stencil_words, p.position, p.access_set_id,
       coalesce(rules.rules, '{}') as rules, coalesce(former.former, '[]') as former, coalesce(pairs.pairs, '[]') as pairs, coalesce(grants.grants, '[]') as grants
     from place p left join rules on rules.place_id = p.id left join former on former.place_id = p.id left join pairs on pairs.series_id = p.id
       left join grants on grants.place_id = p.id
     order by p.position, p.code collate "C"`,
    [],
  );
}

export function placesInSets(db: Db, sets: readonly number[]) {
  return rows<{ id: string }>(db, 'exchange.placesInSets', 'select id from place where access_set_id = any ($1::int[])', [sets]);
}

export function publishedRules(db: Db) {
  return rows<{ code: string }>(
    db,
    'exchange.publishedRules',
    'select code from rule where exists (select from rule_version v where v.rule_id = rule.id)',
    [],
  );
}

export function brought(db: Db, section: string) {
  return rows<{ name: string; fields: Record<string, string> }>(
    db,
    'exchange.brought',
    'select name, fields from brought where section = $1',
    [section],
  );
}

export async function writeBrought(
  db: Db,
  section: string,
  items: readonly { name: string; fields: Record<string, string> }[],
): Promise<void> {
  if (items.length === 0) return;
  await run(
    db,
    'exchange.writeBrought',
    `insert into brought (section, name, fields) select $1, name, fields::jsonb from unnest($2::text[], $3::text[]) i (name, fields)
     on conflict (section, name) do update set fields = excluded.fields`,
    [section, items.map((i) => i.name), items.map((i) => JSON.stringify(i.fields))],
  );
}
