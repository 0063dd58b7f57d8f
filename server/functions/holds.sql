-- A held record stays: covering, letting out, and how writers, disposals and holds by criteria keep out of each other's way.
-- Re-creatable: run after the migrations whenever this file changed.

-- Whoever writes records holds the first, shared, so that it is known who was writing when a hold was placed. Whoever disposes
-- of records holds the second as well, and placing a hold takes it alone: a disposal is wholly before a hold or sees it.
create or replace function gate_key() returns bigint language sql immutable as $$ select 4242::bigint $$;
create or replace function disposal_key() returns bigint language sql immutable as $$ select 4244::bigint $$;

create or replace function pass_gate() returns void language plpgsql as $$
begin
  if current_setting('transaction_isolation') <> 'read committed' then
    raise exception 'Records are written at isolation level "read committed": a fixed snapshot could miss a hold'
      using errcode = 'KC005';
  end if;
  perform pg_advisory_xact_lock_shared(gate_key());
end $$;

-- Before any row is locked by the statement.
create or replace function enter_gate() returns trigger language plpgsql as $$
begin
  perform pass_gate();
  return null;
end $$;

-- What holds do to records is entered by whatever does it, so that no cover, release or letting out is without its entry. Who
-- acts, the unit of work has said in cellar.acting: canonical JSON (RFC 8785) of the actor, where from, and the repository's
-- date. to_json writes texts as RFC 8785 asks, since none has control characters other than those it shortens.
create or replace function enter_on_records(p_act text, p_records uuid[], p_before text, p_after text, p_note text) returns void
  language sql security definer set search_path = public as $$
  with w as materialized (
    select coalesce(nullif(current_setting('cellar.acting', true), ''),
        '{"id":null,"actor":"{\"id\":null,\"name\":\"nobody\"}","from":"\"SQL\"","on":"null"}')::jsonb as acting,
      repository_now() as at)
  insert into ledger_entry (at, actor_id, act, subject_kind, subject_id, body)
  select w.at, (w.acting->>'id')::uuid, p_act, 'record', r.id,
    '{"act":' || to_json(p_act) || ',"actor":' || (w.acting->>'actor') || ',"after":' || coalesce(p_after, 'null')
      || ',"at":"' || to_char(w.at at time zone 'utc', 'YYYY-MM-DD"T"HH24:MI:SS.US"Z"') || '","before":' || coalesce(p_before, 'null')
      || ',"from":' || (w.acting->>'from') || ',"note":' || coalesce(to_json(p_note)::text, 'null') || ',"on":' || (w.acting->>'on')
      || ',"subject":{"id":' || to_json(r.id::text) || ',"kind":"record","name":' || to_json(r.number || ' ' || r.title) || '},"v":1}'
  from record r, w
  where r.id = any (p_records) order by r.id
$$;

-- Covers records and says for each what came of it. Runs as the owner: the application's role can cover, but cannot
-- write hold_cover or the counts by itself.
create or replace function place_cover(p_hold uuid, p_records uuid[], p_because text)
  returns table (record_id uuid, outcome text)
  language plpgsql security definer set search_path = public as $$
declare
  v_name text;
  v_covered uuid[];
  v_alive uuid[];
begin
  perform pass_gate();
  select h.name into v_name from hold h where h.id = p_hold and h.state = 'open' for share;
  if not found then
    raise exception 'Hold % is not open', p_hold using errcode = 'KC004';
  end if;
  -- In order of id, so that two holds over the same records never wait for each other in a circle. Disposing of a record takes
  -- the same lock, and looks for covers behind it.
  v_alive := array(
    select r.id from record r where r.id = any (p_records) and r.state <> 'disposed' order by r.id for no key update);
  with covered as (
      insert into hold_cover as c (hold_id, record_id, because)
      select p_hold, a.id, p_because from unnest(v_alive) as a (id)
      on conflict on constraint hold_cover_pkey do update
        set because = excluded.because, since = repository_now(), released_at = null, released_by = null, release_reason = null
        where c.released_at is not null
      returning c.record_id
    )
    select array_agg(covered.record_id) into v_covered from covered;
  perform note_rack_held(v_covered, p_hold, 1);
  perform enter_on_records('held', v_covered, null,
    '{"because":' || to_json(p_because) || ',"hold":' || to_json(v_name) || ',"holdId":' || to_json(p_hold::text) || '}', null);
  perform cover_matching(v_covered, 'of holding', 'came to match its criteria');
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
  v_name text;
  v_freed uuid[];
begin
  perform pass_gate();
  if coalesce(trim(p_reason), '') = '' then
    raise exception 'Letting a record out of a hold needs a reason' using errcode = 'KC004';
  end if;
  select h.name into v_name from hold h where h.id = p_hold;
  perform from record r where r.id = any (p_records) order by r.id for no key update;
  with freed as (
    update hold_cover c set released_at = repository_now(), released_by = p_by, release_reason = p_reason
    where c.hold_id = p_hold and c.record_id = any (p_records) and c.released_at is null
    returning c.record_id
  )
  select coalesce(array_agg(freed.record_id), '{}') into v_freed from freed;
  perform note_rack_held(v_freed, p_hold, -1);
  perform enter_on_records(p_act, v_freed, '{"hold":' || to_json(v_name) || ',"holdId":' || to_json(p_hold::text) || '}', null, p_reason);
  perform cover_matching(v_freed, 'of holding', 'came to match its criteria');
  return v_freed;
end $$;

-- A hold once placed changes in one way only: it is released, and then lets go of all it covers, step by step.
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
    if coalesce(trim(new.release_reason), '') = '' then
      raise exception 'Releasing a hold needs a reason' using errcode = 'KC004';
    end if;
    delete from hold_part where hold_id = new.id;
    insert into hold_work (hold_id, doing) values (new.id, 'releasing')
    on conflict (hold_id) do update set doing = excluded.doing, total = null, done = 0;
  end if;
  return new;
end $$;

-- From the moment at which a hold by criteria stands, whoever writes a record asks it; what is there already is covered in steps.
create or replace function begin_covering() returns trigger language plpgsql security definer set search_path = public as $$
begin
  if not is_one_expression(new.scope_sql) then
    raise exception 'The criteria of a hold are one expression in brackets' using errcode = 'KC004';
  end if;
  perform pg_advisory_xact_lock(disposal_key());
  insert into hold_work (hold_id, doing) values (new.id, 'covering');
  return null;
end $$;

-- Whether a text is one expression in brackets, out of which nothing leads: criteria of many holds stand in one statement, and none may
-- reach into another's. Values stand in $2; texts in single quotes may hold anything but a backslash.
create or replace function is_one_expression(p_sql text) returns boolean language plpgsql immutable as $$
declare
  v_bare text := regexp_replace(regexp_replace(p_sql, '''[^'']*''', ' L ', 'g'), 'collate "C"', ' L ', 'g');
  v_brackets text := regexp_replace(v_bare, '[^()]', '', 'g');
  v_depth integer := 0;
begin
  if position('\' in p_sql) > 0 or v_bare ~ '['';"]|--|/\*|\$(?!2\M)' or v_bare !~ '^\(.*\)$' then
    return false;
  end if;
  for i in 1 .. length(v_brackets) loop
    v_depth := v_depth + case substr(v_brackets, i, 1) when '(' then 1 else -1 end;
    -- Closed before its end.
    if v_depth = 0 and i < length(v_brackets) then
      return false;
    end if;
  end loop;
  return v_depth = 0;
end $$;

-- Which of these records match the criteria of which holds, and were never covered by them. It belongs to a role that may read what
-- criteria speak of, and nothing else: whatever stands in the texts has no other right. All are asked in one statement, planned once.
create or replace function holds_matching(p_holds uuid[], p_sqls text[], p_params jsonb, p_records uuid[])
  returns table (hold_id uuid, record_ids uuid[])
  language plpgsql security definer set search_path = pg_catalog, public as $$
begin
  return query execute 'select x.hold_id, array_agg(r.id) from record r join unnest($3) as w (id) on w.id = r.id cross join lateral (values '
    || (select string_agg(format('($1[%s], %s)', i, replace(s, '$2', format('($2->%s)', i - 1))), ', ')
        from unnest(p_sqls) with ordinality as t (s, i))
    || ') as x (hold_id, matches) where r.state <> ''disposed'' and x.matches'
    || ' and not exists (select from hold_cover c where c.hold_id = x.hold_id and c.record_id = r.id) group by 1'
    using p_holds, p_params, p_records;
end $$;

-- All that match, in the order in which they lie. Values stand in $2, as above.
create or replace function all_matching(p_sql text, p_params jsonb) returns uuid[]
  language plpgsql security definer set search_path = pg_catalog, public as $$
declare
  v_found uuid[];
begin
  execute 'select array_agg(r.id order by r.ctid) from record r where $1 is null and r.state <> ''disposed'' and ' || p_sql
    into v_found using null::uuid, p_params;
  return v_found;
end $$;

-- Criteria of open holds against some records: of all holds, of those whose criteria speak of holds, or of those that still cover
-- what they found. A record that somebody let out stays out.
create or replace function cover_matching(p_records uuid[], p_which text, p_because text) returns void language plpgsql as $$
declare
  v_holds uuid[];
  v_sqls text[];
  v_params jsonb;
  f record;
begin
  if coalesce(cardinality(p_records), 0) = 0 then
    return;
  end if;
  select array_agg(h.id order by h.id), array_agg(h.scope_sql order by h.id), jsonb_agg(h.scope_params order by h.id)
  into v_holds, v_sqls, v_params
  from hold h
  where h.state = 'open' and h.scope_sql is not null and case p_which
    when 'all' then true
    when 'of holding' then h.scope_sql like '%hold\_cover%'
    when 'under way' then exists (select from hold_work w where w.hold_id = h.id and w.doing = 'covering')
  end;
  if v_holds is null then
    return;
  end if;
  for f in select * from holds_matching(v_holds, v_sqls, v_params, p_records) m order by m.hold_id loop
    begin
      perform place_cover(f.hold_id, f.record_ids, p_because);
    exception when sqlstate 'KC004' then
      -- Released since it was asked: it takes no more, and whoever writes is not to blame.
    end;
  end loop;
end $$;

-- What a statement wrote may have come to match.
create or replace function cover_what_matches() returns trigger language plpgsql as $$
begin
  if exists (select from hold where state = 'open' and scope_sql is not null) then
    perform cover_matching(array(select w.id from written w), 'all', 'came to match its criteria');
  end if;
  return null;
end $$;

-- While holds cover what they found, no record changes, or goes, at which they have not looked: what it was counts, not what it
-- becomes.
create or replace function cover_under_way(p_records uuid[]) returns void language plpgsql as $$
begin
  if exists (select from hold_work where doing = 'covering') then
    perform cover_matching(p_records, 'under way', 'matches');
  end if;
end $$;

create or replace function cover_before_change() returns trigger language plpgsql as $$
begin
  perform cover_under_way(array[old.id]);
  return new;
end $$;

-- Locks records that are about to go. Statements behind it see every hold that was there before.
create or replace function lock_to_dispose(p_records uuid[]) returns void language plpgsql as $$
begin
  perform pg_advisory_xact_lock_shared(disposal_key());
  perform from record where id = any (p_records) order by id for update;
  perform cover_under_way(p_records);
end $$;

-- Who is writing records, other than the transaction that asks: of these, a search may miss what they wrote.
create or replace function writers() returns text[] language sql as $$
  select coalesce(array_agg(distinct l.virtualtransaction), '{}') from pg_locks l
  where l.locktype = 'advisory' and l.database = (select oid from pg_database where datname = current_database())
    and (l.classid::bigint << 32 | l.objid::bigint) = gate_key() and l.objsubid = 1 and l.granted and l.pid is distinct from pg_backend_pid()
$$;

-- Looks for what a hold is to cover or lets go of, p_a_step records at a time, in the order in which they lie. What it covers is to be
-- looked for once everybody has ended who wrote before it stood.
create or replace function look_for_work(p_hold uuid, p_a_step integer) returns void
  language plpgsql security definer set search_path = public as $$
declare
  w hold_work;
  h hold;
  v_records uuid[];
begin
  select * into w from hold_work where hold_id = p_hold and total is null for update;
  if not found then
    return;
  end if;
  select * into h from hold where id = p_hold;
  v_records := coalesce(case w.doing
    when 'covering' then all_matching(h.scope_sql, h.scope_params)
    else (select array_agg(c.record_id order by c.ctid) from hold_cover c where c.hold_id = p_hold and c.released_at is null)
  end, '{}');
  insert into hold_part (hold_id, no, record_ids)
  select p_hold, (x.n - 1) / p_a_step, array_agg(x.id) from unnest(v_records) with ordinality as x (id, n) group by 2;
  update hold_work set total = cardinality(v_records) where hold_id = p_hold;
end $$;

-- One step of what a hold is doing. Says how many records it went through now (none: it has ended) and in all; no row when it does
-- nothing, or something else.
create or replace function hold_step(p_hold uuid, p_doing text) returns table (stepped integer, records integer)
  language plpgsql security definer set search_path = public as $$
declare
  h hold;
  w hold_work;
  v_records uuid[];
begin
  -- Whoever releases the hold takes its row first as well.
  select * into h from hold where id = p_hold for share;
  select * into w from hold_work k where k.hold_id = p_hold and k.doing = p_doing and k.total is not null for update;
  if not found then
    return;
  end if;
  delete from hold_part t where t.hold_id = p_hold and t.no = (select min(f.no) from hold_part f where f.hold_id = p_hold)
  returning t.record_ids into v_records;
  if not found then
    delete from hold_work k where k.hold_id = p_hold;
    return query select 0, w.done;
    return;
  end if;
  if p_doing = 'covering' then
    -- What came to be covered since then may have been let out, and stays out. Asked one by one through the index: against all that the
    -- hold covers, a join would read all of it at each step.
    perform place_cover(p_hold, array(select x from unnest(v_records) x
      where (select true from hold_cover c where c.hold_id = p_hold and c.record_id = x) is null), 'matches');
  else
    perform uncover(p_hold, v_records, h.released_by, h.release_reason, 'released from a hold');
  end if;
  update hold_work k set done = k.done + cardinality(v_records) where k.hold_id = p_hold;
  return query select cardinality(v_records), w.done + cardinality(v_records);
end $$;

create or replace trigger hold_guard before update or delete on hold for each row execute function guard_hold();
create or replace trigger hold_covers after insert on hold for each row
  when (new.scope_sql is not null and new.state = 'open') execute function begin_covering();
create or replace trigger record_gate before insert or update on record for each statement execute function enter_gate();
create or replace trigger record_before_change before update on record for each row execute function cover_before_change();
-- Named so that they run after the rack has counted what was written: what they cover, they count by themselves.
create or replace trigger record_seen_by_holds_inserted after insert on record
  referencing new table as written for each statement execute function cover_what_matches();
create or replace trigger record_seen_by_holds_updated after update on record
  referencing new table as written for each statement execute function cover_what_matches();
