-- The rack, what lies right in each place, and what comes due by month: counts that are appended by writers and added up now and then.
-- Re-creatable: run after the migrations whenever this file changed.

-- Of these records, those that this hold alone covers or covered: with its cover they became held, or ceased to be.
create or replace function note_rack_held(p_records uuid[], p_hold uuid, p_sign integer) returns void
  language sql security definer set search_path = public as $$
  with changed as materialized (
    select r.series_id, coalesce(r.vintage, 0) as vintage, r.access_set_id, r.place_id, date_trunc('month', r.due_on)::date as month, r.action
    from record r where r.id = any (p_records) and r.state <> 'disposed'
      -- One by one through the index, instead of a join with all that is held.
      and (select true from hold_cover c where c.record_id = r.id and c.hold_id <> p_hold and c.released_at is null limit 1) is null
  ), racked as (
    insert into rack_delta
    select series_id, vintage, access_set_id, 0, 0, p_sign * count(*), 0, 0, 0, 0 from changed group by 1, 2, 3
  ), placed as (
    insert into place_delta select place_id, access_set_id, 0, 0, p_sign * count(*), 0, 0, 0 from changed group by 1, 2
  )
  insert into due_delta
  select access_set_id, month, action, 0, p_sign * count(*) from changed where month is not null and action is not null group by 1, 2, 3
$$;

create or replace function note_rack_insert() returns trigger language plpgsql security definer set search_path = public as $$
begin
  insert into rack_delta
  select series_id, coalesce(vintage, 0), access_set_id, count(*),
    -- What has just come is not held: holds look at it afterwards, and note what they cover by themselves.
    count(*) filter (where docket <> 'none'), 0,
    count(*) filter (where outcome = 'unscheduled'), count(*) filter (where outcome = 'permanent'),
    count(*) filter (where outcome = 'waiting'), count(*) filter (where state = 'declared')
  from new_rows where state <> 'disposed' group by 1, 2, 3;
  insert into place_delta
  select place_id, access_set_id, count(*), count(*) filter (where docket <> 'none'), 0,
    count(*) filter (where outcome = 'unscheduled'), count(*) filter (where outcome = 'permanent'), count(*) filter (where outcome = 'waiting')
  from new_rows where state <> 'disposed' group by 1, 2;
  insert into due_delta
  select access_set_id, date_trunc('month', due_on)::date, action, count(*), 0
  from new_rows where state <> 'disposed' and due_on is not null and action is not null group by 1, 2, 3;
  return null;
end $$;

create or replace function note_rack_update() returns trigger language plpgsql security definer set search_path = public as $$
begin
  with changed as materialized (
    select sign, series_id, place_id, coalesce(vintage, 0) as vintage, access_set_id, docket, outcome, state,
      date_trunc('month', due_on)::date as month, action,
      -- One by one through the index: asked as an EXISTS, all that is held would be read for every record that is written.
      (select true from hold_cover h where h.record_id = both_.id and h.released_at is null limit 1) is not null as held
    from (select 1 as sign, * from new_rows union all select -1, * from old_rows) both_ where state <> 'disposed'
  ), racked as (
    insert into rack_delta
    select series_id, vintage, access_set_id, kept, due, held, unscheduled, permanent, waiting, declared from (
      select series_id, vintage, access_set_id, sum(sign) as kept, sum(sign * (docket <> 'none')::int) as due, sum(sign * held::int) as held,
        sum(sign * (outcome = 'unscheduled')::int) as unscheduled, sum(sign * (outcome = 'permanent')::int) as permanent,
        sum(sign * (outcome = 'waiting')::int) as waiting, sum(sign * (state = 'declared')::int) as declared
      from changed group by 1, 2, 3) counted
    where (kept, due, held, unscheduled, permanent, waiting, declared) <> (0, 0, 0, 0, 0, 0, 0)
  ), placed as (
    insert into place_delta
    select place_id, access_set_id, kept, due, held, unscheduled, permanent, waiting from (
      select place_id, access_set_id, sum(sign) as kept, sum(sign * (docket <> 'none')::int) as due, sum(sign * held::int) as held,
        sum(sign * (outcome = 'unscheduled')::int) as unscheduled, sum(sign * (outcome = 'permanent')::int) as permanent,
        sum(sign * (outcome = 'waiting')::int) as waiting
      from changed group by 1, 2) counted
    where (kept, due, held, unscheduled, permanent, waiting) <> (0, 0, 0, 0, 0, 0)
  )
  insert into due_delta
  select access_set_id, month, action, n, held from (
    select access_set_id, month, action, sum(sign) as n, sum(sign * held::int) as held
    from changed where month is not null and action is not null group by 1, 2, 3) counted
  where (n, held) <> (0, 0);
  return null;
end $$;

-- Cells and totals take up the same deltas in one statement, so that together they are never out of step; the epoch tells servers that
-- what they remember of them is of before.
create or replace function fold_rack() returns void language plpgsql security definer set search_path = public as $$
declare
  v_folded bigint;
  v_due bigint;
  v_placed bigint;
begin
  if not pg_try_advisory_xact_lock(4243) then
    return;
  end if;
  with taken as (
    delete from rack_delta returning *
  ), totals as (
    insert into rack_total as t
    select series_id, vintage, sum(kept), sum(due), sum(held), sum(unscheduled), sum(permanent), sum(waiting), sum(declared)
    from taken group by 1, 2
    on conflict (series_id, vintage) do update set
      kept = t.kept + excluded.kept, due = t.due + excluded.due, held = t.held + excluded.held,
      unscheduled = t.unscheduled + excluded.unscheduled, permanent = t.permanent + excluded.permanent,
      waiting = t.waiting + excluded.waiting, declared = t.declared + excluded.declared
  )
  insert into rack_cell as c
  select series_id, vintage, access_set_id, sum(kept), sum(due), sum(held), sum(unscheduled), sum(permanent), sum(waiting), sum(declared)
  from taken group by 1, 2, 3
  on conflict (series_id, vintage, access_set_id) do update set
    kept = c.kept + excluded.kept, due = c.due + excluded.due, held = c.held + excluded.held,
    unscheduled = c.unscheduled + excluded.unscheduled, permanent = c.permanent + excluded.permanent,
    waiting = c.waiting + excluded.waiting, declared = c.declared + excluded.declared;
  get diagnostics v_folded = row_count;
  with taken as (
    delete from place_delta returning *
  )
  insert into place_sum as s
  select place_id, access_set_id, sum(kept), sum(due), sum(held), sum(unscheduled), sum(permanent), sum(waiting) from taken group by 1, 2
  on conflict (place_id, access_set_id) do update set
    kept = s.kept + excluded.kept, due = s.due + excluded.due, held = s.held + excluded.held,
    unscheduled = s.unscheduled + excluded.unscheduled, permanent = s.permanent + excluded.permanent, waiting = s.waiting + excluded.waiting;
  get diagnostics v_placed = row_count;
  with taken as (
    delete from due_delta returning *
  )
  insert into due_sum as s
  select coalesce(access_set_id, 0), month, action, sum(n), sum(held) from taken
  group by grouping sets ((access_set_id, month, action), (month, action))
  on conflict (access_set_id, month, action) do update set n = s.n + excluded.n, held = s.held + excluded.held;
  get diagnostics v_due = row_count;
  -- Only where something was taken: looking for what came to nothing would read all cells.
  if v_folded > 0 then
    delete from rack_cell where kept = 0 and due = 0 and held = 0;
    delete from rack_total where kept = 0 and due = 0 and held = 0;
    update epoch set value = value + 1 where name = 'rack';
  end if;
  if v_placed > 0 then
    delete from place_sum where kept = 0 and due = 0 and held = 0;
  end if;
  if v_due > 0 then
    delete from due_sum where n = 0 and held = 0;
  end if;
end $$;

-- A statement that changed nothing leaves no note.
create or replace function note_plan() returns trigger language plpgsql security definer set search_path = public as $$
declare
  v_changed boolean := true;
begin
  if tg_op = 'INSERT' then
    v_changed := exists (select from new_rows);
  elsif tg_op = 'DELETE' then
    v_changed := exists (select from old_rows);
  elsif tg_op = 'UPDATE' then
    v_changed := exists (select from new_rows n join old_rows o on o.id = n.id where n is distinct from o);
  end if;
  if v_changed then
    insert into plan_note default values;
  end if;
  return null;
end $$;

create or replace function fold_plan() returns void language plpgsql security definer set search_path = public as $$
begin
  delete from plan_note;
  if found then
    update epoch set value = value + 1 where name = 'plan';
  end if;
end $$;

create or replace trigger place_made_noted after insert on place
  referencing new table as new_rows for each statement execute function note_plan();
create or replace trigger place_changed_noted after update on place
  referencing old table as old_rows new table as new_rows for each statement execute function note_plan();
create or replace trigger place_gone_noted after delete on place
  referencing old table as old_rows for each statement execute function note_plan();
create or replace trigger places_gone_noted after truncate on place
  for each statement execute function note_plan();
create or replace trigger record_rack_inserted after insert on record
  referencing new table as new_rows for each statement execute function note_rack_insert();
create or replace trigger record_rack_updated after update on record
  referencing old table as old_rows new table as new_rows for each statement execute function note_rack_update();
create or replace trigger stencil_version_fixed before update or delete on stencil_version
  for each row execute function refuse_change('a version of a stencil never changes');
create or replace trigger stencil_version_kept before truncate on stencil_version
  for each statement execute function refuse_change('a version of a stencil never changes');
