import type { FolderState, ReadyTitle, StencilDefinition, StencilGrant } from '@key-cellar/core/plan';
import type { Facts } from '@key-cellar/core/records';
import { type Db, row, rows, run } from '../kernel/index.js';

export interface StencilRow extends Record<string, unknown> {
  id: string;
  subject: string;
  title: string;
  note: string;
  retired_on: string | null;
  revision: number;
  version: number;
  definition: StencilDefinition;
}
const newest = `select s.id, s.subject, s.title, s.note, s.retired_on, s.revision, v.version, v.definition from stencil s
  join lateral (select version, definition from stencil_version where stencil_id = s.id order by version desc limit 1) v on true`;

export function stencils(db: Db) {
  return rows<StencilRow>(db, 'stencil.all', `${newest} order by s.retired_on is not null, lower(s.subject), lower(s.title)`);
}

export function stencilById(db: Db, id: string) {
  return row<StencilRow>(db, 'stencil.byId', `${newest} where s.id = $1`, [id]);
}

export async function lockStencil(db: Db, id: string): Promise<StencilRow | undefined> {
  const locked = await row(db, 'stencil.lock', 'select id from stencil where id = $1 for update', [id]);
  return locked ? stencilById(db, id) : undefined;
}

export function stencilVersions(db: Db, id: string) {
  return rows<{ version: number; definition: StencilDefinition; made_by: string; made_at: Date }>(
    db,
    'stencil.versions',
    `select v.version, v.definition, p.name as made_by, v.made_at from stencil_version v join principal p on p.id = v.made_by
     where v.stencil_id = $1 order by v.version desc`,
    [id],
  );
}

export async function titleTaken(db: Db, title: string, exceptId: string): Promise<boolean> {
  return (
    (await row(db, 'stencil.titleTaken', 'select from stencil where lower(title) = lower($1) and id <> $2', [title, exceptId])) !==
    undefined
  );
}

export async function addStencil(db: Db, s: { id: string; subject: string; title: string; note: string }): Promise<void> {
  await run(db, 'stencil.add', 'insert into stencil (id, subject, title, note) values ($1, $2, $3, $4)', [
    s.id,
    s.subject,
    s.title,
    s.note,
  ]);
}

export async function writeStencil(
  db: Db,
  s: { id: string; subject: string; title: string; note: string; retiredOn: string | null },
): Promise<void> {
  await run(
    db,
    'stencil.write',
    'update stencil set subject = $2, title = $3, note = $4, retired_on = $5, revision = revision + 1 where id = $1',
    [s.id, s.subject, s.title, s.note, s.retiredOn],
  );
}

export async function addStencilVersion(
  db: Db,
  v: { id: string; version: number; definition: StencilDefinition; by: string; at: string },
): Promise<void> {
  await run(
    db,
    'stencil.addVersion',
    'insert into stencil_version (stencil_id, version, definition, made_by, made_at) values ($1, $2, $3, $4, $5)',
    [v.id, v.version, JSON.stringify(v.definition), v.by, v.at],
  );
}

export interface MadeRow extends Record<string, unknown> {
  id: string;
  stencil_id: string;
  stencil_version: number;
  code: string;
  title: string;
  inside: string;
  records: number;
}

/** Outermost folders made from stencils, among a person's sets: those whose own place was not made by the same stencil. */
export function made(db: Db, stencilId: string | null, sets: readonly number[]) {
  return rows<MadeRow>(
    db,
    'stencil.made',
    `select p.id, p.stencil_id, p.stencil_version, p.code, p.title, o.code as inside,
       (select count(*)::int from record r where r.places @> array[p.id] and r.state <> 'disposed' and r.access_set_id = any ($2::int[])) as records
     from place p join place o on o.id = p.parent_id
     where p.stencil_id is not null and ($1::uuid is null or p.stencil_id = $1) and o.stencil_id is distinct from p.stencil_id
       and p.retired_on is null and p.access_set_id = any ($2::int[])
     order by o.code, p.code`,
    [stencilId, sets],
  );
}

/** What was said when a folder was made: words for its texts, and the facts themselves. */
export interface SaidWords {
  readonly words: Readonly<Record<string, string>>;
  readonly facts: Facts;
}

export interface MadeFolderRow extends Record<string, unknown> {
  id: string;
  stencil_id: string | null;
  stencil_version: number | null;
  stencil_key: string | null;
  stencil_words: SaidWords | null;
  retired_on: string | null;
  ancestors: string[];
  code: string;
}

/** A folder and what lies in it, with what it was made from. */
export function foldersUnder(db: Db, rootId: string) {
  return rows<MadeFolderRow>(
    db,
    'stencil.foldersUnder',
    `select id, stencil_id, stencil_version, stencil_key, stencil_words, retired_on, ancestors, code from place
     where ancestors @> array[$1::uuid] order by cardinality(ancestors), position, code`,
    [rootId],
  );
}

interface StateRow extends Record<string, unknown> {
  title: string;
  note: string;
  message: string;
  takes: { types: string[] | null } | null;
  marking_level: number;
  marking_caveats: string[];
  parent_level: number;
  parent_caveats: string[];
  facts: Facts;
  ready_titles: ReadyTitle[];
  rules: string[];
  grants: StencilGrant[];
}

/** A folder as far as a stencil could have said it. Its marking counts only where it is not that of the place around it. */
export async function stateOf(db: Db, placeId: string): Promise<FolderState> {
  const found = await row<StateRow>(
    db,
    'stencil.stateOf',
    `select p.title, p.note, p.message, p.takes, p.marking_level, p.marking_caveats, o.marking_level as parent_level, o.marking_caveats as parent_caveats,
       p.facts, p.ready_titles,
       coalesce((select array_agg(rule_id order by rule_id) from place_rule where place_id = p.id), '{}') as rules,
       coalesce((select jsonb_agg(jsonb_build_object('principalId', principal_id, 'profile', profile) order by made_at, id) from grant_ where place_id = p.id), '[]') as grants
     from place p join place o on o.id = p.parent_id where p.id = $1`,
    [placeId],
  );
  const p = found!;
  const ownMarking = p.marking_level !== p.parent_level || JSON.stringify(p.marking_caveats) !== JSON.stringify(p.parent_caveats);
  return {
    title: p.title,
    note: p.note,
    message: p.message,
    grants: p.grants,
    rules: p.rules,
    types: p.takes?.types ?? null,
    marking: ownMarking ? { level: p.marking_level, caveats: p.marking_caveats } : null,
    facts: p.facts,
    readyTitles: p.ready_titles,
  };
}

/** Writes the texts and lists of a folder; grants, rules and marking are acts of their own. */
export async function writeState(db: Db, placeId: string, s: FolderState): Promise<void> {
  await run(
    db,
    'stencil.writeState',
    `update place set title = $2, note = $3, message = $4, facts = $5, ready_titles = $6, revision = revision + 1,
       takes = case when $7::jsonb = 'null' and (takes is null or (takes->'formats' = 'null' and takes->'largest' = 'null')) then null
         else coalesce(takes, '{"formats": null, "largest": null}') || jsonb_build_object('types', $7::jsonb) end
     where id = $1`,
    [placeId, s.title, s.note, s.message, JSON.stringify(s.facts), JSON.stringify(s.readyTitles), JSON.stringify(s.types)],
  );
}

export async function markMade(
  db: Db,
  placeId: string,
  m: { stencilId: string; version: number; key: string; said: SaidWords },
): Promise<void> {
  await run(
    db,
    'stencil.mark',
    'update place set stencil_id = $2, stencil_version = $3, stencil_key = $4, stencil_words = $5 where id = $1',
    [placeId, m.stencilId, m.version, m.key, JSON.stringify(m.said)],
  );
}

export async function setMarking(db: Db, placeId: string, level: number, caveats: readonly string[], accessSetId: number): Promise<void> {
  await run(db, 'stencil.marking', 'update place set marking_level = $2, marking_caveats = $3, access_set_id = $4 where id = $1', [
    placeId,
    level,
    caveats,
    accessSetId,
  ]);
}

export function anchorOf(db: Db, placeId: string) {
  return row<{ anchor_place: string }>(
    db,
    'stencil.anchor',
    'select s.anchor_place from place p join access_set s on s.id = p.access_set_id where p.id = $1',
    [placeId],
  );
}

export async function markGrant(db: Db, grantId: string, stencilId: string): Promise<void> {
  await run(db, 'stencil.markGrant', 'update grant_ set by_stencil = $2 where id = $1', [grantId, stencilId]);
}

/** Takes grants away that a stencil placed; gives how many there were. Grants that people made stay. */
export async function dropGrant(db: Db, placeId: string, stencilId: string, g: StencilGrant): Promise<number> {
  return run(db, 'stencil.dropGrant', 'delete from grant_ where place_id = $1 and by_stencil = $2 and principal_id = $3 and profile = $4', [
    placeId,
    stencilId,
    g.principalId,
    g.profile,
  ]);
}

export async function grantsLeft(db: Db, placeId: string): Promise<number> {
  return (await row<{ n: number }>(db, 'stencil.grantsLeft', 'select count(*)::int as n from grant_ where place_id = $1', [placeId]))!.n;
}

export async function isEmpty(db: Db, placeId: string): Promise<boolean> {
  const found = await row<{ n: number }>(
    db,
    'stencil.isEmpty',
    `select (select count(*) from record where places @> array[$1::uuid] and state <> 'disposed')
       + (select count(*) from place where parent_id = $1 and retired_on is null) as n`,
    [placeId],
  );
  return found!.n === 0;
}

/** What names mean, for uses that say them instead of ids. */
export function idsByName(db: Db, names: readonly string[]) {
  return rows<{ kind: string; name: string; id: string }>(
    db,
    'stencil.idsByName',
    `select 'person' as kind, lower(name) as name, id from principal where kind = 'person' and active and lower(name) = any ($1)
     union all select kind, lower(name), id from entity where retired_on is null and lower(name) = any ($1)
     union all select 'place', lower(code), id from place where kind <> 'folder' and lower(code) = any ($1)
     union all select 'reference', lower(number), id from record where number = any ($2)`,
    [names.map((n) => n.toLowerCase()), names],
  );
}

export async function principalsExist(db: Db, ids: readonly string[]): Promise<Set<string>> {
  const found = await rows<{ id: string }>(db, 'stencil.principals', 'select id from principal where id = any ($1::uuid[]) and active', [
    ids,
  ]);
  return new Set(found.map((f) => f.id));
}

export async function rulesExist(db: Db, ids: readonly string[]): Promise<Set<string>> {
  const found = await rows<{ id: string }>(db, 'stencil.rules', 'select id from rule where id = any ($1::uuid[])', [ids]);
  return new Set(found.map((f) => f.id));
}

/** Titles in a folder, newest first; for the counters of its ready titles. */
export async function titlesIn(db: Db, placeId: string, limit: number): Promise<string[]> {
  const found = await rows<{ title: string }>(
    db,
    'stencil.titlesIn',
    'select title from record where place_id = $1 order by filed_on desc, id desc limit $2',
    [placeId, limit],
  );
  return found.map((f) => f.title);
}

export function stencilOfPlace(db: Db, placeId: string) {
  return row<{ id: string; title: string; version: number; newest: number }>(
    db,
    'stencil.ofPlace',
    `select s.id, s.title, p.stencil_version as version, (select max(version) from stencil_version where stencil_id = s.id) as newest
     from place p join stencil s on s.id = p.stencil_id where p.id = $1`,
    [placeId],
  );
}

export function readyTitlesOf(db: Db, placeId: string) {
  return row<{ ready_titles: ReadyTitle[]; stencil_words: SaidWords | null }>(
    db,
    'stencil.readyTitles',
    'select ready_titles, stencil_words from place where id = $1',
    [placeId],
  );
}
