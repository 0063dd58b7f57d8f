-- The rack of those who see nearly everything: totals over all access sets, less what is hidden from them.
create table rack_total (
  series_id uuid not null,
  vintage smallint not null,
  kept integer not null,
  due integer not null,
  held integer not null,
  unscheduled integer not null,
  permanent integer not null,
  waiting integer not null,
  declared integer not null,
  primary key (series_id, vintage)
);
insert into rack_total
select series_id, vintage, sum(kept), sum(due), sum(held), sum(unscheduled), sum(permanent), sum(waiting), sum(declared)
from rack_cell group by 1, 2;
create index rack_cell_set on rack_cell (access_set_id);

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

grant select on rack_total to cellar_app;
