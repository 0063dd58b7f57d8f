-- How many records each rule version governs, by access set: kept like the rack, as deltas that fold_rack() adds up.
create table rule_use (
  rule_version_id uuid not null,
  access_set_id integer not null,
  n integer not null
);
insert into rule_use
select rule_version_id, access_set_id, count(*) from record where state <> 'disposed' and rule_version_id is not null group by 1, 2;

create function note_rule_use_insert() returns trigger language plpgsql security definer set search_path = public as $$
begin
  insert into rule_use
  select rule_version_id, access_set_id, count(*) from new_rows
  where state <> 'disposed' and rule_version_id is not null group by 1, 2;
  return null;
end $$;

create function note_rule_use_update() returns trigger language plpgsql security definer set search_path = public as $$
begin
  insert into rule_use
  select rule_version_id, access_set_id, sum(sign)
  from (
    select rule_version_id, access_set_id, 1 as sign from new_rows where state <> 'disposed' and rule_version_id is not null
    union all
    select rule_version_id, access_set_id, -1 from old_rows where state <> 'disposed' and rule_version_id is not null
  ) changes
  group by 1, 2 having sum(sign) <> 0;
  return null;
end $$;

create trigger record_rule_use_inserted after insert on record
  referencing new table as new_rows for each statement execute function note_rule_use_insert();
create trigger record_rule_use_updated after update on record
  referencing old table as old_rows new table as new_rows for each statement execute function note_rule_use_update();

create function fold_rule_use() returns void language plpgsql security definer set search_path = public as $$
begin
  if not pg_try_advisory_xact_lock(4245) then
    return;
  end if;
  with taken as (
    delete from rule_use returning *
  )
  insert into rule_use select rule_version_id, access_set_id, sum(n) from taken group by 1, 2 having sum(n) <> 0;
end $$;

grant select on rule_use to cellar_app;
