import {
  wholeDefinition,
  type FolderState,
  type KeptDefinition,
  type PlacedGrant,
  type ReadyTitle,
  type Said,
  type StencilDefinition,
} from '@key-cellar/core/plan';
import type { Facts, Takes } from '@key-cellar/core/records';
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

/** A row with all that a stencil may say, whenever its definition was kept. */
const whole = <T extends { definition: KeptDefinition }>(found: T): T & { definition: StencilDefinition } => ({
  ...found,
  definition: wholeDefinition(found.definition),
});

export async function stencils(db: Db): Promise<StencilRow[]> {
  return (await rows<StencilRow>(db, 'stencil.all', `${newest} order by s.retired_on is not null, lower(s.subject), lower(s.title)`)).map(
    whole,
  );
}

export async function stencilById(db: Db, id: string): Promise<StencilRow | undefined> {
  const found = await row<StencilRow>(db, 'stencil.byId', `${newest} where s.id = $1`, [id]);
  return found && whole(found);
}

export async function lockStencil(db: Db, id: string): Promise<StencilRow | undefined> {
  const locked = await row(db, 'stencil.lock', 'select id from stencil where id = $1 for update', [id]);
  return locked ? stencilById(db, id) : undefined;
}

export async function stencilVersions(db: Db, id: string) {
  const found = await rows<{ version: number; definition: StencilDefinition; made_by: string; made_at: Date }>(
    db,
    'stencil.versions',
    `select v.version, v.definition, p.name as made_by, v.made_at from stencil_version v join principal p on p.id = v.made_by
     where v.stencil_id = $1 order by v.version desc`,
    [id],
  );
  return found.map(whole);
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

export interface MadeFolderRow extends Record<string, unknown> {
  id: string;
  stencil_id: string | null;
  stencil_version: number | null;
  stencil_key: string | null;
  stencil_words: KeptWords | null;
  retired_on: string | null;
  parent_id: string | null;
  ancestors: string[];
  code: string;
  title: string;
}

/** What a use said, as it may have been kept: roles came later. */
type KeptWords = Pick<Said, 'words' | 'facts'> & Partial<Said>;

/** What a use said when the folder was made. */
export const saidOf = ({ stencil_words: kept }: { stencil_words: KeptWords | null }): Said => ({
  words: {},
  facts: {},
  roles: {},
  ...kept,
});

/** A folder and what lies in it, with what it was made from. */
export function foldersUnder(db: Db, rootId: string) {
  return rows<MadeFolderRow>(
    db,
    'stencil.foldersUnder',
    `select id, stencil_id, stencil_version, stencil_key, stencil_words, retired_on, parent_id, ancestors, code, title from place
     where ancestors @> array[$1::uuid] order by cardinality(ancestors), position, code`,
    [rootId],
  );
}

interface StateRow extends Record<string, unknown> {
  code: string;
  title: string;
  note: string;
  message: string;
  stand_alone: boolean;
  jurisdictions: string[];
  numbering_id: string | null;
  takes: Takes | null;
  marking_level: number;
  marking_caveats: string[];
  parent_level: number;
  parent_caveats: string[];
  facts: Facts;
  ready_titles: ReadyTitle[];
  rules: string[];
  grants: PlacedGrant[];
}

/** A folder as far as a stencil could have said it. Its marking counts only where it is not that of the place around it. */
export async function stateOf(db: Db, placeId: string): Promise<FolderState> {
  const found = await row<StateRow>(
    db,
    'stencil.stateOf',
    `select p.code, p.title, p.note, p.message, p.stand_alone, p.jurisdictions, p.numbering_id, p.takes, p.marking_level, p.marking_caveats,
       o.marking_level as parent_level, o.marking_caveats as parent_caveats, p.facts, p.ready_titles,
       coalesce((select array_agg(rule_id order by rule_id) from place_rule where place_id = p.id), '{}') as rules,
       coalesce((select jsonb_agg(jsonb_build_object('principalId', principal_id, 'profile', profile, 'from', from_on, 'until', until_on) order by made_at, id)
         from grant_ where place_id = p.id), '[]') as grants
     from place p join place o on o.id = p.parent_id where p.id = $1`,
    [placeId],
  );
  const p = found!;
  const ownMarking = p.marking_level !== p.parent_level || JSON.stringify(p.marking_caveats) !== JSON.stringify(p.parent_caveats);
  return {
    code: p.code,
    title: p.title,
    note: p.note,
    message: p.message,
    standAlone: p.stand_alone,
    jurisdictions: p.jurisdictions,
    numbering: p.numbering_id,
    grants: p.grants,
    rules: p.rules,
    types: p.takes?.types ?? null,
    formats: p.takes?.formats ?? null,
    largest: p.takes?.largest ?? null,
    marking: ownMarking ? { level: p.marking_level, caveats: p.marking_caveats } : null,
    facts: p.facts,
    readyTitles: p.ready_titles,
  };
}

/** Writes what stands in the row of a folder; grants, rules and marking are acts of their own. */
export async function writeState(db: Db, placeId: string, s: FolderState): Promise<void> {
  const takes =
    s.types === null && s.formats === null && s.largest === null ? null : { types: s.types, formats: s.formats, largest: s.largest };
  await run(
    db,
    'stencil.writeState',
    `update place set code = $2, title = $3, note = $4, message = $5, stand_alone = $6, jurisdictions = $7, numbering_id = $8, facts = $9,
       ready_titles = $10, takes = $11, revision = revision + 1 where id = $1`,
    [
      placeId,
      s.code,
      s.title,
      s.note,
      s.message,
      s.standAlone,
      s.jurisdictions,
      s.numbering,
      JSON.stringify(s.facts),
      JSON.stringify(s.readyTitles),
      takes === null ? null : JSON.stringify(takes),
    ],
  );
}

export async function markMade(db: Db, placeId: string, m: { stencilId: string; version: number; key: string; said: Said }): Promise<void> {
  await run(
    db,
    'stencil.mark',
    'update place set stencil_id = $2, stencil_version = $3, stencil_key = $4, stencil_words = $5 where id = $1',
    [placeId, m.stencilId, m.version, m.key, JSON.stringify(m.said)],
  );
}

export async function markGrant(db: Db, grantId: string, stencilId: string): Promise<void> {
  await run(db, 'stencil.markGrant', 'update grant_ set by_stencil = $2 where id = $1', [grantId, stencilId]);
}

/** Takes grants away that a stencil placed; gives how many there were. Grants that people made stay. */
export async function dropGrant(db: Db, placeId: string, stencilId: string, g: PlacedGrant): Promise<number> {
  return run(
    db,
    'stencil.dropGrant',
    `delete from grant_ where place_id = $1 and by_stencil = $2 and principal_id = $3 and profile = $4
       and from_on is not distinct from $5 and until_on is not distinct from $6`,
    [placeId, stencilId, g.principalId, g.profile, g.from, g.until],
  );
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

/** Persons and groups by their id, login or name. */
export function principalsNamed(db: Db, names: readonly string[]) {
  return rows<{ id: string; name: string; login: string | null }>(
    db,
    'stencil.principalsNamed',
    `select id, name, login from principal where active and kind <> 'service' and (id::text = any ($1) or lower(name) = any ($1) or lower(login) = any ($1))`,
    [names.map((n) => n.toLowerCase())],
  );
}

/** What persons, groups, rules, numbering and record types are called. */
export function namesOfParts(db: Db, ids: readonly string[]) {
  return rows<{ id: string; name: string }>(
    db,
    'stencil.namesOfParts',
    `select id, name from principal where id = any ($1::uuid[])
     union all select id, code from rule where id = any ($1::uuid[])
     union all select id, title from numbering where id = any ($1::uuid[])`,
    [ids],
  );
}

export async function jurisdictionsExist(db: Db, names: readonly string[]): Promise<Set<string>> {
  const found = await rows<{ name: string }>(db, 'stencil.jurisdictions', 'select name from jurisdiction where name = any ($1)', [names]);
  return new Set(found.map((f) => f.name));
}

export async function numberingsExist(db: Db, ids: readonly string[]): Promise<Set<string>> {
  const found = await rows<{ id: string }>(db, 'stencil.numberings', 'select id from numbering where id = any ($1::uuid[])', [ids]);
  return new Set(found.map((f) => f.id));
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

/** The stencil that a place was made from, in the version that it has; `root`: whether it is the outermost of its use. */
export async function stencilOfPlace(db: Db, placeId: string) {
  const found = await row<{
    id: string;
    title: string;
    version: number;
    newest: number;
    definition: StencilDefinition;
    root: boolean;
    stencil_words: KeptWords | null;
  }>(
    db,
    'stencil.ofPlace',
    `select s.id, s.title, p.stencil_version as version, (select max(version) from stencil_version where stencil_id = s.id) as newest,
       v.definition, o.stencil_id is distinct from p.stencil_id as root, p.stencil_words
     from place p join place o on o.id = p.parent_id join stencil s on s.id = p.stencil_id
       join stencil_version v on v.stencil_id = s.id and v.version = p.stencil_version where p.id = $1`,
    [placeId],
  );
  return found && whole(found);
}

export function readyTitlesOf(db: Db, placeId: string) {
  return row<{ ready_titles: ReadyTitle[]; stencil_words: KeptWords | null }>(
    db,
    'stencil.readyTitles',
    'select ready_titles, stencil_words from place where id = $1',
    [placeId],
  );
}
