import { type Db, row, rows, run } from '../kernel/index.js';

export interface ReviewRow extends Record<string, unknown> {
  id: string;
  title: string;
  place_id: string;
  place_code: string;
  place_title: string;
  /** Of the place. */
  access_set_id: number;
  due_on: string;
  ends_unconfirmed: boolean;
  made_by: string;
  made_by_name: string;
  made_on: string;
  reminded_on: string | null;
  closed_on: string | null;
}

const reviewLines = `select r.id, r.title, r.place_id, p.code as place_code, p.title as place_title, p.access_set_id, r.due_on, r.ends_unconfirmed,
  r.made_by, m.name as made_by_name, r.made_on, r.reminded_on, r.closed_on
  from access_review r join place p on p.id = r.place_id join principal m on m.id = r.made_by`;

/** Rounds, those that are open first, then the newest. */
export const reviews = (db: Db) =>
  rows<ReviewRow>(db, 'review.all', `${reviewLines} order by r.closed_on is not null, r.made_on desc, r.id desc limit 200`, []);

export const reviewsById = (db: Db, ids: readonly string[]) =>
  rows<ReviewRow>(db, 'review.byId', `${reviewLines} where r.id = any ($1::uuid[]) order by r.id`, [ids]);

/** The same with the rounds locked. */
export async function lockReviews(db: Db, ids: readonly string[]): Promise<ReviewRow[]> {
  await run(db, 'review.lock', 'select from access_review where id = any ($1::uuid[]) order by id for no key update', [ids]);
  return reviewsById(db, ids);
}

/** Rounds that are open and due, or about to be. */
export const reviewsDue = (db: Db, by: string) =>
  rows<ReviewRow>(db, 'review.due', `${reviewLines} where r.closed_on is null and r.due_on <= $1 order by r.id`, [by]);

export async function addReview(
  db: Db,
  r: { id: string; title: string; placeId: string; dueOn: string; endsUnconfirmed: boolean; madeBy: string; madeOn: string },
): Promise<void> {
  await run(
    db,
    'review.add',
    `insert into access_review (id, title, place_id, due_on, ends_unconfirmed, made_by, made_on) values ($1, $2, $3, $4, $5, $6, $7)`,
    [r.id, r.title, r.placeId, r.dueOn, r.endsUnconfirmed, r.madeBy, r.madeOn],
  );
}

export async function noteReminded(db: Db, id: string, on: string): Promise<void> {
  await run(db, 'review.reminded', 'update access_review set reminded_on = $2 where id = $1', [id, on]);
}

export async function closeReview(db: Db, id: string, on: string): Promise<void> {
  await run(db, 'review.close', 'update access_review set closed_on = $2 where id = $1', [id, on]);
}

/**
 * Takes into a round what was given in a place, of the access sets in which whoever begins it gives access; gives how much. What was given on
 * access tags is in rounds over the whole repository.
 */
export function addLines(
  db: Db,
  { reviewId, placeId, sets, today }: { reviewId: string; placeId: string; sets: readonly number[]; today: string },
): Promise<number> {
  return run(
    db,
    'review.addLines',
    `insert into access_review_line (id, review_id, grant_id, principal_id, place_id, record_id, tag_id, profile, from_on, until_on)
     select gen_random_uuid(), $1, g.id, g.principal_id, l.id, g.record_id, g.tag_id, g.profile, g.from_on, g.until_on
     from grant_ g left join record r on r.id = g.record_id
       join place l on l.id = coalesce(g.place_id, r.place_id, (select id from place where parent_id is null))
     where l.ancestors @> array[$2::uuid] and coalesce(r.access_set_id, l.access_set_id) = any ($3::int[])
       and (g.until_on is null or g.until_on >= $4)`,
    [reviewId, placeId, sets, today],
  );
}

export interface LineRow extends Record<string, unknown> {
  id: string;
  review_id: string;
  review_title: string;
  review_closed_on: string | null;
  grant_id: string;
  principal_id: string;
  principal_name: string;
  principal_kind: 'person' | 'group' | 'service';
  principal_active: boolean;
  place_id: string;
  place_kind: 'repository' | 'function' | 'activity' | 'series' | 'folder';
  place_code: string;
  place_title: string;
  record_id: string | null;
  record_number: string | null;
  record_title: string | null;
  tag_id: string | null;
  tag_name: string | null;
  /** Of the record or place that it is on now; of one on a tag the repository’s. */
  access_set_id: number;
  profile: string;
  from_on: string | null;
  until_on: string | null;
  answer: 'kept' | 'ended' | 'not confirmed' | null;
  answered_by: string | null;
  answered_on: string | null;
  note: string;
  /** Of the grant while it is there. */
  reason: string | null;
  made_on: string | null;
  there: boolean;
  /** Whether the grant is another than when the round began. */
  changed: boolean;
}

const lineRows = `select x.id, x.review_id, v.title as review_title, v.closed_on as review_closed_on, x.grant_id, x.principal_id, p.name as principal_name,
  p.kind as principal_kind, p.active as principal_active, x.place_id, l.kind as place_kind, l.code as place_code, l.title as place_title, x.record_id,
  r.number as record_number, r.title as record_title, x.tag_id, t.name as tag_name, coalesce(r.access_set_id, l.access_set_id) as access_set_id, x.profile, x.from_on, x.until_on,
  x.answer, (select a.name from principal a where a.id = x.answered_by) as answered_by, x.answered_on, x.note, g.reason,
  repository_date(g.made_at)::text as made_on, g.id is not null as there,
  g.id is not null and (g.profile, g.from_on, g.until_on) is distinct from (x.profile, x.from_on, x.until_on) as changed
  from access_review_line x join access_review v on v.id = x.review_id join principal p on p.id = x.principal_id join place l on l.id = x.place_id
  left join record r on r.id = x.record_id left join access_tag t on t.id = x.tag_id left join grant_ g on g.id = x.grant_id`;

/** Grants of a round in some access sets, by place and name. */
export const linesOf = (db: Db, reviewId: string, sets: readonly number[]) =>
  rows<LineRow>(
    db,
    'review.lines',
    `${lineRows} where x.review_id = $1 and coalesce(r.access_set_id, l.access_set_id) = any ($2::int[])
     order by cardinality(l.ancestors), l.code, r.number nulls first, t.name nulls first, p.name, x.id`,
    [reviewId, sets],
  );

export interface CountsRow extends Record<string, unknown> {
  review_id: string;
  lines: number;
  answered: number;
  mine: number;
}

/** Of each round how much there is in the access sets that somebody sees, how much is answered, and how much of the rest is theirs to answer. */
export const countsOf = (db: Db, who: { readonly seen: readonly number[]; readonly gives: readonly number[]; readonly personId: string }) =>
  rows<CountsRow>(
    db,
    'review.counts',
    `select x.review_id, count(*)::int as lines, count(*) filter (where x.answer is not null or g.id is null)::int as answered,
       count(*) filter (where x.answer is null and g.id is not null and v.closed_on is null and x.principal_id <> $3
         and coalesce(r.access_set_id, l.access_set_id) = any ($2::int[]))::int as mine
     from access_review_line x join access_review v on v.id = x.review_id join place l on l.id = x.place_id left join record r on r.id = x.record_id
     left join grant_ g on g.id = x.grant_id where coalesce(r.access_set_id, l.access_set_id) = any ($1::int[]) group by x.review_id`,
    [who.seen, who.gives, who.personId],
  );

/** All of them, for what the program does by itself. */
export const allLines = (db: Db, reviewId: string) =>
  rows<LineRow>(db, 'review.allLines', `${lineRows} where x.review_id = $1 order by x.id`, [reviewId]);

export const linesById = (db: Db, ids: readonly string[]) =>
  rows<LineRow>(db, 'review.linesById', `${lineRows} where x.id = any ($1::uuid[]) order by x.id`, [ids]);

/** The same with their rows and their grants locked. */
export async function lockLines(db: Db, ids: readonly string[]): Promise<LineRow[]> {
  await run(
    db,
    'review.lockGrants',
    'select from grant_ where id in (select grant_id from access_review_line where id = any ($1::uuid[])) order by id for update',
    [ids],
  );
  await run(db, 'review.lockLines', 'select from access_review_line where id = any ($1::uuid[]) order by id for no key update', [ids]);
  return linesById(db, ids);
}

export async function answerLine(
  db: Db,
  a: { id: string; answer: 'kept' | 'ended' | 'not confirmed'; by: string | null; on: string; note: string },
): Promise<void> {
  await run(db, 'review.answer', 'update access_review_line set answer = $2, answered_by = $3, answered_on = $4, note = $5 where id = $1', [
    a.id,
    a.answer,
    a.by,
    a.on,
    a.note,
  ]);
}

/** How many open grants of open rounds wait for an answer in these access sets, and until when at the earliest; one’s own are left out. */
export async function reviewsWaiting(
  db: Db,
  { sets, but }: { readonly sets: readonly number[]; readonly but: string },
): Promise<{ readonly n: number; readonly due: string | null; readonly id: string | null }> {
  return (await row<{ n: number; due: string | null; id: string | null }>(
    db,
    'review.waiting',
    `select count(*)::int as n, min(v.due_on)::text as due, (array_agg(v.id order by v.due_on, v.id))[1] as id
     from access_review v join access_review_line x on x.review_id = v.id and x.answer is null and x.principal_id <> $2
     join grant_ g on g.id = x.grant_id join place l on l.id = x.place_id left join record r on r.id = x.record_id
     where v.closed_on is null and coalesce(r.access_set_id, l.access_set_id) = any ($1::int[])`,
    [sets, but],
  ))!;
}
