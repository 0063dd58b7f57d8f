import { type Db, row, rows, run } from '../kernel/index.js';

/** The records that a person had to do with last, and may still see: all, or those on which they did one of some acts. */
export function seenLast(
  db: Db,
  personId: string,
  acts: readonly string[] | null,
  sets: { readonly discover: readonly number[]; readonly own: readonly number[] },
  most: number,
) {
  return rows<{ id: string; number: string; title: string; state: 'working' | 'declared' | 'disposed'; at: Date }>(
    db,
    'report.seenLast',
    `with last as (
       select subject_id, max(seq) as seq, max(at) as at from (
         select subject_id, seq, at from ledger_entry
         where actor_id = $1 and subject_kind = 'record' and ($2::text[] is null or act = any ($2)) order by seq desc limit 300) e
       group by subject_id)
     select r.id, r.number, r.title, r.state, last.at from last join record r on r.id = last.subject_id
     where r.access_set_id = any ($3::int[]) or (r.deposited_by = $1 and r.access_set_id = any ($4::int[]))
     order by last.at desc, last.seq desc limit $5`,
    [personId, acts, sets.discover, sets.own, most],
  );
}

export function askRecords(db: Db, sets: readonly number[], tsquery: string) {
  return rows<{ id: string; number: string; title: string }>(
    db,
    'ask.records',
    `select id, number, title from record r
     where search @@ $2::tsquery and access_set_id = any ($1::int[]) and state <> 'disposed' limit 6`,
    [sets, tsquery],
  );
}

export function askPlaces(db: Db, text: string) {
  return rows<{ id: string; code: string; title: string; access_set_id: number }>(
    db,
    'ask.places',
    `select id, code, title, access_set_id from place
     where kind <> 'repository' and (code ilike $1 || '%' or title ilike '%' || $1 || '%'
       or id in (select f.place_id from former_code f where f.code ilike $1 || '%'))
     order by (code ilike $1 || '%') desc, kind <> 'folder' desc, code limit 12`,
    [text],
  );
}

export function askRules(db: Db, text: string) {
  return rows<{ id: string; code: string; title: string }>(
    db,
    'ask.rules',
    `select r.id, r.code, coalesce(v.definition->>'title', r.draft->>'title') as title
     from rule r left join lateral (select definition from rule_version x where x.rule_id = r.id order by version desc limit 1) v on true
     where r.code ilike '%' || $1 || '%' or coalesce(v.definition->>'title', r.draft->>'title') ilike '%' || $1 || '%'
     order by r.code limit 5`,
    [text],
  );
}

export function askBatches(db: Db, text: string, sets: readonly number[]) {
  return rows<{ id: string; number: string; what: string }>(
    db,
    'ask.batches',
    `select b.id, b.number, b.what from batch b
     where b.number ilike '%' || $1 || '%' and not exists (
       select from batch_item i join record r on r.id = i.record_id where i.batch_id = b.id and r.access_set_id <> all ($2::int[]))
     order by b.number desc limit 4`,
    [text, sets],
  );
}

export function askMatters(db: Db, text: string) {
  return rows<{ id: string; code: string; title: string }>(
    db,
    'ask.matters',
    `select id, code, title from matter where code ilike '%' || $1 || '%' or title ilike '%' || $1 || '%' order by code limit 4`,
    [text],
  );
}

/** Whether auditors have not been told of so many entries yet, nor of anything today. */
export async function headIsNews(db: Db, today: string, size: number): Promise<boolean> {
  const told = await row<{ on: string; size: number }>(
    db,
    'report.headTold',
    `select value->>'on' as on, (value->>'size')::int8 as size from setting where name = 'headTold'`,
  );
  return !told || (told.on < today && told.size < size);
}

/** Notes that auditors are told of a head today; false when another app server has done so meanwhile. */
export async function tellHead(db: Db, today: string, size: number): Promise<boolean> {
  const touched = await run(
    db,
    'report.tellHead',
    `insert into setting (name, value) values ('headTold', jsonb_build_object('on', $1::text, 'size', $2::int8))
     on conflict (name) do update set value = excluded.value where setting.value->>'on' < excluded.value->>'on'`,
    [today, size],
  );
  return touched > 0;
}

/** How far a repository is arranged: who can sign in, what there is to file in, and which rules count anywhere. */
export async function arranged(db: Db) {
  const found = await row<{
    people: number;
    series: number;
    types: number;
    rules: number;
    filed: boolean;
    backup: boolean;
    root: string | null;
  }>(
    db,
    'today.arranged',
    `select (select count(*) from (select from principal where kind = 'person' and active
              and (password_hash is not null or exists (select from federated f where f.principal_id = principal.id)) limit 2) p)::int as people,
            (select count(*) from (select from place where kind = 'series' limit 1) s)::int as series,
            (select count(*) from (select from record_type where retired_on is null limit 2) t)::int as types,
            (select count(*) from (
               (select rule_id from place_rule limit 1) union all (select rule_id from pair_rule limit 1) union all (select rule_id from criteria_rule limit 1)) r)::int as rules,
            exists (select from record limit 1) as filed,
            exists (select from setting where name = 'backup') as backup,
            (select id from place where parent_id is null) as root`,
    [],
  );
  return found!;
}

/** When each service outside did last what it is for, and when a backup was made last; null: never. Each is the last by its key. */
export async function outsideLast(db: Db) {
  const found = await row<Record<'timeAuthority' | 'witness' | 'archive' | 'mail' | 'backup', Date | null>>(
    db,
    'outside.last',
    `select (select stamped_at from head_stamp order by size desc limit 1) as "timeAuthority",
            (select witnessed_at from head_witness order by size desc limit 1) as witness,
            (select (max(made_on)::timestamp at time zone 'UTC') from transfer where receipt is not null) as archive,
            (select ended_at from mail where state = 'sent' order by id desc limit 1) as mail,
            (select (value->>'at')::timestamptz from setting where name = 'backup') as backup`,
  );
  return found!;
}
