import type { CountScope } from '@key-cellar/core/records';
import { row, rows, run, type Db } from '../kernel/index.js';

export interface NumberingRow extends Record<string, unknown> {
  id: string;
  title: string;
  pattern: string;
  per: CountScope[];
  gapless: boolean;
  revision: number;
}

const columns = 'id, title, pattern, per, gapless, revision';

/** The next count of a scope, from 1. */
export async function nextCount(db: Db, numberingId: string, scope: string): Promise<number> {
  const found = await row<{ last: number }>(
    db,
    'numbering.next',
    `insert into numbering_counter as c (numbering_id, scope, last) values ($1, $2, 1)
     on conflict (numbering_id, scope) do update set last = c.last + 1 returning last`,
    [numberingId, scope],
  );
  return found!.last;
}

export async function isTaken(db: Db, number: string): Promise<boolean> {
  return (await row(db, 'numbering.taken', 'select from record where number = $1', [number])) !== undefined;
}

export function numberings(db: Db) {
  return rows<NumberingRow & { used: boolean }>(
    db,
    'numbering.all',
    `select ${columns}, exists (select from numbering_counter c where c.numbering_id = numbering.id) as used from numbering order by title`,
  );
}

export function numberedPlaces(db: Db, sets: readonly number[]) {
  return rows<{ id: string; code: string; title: string; numbering_id: string }>(
    db,
    'numbering.places',
    'select id, code, title, numbering_id from place where numbering_id is not null and access_set_id = any ($1::int[]) order by code',
    [sets],
  );
}

/** Schemes that some place numbers by. */
export function numberingsInUse(db: Db) {
  return rows<NumberingRow>(
    db,
    'numbering.inUse',
    `select ${columns} from numbering where exists (select from place where numbering_id = numbering.id) order by title`,
  );
}

export function numberingById(db: Db, id: string) {
  return row<NumberingRow>(db, 'numbering.byId', `select ${columns} from numbering where id = $1`, [id]);
}

export function lockNumbering(db: Db, id: string) {
  return row<NumberingRow>(db, 'numbering.lock', `select ${columns} from numbering where id = $1 for update`, [id]);
}

/** Shared with others who set it, kept from being removed meanwhile. */
export function shareNumbering(db: Db, id: string) {
  return row<NumberingRow>(db, 'numbering.share', `select ${columns} from numbering where id = $1 for key share`, [id]);
}

export async function addNumbering(
  db: Db,
  n: { id: string; title: string; pattern: string; per: readonly CountScope[]; gapless: boolean },
): Promise<void> {
  await run(db, 'numbering.add', 'insert into numbering (id, title, pattern, per, gapless) values ($1, $2, $3, $4, $5)', [
    n.id,
    n.title,
    n.pattern,
    n.per,
    n.gapless,
  ]);
}

export async function writeNumbering(
  db: Db,
  n: { id: string; title: string; pattern: string; per: readonly CountScope[]; gapless: boolean },
): Promise<void> {
  await run(
    db,
    'numbering.write',
    'update numbering set title = $2, pattern = $3, per = $4, gapless = $5, revision = revision + 1 where id = $1',
    [n.id, n.title, n.pattern, n.per, n.gapless],
  );
}

export async function useOf(db: Db, id: string): Promise<{ places: number; used: boolean }> {
  const found = await row<{ places: number; used: boolean }>(
    db,
    'numbering.use',
    `select (select count(*)::int from place where numbering_id = $1) as places, exists (select from numbering_counter where numbering_id = $1) as used`,
    [id],
  );
  return found!;
}

export async function removeNumbering(db: Db, id: string): Promise<void> {
  await run(db, 'numbering.drop', 'delete from numbering where id = $1', [id]);
}

export async function setNumbering(db: Db, placeId: string, numberingId: string | null): Promise<void> {
  await run(db, 'place.numbering', 'update place set numbering_id = $2, revision = revision + 1 where id = $1', [placeId, numberingId]);
}
