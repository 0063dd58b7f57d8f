-- A held record stays: covering, letting out, and the gate between writers and holds by criteria.
-- Re-creatable: run after the migrations whenever this file changed.

create or replace function gate_key() returns bigint language sql immutable as $$ select 4242::bigint $$;

-- What holds do to records is entered by whatever does it, so that no cover, release or letting out is without its entry. Who
-- acts, the unit of work has said in cellar.acting: canonical JSON (RFC 8785) of the actor, where from, and the repository's
-- date. to_json writes texts as RFC 8785 asks, since none has control characters other than those it shortens.
create or replace function enter_on_records(p_act text, p_records uuid[], p_before text, p_after text, p_note text) returns void
  language sql security definer set search_path = public as $$
  insert into ledger_entry (at, actor_id, act, subject_kind, subject_id, body)
  select repository_now(), (w.acting->>'id')::uuid, p_act, 'record', r.id,
    '{"act":' || to_json(p_act) || ',"actor":' || (w.acting->>'actor') || ',"after":' || coalesce(p_after, 'null')
      || ',"at":"' || to_char(repository_now() at time zone 'utc', 'YYYY-MM-DD"T"HH24:MI:SS.US"Z"') || '","before":' || coalesce(p_before, 'null')
      || ',"from":' || (w.acting->>'from') || ',"note":' || coalesce(to_json(p_note)::text, 'null') || ',"on":' || (w.acting->>'on')
      || ',"subject":{"id":' || to_json(r.id::text) || ',"kind":"record","name":' || to_json(r.number || ' ' || r.title) || '},"v":1}'
  from record r, (select coalesce(nullif(current_setting('cellar.acting', true), ''),
    '{"id":null,"actor":"{\"id\":null,\"name\":\"nobody\"}","from":"\"SQL\"","on":"null"}')::jsonb as acting) w
  where r.id = any (p_records) order by r.id
$$;

-- Covers records and says for each what came of it. Runs as the owner: the application's role can cover, but cannot
-- write hold_cover or the counts by itself.
create or replace function place_cover(p_hold uuid, p_records uuid[], p_because text)
  returns table (record_id uuid, outcome text)
  language plpgsql security definer set search_path = public as $$
declare
  v_freeze integer;
  v_name text;
  v_covered uuid[];
  v_alive uuid[];
begin
  select h.freezes::integer, h.name into v_freeze, v_name from hold h where h.id = p_hold and h.state = 'open' for share;
  if not found then
    raise exception 'Hold % is not open', p_hold using errcode = 'KC004';
  end if;
  -- In order of id, so that two holds over the same records never wait for each other in a circle.
  perform from record r where r.id = any (p_records) order by r.id for update;
  with alive as (
      select r.id from record r where r.id = any (p_records) and r.state <> 'disposed'
    ), covered as (
      insert into hold_cover as c (hold_id, record_id, because)
      select p_hold, a.id, p_because from alive a
      on conflict on constraint hold_cover_pkey do update
        set because = excluded.because, since = repository_now(), released_at = null, released_by = null, release_reason = null
        where c.released_at is not null
      returning c.record_id
    ), counted as (
      update record r set hold_count = r.hold_count + 1, freeze_count = r.freeze_count + v_freeze
      from covered c where r.id = c.record_id
      returning r.id
    )
    select array_agg(counted.id), (select array_agg(alive.id) from alive) into v_covered, v_alive from counted;
  perform enter_on_records('held', v_covered, null,
    '{"because":' || to_json(p_because) || ',"hold":' || to_json(v_name) || ',"holdId":' || to_json(p_hold::text) || '}', null);
  return query
    select x.id,
      case
        when c.id is not null then 'covered'
        when a.id is not null then 'already covered'
        when exists (select from record r where r.id = x.id) then 'gone before the hold'
        else 'not found'
      end
    from unnest(p_records) as x (id)
    left join unnest(v_covered) as c (id) on c.id = x.id left join unnest(v_alive) as a (id) on a.id = x.id;
end $$;

create or replace function uncover(p_hold uuid, p_records uuid[], p_by uuid, p_reason text, p_act text default 'let out of a hold')
  returns uuid[]
  language plpgsql security definer set search_path = public as $$
declare
  v_freeze integer;
  v_name text;
  v_freed uuid[];
begin
  if coalesce(trim(p_reason), '') = '' then
    raise exception 'Letting a record out of a hold needs a reason' using errcode = 'KC004';
  end if;
  select h.freezes::integer, h.name into v_freeze, v_name from hold h where h.id = p_hold;
  perform from record r where r.id = any (p_records) order by r.id for update;
  with freed as (
    update hold_cover c set released_at = repository_now(), released_by = p_by, release_reason = p_reason
    where c.hold_id = p_hold and c.record_id = any (p_records) and c.released_at is null
    returning c.record_id
  ), counted as (
    update record r set hold_count = r.hold_count - 1, freeze_count = r.freeze_count - v_freeze
    from freed f where r.id = f.record_id
    returning r.id
  )
  select coalesce(array_agg(counted.id), '{}') into v_freed from counted;
  perform enter_on_records(p_act, v_freed, '{"hold":' || to_json(v_name) || ',"holdId":' || to_json(p_hold::text) || '}', null, p_reason);
  return v_freed;
end $$;

-- A hold once placed changes in one way only: it is released, and then lets go of all it covers.
create or replace function guard_hold() returns trigger language plpgsql security definer set search_path = public as $$
begin
  if tg_op = 'DELETE' then
    raise exception 'A hold is released, never deleted' using errcode = 'KC001';
  end if;
  if old.state = 'released' or (new.matter_id, new.freezes, new.criteria, new.scope_sql, new.scope_params, new.placed_by, new.placed_at)
    is distinct from (old.matter_id, old.freezes, old.criteria, old.scope_sql, old.scope_params, old.placed_by, old.placed_at) then
    raise exception 'A placed hold never changes' using errcode = 'KC001';
  end if;
  if new.state = 'released' then
    perform uncover(new.id, array(select c.record_id from hold_cover c where c.hold_id = new.id and c.released_at is null),
      new.released_by, new.release_reason, 'released from a hold');
  end if;
  return new;
end $$;

-- The gate, before any row is locked by the statement.
create or replace function enter_gate() returns trigger language plpgsql as $$
begin
  if current_setting('transaction_isolation') <> 'read committed' then
    raise exception 'Records are written at isolation level "read committed": a fixed snapshot could miss a hold'
      using errcode = 'KC005';
  end if;
  perform pg_advisory_xact_lock_shared(gate_key());
  return null;
end $$;

-- Which of these records match criteria that were stored as SQL, and were never covered by the hold. It belongs to a role that may
-- read what criteria speak of, and nothing else: whatever stands in the text has no other right.
create or replace function records_matching(p_hold uuid, p_sql text, p_params jsonb, p_records uuid[]) returns uuid[]
  language plpgsql security definer set search_path = pg_catalog, public as $$
declare
  v_found uuid[];
begin
  execute 'select array_agg(r.id) from record r join unnest($3) as w (id) on w.id = r.id where r.state <> ''disposed'''
    || ' and not exists (select from hold_cover c where c.hold_id = $1 and c.record_id = r.id) and ' || p_sql
    into v_found using p_hold, p_params, p_records;
  return v_found;
end $$;

-- Criteria of open holds against the records a statement wrote. A record that somebody let out stays out.
create or replace function cover_what_matches() returns trigger language plpgsql as $$
declare
  h record;
  written_ids uuid[];
  found_ids uuid[];
begin
  for h in select id, scope_sql, scope_params from hold where state = 'open' and scope_sql is not null loop
    written_ids := coalesce(written_ids, array(select w.id from written w));
    found_ids := records_matching(h.id, h.scope_sql, h.scope_params, written_ids);
    if found_ids is not null then
      perform place_cover(h.id, found_ids, 'came to match its criteria');
    end if;
  end loop;
  return null;
end $$;

create or replace trigger hold_guard before update or delete on hold for each row execute function guard_hold();
create or replace trigger record_gate before insert or update on record for each statement execute function enter_gate();
create or replace trigger record_cover_inserted after insert on record
  referencing new table as written for each statement execute function cover_what_matches();
create or replace trigger record_cover_updated after update on record
  referencing new table as written for each statement execute function cover_what_matches();
