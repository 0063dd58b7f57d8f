-- The rack: counts per series × vintage × access set, kept up to date by the statements that write records.
-- Writers only append deltas, so they never wait for each other; fold_rack() adds them up now and then.

create table rack_cell (
  series_id uuid not null,
  -- 0 = the clock has not started.
  vintage smallint not null,
  access_set_id integer not null,
  kept integer not null default 0,
  due integer not null default 0,
  held integer not null default 0,
  unscheduled integer not null default 0,
  permanent integer not null default 0,
  waiting integer not null default 0,
  declared integer not null default 0,
  primary key (series_id, vintage, access_set_id)
);
create table rack_delta (
  series_id uuid not null,
  vintage smallint not null,
  access_set_id integer not null,
  kept integer not null,
  due integer not null,
  held integer not null,
  unscheduled integer not null,
  permanent integer not null,
  waiting integer not null,
  declared integer not null
);

create function note_rack_insert() returns trigger language plpgsql security definer set search_path = public as $$
begin
  insert into rack_delta
  select series_id, coalesce(vintage, 0), access_set_id, count(*),
    count(*) filter (where docket <> 'none'), count(*) filter (where hold_count > 0),
    count(*) filter (where outcome = 'unscheduled'), count(*) filter (where outcome = 'permanent'),
    count(*) filter (where outcome = 'waiting'), count(*) filter (where state = 'declared')
  from new_rows where state <> 'disposed' group by 1, 2, 3;
  return null;
end $$;

create function note_rack_update() returns trigger language plpgsql security definer set search_path = public as $$
begin
  insert into rack_delta
  select series_id, vintage, access_set_id, sum(sign), sum(due), sum(held), sum(unscheduled), sum(permanent), sum(waiting), sum(declared)
  from (
    select series_id, coalesce(vintage, 0) as vintage, access_set_id, 1 as sign,
      (docket <> 'none')::int as due, (hold_count > 0)::int as held, (outcome = 'unscheduled')::int as unscheduled,
      (outcome = 'permanent')::int as permanent, (outcome = 'waiting')::int as waiting, (state = 'declared')::int as declared
    from new_rows where state <> 'disposed'
    union all
    select series_id, coalesce(vintage, 0), access_set_id, -1,
      -(docket <> 'none')::int, -(hold_count > 0)::int, -(outcome = 'unscheduled')::int,
      -(outcome = 'permanent')::int, -(outcome = 'waiting')::int, -(state = 'declared')::int
    from old_rows where state <> 'disposed'
  ) changes
  group by 1, 2, 3
  having (sum(sign), sum(due), sum(held), sum(unscheduled), sum(permanent), sum(waiting), sum(declared))
    <> (0, 0, 0, 0, 0, 0, 0);
  return null;
end $$;

create trigger record_rack_inserted after insert on record
  referencing new table as new_rows for each statement execute function note_rack_insert();
create trigger record_rack_updated after update on record
  referencing old table as old_rows new table as new_rows for each statement execute function note_rack_update();

create function fold_rack() returns void language plpgsql security definer set search_path = public as $$
begin
  if not pg_try_advisory_xact_lock(4243) then
    return;
  end if;
  with taken as (
    delete from rack_delta returning *
  )
  insert into rack_cell as c
  select series_id, vintage, access_set_id, sum(kept), sum(due), sum(held), sum(unscheduled), sum(permanent), sum(waiting), sum(declared)
  from taken group by 1, 2, 3
  on conflict (series_id, vintage, access_set_id) do update set
    kept = c.kept + excluded.kept, due = c.due + excluded.due, held = c.held + excluded.held,
    unscheduled = c.unscheduled + excluded.unscheduled, permanent = c.permanent + excluded.permanent,
    waiting = c.waiting + excluded.waiting, declared = c.declared + excluded.declared;
  delete from rack_cell where kept = 0 and due = 0 and held = 0;
end $$;

create view rack_now as
select series_id, vintage, access_set_id, sum(kept)::int as kept, sum(due)::int as due, sum(held)::int as held,
  sum(unscheduled)::int as unscheduled, sum(permanent)::int as permanent, sum(waiting)::int as waiting, sum(declared)::int as declared
from (select * from rack_cell union all select * from rack_delta) both_
group by 1, 2, 3;

-- How far long work is. The queue itself belongs to pg-boss; this is what people see and what resumes after a crash.
create table job_progress (
  id uuid primary key,
  kind text not null,
  subject text not null,
  data jsonb not null,
  state text not null check (state in ('running', 'done', 'cancelled', 'failed')),
  done integer not null default 0,
  total integer not null default 0,
  cursor_ uuid,
  sentence text not null default '',
  started_by uuid references principal,
  started_at timestamptz not null default now(),
  finished_at timestamptz
);
create index job_progress_running on job_progress (kind) where state = 'running';
