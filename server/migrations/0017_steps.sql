-- Steps of rules that are taken before the last one: what came of them, who is asked, and when to look again.

alter table record
  -- The first day on which the sweep has something to do about a step; kept by the recompute.
  add next_step_on date,
  -- What was done about the steps of rules, in its order; null before the first. It only grows.
  add steps_taken jsonb;
create index record_step on record (next_step_on) where next_step_on is not null and state <> 'disposed';
grant update (next_step_on, steps_taken) on record to cellar_app;

create function guard_steps_taken() returns trigger language plpgsql as $$
begin
  if jsonb_typeof(new.steps_taken) is distinct from 'array'
    or exists (select from jsonb_array_elements(old.steps_taken) with ordinality o (act, i) where new.steps_taken->(o.i::int - 1) is distinct from o.act) then
    raise exception 'What was done about the steps of record % stays', old.number using errcode = 'KC001';
  end if;
  return new;
end $$;
create trigger record_steps_guard before update of steps_taken on record
  for each row when (old.steps_taken is distinct from new.steps_taken) execute function guard_steps_taken();

-- A question to an owner, or a review by a keeper, about one step of one record.
create table step_task (
  id uuid primary key,
  record_id uuid not null references record,
  rule_id uuid not null references rule,
  step_index smallint not null,
  kind text not null check (kind in ('askOwner', 'review')),
  asked_on date not null,
  last_asked_on date not null,
  times integer not null default 1,
  -- Its letter waits for the end of the sweep, so that each person gets one.
  to_send boolean not null default true,
  -- When to ask again; null: never.
  again_on date,
  state text not null default 'open' check (state in ('open', 'answered', 'unanswered', 'dropped')),
  answer text check (answer in ('keep', 'notNeeded', 'goOn')),
  answered_by uuid references principal,
  answered_on date,
  note text not null default '',
  check ((state = 'answered') = (answer is not null and answered_by is not null and answered_on is not null))
);
create unique index step_task_open on step_task (record_id) where state = 'open';
create index step_task_record on step_task (record_id);
create index step_task_unsent on step_task (id) where to_send and state = 'open';

create function guard_step_task() returns trigger language plpgsql as $$
begin
  if old.state <> 'open' or (new.record_id, new.rule_id, new.step_index, new.kind) is distinct from (old.record_id, old.rule_id, old.step_index, old.kind) then
    raise exception 'This question is closed and stays as it is' using errcode = 'KC001';
  end if;
  return new;
end $$;
create trigger step_task_guard before update on step_task for each row execute function guard_step_task();
grant select, insert, update on step_task to cellar_app;

-- Which tasks a letter asks about; whoever got it may answer them.
create table step_letter (
  message_id uuid not null references message,
  task_id uuid not null references step_task,
  primary key (message_id, task_id)
);
create index step_letter_task on step_letter (task_id);
grant select, insert on step_letter to cellar_app;

-- Signs the links in letters, so that they cannot be made up.
insert into setting (name, value) values ('answerKey',
  to_jsonb(encode(sha256((gen_random_uuid()::text || gen_random_uuid()::text || gen_random_uuid()::text)::bytea), 'hex')));

-- Versions go with their record, or older ones by a step of its rule. Never while it is held.
create or replace function guard_version() returns trigger language plpgsql as $$
declare
  r record;
begin
  if tg_op = 'UPDATE' then
    raise exception 'A version never changes' using errcode = 'KC001';
  end if;
  -- The row lock keeps declaring, holding and disposing from slipping in between.
  select * into r from record where id = coalesce(new.record_id, old.record_id) for update;
  if tg_op = 'DELETE' then
    if r.state <> 'disposed' then
      if current_user = 'cellar_app' or old.no >= r.version_no then
        raise exception 'Versions of record % stay while it is kept', r.number using errcode = 'KC001';
      end if;
      if r.hold_count > 0 or exists (select from hold_cover c where c.record_id = r.id and c.released_at is null) then
        raise exception 'Record % is held and its versions stay', r.number using errcode = 'KC002';
      end if;
    end if;
    return old;
  end if;
  if r.state = 'disposed' or (r.state = 'declared' and 'content' = any (r.frozen)) then
    raise exception 'Record % is % and takes no new version', r.number, r.state using errcode = 'KC003';
  end if;
  if r.freeze_count > 0 then
    raise exception 'Record % is frozen by a hold', r.number using errcode = 'KC002';
  end if;
  return new;
end $$;

-- Removes all versions but the newest, when a step of the record's rule is due that says so. Gives what was removed.
create function trim_versions(p_record uuid, p_on date)
  returns table (no integer, file_name text, content_id uuid, sha256 bytea, size bigint)
  language plpgsql security definer set search_path = public as $$
declare
  v_newest integer;
begin
  select r.version_no into v_newest from record r
  where r.id = p_record and r.state <> 'disposed' and r.next_step_on <= p_on
    and exists (select from rule_version v, jsonb_array_elements(v.definition->'steps') s where v.id = r.rule_version_id and s->>'kind' = 'trimVersions')
  for update;
  if not found then
    raise exception 'No step is due that removes older versions of record %', p_record using errcode = 'KC004';
  end if;
  return query
    with gone as (delete from version v where v.record_id = p_record and v.no < v_newest returning v.no, v.file_name, v.content_id)
    select g.no, g.file_name, g.content_id, c.sha256, c.size from gone g join content c on c.id = g.content_id order by g.no;
end $$;

-- Steps that were due before there was this column are found by one recompute of everything.
insert into job_progress (id, kind, subject, data, state, total)
select gen_random_uuid(), 'recompute', 'steps of rules', jsonb_build_object('reach', jsonb_build_object('placeIds', jsonb_build_array(p.id))), 'running',
  (select count(*) from record where state <> 'disposed')
from place p where p.parent_id is null and exists (select from record where state <> 'disposed');
