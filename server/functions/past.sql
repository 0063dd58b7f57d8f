-- What decides about dates and about access is kept as it was before it changed.
-- Re-creatable: run after the migrations whenever this file changed.

-- The columns that tell rows of a table apart.
create or replace function past_key(p_of text, p_row jsonb) returns text language sql immutable as $$
  select case p_of
    when 'place_rule' then concat_ws(' ', p_row->>'place_id', p_row->>'rule_id')
    when 'pair_rule' then concat_ws(' ', p_row->>'record_type', p_row->>'series_id', p_row->>'rule_id')
    when 'jurisdiction' then p_row->>'name'
    when 'named_year' then p_row->>'name'
    when 'own_profile' then p_row->>'code'
    when 'membership' then concat_ws(' ', p_row->>'member_id', p_row->>'group_id')
    else p_row->>'id'
  end
$$;

-- A row that comes was not there; one that goes or changes was as it was.
create or replace function keep_past() returns trigger language plpgsql security definer set search_path = public as $$
begin
  -- What is written again as it was did not change.
  if tg_op = 'UPDATE' and to_jsonb(old) - 'revision' = to_jsonb(new) - 'revision' then
    return null;
  end if;
  if tg_op <> 'INSERT' then
    insert into past (of, key, until, was) values (tg_table_name, past_key(tg_table_name, to_jsonb(old)), repository_now(), to_jsonb(old));
  end if;
  if tg_op = 'INSERT' or past_key(tg_table_name, to_jsonb(new)) <> past_key(tg_table_name, to_jsonb(old)) then
    insert into past (of, key, until, was) values (tg_table_name, past_key(tg_table_name, to_jsonb(new)), repository_now(), null);
  end if;
  return null;
end $$;

-- Of a record only what rules ask of it. When it was declared, replaced and changed tells the days themselves: what is kept is
-- the day before it was another one.
create or replace function keep_past_of_record() returns trigger language plpgsql security definer set search_path = public as $$
begin
  insert into past (of, key, until, was) values ('record', old.id::text, repository_now(), jsonb_build_object(
    'id', old.id, 'title', old.title, 'record_type', old.record_type, 'place_id', old.place_id, 'series_id', old.series_id, 'owner_id', old.owner_id,
    'created_on', old.created_on, 'received_on', old.received_on, 'modified_on', old.modified_on, 'declared_on', old.declared_on,
    'superseded_on', old.superseded_on, 'facts', old.facts, 'gaps', old.gaps, 'override', old.override, 'jurisdictions', old.jurisdictions,
    'refers', old.refers, 'detected', old.detected));
  return null;
end $$;

-- Of a person or group only what access asks of them.
create or replace function keep_past_of_principal() returns trigger language plpgsql security definer set search_path = public as $$
begin
  insert into past (of, key, until, was) values ('principal', new.id::text, repository_now(), case when tg_op = 'INSERT' then null else jsonb_build_object(
    'id', old.id, 'kind', old.kind, 'name', old.name, 'active', old.active, 'clearance_level', old.clearance_level, 'clearance_caveats', old.clearance_caveats) end);
  return null;
end $$;

-- The rows of a table as they were at the end of a day; those of some keys only, where keys are given.
create or replace function as_it_was(p_of text, p_on date, p_keys text[] default null) returns setof jsonb
  language plpgsql stable security definer set search_path = public as $$
begin
  if p_of not in ('place', 'place_rule', 'pair_rule', 'criteria_rule', 'jurisdiction', 'named_year', 'grant_', 'membership', 'principal', 'own_profile', 'access_tag') then
    raise exception 'Of % no past is kept', p_of;
  end if;
  return query execute format(
    'with later as (
       select distinct on (key) key, was from past
       where of = %1$L and repository_date(until) > $1 and ($2 is null or key = any ($2)) order by key, id
     )
     select was from later where was is not null
     union all
     select to_jsonb(t) from %1$I t
     where ($2 is null or %2$s = any ($2)) and not exists (select from later where key = %2$s)',
    -- Of places there may be many: their key is read without the rest of the row.
    p_of, case when p_of in ('place', 'grant_', 'principal') then 't.id::text' else format('past_key(%L, to_jsonb(t))', p_of) end)
    using p_on, p_keys;
end $$;

create or replace trigger place_past
  after update of kind, code, title, parent_id, ancestors, closed_on, jurisdictions, stand_alone, marking_level, marking_caveats, access_tags on place
  for each row execute function keep_past();
create or replace trigger place_rule_past after insert or update or delete on place_rule for each row execute function keep_past();
create or replace trigger pair_rule_past after insert or update or delete on pair_rule for each row execute function keep_past();
create or replace trigger criteria_rule_past after insert or update or delete on criteria_rule for each row execute function keep_past();
create or replace trigger jurisdiction_past after insert or update or delete on jurisdiction for each row execute function keep_past();
create or replace trigger named_year_past after insert or update or delete on named_year for each row execute function keep_past();
create or replace trigger grant_past after insert or update or delete on grant_ for each row execute function keep_past();
create or replace trigger membership_past after insert or update or delete on membership for each row execute function keep_past();
create or replace trigger own_profile_past after insert or update or delete on own_profile for each row execute function keep_past();
create or replace trigger access_tag_past after insert or update on access_tag for each row execute function keep_past();
create or replace trigger principal_made_past after insert on principal for each row execute function keep_past_of_principal();
create or replace trigger principal_past after update of name, active, clearance_level, clearance_caveats on principal
  for each row when ((old.name, old.active, old.clearance_level, old.clearance_caveats) is distinct from
    (new.name, new.active, new.clearance_level, new.clearance_caveats)) execute function keep_past_of_principal();
create or replace trigger record_past
  after update of title, record_type, place_id, series_id, owner_id, created_on, received_on, modified_on, declared_on, superseded_on, facts, gaps, override,
    jurisdictions, refers, detected on record
  for each row when (new.state <> 'disposed' and (
    (old.title, old.record_type, old.place_id, old.series_id, old.owner_id, old.created_on, old.received_on, old.modified_on, old.facts, old.gaps, old.override,
      old.jurisdictions, old.refers, old.detected)
    is distinct from (new.title, new.record_type, new.place_id, new.series_id, new.owner_id, new.created_on, new.received_on, new.modified_on, new.facts, new.gaps,
      new.override, new.jurisdictions, new.refers, new.detected)
    or (old.declared_on is not null and old.declared_on is distinct from new.declared_on)
    or (old.superseded_on is not null and old.superseded_on is distinct from new.superseded_on)))
  execute function keep_past_of_record();

-- A stub keeps what its rule says and no more: what the record was goes with it.
create or replace function drop_past_of_record() returns trigger language plpgsql security definer set search_path = public as $$
begin
  delete from past where of = 'record' and key = new.id::text;
  return null;
end $$;
create or replace trigger record_past_gone after update of state on record
  for each row when (new.state = 'disposed' and old.state <> 'disposed') execute function drop_past_of_record();

create or replace trigger past_fixed before update on past
  for each row execute function refuse_change('what was does not change');
create or replace trigger past_kept before truncate on past
  for each statement execute function refuse_change('what was does not change');
-- Only what is disposed of takes its past along.
create or replace function guard_past() returns trigger language plpgsql as $$
begin
  if old.of <> 'record' or exists (select from record where id::text = old.key and state <> 'disposed') then
    raise exception 'What was stays' using errcode = 'KC001';
  end if;
  return old;
end $$;
create or replace trigger past_guard before delete on past for each row execute function guard_past();
