-- The rack: counts that are appended by writers and added up now and then.
-- Re-creatable: run after the migrations whenever this file changed.

-- Of these records, those that this hold alone covers or covered: with its cover they became held, or ceased to be.
create or replace function note_rack_held(p_records uuid[], p_hold uuid, p_sign integer) returns void
  language sql security definer set search_path = public as $$
  insert into rack_delta
  select r.series_id, coalesce(r.vintage, 0), r.access_set_id, 0, 0, p_sign * count(*), 0, 0, 0, 0
  from record r where r.id = any (p_records) and r.state <> 'disposed'
    -- One by one through the index, instead of a join with all that is held.
    and (select true from hold_cover c where c.record_id = r.id and c.hold_id <> p_hold and c.released_at is null limit 1) is null
  group by 1, 2, 3
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
  return null;
end $$;

create or replace function note_rack_update() returns trigger language plpgsql security definer set search_path = public as $$
begin
  insert into rack_delta
  select series_id, vintage, access_set_id, sum(sign), sum(due), sum(held), sum(unscheduled), sum(permanent), sum(waiting), sum(declared)
  from (
    select series_id, coalesce(vintage, 0) as vintage, access_set_id, 1 as sign,
      (docket <> 'none')::int as due,
      exists (select from hold_cover h where h.record_id = new_rows.id and h.released_at is null)::int as held, (outcome = 'unscheduled')::int as unscheduled,
      (outcome = 'permanent')::int as permanent, (outcome = 'waiting')::int as waiting, (state = 'declared')::int as declared
    from new_rows where state <> 'disposed'
    union all
    select series_id, coalesce(vintage, 0), access_set_id, -1,
      -(docket <> 'none')::int,
      -exists (select from hold_cover h where h.record_id = old_rows.id and h.released_at is null)::int, -(outcome = 'unscheduled')::int,
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
