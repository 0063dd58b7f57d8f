import { type Db, rows, run } from '../kernel/index.js';

/** A place as it is written: everything that is set on it itself. */
export interface WrittenPlace {
  readonly id: string;
  readonly title: string;
  readonly note: string;
  readonly not_here: string;
  readonly message: string;
  readonly opened_on: string;
  readonly closed_on: string | null;
  readonly retired_on: string | null;
  readonly jurisdictions: readonly string[];
  readonly numbering_id: string | null;
  readonly takes: unknown;
  readonly facts: unknown;
  readonly ready_titles: unknown;
  readonly declare_on: string | null;
  readonly frozen_when_declared: readonly string[];
  readonly reader_on_pages: boolean;
  /** In order of their ids. */
  readonly access_tags: readonly string[];
  readonly stencil_id: string | null;
  readonly stencil_version: number | null;
  readonly stencil_key: string | null;
  readonly stencil_words: unknown;
}

export interface AddedPlace extends WrittenPlace {
  readonly kind: string;
  readonly parent_id: string;
  readonly ancestors: readonly string[];
  readonly code: string;
  readonly position: number;
  readonly stand_alone: boolean;
  readonly marking_level: number;
  readonly marking_caveats: readonly string[];
  readonly access_set_id: number;
}

/** Columns of what is set on a place itself, with their types. */
const columns = {
  title: 'text',
  note: 'text',
  not_here: 'text',
  message: 'text',
  opened_on: 'date',
  closed_on: 'date',
  retired_on: 'date',
  jurisdictions: 'text[]',
  numbering_id: 'uuid',
  takes: 'jsonb',
  facts: 'jsonb',
  ready_titles: 'jsonb',
  declare_on: 'text',
  frozen_when_declared: 'text[]',
  reader_on_pages: 'boolean',
  access_tags: 'uuid[]',
  stencil_id: 'uuid',
  stencil_version: 'int',
  stencil_key: 'text',
  stencil_words: 'jsonb',
} satisfies Record<Exclude<keyof WrittenPlace, 'id'>, string>;
const names = Object.keys(columns);
const typed = Object.entries(columns)
  .map(([name, type]) => `${name} ${type}`)
  .join(', ');
const atOnce = 2000;

/** Adds places, those around others first. */
export async function addPlaces(db: Db, places: readonly AddedPlace[]): Promise<void> {
  for (let i = 0; i < places.length; i += atOnce) {
    await run(
      db,
      'exchange.addPlaces',
      `insert into place (id, kind, parent_id, ancestors, code, position, stand_alone, marking_level, marking_caveats, access_set_id, ${names.join()})
       select id, kind, parent_id, ancestors, code, position, stand_alone, marking_level, marking_caveats, access_set_id, ${names.join()}
       from jsonb_to_recordset($1::jsonb) as p (id uuid, kind text, parent_id uuid, ancestors uuid[], code text, position int, stand_alone boolean,
         marking_level smallint, marking_caveats text[], access_set_id int, ${typed})`,
      [JSON.stringify(places.slice(i, i + atOnce))],
    );
  }
}

/** Writes what is set on places that are there. */
export async function writePlaces(db: Db, places: readonly WrittenPlace[]): Promise<void> {
  for (let i = 0; i < places.length; i += atOnce) {
    await run(
      db,
      'exchange.writePlaces',
      `update place p set ${names.map((name) => `${name} = w.${name}`).join(', ')}, revision = p.revision + 1
       from jsonb_to_recordset($1::jsonb) as w (id uuid, ${typed}) where p.id = w.id`,
      [JSON.stringify(places.slice(i, i + atOnce))],
    );
  }
}

export async function writeCode(db: Db, id: string, code: string): Promise<void> {
  await run(db, 'exchange.writeCode', 'update place set code = $2, revision = revision + 1 where id = $1', [id, code]);
}

interface Pointed {
  readonly place_id: string;
}

export async function addRules(db: Db, list: readonly (Pointed & { rule_id: string })[]): Promise<void> {
  if (list.length === 0) return;
  await run(
    db,
    'exchange.addRules',
    `insert into place_rule (place_id, rule_id) select place_id, rule_id from jsonb_to_recordset($1::jsonb) as r (place_id uuid, rule_id uuid) on conflict do nothing`,
    [JSON.stringify(list)],
  );
}

export async function addFormerCodes(
  db: Db,
  list: readonly (Pointed & { code: string; parent_id: string; until: string })[],
): Promise<void> {
  if (list.length === 0) return;
  await run(
    db,
    'exchange.addFormerCodes',
    `insert into former_code (place_id, code, parent_id, until)
     select place_id, code, parent_id, until from jsonb_to_recordset($1::jsonb) as f (place_id uuid, code text, parent_id uuid, until date) on conflict do nothing`,
    [JSON.stringify(list)],
  );
}

/** Which of some rules were published. */
export async function publishedAmong(db: Db, ids: readonly string[]): Promise<Set<string>> {
  const found = await rows<{ id: string }>(
    db,
    'exchange.published',
    'select distinct rule_id as id from rule_version where rule_id = any ($1::uuid[])',
    [ids],
  );
  return new Set(found.map((f) => f.id));
}

/** Where the access of places comes from, by their sets. */
export function setAnchors(db: Db) {
  return rows<{ id: number; anchor_place: string }>(
    db,
    'exchange.setAnchors',
    'select id, anchor_place from access_set where record_id is null',
    [],
  );
}

export function grantsOn(db: Db, placeId: string) {
  return rows<{
    id: string;
    principal: string;
    profile: string;
    from: string | null;
    until: string | null;
    reason: string;
    stencil: string | null;
  }>(
    db,
    'exchange.grantsOn',
    `select id, principal_id as principal, profile, from_on as "from", until_on as until, reason, by_stencil as stencil from grant_ where place_id = $1 order by id`,
    [placeId],
  );
}

export async function dropGrant(db: Db, id: string): Promise<void> {
  await run(db, 'exchange.dropGrant', 'delete from grant_ where id = $1', [id]);
}
