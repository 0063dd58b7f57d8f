-- What all areas share: the repository’s clock, epochs that tell snapshots to load anew, and the refusal of any change.
-- Re-creatable: run after the migrations whenever this file changed.

-- The repository's clock: the real one, moved by the demo offset when there is one.
create or replace function repository_now() returns timestamptz language sql stable as $$
  select now() + make_interval(days => coalesce((select (value->>'offsetDays')::int from setting where name = 'clock'), 0))
$$;

-- The civil date of an instant in the repository's time zone.
create or replace function repository_date(p_at timestamptz) returns date language sql stable as $$
  select (p_at at time zone coalesce((select value->>'timeZone' from setting where name = 'repository'), 'UTC'))::date
$$;

create or replace function bump_epoch() returns trigger language plpgsql security definer set search_path = public as $$
begin
  update epoch set value = value + 1 where name = tg_argv[0];
  return null;
end $$;

create or replace function refuse_change() returns trigger language plpgsql as $$
begin
  raise exception '% of % is refused: %', tg_op, tg_table_name, tg_argv[0]
    using errcode = 'KC001', hint = tg_argv[0];
end $$;

create or replace trigger grant_epoch after insert or update or delete on grant_
  for each statement execute function bump_epoch('access');
create or replace trigger membership_epoch after insert or update or delete on membership
  for each statement execute function bump_epoch('access');
create or replace trigger principal_epoch after insert or update or delete on principal
  for each statement execute function bump_epoch('access');
create or replace trigger place_epoch after update of stand_alone, ancestors, code, title, access_tags on place
  for each statement execute function bump_epoch('access');
create or replace trigger own_profile_epoch after insert or update or delete on own_profile
  for each statement execute function bump_epoch('access');
create or replace trigger access_tag_epoch after update on access_tag
  for each statement execute function bump_epoch('access');
-- Tags are carried each once, in the order of their ids, and only such as there are.
create or replace function guard_access_tags() returns trigger language plpgsql as $$
declare
  carried uuid[] := array(select jsonb_array_elements_text(to_jsonb(new) -> tg_argv[0])::uuid);
begin
  if carried <> array(select id from access_tag where id = any (carried) order by id) then
    raise exception 'Such access tags there are not' using errcode = 'KC001';
  end if;
  return new;
end $$;
create or replace trigger place_access_tags before insert or update of access_tags on place
  for each row when (new.access_tags <> '{}') execute function guard_access_tags('access_tags');
create or replace trigger access_set_tags before insert on access_set
  for each row when (new.tags <> '{}') execute function guard_access_tags('tags');
-- Everybody is in it, and nothing else is: it has no members of its own, is in no group, and stays in use.
create or replace function guard_everyone() returns trigger language plpgsql as $$
begin
  if tg_table_name = 'membership' then
    if exists (select from principal where everyone and id in (new.member_id, new.group_id)) then
      raise exception 'The group of everybody has no members of its own, and is in no group' using errcode = 'KC001';
    end if;
  elsif tg_op = 'DELETE' or not new.everyone or not new.active or new.kind <> 'group' then
    raise exception 'The group of everybody stays' using errcode = 'KC001';
  end if;
  return coalesce(new, old);
end $$;
create or replace trigger membership_everyone before insert or update on membership for each row execute function guard_everyone();
create or replace trigger principal_everyone_stays before update or delete on principal
  for each row when (old.everyone) execute function guard_everyone();
-- What was answered of a grant in a round stays, and nothing is answered once the round is closed.
create or replace function guard_review_line() returns trigger language plpgsql as $$
begin
  if old.answer is not null then
    raise exception 'This was answered already' using errcode = 'KC001';
  end if;
  if exists (select from access_review r where r.id = old.review_id and r.closed_on is not null) then
    raise exception 'This round is closed' using errcode = 'KC001';
  end if;
  return new;
end $$;
create or replace trigger review_line_stays before update on access_review_line for each row execute function guard_review_line();
create or replace trigger access_set_epoch after insert on access_set
  for each statement execute function bump_epoch('access');

-- A value as it is compared where no two records may have the same: without case, and with one space for many of any width.
create or replace function fold_value(value text) returns text language sql immutable parallel safe
  return lower(btrim(regexp_replace(normalize(value, NFC), '[\s\u00a0\u1680\u2000-\u200a\u202f\u205f\u3000]+', ' ', 'g')));
