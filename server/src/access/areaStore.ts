import { type Db, row, rows } from '../kernel/index.js';

export interface NamedPlace extends Record<string, unknown> {
  id: string;
  kind: 'repository' | 'function' | 'activity' | 'series' | 'folder';
  code: string;
  title: string;
}

/** What a place is called in a list. */
export const placeRef = ({ id, kind, code, title }: NamedPlace) => ({ id, kind, code, title });

interface MatrixPlace extends NamedPlace {
  depth: number;
  inside: string | null;
  stand_alone: boolean;
  access_tags: string[];
  access_set_id: number;
  marking_level: number;
  marking_caveats: string[];
  total: number;
}

/** Places in order of the plan, the repository first. */
const inPlanOrder =
  'order by (select array_agg(a.code order by array_position(p.ancestors, a.id)) from place a where a.id = any (p.ancestors)), p.id';

/** Places in these access sets, in order of the plan; only those whose access differs from that of the place around them, unless `all`. */
export function matrixPlaces(
  db: Db,
  { sets, all, words, from, limit }: { sets: readonly number[]; all: boolean; words: string; from: number; limit: number },
) {
  return rows<MatrixPlace>(
    db,
    'access.matrixPlaces',
    `select p.id, p.kind, p.code, p.title, p.stand_alone, p.access_tags, p.access_set_id, cardinality(p.ancestors) - 1 as depth,
            case p.kind when 'folder' then q.code end as inside, s.marking_level, s.marking_caveats, count(*) over ()::int as total
     from place p join access_set s on s.id = p.access_set_id
       left join place q on q.id = p.parent_id left join access_set t on t.id = q.access_set_id
     where p.access_set_id = any ($1::int[])
       and ($2 or q.id is null or p.stand_alone or p.access_tags <> '{}' or exists (select from grant_ g where g.place_id = p.id)
            or s.marking_level <> t.marking_level or s.marking_caveats <> t.marking_caveats)
       and ($3 = '' or p.code || ' ' || p.title ilike '%' || $3 || '%')
     ${inPlanOrder}
     offset $4 limit $5`,
    [sets, all, words.replace(/[\\%_]/g, '\\$&'), from, limit],
  );
}

/** Groups in use. */
export function groups(db: Db) {
  return rows<{ id: string; name: string }>(
    db,
    'access.groups',
    `select id, name from principal where kind = 'group' and active order by name`,
    [],
  );
}

/** A person, group or service. */
export function principal(db: Db, id: string) {
  return row<{ id: string; name: string; kind: string; active: boolean; clearance_level: number; clearance_caveats: string[] }>(
    db,
    'access.principal',
    `select id, name, kind, active, clearance_level, clearance_caveats from principal where id = $1`,
    [id],
  );
}

/** How many records there are in each of these access sets. */
export function recordsInSets(db: Db, sets: readonly number[]) {
  return rows<{ id: number; n: number }>(
    db,
    'access.recordsInSets',
    `select s.id, coalesce(sum(c.kept), 0)::int as n
     from access_set s left join (select access_set_id, kept from rack_cell union all select access_set_id, kept from rack_delta) c
       on c.access_set_id = s.id
     where s.id = any ($1::int[]) group by s.id`,
    [sets],
  );
}

export function placesById(db: Db, ids: readonly string[]) {
  return rows<NamedPlace>(
    db,
    'access.placesById',
    `select p.id, p.kind, p.code, p.title from place p where p.id = any ($1::uuid[]) ${inPlanOrder}`,
    [ids],
  );
}

/** Places in these access sets that stand alone. */
export function aloneIn(db: Db, sets: readonly number[]) {
  return rows<NamedPlace>(
    db,
    'access.alone',
    `select p.id, p.kind, p.code, p.title from place p where p.stand_alone and p.access_set_id = any ($1::int[]) ${inPlanOrder}`,
    [sets],
  );
}

/** How many people and groups in use there are in each group that has any. */
export async function membersOf(db: Db): Promise<ReadonlyMap<string, number>> {
  const found = await rows<{ id: string; n: number }>(
    db,
    'access.members',
    'select m.group_id as id, count(*)::int as n from in_group m join principal x on x.id = m.member_id and x.active group by m.group_id',
    [],
  );
  return new Map(found.map((f) => [f.id, f.n]));
}

/** Which of these grants of people nobody has made use of: since they were made, the person has done nothing there that the ledger has. */
export async function unusedOf(db: Db, ids: readonly string[]): Promise<Set<string>> {
  const found = await rows<{ id: string }>(
    db,
    'access.unused',
    `select g.id from grant_ g
     where g.id = any ($1::uuid[])
       and not exists (
         select from ledger_entry e
         where e.actor_id = g.principal_id and e.at >= g.made_at and (
           (e.subject_kind = 'record' and (e.subject_id = g.record_id or exists (
              select from record r where r.id = e.subject_id and (r.places @> array[g.place_id] or (g.tag_id is not null and (
                exists (select from access_set s where s.id = r.access_set_id and s.tags @> array[g.tag_id])
                or exists (select from place c where c.id = any (r.places) and c.access_tags @> array[g.tag_id])))))))
           or (e.subject_kind = 'place' and exists (
              select from place p where p.id = e.subject_id and (p.ancestors @> array[g.place_id] or (g.tag_id is not null
                and exists (select from place c where c.id = any (p.ancestors) and c.access_tags @> array[g.tag_id])))))))`,
    [ids],
  );
  return new Set(found.map((r) => r.id));
}
