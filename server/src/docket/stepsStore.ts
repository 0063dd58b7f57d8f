import type { StepAnswer } from '@key-cellar/contract';
import type { FrozenPart, RecordState } from '@key-cellar/core/records';
import { type Db, frozenByHoldSql, holdCountSql, row, rows, run } from '../kernel/index.js';
import type { StoredStepAct } from '../schedule/index.js';

/** Records with a step that the sweep has to look at on a day, after a cursor. */
export async function stepsDue(db: Db, today: string, after: string | null, limit: number): Promise<string[]> {
  const found = await rows<{ id: string }>(
    db,
    'steps.due',
    `select id from record where next_step_on is not null and next_step_on <= $1 and state <> 'disposed' and ($2::uuid is null or id > $2)
     order by id limit $3`,
    [today, after, limit],
  );
  return found.map((f) => f.id);
}

export async function countStepsDue(db: Db, today: string): Promise<number> {
  const found = await row<{ n: number }>(
    db,
    'steps.countDue',
    `select count(*)::int as n from record where next_step_on is not null and next_step_on <= $1 and state <> 'disposed'`,
    [today],
  );
  return found!.n;
}

export interface StandingRow extends Record<string, unknown> {
  id: string;
  number: string;
  title: string;
  state: RecordState;
  hold_count: number;
  frozen_by_hold: boolean;
  frozen: FrozenPart[];
  series_id: string;
  place_id: string;
  place_code: string;
  versions: number;
  /** Of all versions but the newest. */
  older_bytes: number;
}

/** What of a record decides whether its step can be taken. */
export function standings(db: Db, ids: readonly string[]) {
  return rows<StandingRow>(
    db,
    'steps.standings',
    `select r.id, r.number, r.title, r.state, ${holdCountSql()} as hold_count, ${frozenByHoldSql()} as frozen_by_hold, r.frozen, r.series_id, r.place_id, p.code as place_code,
       (select count(*)::int from version v where v.record_id = r.id) as versions,
       (select coalesce(sum(c.size), 0)::bigint from version v join content c on c.id = v.content_id where v.record_id = r.id and v.no < r.version_no) as older_bytes
     from record r join place p on p.id = r.place_id where r.id = any ($1::uuid[])`,
    [ids],
  );
}

export async function addActs(db: Db, acts: readonly { recordId: string; act: StoredStepAct }[]): Promise<void> {
  if (acts.length === 0) return;
  await run(
    db,
    'steps.addActs',
    `update record r set steps_taken = coalesce(r.steps_taken, '[]'::jsonb) || jsonb_build_array(a.act)
     from unnest($1::uuid[], $2::jsonb[]) as a (id, act) where r.id = a.id`,
    [acts.map((a) => a.recordId), acts.map((a) => JSON.stringify(a.act))],
  );
}

/** Opens questions and reviews, unless another sweep was there first; their letters are sent when all of a sweep are known. */
export async function openTasks(
  db: Db,
  tasks: readonly { id: string; recordId: string; ruleId: string; index: number; kind: 'askOwner' | 'review'; againOn: string | null }[],
  today: string,
): Promise<void> {
  if (tasks.length === 0) return;
  await run(
    db,
    'steps.openTasks',
    `insert into step_task (id, record_id, rule_id, step_index, kind, asked_on, last_asked_on, again_on)
     select id, record_id, rule_id, step_index, kind, $7, $7, again_on
     from unnest($1::uuid[], $2::uuid[], $3::uuid[], $4::smallint[], $5::text[], $6::date[]) as t (id, record_id, rule_id, step_index, kind, again_on)
     on conflict (record_id) where state = 'open' do nothing`,
    [
      tasks.map((t) => t.id),
      tasks.map((t) => t.recordId),
      tasks.map((t) => t.ruleId),
      tasks.map((t) => t.index),
      tasks.map((t) => t.kind),
      tasks.map((t) => t.againOn),
      today,
    ],
  );
}

export async function askAgain(db: Db, tasks: readonly { recordId: string; againOn: string | null }[], today: string): Promise<void> {
  if (tasks.length === 0) return;
  await run(
    db,
    'steps.askAgain',
    `update step_task t set times = times + 1, last_asked_on = $3, again_on = a.again_on, to_send = true
     from unnest($1::uuid[], $2::date[]) as a (record_id, again_on) where t.record_id = a.record_id and t.state = 'open'`,
    [tasks.map((t) => t.recordId), tasks.map((t) => t.againOn), today],
  );
}

/** Closes what was asked about records and never answered. */
export async function closeUnanswered(db: Db, recordIds: readonly string[]): Promise<void> {
  await run(
    db,
    'steps.closeUnanswered',
    `update step_task set state = 'unanswered', to_send = false where record_id = any ($1::uuid[]) and state = 'open'`,
    [recordIds],
  );
}

export async function trimVersions(db: Db, recordId: string, today: string) {
  return rows<{ no: number; file_name: string; content_id: string; sha256: Buffer; size: number }>(
    db,
    'steps.trim',
    'select no, file_name, content_id, sha256, size from trim_versions($1, $2)',
    [recordId, today],
  );
}

export interface TaskRow extends Record<string, unknown> {
  id: string;
  record_id: string;
  rule_id: string;
  step_index: number;
  kind: 'askOwner' | 'review';
  asked_on: string;
  last_asked_on: string;
  times: number;
  state: 'open' | 'answered' | 'unanswered' | 'dropped';
  answer: StepAnswer | null;
  answered_by: string | null;
  number: string;
  title: string;
  place_code: string;
  rule_code: string;
  rule_title: string;
  steps: { kind: string; after: string }[];
  due_on: string | null;
  action: 'destroy' | 'transfer' | null;
  hold_count: number;
  access_set_id: number;
  deposited_by: string;
  owner_id: string | null;
  asked: string[];
  for_me: boolean;
}

const taskColumns = `t.id, t.record_id, t.rule_id, t.step_index, t.kind, t.asked_on, t.last_asked_on, t.times, t.state, t.answer, b.name as answered_by,
  r.number, r.title, p.code as place_code, u.code as rule_code, v.definition->>'title' as rule_title, v.definition->'steps' as steps,
  r.due_on, r.action, ${holdCountSql()} as hold_count, r.access_set_id, r.deposited_by, r.owner_id,
  coalesce((select array_agg(distinct n.name order by n.name) from step_letter l join message m on m.id = l.message_id join principal n on n.id = m.to_id where l.task_id = t.id), '{}') as asked`;
const taskTables = `step_task t join record r on r.id = t.record_id join place p on p.id = r.place_id join rule u on u.id = t.rule_id
  left join lateral (select definition from rule_version w where w.rule_id = t.rule_id
    order by w.id is not distinct from r.rule_version_id desc, w.version desc limit 1) v on true
  left join principal b on b.id = t.answered_by`;
const letterTo = (person: string): string =>
  `exists (select from step_letter l join message m on m.id = l.message_id where l.task_id = t.id and m.to_id = ${person})`;

/** Open tasks that a person was asked about, or that are in one of these access sets. */
export function tasksFor(db: Db, personId: string, sets: readonly number[], limit: number) {
  return rows<TaskRow>(
    db,
    'steps.tasksFor',
    `select ${taskColumns}, ${letterTo('$1')} as for_me from ${taskTables}
     where t.state = 'open' and (${letterTo('$1')} or r.access_set_id = any ($2::int[]))
     order by t.kind, u.code, t.asked_on, r.number limit $3`,
    [personId, sets, limit],
  );
}

/** How many open tasks are in these access sets and not put to the person. */
export async function countOfOthers(db: Db, personId: string, sets: readonly number[]): Promise<number> {
  const found = await row<{ n: number }>(
    db,
    'steps.countOthers',
    `select count(*)::int as n from step_task t join record r on r.id = t.record_id
     where t.state = 'open' and r.access_set_id = any ($2::int[]) and not ${letterTo('$1')}`,
    [personId, sets],
  );
  return found!.n;
}

export function countByKind(db: Db, personId: string) {
  return rows<{ kind: 'askOwner' | 'review'; n: number; since: string }>(
    db,
    'steps.countByKind',
    `select t.kind, count(*)::int as n, min(t.asked_on) as since from step_task t where t.state = 'open' and ${letterTo('$1')} group by t.kind order by t.kind`,
    [personId],
  );
}

/** What a letter asks about, with the person that it went to. */
export async function tasksOfLetter(db: Db, messageId: string): Promise<TaskRow[]> {
  return rows<TaskRow>(
    db,
    'steps.ofLetter',
    `select ${taskColumns}, true as for_me from ${taskTables} where t.id in (select task_id from step_letter where message_id = $1)
     order by t.kind, u.code, r.number`,
    [messageId],
  );
}

export function openTaskOf(db: Db, recordId: string, personId: string) {
  return row<TaskRow>(
    db,
    'steps.ofRecord',
    `select ${taskColumns}, ${letterTo('$2')} as for_me from ${taskTables} where t.record_id = $1 and t.state = 'open'`,
    [recordId, personId],
  );
}

/** Tasks by id, after the rows of their records were locked in order. */
export async function lockTasks(db: Db, ids: readonly string[], personId: string): Promise<TaskRow[]> {
  await rows(
    db,
    'steps.lockRecords',
    'select id from record where id in (select record_id from step_task where id = any ($1::uuid[])) order by id for update',
    [ids],
  );
  return rows<TaskRow>(
    db,
    'steps.lockTasks',
    `select ${taskColumns}, ${letterTo('$2')} as for_me from ${taskTables} where t.id = any ($1::uuid[]) order by r.number for update of t`,
    [ids, personId],
  );
}

export async function closeAnswered(
  db: Db,
  ids: readonly string[],
  a: { answer: StepAnswer; by: string; on: string; note: string },
): Promise<void> {
  await run(
    db,
    'steps.closeAnswered',
    `update step_task set state = 'answered', answer = $2, answered_by = $3, answered_on = $4, note = $5, to_send = false
     where id = any ($1::uuid[]) and state = 'open'`,
    [ids, a.answer, a.by, a.on, a.note],
  );
}

/** Puts what is due on the docket now, without waiting for the next sweep. */
export async function toDocket(db: Db, ids: readonly string[], today: string): Promise<void> {
  await run(
    db,
    'steps.toDocket',
    `update record set docket = 'due' where id = any ($1::uuid[]) and docket = 'none' and due_on <= $2 and (deferred_until is null or deferred_until <= $2)`,
    [ids, today],
  );
}

export interface UnsentRow extends Record<string, unknown> {
  id: string;
  kind: 'askOwner' | 'review';
  number: string;
  title: string;
  rule_code: string;
  access_set_id: number;
  owner_id: string | null;
  deposited_by: string;
  times: number;
}

/** Open tasks whose letter is still to be sent. */
export function lockUnsent(db: Db, limit: number) {
  return rows<UnsentRow>(
    db,
    'steps.unsent',
    `select t.id, t.kind, r.number, r.title, u.code as rule_code, r.access_set_id, r.owner_id, r.deposited_by, t.times
     from step_task t join record r on r.id = t.record_id join rule u on u.id = t.rule_id
     where t.to_send and t.state = 'open' order by r.owner_id, u.code, r.number limit $1 for update of t`,
    [limit],
  );
}

export async function noteSent(
  db: Db,
  taskIds: readonly string[],
  letters: readonly { messageId: string; taskId: string }[],
): Promise<void> {
  await run(db, 'steps.letters', 'insert into step_letter (message_id, task_id) select * from unnest($1::uuid[], $2::uuid[])', [
    letters.map((l) => l.messageId),
    letters.map((l) => l.taskId),
  ]);
  await run(db, 'steps.sent', 'update step_task set to_send = false where id = any ($1::uuid[])', [taskIds]);
}

/** People of each group, active ones only, with how many there are. */
export function groupsOf(db: Db, personIds: readonly string[]) {
  return rows<{ person_id: string; group_id: string; members: string[] }>(
    db,
    'steps.groupsOf',
    `select o.member_id as person_id, o.group_id, array_agg(p.id) as members
     from in_group o join in_group m on m.group_id = o.group_id join principal p on p.id = m.member_id and p.kind = 'person' and p.active
     where o.member_id = any ($1::uuid[]) group by o.member_id, o.group_id order by count(*), o.group_id`,
    [personIds],
  );
}

export async function answerKey(db: Db): Promise<string> {
  return (await row<{ key: string }>(db, 'steps.key', `select value #>> '{}' as key from setting where name = 'answerKey'`))!.key;
}

/** Whom a letter went to; undefined when there is no such letter, or when the person is gone. */
export function letterPerson(db: Db, messageId: string) {
  return row<{ id: string; name: string; clearance_level: number; clearance_caveats: string[]; access_epoch: number }>(
    db,
    'steps.letterPerson',
    `select p.id, p.name, p.clearance_level, p.clearance_caveats, (select value from epoch where name = 'access') as access_epoch
     from message m join principal p on p.id = m.to_id and p.active where m.id = $1`,
    [messageId],
  );
}

/** Rule versions that come into force after a day, up to another. */
export function versionsInForceWithin(db: Db, after: string, until: string) {
  return rows<{ rule_id: string; code: string }>(
    db,
    'sweep.newInForce',
    `select distinct v.rule_id, r.code from rule_version v join rule r on r.id = v.rule_id
     where v.in_force_from > $1 and v.in_force_from <= $2 and repository_date(v.published_at) < v.in_force_from
       and not exists (select from rule_withdrawal w where w.version_id = v.id)`,
    [after, until],
  );
}

/** Folders that close after one day, and not after another, and declare what is in them when they do. */
export function closingsWithin(db: Db, after: string, until: string) {
  return rows<{ id: string; code: string }>(
    db,
    'sweep.closings',
    `select id, code from place where declare_on = 'folderClosed' and closed_on > $1 and closed_on <= $2 and retired_on is null order by closed_on, id`,
    [after, until],
  );
}

/**
 * The next day after one, and before another, on which a version comes into force, a folder closes that declares what is in it, or a step is
 * to be looked at; with `left`, the very next
 * day when a step of before was not looked at yet.
 */
export async function nextHappening(db: Db, after: string, before: string, left: boolean): Promise<string | null> {
  const found = await row<{ day: string | null }>(
    db,
    'sweep.nextHappening',
    `select least(
       (select min(in_force_from) from rule_version where in_force_from > $1 and in_force_from < $2 and repository_date(published_at) < in_force_from),
       (select min(closed_on) from place where declare_on = 'folderClosed' and closed_on > $1 and closed_on < $2 and retired_on is null),
       (select min(next_step_on) from record where next_step_on > $1 and next_step_on < $2 and state <> 'disposed'),
       (select $1::date + 1 where $3 and $1::date + 1 < $2 and exists (select from record where next_step_on <= $1 and state <> 'disposed'))) as day`,
    [after, before, left],
  );
  return found!.day;
}

/** The day of the last sweep; null before the first. */
export async function lastSweep(db: Db): Promise<string | null> {
  return (await row<{ on: string }>(db, 'sweep.last', `select value->>'on' as on from setting where name = 'swept'`))?.on ?? null;
}

/** Notes the day of a sweep, and gives that of the one before. */
export async function noteSweep(db: Db, today: string): Promise<string | null> {
  await run(db, 'sweep.lock', `select from setting where name = 'swept' for update`);
  const last = await lastSweep(db);
  await run(
    db,
    'sweep.note',
    `insert into setting (name, value) values ('swept', jsonb_build_object('on', $1::text))
     on conflict (name) do update set value = excluded.value where setting.value->>'on' < excluded.value->>'on'`,
    [today],
  );
  return last;
}

/** Of the sweeps that are not done yet, the one that goes farthest; null when there is none. */
export async function sweepUnderWay(db: Db): Promise<{ id: string; until: string } | null> {
  return (
    (await row<{ id: string; until: string }>(
      db,
      'sweep.underWay',
      `select id, data->>'until' as until from job_progress where kind = 'steps' and state = 'running' order by 2 desc, started_at limit 1`,
    )) ?? null
  );
}

/** Whether a sweep that was begun before this one is not done yet. */
export async function sweepBefore(db: Db, id: string): Promise<boolean> {
  const found = await row<{ before: boolean }>(
    db,
    'sweep.before',
    `select exists (select from job_progress other, job_progress this where this.id = $1 and other.kind = 'steps' and other.state = 'running'
       and (other.started_at, other.id) < (this.started_at, this.id)) as before`,
    [id],
  );
  return found!.before;
}

/** What would come due today, among a person's sets. */
export function wouldComeDue(db: Db, today: string, sets: readonly number[]) {
  return rows<{ id: string; number: string; title: string; due_on: string }>(
    db,
    'sweep.wouldComeDue',
    `select id, number, title, due_on from record where docket = 'none' and state <> 'disposed' and due_on is not null and due_on <= $1
       and (deferred_until is null or deferred_until <= $1) and access_set_id = any ($2::int[]) order by number`,
    [today, sets],
  );
}

/** Whether there is anything to sweep in: a repository that somebody set up. */
export async function isSetUp(db: Db): Promise<boolean> {
  return (await row(db, 'sweep.isSetUp', 'select from place where parent_id is null')) !== undefined;
}

/** Open tasks of a person's letters. */
export function openOfLetters(db: Db, personId: string) {
  return rows<{ message_id: string; kind: 'askOwner' | 'review'; ids: string[] }>(
    db,
    'steps.ofLetters',
    `select m.id as message_id, min(t.kind) as kind, array_agg(t.id) as ids from message m join step_letter l on l.message_id = m.id
       join step_task t on t.id = l.task_id and t.state = 'open' where m.to_id = $1 group by m.id`,
    [personId],
  );
}
