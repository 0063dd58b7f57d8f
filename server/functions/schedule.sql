-- Published rule versions never change; how many records follow which is kept up to date.
-- Re-creatable: run after the migrations whenever this file changed.

create or replace function note_rule_use_insert() returns trigger language plpgsql security definer set search_path = public as $$
begin
  insert into rule_use
  select rule_version_id, access_set_id, count(*) from new_rows
  where state <> 'disposed' and rule_version_id is not null group by 1, 2;
  return null;
end $$;

create or replace function note_rule_use_update() returns trigger language plpgsql security definer set search_path = public as $$
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

create or replace function fold_rule_use() returns void language plpgsql security definer set search_path = public as $$
begin
  if not pg_try_advisory_xact_lock(4245) then
    return;
  end if;
  with taken as (
    delete from rule_use returning *
  )
  insert into rule_use select rule_version_id, access_set_id, sum(n) from taken group by 1, 2 having sum(n) <> 0;
end $$;

create or replace trigger rule_version_fixed before update or delete on rule_version
  for each row execute function refuse_change('a published rule version never changes');
create or replace trigger rule_version_kept before truncate on rule_version
  for each statement execute function refuse_change('a published rule version never changes');
create or replace trigger rule_version_epoch after insert on rule_version
  for each statement execute function bump_epoch('schedule');
-- What has come into force has dated records, and what was withdrawn is not taken back: another version is published.
create or replace function guard_withdrawal() returns trigger language plpgsql security definer set search_path = public as $$
begin
  if exists (select from rule_version where id = new.version_id and in_force_from <= repository_date(repository_now())) then
    raise exception 'A version that is in force is not withdrawn' using errcode = 'KC001';
  end if;
  return new;
end $$;

create or replace trigger rule_withdrawal_guard before insert on rule_withdrawal for each row execute function guard_withdrawal();
create or replace trigger rule_withdrawal_fixed before update or delete on rule_withdrawal
  for each row execute function refuse_change('a version that was withdrawn stays so');
create or replace trigger rule_withdrawal_kept before truncate on rule_withdrawal
  for each statement execute function refuse_change('a version that was withdrawn stays so');
create or replace trigger rule_withdrawal_epoch after insert on rule_withdrawal
  for each statement execute function bump_epoch('schedule');
create or replace trigger place_rule_epoch after insert or delete on place_rule
  for each statement execute function bump_epoch('schedule');
create or replace trigger record_rule_use_inserted after insert on record
  referencing new table as new_rows for each statement execute function note_rule_use_insert();
create or replace trigger record_rule_use_updated after update on record
  referencing old table as old_rows new table as new_rows for each statement execute function note_rule_use_update();
create or replace trigger jurisdiction_epoch after insert or update or delete on jurisdiction
  for each statement execute function bump_epoch('schedule');
create or replace trigger named_year_epoch after insert or update or delete on named_year
  for each statement execute function bump_epoch('schedule');
-- What pointed at a record, and when, is what its clock counts from: it ends once and is not taken back.
create or replace function guard_reference() returns trigger language plpgsql as $$
begin
  if old.until is not null then
    raise exception 'A reference that has ended stays so' using errcode = 'KC001';
  end if;
  return new;
end $$;
create or replace trigger record_reference_guard before update on record_reference for each row execute function guard_reference();
create or replace trigger record_reference_kept before delete on record_reference
  for each row execute function refuse_change('what pointed at a record is kept');
create or replace trigger pair_rule_epoch after insert or delete on pair_rule
  for each statement execute function bump_epoch('schedule');
create or replace trigger criteria_rule_epoch after insert or update or delete on criteria_rule
  for each statement execute function bump_epoch('schedule');
