-- The rack: counts that are appended by writers and added up now and then.
-- Re-creatable: run after the migrations whenever this file changed.

create or replace function note_rack_insert() returns trigger language plpgsql security definer set search_path = public as $$
begin
  insert into rack_delta
  select series_id, coalesce(vintage, 0), access_set_id, count(*),
    count(*) filter (where docket <> 'none'), count(*) filter (where hold_count > 0),
    count(*) filter (where outcome = 'unscheduled'), count(*) filter (where outcome = 'permanent'),
    count(*) filter (where outcome = 'waiting'), count(*) filter (where state = 'declared')
  from new_rows where state <> 'disposed' group by 1, 2, 3;
  return null;
end $$;

create or replace function note_rack_update() returns trigger language plpgsql security definer set search_path = public as $$
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

-- Cells and totals take up the same deltas in one statement, so that together they are never out of step.
create or replace function fold_rack() returns void language plpgsql security definer set search_path = public as $$
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
  delete from rack_cell where kept = 0 and due = 0 and held = 0;
  delete from rack_total where kept = 0 and due = 0 and held = 0;
end $$;

create or replace trigger record_rack_inserted after insert on record
  referencing new table as new_rows for each statement execute function note_rack_insert();
create or replace trigger record_rack_updated after update on record
  referencing old table as old_rows new table as new_rows for each statement execute function note_rack_update();
create or replace trigger stencil_version_fixed before update or delete on stencil_version
  for each row execute function refuse_change('a version of a stencil never changes');
create or replace trigger stencil_version_kept before truncate on stencil_version
  for each statement execute function refuse_change('a version of a stencil never changes');
