-- The schema as it stands after all migrations, for reading. Written by npm run schema; the tests refuse one that is not so.

CREATE COLLATION public.by_words (provider = icu, locale = 'und-u-kn-true');

CREATE FUNCTION public.all_matching(p_sql text, p_params jsonb) RETURNS uuid[]
    LANGUAGE plpgsql SECURITY DEFINER
    SET search_path TO 'pg_catalog', 'public'
    AS $_$
declare
  v_found uuid[];
begin
  execute 'select array_agg(r.id order by r.ctid) from record r where $1 is null and r.state <> ''disposed'' and ' || p_sql
    into v_found using null::uuid, p_params;
  return v_found;
end $_$;

CREATE FUNCTION public.as_it_was(p_of text, p_on date, p_keys text[] DEFAULT NULL::text[]) RETURNS SETOF jsonb
    LANGUAGE plpgsql STABLE SECURITY DEFINER
    SET search_path TO 'public'
    AS $_$
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
end $_$;

CREATE FUNCTION public.begin_covering() RETURNS trigger
    LANGUAGE plpgsql SECURITY DEFINER
    SET search_path TO 'public'
    AS $$
begin
  if not is_one_expression(new.scope_sql) then
    raise exception 'The criteria of a hold are one expression in brackets' using errcode = 'KC004';
  end if;
  perform pg_advisory_xact_lock(disposal_key());
  insert into hold_work (hold_id, doing) values (new.id, 'covering');
  return null;
end $$;

CREATE FUNCTION public.bump_epoch() RETURNS trigger
    LANGUAGE plpgsql SECURITY DEFINER
    SET search_path TO 'public'
    AS $$
begin
  update epoch set value = value + 1 where name = tg_argv[0];
  return null;
end $$;

CREATE FUNCTION public.content_tree(p_content uuid) RETURNS bytea
    LANGUAGE sql STABLE
    SET search_path TO 'public'
    AS $$
  select sha256(string_agg(sha256(k.bytes), ''::bytea order by k.seq)) from content_chunk k where k.content_id = p_content
$$;

CREATE FUNCTION public.cover_before_change() RETURNS trigger
    LANGUAGE plpgsql
    AS $$
begin
  perform cover_under_way(array[old.id]);
  return new;
end $$;

CREATE FUNCTION public.cover_matching(p_records uuid[], p_which text, p_because text) RETURNS void
    LANGUAGE plpgsql
    AS $$
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

CREATE FUNCTION public.cover_under_way(p_records uuid[]) RETURNS void
    LANGUAGE plpgsql
    AS $$
begin
  if exists (select from hold_work where doing = 'covering') then
    perform cover_matching(p_records, 'under way', 'matches');
  end if;
end $$;

CREATE FUNCTION public.cover_what_matches() RETURNS trigger
    LANGUAGE plpgsql
    AS $$
begin
  if exists (select from hold where state = 'open' and scope_sql is not null) then
    perform cover_matching(array(select w.id from written w), 'all', 'came to match its criteria');
  end if;
  return null;
end $$;

CREATE FUNCTION public.disposal_key() RETURNS bigint
    LANGUAGE sql IMMUTABLE
    AS $$ select 4244::bigint $$;

CREATE FUNCTION public.dispose_records(p_records uuid[], p_batch uuid, p_on date) RETURNS TABLE(record_id uuid, contents uuid[])
    LANGUAGE plpgsql SECURITY DEFINER
    SET search_path TO 'public'
    AS $$
declare
  v_record uuid;
begin
  perform from record where id = any (p_records) order by id for update;
  foreach v_record in array p_records loop
    perform may_be_disposed(v_record, p_batch);
  end loop;
  update record set state = 'disposed', disposed_on = p_on, docket = 'none', due_on = null, deferred_until = null,
    deferred_reason = null, revision = revision + 1
  where id = any (p_records);
  return query with gone as (
      delete from version v where v.record_id = any (p_records) returning v.record_id, v.content_id
    )
    select r.id, coalesce(array_agg(distinct g.content_id) filter (where g.content_id is not null), '{}')
    from unnest(p_records) as r (id) left join gone g on g.record_id = r.id group by r.id;
end $$;

CREATE FUNCTION public.drop_past_of_record() RETURNS trigger
    LANGUAGE plpgsql SECURITY DEFINER
    SET search_path TO 'public'
    AS $$
begin
  delete from past where of = 'record' and key = new.id::text;
  return null;
end $$;

CREATE FUNCTION public.drop_unused_content(p_content uuid) RETURNS boolean
    LANGUAGE plpgsql SECURITY DEFINER
    SET search_path TO 'public'
    AS $$
begin
  perform from content where id = p_content for update;
  if not found or exists (select from version where content_id = p_content)
    or exists (select from arrival where content_id = p_content)
    or exists (select from transfer where bag_id = p_content) then
    return false;
  end if;
  delete from content where id = p_content;
  return true;
end $$;

CREATE FUNCTION public.enter_gate() RETURNS trigger
    LANGUAGE plpgsql
    AS $$
begin
  perform pass_gate();
  return null;
end $$;

CREATE FUNCTION public.enter_on_records(p_act text, p_records uuid[], p_before text, p_after text, p_note text) RETURNS void
    LANGUAGE sql SECURITY DEFINER
    SET search_path TO 'public'
    AS $$
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

CREATE FUNCTION public.erase_key() RETURNS trigger
    LANGUAGE plpgsql SECURITY DEFINER
    SET search_path TO 'public'
    AS $$
begin
  insert into key_erasure (slot, content_id) values (old.key_slot, old.id);
  return old;
end $$;

CREATE FUNCTION public.fold_plan() RETURNS void
    LANGUAGE plpgsql SECURITY DEFINER
    SET search_path TO 'public'
    AS $$
begin
  delete from plan_note;
  if found then
    update epoch set value = value + 1 where name = 'plan';
  end if;
end $$;

CREATE FUNCTION public.fold_rack() RETURNS void
    LANGUAGE plpgsql SECURITY DEFINER
    SET search_path TO 'public'
    AS $$
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

CREATE FUNCTION public.fold_rule_use() RETURNS void
    LANGUAGE plpgsql SECURITY DEFINER
    SET search_path TO 'public'
    AS $$
begin
  if not pg_try_advisory_xact_lock(4245) then
    return;
  end if;
  with taken as (
    delete from rule_use returning *
  )
  insert into rule_use select rule_version_id, access_set_id, sum(n) from taken group by 1, 2 having sum(n) <> 0;
end $$;

CREATE FUNCTION public.fold_value(value text) RETURNS text
    LANGUAGE sql IMMUTABLE PARALLEL SAFE
    RETURN lower(btrim(regexp_replace(NORMALIZE(value, NFC), '[\s\u00a0\u1680\u2000-\u200a\u202f\u205f\u3000]+'::text, ' '::text, 'g'::text)));

CREATE FUNCTION public.forget_detected() RETURNS trigger
    LANGUAGE plpgsql
    AS $$
begin
  new.detected := '{}';
  return new;
end $$;

CREATE FUNCTION public.frozen_by_hold(p_record uuid) RETURNS boolean
    LANGUAGE sql
    AS $$
  select exists (select from hold_cover c join hold h on h.id = c.hold_id
    where c.record_id = p_record and c.released_at is null and h.freezes)
$$;

CREATE FUNCTION public.gate_key() RETURNS bigint
    LANGUAGE sql IMMUTABLE
    AS $$ select 4242::bigint $$;

CREATE FUNCTION public.guard_access_tags() RETURNS trigger
    LANGUAGE plpgsql
    AS $$
declare
  carried uuid[] := array(select jsonb_array_elements_text(to_jsonb(new) -> tg_argv[0])::uuid);
begin
  if carried <> array(select id from access_tag where id = any (carried) order by id) then
    raise exception 'Such access tags there are not' using errcode = 'KC001';
  end if;
  return new;
end $$;

CREATE FUNCTION public.guard_approval() RETURNS trigger
    LANGUAGE plpgsql SECURITY DEFINER
    SET search_path TO 'public'
    AS $$
declare
  b batch;
begin
  select * into b from batch where id = new.batch_id for share;
  if b.state <> 'notice' and not (b.state = 'approved' and new.decision = 'reject') then
    raise exception 'Batch % is not up for decision', b.number using errcode = 'KC004';
  end if;
  if b.notice_until >= repository_date(repository_now()) and new.decision = 'approve' then
    raise exception 'The notice of batch % is still open', b.number using errcode = 'KC004';
  end if;
  if new.principal_id is distinct from (nullif(current_setting('cellar.acting', true), '')::jsonb->>'id')::uuid
    or not exists (select from session s join principal p on p.id = s.principal_id
      where s.principal_id = new.principal_id and s.expires_at > now() and p.active) then
    raise exception 'Whoever decides on batch % is not signed in', b.number using errcode = 'KC004';
  end if;
  if not exists (
    with recursive mine (id) as (
      select new.principal_id union select m.group_id from in_group m join mine on m.member_id = mine.id)
    select from grant_ g join mine on mine.id = g.principal_id
    where (g.profile in ('keeper', 'counsel', 'approver') or exists (select from own_profile o where o.code = g.profile and 'approve' = any (o.rights)))
      and repository_date(repository_now()) between coalesce(g.from_on, '-infinity') and coalesce(g.until_on, 'infinity')
      and not exists (select from access_tag t where t.id = g.tag_id and not t.active)
  ) then
    raise exception 'Whoever decides on batch % has no right to', b.number using errcode = 'KC004';
  end if;
  if new.decision = 'approve' and b.approver_groups <> '{}' and not exists (
    with recursive mine (id) as (
      select m.group_id from in_group m where m.member_id = new.principal_id union select m.group_id from in_group m join mine on m.member_id = mine.id)
    select from principal p join mine on mine.id = p.id where p.name = any (b.approver_groups)
  ) then
    raise exception 'The rule wants others to approve batch %', b.number using errcode = 'KC004';
  end if;
  return new;
end $$;

CREATE FUNCTION public.guard_batch() RETURNS trigger
    LANGUAGE plpgsql
    AS $$
declare
  v_approvals integer;
begin
  if tg_op = 'DELETE' then
    raise exception 'A batch is withdrawn, never deleted' using errcode = 'KC001';
  end if;
  if tg_op = 'INSERT' then
    if new.state <> 'proposed' or (new.announced_on, new.notice_until, new.approved_on, new.finished_on) is distinct from (null::date, null::date, null::date, null::date) then
      raise exception 'A batch begins as a proposal' using errcode = 'KC004';
    end if;
    return new;
  end if;
  if (new.id, new.number, new.action, new.what, new.approvals_needed, new.notice_days, new.proposed_by, new.proposed_on, new.approver_groups)
      is distinct from (old.id, old.number, old.action, old.what, old.approvals_needed, old.notice_days, old.proposed_by, old.proposed_on, old.approver_groups)
    or (old.notice_until is not null and new.notice_until is distinct from old.notice_until) then
    raise exception 'What a batch was proposed and announced with never changes' using errcode = 'KC001';
  end if;
  if new.state = old.state then
    return new;
  end if;
  case old.state || ' ' || new.state
    when 'proposed notice' then
      if new.notice_until is null or new.notice_until < new.proposed_on + new.notice_days then
        raise exception 'The notice of batch % would be shorter than its rule wants', old.number using errcode = 'KC004';
      end if;
    when 'notice approved' then
      if old.notice_until >= repository_date(repository_now()) then
        raise exception 'The notice of batch % is still open', old.number using errcode = 'KC004';
      end if;
      select count(distinct a.principal_id) into v_approvals from approval a where a.batch_id = old.id and a.decision = 'approve';
      if v_approvals < greatest(1, old.approvals_needed)
        or not exists (select from approval a where a.batch_id = old.id and a.decision = 'approve' and a.principal_id <> old.proposed_by) then
        raise exception 'Not enough people have approved batch %', old.number using errcode = 'KC004';
      end if;
    when 'approved executing' then null;
    when 'executing done' then
      if exists (select from batch_item i where i.batch_id = old.id and i.outcome in ('open', 'task')) then
        raise exception 'Batch % is not at its end', old.number using errcode = 'KC004';
      end if;
    when 'proposed withdrawn', 'notice withdrawn', 'approved withdrawn' then null;
    else
      raise exception 'Batch % does not go from % to %', old.number, old.state, new.state using errcode = 'KC004';
  end case;
  return new;
end $$;

CREATE FUNCTION public.guard_batch_item() RETURNS trigger
    LANGUAGE plpgsql
    AS $$
begin
  if tg_op = 'DELETE' then
    raise exception 'What was in a batch stays on its list' using errcode = 'KC001';
  end if;
  if tg_op = 'INSERT' then
    if new.outcome <> 'open' or not exists (select from batch b where b.id = new.batch_id and b.state = 'proposed') then
      raise exception 'Nothing is added to a batch that was announced' using errcode = 'KC004';
    end if;
    return new;
  end if;
  if (new.batch_id, new.record_id) is distinct from (old.batch_id, old.record_id) or (new.outcome <> old.outcome and
      (old.outcome not in ('open', 'task') or new.outcome = 'open')) then
    raise exception 'What came of an item stays as it is' using errcode = 'KC001';
  end if;
  if new.outcome = 'disposed' and not exists (select from record r where r.id = new.record_id and r.state = 'disposed') then
    raise exception 'This record was not disposed of' using errcode = 'KC004';
  end if;
  return new;
end $$;

CREATE FUNCTION public.guard_certificate() RETURNS trigger
    LANGUAGE plpgsql
    AS $$
begin
  if not exists (select from batch b where b.id = new.batch_id and b.state in ('executing', 'done'))
    or exists (select from batch_item i where i.batch_id = new.batch_id and i.outcome in ('open', 'task'))
    or not exists (select from batch_item i where i.batch_id = new.batch_id and i.outcome = 'disposed')
    or new.sha256 <> sha256(new.pdf) then
    raise exception 'This certificate does not say what came of a batch' using errcode = 'KC004';
  end if;
  return new;
end $$;

CREATE FUNCTION public.guard_chunk() RETURNS trigger
    LANGUAGE plpgsql
    AS $$
begin
  -- Content that this very transaction made may still get its bytes: small files come in one statement.
  if exists (select from content c where c.id = new.content_id and c.sha256 is not null
      and c.xmin <> pg_current_xact_id()::xid) and not exists (select from content c where c.id = new.content_id and c.damaged_at is not null) then
    raise exception 'Stored content takes no more bytes' using errcode = 'KC001';
  end if;
  return new;
end $$;

CREATE FUNCTION public.guard_content() RETURNS trigger
    LANGUAGE plpgsql
    AS $$
begin
  -- What came in before contents were encrypted may be, once. The application has no right on this column: the owner of the database does so.
  if tg_op = 'UPDATE' and old.key_slot is null and new.key_slot is not null and old.damaged_at is not null
    and (new.id, new.sha256, new.size, new.store) is not distinct from (old.id, old.sha256, old.size, old.store) then
    new.tree := content_tree(new.id);
    new.damaged_at := null;
    return new;
  end if;
  if new.key_slot is distinct from (case tg_op when 'UPDATE' then old.key_slot else new.key_slot end)
    or (tg_op = 'INSERT' and exists (select from key_erasure where slot = new.key_slot)) then
    raise exception 'A content keeps its key, and a key is used once' using errcode = 'KC001';
  end if;
  -- What comes whole fits one chunk; of an encrypted one only its writer knows yet what will be stored.
  if tg_op = 'INSERT' then
    if new.key_slot is null then new.tree := sha256(new.sha256); end if;
    if new.store = 'objects' then new.tree := sha256(new.fingerprints); end if;
    return new;
  end if;
  if (new.store, new.fingerprints) is distinct from (old.store, old.fingerprints)
    or (old.sha256 is not null and (new.sha256, new.size, new.tree) is distinct from (old.sha256, old.size, old.tree)) then
    raise exception 'Stored content is never updated' using errcode = 'KC001';
  end if;
  -- Damage is over when every stored byte is what it was, and not before. What lies elsewhere is looked at by whoever reads it.
  if old.damaged_at is not null and new.damaged_at is null and new.store = 'database' and content_tree(new.id) is distinct from new.tree then
    raise exception 'This content is still damaged' using errcode = 'KC001';
  end if;
  -- The tree over the chunks is nobody's to say: it is made when the content is whole.
  if old.sha256 is null and new.sha256 is not null then
    new.tree := (select sha256(string_agg(k.sha256, ''::bytea order by k.seq)) from content_chunk k where k.content_id = new.id);
  end if;
  return new;
end $$;

CREATE FUNCTION public.guard_counter() RETURNS trigger
    LANGUAGE plpgsql
    AS $$
begin
  if tg_op = 'DELETE' or new.last <= old.last then
    raise exception 'A counter of numbers only grows' using errcode = 'KC001';
  end if;
  return new;
end $$;

CREATE FUNCTION public.guard_everyone() RETURNS trigger
    LANGUAGE plpgsql
    AS $$
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

CREATE FUNCTION public.guard_hold() RETURNS trigger
    LANGUAGE plpgsql SECURITY DEFINER
    SET search_path TO 'public'
    AS $$
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

CREATE FUNCTION public.guard_object() RETURNS trigger
    LANGUAGE plpgsql SECURITY DEFINER
    SET search_path TO 'public'
    AS $$
declare
  here boolean := exists (select from content where id = old.content_id);
begin
  if tg_op = 'DELETE' then
    if here or old.locked_until > now() then
      raise exception 'This object is still needed, or locked' using errcode = 'KC001';
    end if;
    return old;
  end if;
  if new.content_id <> old.content_id or (new.begun_at <> old.begun_at and new.version is not distinct from old.version) or new.locked_until < old.locked_until
    or (here and new.gone_since is not null) then
    raise exception 'An object stays what it is, and its lock is only made longer' using errcode = 'KC001';
  end if;
  -- What a content was read from is put elsewhere only when it is damaged; a copy may be made again at any time.
  if old.version is not null and new.version is distinct from old.version
    and exists (select from content where id = old.content_id and store = 'objects' and damaged_at is null) then
    raise exception 'Stored content is never updated' using errcode = 'KC001';
  end if;
  return new;
end $$;

CREATE FUNCTION public.guard_objection() RETURNS trigger
    LANGUAGE plpgsql
    AS $$
begin
  if (new.id, new.batch_id, new.record_id, new.by_id, new.reason, new.made_at)
      is distinct from (old.id, old.batch_id, old.record_id, old.by_id, old.reason, old.made_at)
    or old.answered_at is not null then
    raise exception 'An objection and its answer stay as they are' using errcode = 'KC001';
  end if;
  return new;
end $$;

CREATE FUNCTION public.guard_past() RETURNS trigger
    LANGUAGE plpgsql
    AS $$
begin
  if old.of <> 'record' or exists (select from record where id::text = old.key and state <> 'disposed') then
    raise exception 'What was stays' using errcode = 'KC001';
  end if;
  return old;
end $$;

CREATE FUNCTION public.guard_record() RETURNS trigger
    LANGUAGE plpgsql
    AS $$
declare
  content_changes boolean := (new.version_no, new.size, new.media_type, new.medium)
    is distinct from (old.version_no, old.size, old.media_type, old.medium);
  facts_change boolean := (new.title, new.number, new.record_type, new.facts, new.created_on, new.received_on,
    new.filed_on, new.deposited_by) is distinct from (old.title, old.number, old.record_type, old.facts,
    old.created_on, old.received_on, old.filed_on, old.deposited_by);
  moves boolean := (new.place_id, new.series_id) is distinct from (old.place_id, old.series_id);
begin
  if new.id <> old.id then
    raise exception 'A record keeps its id' using errcode = 'KC001';
  end if;
  -- Who may know of a stub follows what is around it.
  if old.state = 'disposed' and to_jsonb(new) - 'access_set_id' = to_jsonb(old) - 'access_set_id' then
    return new;
  end if;
  if old.state = 'disposed' then
    raise exception 'Record % was disposed of; its stub never changes', old.number using errcode = 'KC001';
  end if;
  -- Leaving a state goes through the functions below, which ask for their reasons.
  if current_user = 'cellar_app' and (new.state = 'disposed' or (old.state = 'declared' and new.state = 'working')) then
    raise exception 'Record % leaves its state through dispose_records() or revoke_declaration() only', old.number
      using errcode = 'KC001';
  end if;
  if new.state = 'disposed' then
    -- From here on a hold that is being placed waits, or was seen.
    perform pg_advisory_xact_lock_shared(disposal_key());
    if exists (select from hold_cover c where c.record_id = old.id and c.released_at is null) then
      raise exception 'Record % is held and stays', old.number using errcode = 'KC002';
    end if;
    return new;
  end if;
  if old.state = 'declared' and new.state = 'working'
    and exists (select from hold_cover c where c.record_id = old.id and c.released_at is null) then
    raise exception 'Record % is held and stays declared', old.number using errcode = 'KC002';
  end if;
  if old.state = 'declared' and new.state = 'declared' then
    if (content_changes and 'content' = any (old.frozen)) or (facts_change and 'facts' = any (old.frozen))
      or new.frozen <> old.frozen or new.declared_on is distinct from old.declared_on
      or (((moves and 'moving' = any (old.frozen)) or new.series_id <> old.series_id)
        and not exists (select from reorganisation where xact = pg_current_xact_id() and at = transaction_timestamp())) then
      raise exception 'Record % is declared and cannot change', old.number using errcode = 'KC003';
    end if;
  end if;
  if (content_changes or facts_change or moves) and frozen_by_hold(old.id) then
    raise exception 'Record % is frozen by a hold', old.number using errcode = 'KC002';
  end if;
  return new;
end $$;

CREATE FUNCTION public.guard_reference() RETURNS trigger
    LANGUAGE plpgsql
    AS $$
begin
  if old.until is not null then
    raise exception 'A reference that has ended stays so' using errcode = 'KC001';
  end if;
  return new;
end $$;

CREATE FUNCTION public.guard_review_line() RETURNS trigger
    LANGUAGE plpgsql
    AS $$
begin
  if old.answer is not null then
    raise exception 'This was answered already' using errcode = 'KC001';
  end if;
  if exists (select from access_review r where r.id = old.review_id and r.closed_on is not null) then
    raise exception 'This round is closed' using errcode = 'KC001';
  end if;
  return new;
end $$;

CREATE FUNCTION public.guard_seal_state() RETURNS trigger
    LANGUAGE plpgsql
    AS $$
begin
  if new.size < old.size or new.floor < old.floor or new.next_floor < old.next_floor then
    raise exception 'What is sealed stays sealed' using errcode = 'KC001';
  end if;
  return new;
end $$;

CREATE FUNCTION public.guard_step_task() RETURNS trigger
    LANGUAGE plpgsql
    AS $$
begin
  if old.state <> 'open' or (new.record_id, new.rule_id, new.step_index, new.kind) is distinct from (old.record_id, old.rule_id, old.step_index, old.kind) then
    raise exception 'This question is closed and stays as it is' using errcode = 'KC001';
  end if;
  return new;
end $$;

CREATE FUNCTION public.guard_steps_taken() RETURNS trigger
    LANGUAGE plpgsql
    AS $$
begin
  if jsonb_typeof(new.steps_taken) is distinct from 'array'
    or exists (select from jsonb_array_elements(old.steps_taken) with ordinality o (act, i) where new.steps_taken->(o.i::int - 1) is distinct from o.act) then
    raise exception 'What was done about the steps of record % stays', old.number using errcode = 'KC001';
  end if;
  return new;
end $$;

CREATE FUNCTION public.guard_tile() RETURNS trigger
    LANGUAGE plpgsql
    AS $$
begin
  if length(new.hashes) % 32 <> 0 or length(new.hashes) > 8192
    or (new.level = 0 and cardinality(new.entries) <> length(new.hashes) / 32)
    or (tg_op = 'UPDATE' and ((new.level, new.idx) is distinct from (old.level, old.idx)
      or substring(new.hashes for length(old.hashes)) <> old.hashes
      or new.entries[:cardinality(old.entries)] is distinct from old.entries)) then
    raise exception 'A tile of the tree is added to at its end' using errcode = 'KC001';
  end if;
  return new;
end $$;

CREATE FUNCTION public.guard_transfer() RETURNS trigger
    LANGUAGE plpgsql
    AS $$
begin
  if (new.batch_id, new.records, new.bag_name, new.bag_sha256, new.bag_size, new.made_on)
    is distinct from (old.batch_id, old.records, old.bag_name, old.bag_sha256, old.bag_size, old.made_on)
    or (old.receipt is not null and new.receipt is distinct from old.receipt) then
    raise exception 'A transfer and its receipt never change' using errcode = 'KC001';
  end if;
  return new;
end $$;

CREATE FUNCTION public.guard_tree_head() RETURNS trigger
    LANGUAGE plpgsql
    AS $$
begin
  if new.size <= coalesce((select max(size) from tree_head), 0)
    or new.size <> (select idx * 256 + cardinality(entries) from ledger_tile where level = 0 order by idx desc limit 1)
    or length(new.root) <> 32 or length(new.signature) <> 64
    or not exists (select from signing_key k where k.id = new.key_id and not exists (select from signing_key n where n.succeeds = k.id)) then
    raise exception 'A tree head says what was sealed, with the newest key' using errcode = 'KC001';
  end if;
  return new;
end $$;

CREATE FUNCTION public.guard_version() RETURNS trigger
    LANGUAGE plpgsql
    AS $$
declare
  r record;
begin
  if tg_op = 'UPDATE' then
    raise exception 'A version never changes' using errcode = 'KC001';
  end if;
  -- The row lock keeps declaring, holding and disposing from slipping in between.
  select * into r from record where id = coalesce(new.record_id, old.record_id) for update;
  perform cover_under_way(array[r.id]);
  if tg_op = 'DELETE' then
    if r.state <> 'disposed' then
      if current_user = 'cellar_app' or old.no >= r.version_no then
        raise exception 'Versions of record % stay while it is kept', r.number using errcode = 'KC001';
      end if;
      if exists (select from hold_cover c where c.record_id = r.id and c.released_at is null) then
        raise exception 'Record % is held and its versions stay', r.number using errcode = 'KC002';
      end if;
    end if;
    return old;
  end if;
  if r.state = 'disposed' or (r.state = 'declared' and 'content' = any (r.frozen)) then
    raise exception 'Record % is % and takes no new version', r.number, r.state using errcode = 'KC003';
  end if;
  -- Frozen from the moment after its filing: what came to match a hold as it was filed still takes the content that it is filed with.
  if frozen_by_hold(r.id) and not (new.no = 1 and r.version_no = 1 and r.medium = 'electronic'
      and not exists (select from version v where v.record_id = r.id)) then
    raise exception 'Record % is frozen by a hold', r.number using errcode = 'KC002';
  end if;
  return new;
end $$;

CREATE FUNCTION public.guard_withdrawal() RETURNS trigger
    LANGUAGE plpgsql SECURITY DEFINER
    SET search_path TO 'public'
    AS $$
begin
  if exists (select from rule_version where id = new.version_id and in_force_from <= repository_date(repository_now())) then
    raise exception 'A version that is in force is not withdrawn' using errcode = 'KC001';
  end if;
  return new;
end $$;

CREATE FUNCTION public.hold_step(p_hold uuid, p_doing text) RETURNS TABLE(stepped integer, records integer)
    LANGUAGE plpgsql SECURITY DEFINER
    SET search_path TO 'public'
    AS $$
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

CREATE FUNCTION public.holds_matching(p_holds uuid[], p_sqls text[], p_params jsonb, p_records uuid[]) RETURNS TABLE(hold_id uuid, record_ids uuid[])
    LANGUAGE plpgsql SECURITY DEFINER
    SET search_path TO 'pg_catalog', 'public'
    AS $_$
begin
  return query execute 'select x.hold_id, array_agg(r.id) from record r join unnest($3) as w (id) on w.id = r.id cross join lateral (values '
    || (select string_agg(format('($1[%s], %s)', i, replace(s, '$2', format('($2->%s)', i - 1))), ', ')
        from unnest(p_sqls) with ordinality as t (s, i))
    || ') as x (hold_id, matches) where r.state <> ''disposed'' and x.matches'
    || ' and not exists (select from hold_cover c where c.hold_id = x.hold_id and c.record_id = r.id) group by 1'
    using p_holds, p_params, p_records;
end $_$;

CREATE FUNCTION public.is_one_expression(p_sql text) RETURNS boolean
    LANGUAGE plpgsql IMMUTABLE
    AS $_$
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
end $_$;

CREATE FUNCTION public.keep_past() RETURNS trigger
    LANGUAGE plpgsql SECURITY DEFINER
    SET search_path TO 'public'
    AS $$
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

CREATE FUNCTION public.keep_past_of_principal() RETURNS trigger
    LANGUAGE plpgsql SECURITY DEFINER
    SET search_path TO 'public'
    AS $$
begin
  insert into past (of, key, until, was) values ('principal', new.id::text, repository_now(), case when tg_op = 'INSERT' then null else jsonb_build_object(
    'id', old.id, 'kind', old.kind, 'name', old.name, 'active', old.active, 'clearance_level', old.clearance_level, 'clearance_caveats', old.clearance_caveats) end);
  return null;
end $$;

CREATE FUNCTION public.keep_past_of_record() RETURNS trigger
    LANGUAGE plpgsql SECURITY DEFINER
    SET search_path TO 'public'
    AS $$
begin
  insert into past (of, key, until, was) values ('record', old.id::text, repository_now(), jsonb_build_object(
    'id', old.id, 'title', old.title, 'record_type', old.record_type, 'place_id', old.place_id, 'series_id', old.series_id, 'owner_id', old.owner_id,
    'created_on', old.created_on, 'received_on', old.received_on, 'modified_on', old.modified_on, 'declared_on', old.declared_on,
    'superseded_on', old.superseded_on, 'facts', old.facts, 'gaps', old.gaps, 'override', old.override, 'jurisdictions', old.jurisdictions,
    'refers', old.refers, 'detected', old.detected));
  return null;
end $$;

CREATE FUNCTION public.lock_to_dispose(p_records uuid[]) RETURNS void
    LANGUAGE plpgsql
    AS $$
begin
  perform pg_advisory_xact_lock_shared(disposal_key());
  perform from record where id = any (p_records) order by id for update;
  perform cover_under_way(p_records);
end $$;

CREATE FUNCTION public.look_for_work(p_hold uuid, p_a_step integer) RETURNS void
    LANGUAGE plpgsql SECURITY DEFINER
    SET search_path TO 'public'
    AS $$
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

CREATE FUNCTION public.may_be_disposed(p_record uuid, p_batch uuid) RETURNS void
    LANGUAGE plpgsql
    AS $$
begin
  perform from batch b join batch_item i on i.batch_id = b.id and i.record_id = p_record
  where b.id = p_batch and b.state = 'executing' and i.outcome in ('open', 'task')
    and exists (select from approval a where a.batch_id = b.id and a.decision = 'approve' and a.principal_id <> b.proposed_by)
    and not exists (select from objection o where o.batch_id = b.id and o.record_id = p_record and o.answered_at is null);
  if not found then
    raise exception 'Record % is not open in an approved batch that is being executed', p_record using errcode = 'KC004';
  end if;
  if exists (select from batch b join record r on r.id = p_record where b.id = p_batch and b.action = 'transfer' and r.medium = 'electronic')
    and not exists (select from transfer t where t.batch_id = p_batch and t.receipt is not null and p_record = any (t.records)) then
    raise exception 'No archive has confirmed that it holds record %', p_record using errcode = 'KC004';
  end if;
end $$;

CREATE FUNCTION public.mend_chunk(p_content uuid, p_seq integer, p_bytes bytea) RETURNS void
    LANGUAGE plpgsql SECURITY DEFINER
    SET search_path TO 'public'
    AS $$
begin
  perform from content where id = p_content and damaged_at is not null for update;
  if not found then
    raise exception 'Stored content is never updated' using errcode = 'KC001';
  end if;
  delete from content_chunk where content_id = p_content and seq = p_seq;
  insert into content_chunk (content_id, seq, bytes) values (p_content, p_seq, p_bytes);
end $$;

CREATE FUNCTION public.note_detection() RETURNS trigger
    LANGUAGE plpgsql SECURITY DEFINER
    SET search_path TO 'public'
    AS $$
begin
  if exists (select from detector where retired_on is null) then
    insert into detection_due (record_id) values (new.id)
    on conflict (record_id) do update set stamp = nextval('detection_stamp'), claimed_until = null;
  end if;
  return null;
end $$;

CREATE FUNCTION public.note_plan() RETURNS trigger
    LANGUAGE plpgsql SECURITY DEFINER
    SET search_path TO 'public'
    AS $$
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

CREATE FUNCTION public.note_rack_held(p_records uuid[], p_hold uuid, p_sign integer) RETURNS void
    LANGUAGE sql SECURITY DEFINER
    SET search_path TO 'public'
    AS $$
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

CREATE FUNCTION public.note_rack_insert() RETURNS trigger
    LANGUAGE plpgsql SECURITY DEFINER
    SET search_path TO 'public'
    AS $$
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

CREATE FUNCTION public.note_rack_update() RETURNS trigger
    LANGUAGE plpgsql SECURITY DEFINER
    SET search_path TO 'public'
    AS $$
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

CREATE FUNCTION public.note_rule_use_insert() RETURNS trigger
    LANGUAGE plpgsql SECURITY DEFINER
    SET search_path TO 'public'
    AS $$
begin
  insert into rule_use
  select rule_version_id, access_set_id, count(*) from new_rows
  where state <> 'disposed' and rule_version_id is not null group by 1, 2;
  return null;
end $$;

CREATE FUNCTION public.note_rule_use_update() RETURNS trigger
    LANGUAGE plpgsql SECURITY DEFINER
    SET search_path TO 'public'
    AS $$
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

CREATE FUNCTION public.object_gone() RETURNS trigger
    LANGUAGE plpgsql SECURITY DEFINER
    SET search_path TO 'public'
    AS $$
begin
  update content_object set gone_since = now() where content_id = old.id;
  return old;
end $$;

CREATE FUNCTION public.pass_gate() RETURNS void
    LANGUAGE plpgsql
    AS $$
begin
  if current_setting('transaction_isolation') <> 'read committed' then
    raise exception 'Records are written at isolation level "read committed": a fixed snapshot could miss a hold'
      using errcode = 'KC005';
  end if;
  perform pg_advisory_xact_lock_shared(gate_key());
end $$;

CREATE FUNCTION public.past_key(p_of text, p_row jsonb) RETURNS text
    LANGUAGE sql IMMUTABLE
    AS $$
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

CREATE FUNCTION public.place_cover(p_hold uuid, p_records uuid[], p_because text) RETURNS TABLE(record_id uuid, outcome text)
    LANGUAGE plpgsql SECURITY DEFINER
    SET search_path TO 'public'
    AS $$
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

CREATE FUNCTION public.refuse_change() RETURNS trigger
    LANGUAGE plpgsql
    AS $$
begin
  raise exception '% of % is refused: %', tg_op, tg_table_name, tg_argv[0]
    using errcode = 'KC001', hint = tg_argv[0];
end $$;

CREATE FUNCTION public.repository_date(p_at timestamp with time zone) RETURNS date
    LANGUAGE sql STABLE
    AS $$
  select (p_at at time zone coalesce((select value->>'timeZone' from setting where name = 'repository'), 'UTC'))::date
$$;

CREATE FUNCTION public.repository_now() RETURNS timestamp with time zone
    LANGUAGE sql STABLE
    AS $$
  select now() + make_interval(days => coalesce((select (value->>'offsetDays')::int from setting where name = 'clock'), 0))
$$;

CREATE FUNCTION public.revoke_declaration(p_record uuid, p_by uuid, p_reason text) RETURNS void
    LANGUAGE plpgsql SECURITY DEFINER
    SET search_path TO 'public'
    AS $$
begin
  if coalesce(trim(p_reason), '') = '' or not exists (select from principal where id = p_by) then
    raise exception 'Revoking a declaration needs a person and a reason' using errcode = 'KC004';
  end if;
  update record set state = 'working', declared_on = null, frozen = '{}', revision = revision + 1
  where id = p_record and state = 'declared';
  if not found then
    raise exception 'Record % is not declared', p_record using errcode = 'KC004';
  end if;
end $$;

CREATE FUNCTION public.trim_versions(p_record uuid, p_on date) RETURNS TABLE(no integer, file_name text, content_id uuid, sha256 bytea, size bigint)
    LANGUAGE plpgsql SECURITY DEFINER
    SET search_path TO 'public'
    AS $$
declare
  v_newest integer;
begin
  select r.version_no into v_newest from record r
  where r.id = p_record and r.state <> 'disposed' and r.next_step_on <= p_on
    and exists (select from rule_version v, jsonb_array_elements(v.definition->'steps') s where v.id = r.rule_version_id and s->>'kind' = 'trimVersions')
  for update;
  if not found then
    raise exception 'No step is due that removes older versions of record %', p_record using errcode = 'KC004';
  end if;
  return query
    with gone as (delete from version v where v.record_id = p_record and v.no < v_newest returning v.no, v.file_name, v.content_id)
    select g.no, g.file_name, g.content_id, c.sha256, c.size from gone g join content c on c.id = g.content_id order by g.no;
end $$;

CREATE FUNCTION public.uncover(p_hold uuid, p_records uuid[], p_by uuid, p_reason text, p_act text DEFAULT 'let out of a hold'::text) RETURNS uuid[]
    LANGUAGE plpgsql SECURITY DEFINER
    SET search_path TO 'public'
    AS $$
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

CREATE FUNCTION public.writers() RETURNS text[]
    LANGUAGE sql
    AS $$
  select coalesce(array_agg(distinct l.virtualtransaction), '{}') from pg_locks l
  where l.locktype = 'advisory' and l.database = (select oid from pg_database where datname = current_database())
    and (l.classid::bigint << 32 | l.objid::bigint) = gate_key() and l.objsubid = 1 and l.granted and l.pid is distinct from pg_backend_pid()
$$;

CREATE TABLE public.access_review (
    id uuid NOT NULL,
    title text NOT NULL,
    place_id uuid NOT NULL,
    due_on date NOT NULL,
    ends_unconfirmed boolean NOT NULL,
    made_by uuid NOT NULL,
    made_on date NOT NULL,
    reminded_on date,
    closed_on date,
    CONSTRAINT access_review_title_check CHECK ((title <> ''::text))
);

CREATE TABLE public.access_review_line (
    id uuid NOT NULL,
    review_id uuid NOT NULL,
    grant_id uuid NOT NULL,
    principal_id uuid NOT NULL,
    place_id uuid NOT NULL,
    record_id uuid,
    profile text NOT NULL,
    from_on date,
    until_on date,
    answer text,
    answered_by uuid,
    answered_on date,
    note text DEFAULT ''::text NOT NULL,
    tag_id uuid,
    CONSTRAINT access_review_line_answer_check CHECK ((answer = ANY (ARRAY['kept'::text, 'ended'::text, 'not confirmed'::text]))),
    CONSTRAINT access_review_line_check CHECK (((answer IS NULL) = (answered_on IS NULL))),
    CONSTRAINT access_review_line_check1 CHECK ((((answer IS DISTINCT FROM 'not confirmed'::text) = (answered_by IS NOT NULL)) OR (answer IS NULL))),
    CONSTRAINT access_review_line_check2 CHECK ((answered_by IS DISTINCT FROM principal_id))
);

CREATE TABLE public.access_set (
    id integer NOT NULL,
    anchor_place uuid NOT NULL,
    record_id uuid,
    marking_level smallint DEFAULT 0 NOT NULL,
    marking_caveats text[] DEFAULT '{}'::text[] NOT NULL,
    tags uuid[] DEFAULT '{}'::uuid[] NOT NULL
);

ALTER TABLE public.access_set ALTER COLUMN id ADD GENERATED ALWAYS AS IDENTITY (
    SEQUENCE NAME public.access_set_id_seq
    START WITH 1
    INCREMENT BY 1
    NO MINVALUE
    NO MAXVALUE
    CACHE 1
);

CREATE TABLE public.access_tag (
    id uuid NOT NULL,
    name text NOT NULL,
    note text DEFAULT ''::text NOT NULL,
    active boolean DEFAULT true NOT NULL,
    made_by uuid,
    made_at timestamp with time zone DEFAULT public.repository_now() NOT NULL,
    revision integer DEFAULT 1 NOT NULL,
    CONSTRAINT access_tag_name_check CHECK ((name <> ''::text))
);

CREATE TABLE public.api_token (
    id uuid NOT NULL,
    principal_id uuid NOT NULL,
    name text NOT NULL,
    token_hash bytea NOT NULL,
    scopes text[] NOT NULL,
    until date NOT NULL,
    made_by uuid NOT NULL,
    made_on date NOT NULL,
    last_used_at timestamp with time zone,
    last_used_from text,
    ended_on date,
    CONSTRAINT api_token_name_check CHECK ((name <> ''::text)),
    CONSTRAINT api_token_scopes_check CHECK ((scopes <> '{}'::text[]))
);

CREATE TABLE public.approval (
    batch_id uuid NOT NULL,
    principal_id uuid NOT NULL,
    decision text NOT NULL,
    note text DEFAULT ''::text NOT NULL,
    decided_on date NOT NULL,
    decided_at timestamp with time zone NOT NULL,
    CONSTRAINT approval_decision_check CHECK ((decision = ANY (ARRAY['approve'::text, 'reject'::text])))
);

CREATE TABLE public.arrival (
    id uuid NOT NULL,
    file_name text NOT NULL,
    changed text[] DEFAULT '{}'::text[] NOT NULL,
    content_id uuid NOT NULL,
    source text NOT NULL,
    place_id uuid,
    deposited_by uuid NOT NULL,
    idempotency_key text,
    arrived_at timestamp with time zone NOT NULL,
    media_type text NOT NULL
);

CREATE TABLE public.batch (
    id uuid NOT NULL,
    number text NOT NULL,
    action text NOT NULL,
    what text NOT NULL,
    state text NOT NULL,
    approvals_needed integer NOT NULL,
    notice_days integer NOT NULL,
    proposed_by uuid NOT NULL,
    proposed_on date NOT NULL,
    announced_on date,
    notice_until date,
    approved_on date,
    finished_on date,
    withdrawn_reason text,
    revision integer DEFAULT 1 NOT NULL,
    approver_groups text[] DEFAULT '{}'::text[] NOT NULL,
    CONSTRAINT batch_action_check CHECK ((action = ANY (ARRAY['destroy'::text, 'transfer'::text]))),
    CONSTRAINT batch_state_check CHECK ((state = ANY (ARRAY['proposed'::text, 'notice'::text, 'approved'::text, 'executing'::text, 'done'::text, 'withdrawn'::text])))
);

CREATE TABLE public.batch_counter (
    kind text NOT NULL,
    year integer NOT NULL,
    last integer NOT NULL
);

CREATE TABLE public.batch_item (
    batch_id uuid NOT NULL,
    record_id uuid NOT NULL,
    outcome text DEFAULT 'open'::text NOT NULL,
    reason jsonb,
    evidence jsonb,
    CONSTRAINT batch_item_outcome_check CHECK ((outcome = ANY (ARRAY['open'::text, 'task'::text, 'objected'::text, 'disposed'::text, 'blocked'::text, 'dropped'::text, 'deferred'::text, 'sampled'::text])))
);

CREATE TABLE public.brought (
    section text NOT NULL,
    name text NOT NULL,
    fields jsonb NOT NULL
);

CREATE TABLE public.certificate (
    id uuid NOT NULL,
    number text NOT NULL,
    batch_id uuid NOT NULL,
    issued_on date NOT NULL,
    sha256 bytea NOT NULL,
    pdf bytea NOT NULL
);

CREATE TABLE public.container (
    id uuid NOT NULL,
    code text NOT NULL,
    title text NOT NULL COLLATE public.by_words,
    home text NOT NULL,
    location text NOT NULL
);

CREATE TABLE public.content (
    id uuid NOT NULL,
    sha256 bytea,
    size bigint DEFAULT 0 NOT NULL,
    checked_at timestamp with time zone,
    stored_at timestamp with time zone DEFAULT public.repository_now() NOT NULL,
    tree bytea,
    key_slot bigint,
    damaged_at timestamp with time zone,
    store text DEFAULT 'database'::text NOT NULL,
    fingerprints bytea,
    copied_at timestamp with time zone,
    CONSTRAINT content_fingerprints CHECK (((fingerprints IS NOT NULL) = (store = 'objects'::text))),
    CONSTRAINT content_sha256_check CHECK ((length(sha256) = 32)),
    CONSTRAINT content_store_check CHECK ((store = ANY (ARRAY['database'::text, 'objects'::text]))),
    CONSTRAINT content_tree_check CHECK ((length(tree) = 32)),
    CONSTRAINT content_whole CHECK (((sha256 IS NULL) = (tree IS NULL)))
);

CREATE TABLE public.content_chunk (
    content_id uuid NOT NULL,
    seq integer NOT NULL,
    bytes bytea NOT NULL,
    sha256 bytea GENERATED ALWAYS AS (sha256(bytes)) STORED NOT NULL,
    CONSTRAINT content_chunk_bytes_check CHECK ((length(bytes) <= (1048576 + 16)))
);
ALTER TABLE ONLY public.content_chunk ALTER COLUMN bytes SET STORAGE EXTERNAL;

CREATE SEQUENCE public.content_key_block
    START WITH 0
    INCREMENT BY 1
    MINVALUE 0
    NO MAXVALUE
    CACHE 1;

CREATE TABLE public.content_object (
    content_id uuid NOT NULL,
    begun_at timestamp with time zone DEFAULT now() NOT NULL,
    version text,
    locked_until timestamp with time zone,
    gone_since timestamp with time zone
);

CREATE TABLE public.criteria_rule (
    id uuid NOT NULL,
    rule_id uuid NOT NULL,
    criteria jsonb NOT NULL,
    note text DEFAULT ''::text NOT NULL,
    "position" integer NOT NULL
);

CREATE TABLE public.custodian (
    hold_id uuid NOT NULL,
    principal_id uuid NOT NULL,
    notified_at timestamp with time zone NOT NULL,
    reminders integer DEFAULT 0 NOT NULL,
    acknowledged_at timestamp with time zone
);

CREATE SEQUENCE public.detection_stamp
    START WITH 1
    INCREMENT BY 1
    NO MINVALUE
    NO MAXVALUE
    CACHE 1;

CREATE TABLE public.detection_due (
    record_id uuid NOT NULL,
    stamp bigint DEFAULT nextval('public.detection_stamp'::regclass) NOT NULL,
    claimed_until timestamp with time zone
);

CREATE TABLE public.detector (
    id uuid NOT NULL,
    title text NOT NULL COLLATE public.by_words,
    note text DEFAULT ''::text NOT NULL,
    signs jsonb NOT NULL,
    revision integer DEFAULT 1 NOT NULL,
    retired_on date,
    CONSTRAINT detector_title_check CHECK ((title <> ''::text))
);

CREATE TABLE public.digest_due (
    message_id uuid NOT NULL,
    principal_id uuid NOT NULL
);

CREATE TABLE public.due_delta (
    access_set_id integer NOT NULL,
    month date NOT NULL,
    action text NOT NULL,
    n integer NOT NULL,
    held integer NOT NULL
);

CREATE TABLE public.due_sum (
    access_set_id integer NOT NULL,
    month date NOT NULL,
    action text NOT NULL,
    n integer NOT NULL,
    held integer NOT NULL,
    CONSTRAINT due_sum_action_check CHECK ((action = ANY (ARRAY['destroy'::text, 'transfer'::text])))
);

CREATE TABLE public.entity (
    id uuid NOT NULL,
    kind text NOT NULL,
    name text NOT NULL COLLATE public.by_words,
    code text DEFAULT ''::text NOT NULL,
    note text DEFAULT ''::text NOT NULL,
    retired_on date,
    revision integer DEFAULT 1 NOT NULL,
    CONSTRAINT entity_kind_check CHECK ((kind = ANY (ARRAY['party'::text, 'object'::text]))),
    CONSTRAINT entity_name_check CHECK ((name <> ''::text))
);

CREATE TABLE public.epoch (
    name text NOT NULL,
    value bigint DEFAULT 1 NOT NULL
);

CREATE TABLE public.event (
    id uuid NOT NULL,
    type text NOT NULL,
    happened_on date NOT NULL,
    place_id uuid,
    record_id uuid,
    note text DEFAULT ''::text NOT NULL,
    recorded_by uuid NOT NULL,
    recorded_at timestamp with time zone NOT NULL,
    withdrawn_at timestamp with time zone,
    withdrawn_by uuid,
    withdrawn_reason text,
    corrects uuid,
    entity_id uuid,
    CONSTRAINT event_on_one CHECK ((num_nonnulls(place_id, record_id, entity_id) = 1)),
    CONSTRAINT event_withdrawal CHECK (((withdrawn_at IS NULL) = (withdrawn_by IS NULL)))
);

CREATE TABLE public.event_type (
    name text NOT NULL COLLATE public.by_words,
    CONSTRAINT event_type_name_check CHECK ((name <> ''::text))
);

CREATE TABLE public.fact_value (
    record_type text NOT NULL,
    fact text NOT NULL,
    value text NOT NULL,
    record_id uuid NOT NULL
);

CREATE TABLE public.federated (
    provider_id uuid NOT NULL,
    subject text NOT NULL,
    principal_id uuid NOT NULL,
    linked_at timestamp with time zone DEFAULT now() NOT NULL,
    last_at timestamp with time zone
);

CREATE TABLE public.former_code (
    place_id uuid NOT NULL,
    code text NOT NULL,
    parent_id uuid,
    until date NOT NULL
);

CREATE TABLE public.grant_ (
    id uuid NOT NULL,
    principal_id uuid NOT NULL,
    place_id uuid,
    record_id uuid,
    profile text NOT NULL,
    from_on date,
    until_on date,
    reason text NOT NULL,
    made_by uuid,
    made_at timestamp with time zone DEFAULT public.repository_now() NOT NULL,
    by_stencil uuid,
    tag_id uuid,
    CONSTRAINT grant__check1 CHECK (((until_on IS NULL) OR (from_on IS NULL) OR (until_on >= from_on))),
    CONSTRAINT grant_on_one_thing CHECK ((num_nonnulls(place_id, record_id, tag_id) = 1))
);

CREATE TABLE public.head_stamp (
    size bigint NOT NULL,
    token bytea NOT NULL,
    stamped_at timestamp with time zone NOT NULL,
    authority text NOT NULL
);

CREATE TABLE public.head_witness (
    size bigint NOT NULL,
    note text NOT NULL,
    witness text NOT NULL,
    witnessed_at timestamp with time zone NOT NULL
);

CREATE TABLE public.hold (
    id uuid NOT NULL,
    matter_id uuid NOT NULL,
    name text NOT NULL COLLATE public.by_words,
    reason text NOT NULL,
    freezes boolean DEFAULT false NOT NULL,
    state text NOT NULL,
    criteria jsonb,
    scope_sql text,
    scope_params jsonb,
    placed_by uuid NOT NULL,
    placed_at timestamp with time zone NOT NULL,
    released_by uuid,
    released_at timestamp with time zone,
    release_reason text,
    CONSTRAINT hold_check CHECK (((criteria IS NULL) = (scope_sql IS NULL))),
    CONSTRAINT hold_check1 CHECK (((state = 'open'::text) OR ((released_by IS NOT NULL) AND (release_reason <> ''::text)))),
    CONSTRAINT hold_state_check CHECK ((state = ANY (ARRAY['open'::text, 'released'::text])))
);

CREATE TABLE public.hold_cover (
    hold_id uuid NOT NULL,
    record_id uuid NOT NULL,
    because text NOT NULL,
    since timestamp with time zone DEFAULT public.repository_now() NOT NULL,
    released_at timestamp with time zone,
    released_by uuid,
    release_reason text,
    CONSTRAINT hold_cover_check CHECK (((released_at IS NULL) = (release_reason IS NULL)))
);

CREATE TABLE public.hold_part (
    hold_id uuid NOT NULL,
    no integer NOT NULL,
    record_ids uuid[] NOT NULL
);

CREATE TABLE public.hold_work (
    hold_id uuid NOT NULL,
    doing text NOT NULL,
    total integer,
    done integer DEFAULT 0 NOT NULL,
    CONSTRAINT hold_work_doing_check CHECK ((doing = ANY (ARRAY['covering'::text, 'releasing'::text])))
);

CREATE TABLE public.identity_provider (
    id uuid NOT NULL,
    name text NOT NULL,
    issuer text NOT NULL,
    client_id text NOT NULL,
    client_secret bytea,
    groups_claim text,
    newcomers boolean NOT NULL,
    by_email boolean NOT NULL,
    brings_factor boolean NOT NULL,
    active boolean NOT NULL,
    revision integer DEFAULT 1 NOT NULL
);

CREATE TABLE public.membership (
    member_id uuid NOT NULL,
    group_id uuid NOT NULL
);

CREATE TABLE public.principal (
    id uuid NOT NULL,
    kind text NOT NULL,
    name text NOT NULL COLLATE public.by_words,
    login text,
    password_hash text,
    email text,
    clearance_level smallint DEFAULT 0 NOT NULL,
    clearance_caveats text[] DEFAULT '{}'::text[] NOT NULL,
    active boolean DEFAULT true NOT NULL,
    language text,
    revision integer DEFAULT 1 NOT NULL,
    second_factor boolean DEFAULT false NOT NULL,
    everyone boolean DEFAULT false NOT NULL,
    external_id text,
    taken_away boolean DEFAULT false NOT NULL,
    CONSTRAINT principal_check CHECK (((kind = 'person'::text) OR (password_hash IS NULL))),
    CONSTRAINT principal_check1 CHECK (((NOT everyone) OR (kind = 'group'::text))),
    CONSTRAINT principal_external_id_check CHECK ((external_id <> ''::text)),
    CONSTRAINT principal_kind_check CHECK ((kind = ANY (ARRAY['person'::text, 'group'::text, 'service'::text]))),
    CONSTRAINT principal_language_check CHECK ((language ~ '^[a-z]{2}$'::text))
);

CREATE VIEW public.in_group AS
 SELECT m.member_id,
    m.group_id
   FROM (public.membership m
     JOIN public.principal g ON (((g.id = m.group_id) AND g.active)))
UNION ALL
 SELECT p.id AS member_id,
    e.id AS group_id
   FROM public.principal p,
    public.principal e
  WHERE (e.everyone AND e.active AND (p.kind = 'person'::text) AND p.active);

CREATE TABLE public.invitation (
    token_hash bytea NOT NULL,
    principal_id uuid NOT NULL,
    made_by uuid,
    made_at timestamp with time zone DEFAULT now() NOT NULL,
    until timestamp with time zone NOT NULL
);

CREATE TABLE public.job_progress (
    id uuid NOT NULL,
    kind text NOT NULL,
    subject text NOT NULL,
    data jsonb NOT NULL,
    state text NOT NULL,
    done integer DEFAULT 0 NOT NULL,
    total integer DEFAULT 0 NOT NULL,
    cursor_ text,
    started_by uuid,
    started_at timestamp with time zone DEFAULT now() NOT NULL,
    finished_at timestamp with time zone,
    told jsonb,
    CONSTRAINT job_progress_state_check CHECK ((state = ANY (ARRAY['running'::text, 'done'::text, 'cancelled'::text, 'failed'::text])))
);

CREATE TABLE public.jurisdiction (
    name text NOT NULL COLLATE public.by_words,
    part_of text,
    "position" integer DEFAULT 0 NOT NULL,
    calendar jsonb,
    CONSTRAINT jurisdiction_check CHECK (((part_of IS NULL) OR (part_of <> name))),
    CONSTRAINT jurisdiction_name_check CHECK ((name <> ''::text))
);

CREATE TABLE public.key_erasure (
    slot bigint NOT NULL,
    content_id uuid NOT NULL,
    since timestamp with time zone DEFAULT now() NOT NULL,
    erased_at timestamp with time zone
);

CREATE TABLE public.known_address (
    principal_id uuid NOT NULL,
    address text NOT NULL,
    last_at timestamp with time zone DEFAULT now() NOT NULL
);

CREATE TABLE public.ledger_entry (
    seq bigint NOT NULL,
    at timestamp with time zone NOT NULL,
    actor_id uuid,
    act text NOT NULL,
    subject_kind text NOT NULL,
    subject_id uuid,
    body text NOT NULL
);

ALTER TABLE public.ledger_entry ALTER COLUMN seq ADD GENERATED ALWAYS AS IDENTITY (
    SEQUENCE NAME public.ledger_entry_seq_seq
    START WITH 1
    INCREMENT BY 1
    NO MINVALUE
    NO MAXVALUE
    CACHE 1
);

CREATE TABLE public.ledger_tile (
    level smallint NOT NULL,
    idx bigint NOT NULL,
    hashes bytea NOT NULL,
    entries bigint[],
    first_seq bigint,
    last_seq bigint
);

CREATE TABLE public.mail (
    id uuid NOT NULL,
    to_id uuid NOT NULL,
    address text NOT NULL,
    kind text NOT NULL,
    message_id uuid,
    subject text NOT NULL,
    body text,
    html text,
    state text DEFAULT 'waiting'::text NOT NULL,
    tries integer DEFAULT 0 NOT NULL,
    queued_at timestamp with time zone DEFAULT now() NOT NULL,
    next_at timestamp with time zone DEFAULT now() NOT NULL,
    claimed_at timestamp with time zone,
    ended_at timestamp with time zone,
    problem text,
    CONSTRAINT mail_state_check CHECK ((state = ANY (ARRAY['waiting'::text, 'sending'::text, 'sent'::text, 'refused'::text, 'uncertain'::text, 'returned'::text])))
);

CREATE TABLE public.mail_choice (
    principal_id uuid NOT NULL,
    kind text NOT NULL,
    how text NOT NULL,
    CONSTRAINT mail_choice_how_check CHECK ((how = ANY (ARRAY['now'::text, 'daily'::text, 'never'::text])))
);

CREATE TABLE public.matter (
    id uuid NOT NULL,
    code text NOT NULL,
    title text NOT NULL COLLATE public.by_words,
    kind text NOT NULL,
    note text DEFAULT ''::text NOT NULL,
    opened_on date NOT NULL,
    closed_on date,
    CONSTRAINT matter_kind_check CHECK ((kind = ANY (ARRAY['case'::text, 'audit'::text, 'inquiry'::text])))
);

CREATE TABLE public.message (
    id uuid NOT NULL,
    to_id uuid NOT NULL,
    kind text NOT NULL,
    subject text NOT NULL,
    body text NOT NULL,
    link text,
    sent_at timestamp with time zone NOT NULL,
    read_at timestamp with time zone
);

CREATE TABLE public.migration (
    name text NOT NULL,
    checksum text NOT NULL,
    applied_at timestamp with time zone DEFAULT now() NOT NULL
);

CREATE TABLE public.named_year (
    name text NOT NULL COLLATE public.by_words,
    ends date[] DEFAULT '{}'::date[] NOT NULL,
    CONSTRAINT named_year_name_check CHECK ((name <> ''::text))
);

CREATE TABLE public.numbering (
    id uuid NOT NULL,
    title text NOT NULL COLLATE public.by_words,
    pattern text NOT NULL,
    per text[] NOT NULL,
    gapless boolean NOT NULL,
    revision integer DEFAULT 1 NOT NULL,
    CONSTRAINT numbering_title_check CHECK ((title <> ''::text))
);

CREATE TABLE public.numbering_counter (
    numbering_id uuid NOT NULL,
    scope text NOT NULL,
    last bigint NOT NULL
);

CREATE TABLE public.objection (
    id uuid NOT NULL,
    batch_id uuid NOT NULL,
    record_id uuid NOT NULL,
    by_id uuid NOT NULL,
    reason text NOT NULL,
    made_at timestamp with time zone NOT NULL,
    answered_at timestamp with time zone,
    answer text,
    CONSTRAINT objection_reason_check CHECK ((reason <> ''::text))
);

CREATE TABLE public.own_profile (
    code text NOT NULL,
    title text NOT NULL,
    rights text[] NOT NULL,
    own_only boolean DEFAULT false NOT NULL,
    active boolean DEFAULT true NOT NULL,
    revision integer DEFAULT 1 NOT NULL,
    CONSTRAINT own_profile_code_check CHECK ((code ~ '^[a-z0-9][a-z0-9-]{0,39}$'::text)),
    CONSTRAINT own_profile_rights_check CHECK ((rights <> '{}'::text[])),
    CONSTRAINT own_profile_title_check CHECK ((title <> ''::text))
);

CREATE TABLE public.pair_rule (
    record_type text NOT NULL,
    series_id uuid NOT NULL,
    rule_id uuid NOT NULL
);

CREATE TABLE public.past (
    id bigint NOT NULL,
    of text NOT NULL,
    key text NOT NULL,
    until timestamp with time zone NOT NULL,
    was jsonb
);

ALTER TABLE public.past ALTER COLUMN id ADD GENERATED ALWAYS AS IDENTITY (
    SEQUENCE NAME public.past_id_seq
    START WITH 1
    INCREMENT BY 1
    NO MINVALUE
    NO MAXVALUE
    CACHE 1
);

CREATE TABLE public.place (
    id uuid NOT NULL,
    kind text NOT NULL,
    parent_id uuid,
    ancestors uuid[] NOT NULL,
    code text NOT NULL,
    title text NOT NULL COLLATE public.by_words,
    note text DEFAULT ''::text NOT NULL,
    "position" integer DEFAULT 0 NOT NULL,
    stand_alone boolean DEFAULT false NOT NULL,
    marking_level smallint DEFAULT 0 NOT NULL,
    marking_caveats text[] DEFAULT '{}'::text[] NOT NULL,
    access_set_id integer NOT NULL,
    jurisdictions text[] DEFAULT '{}'::text[] NOT NULL,
    frozen_when_declared text[] DEFAULT '{content,facts,moving}'::text[] NOT NULL,
    declare_on text,
    opened_on date NOT NULL,
    closed_on date,
    revision integer DEFAULT 1 NOT NULL,
    not_here text DEFAULT ''::text NOT NULL,
    message text DEFAULT ''::text NOT NULL,
    retired_on date,
    numbering_id uuid,
    facts jsonb DEFAULT '{}'::jsonb NOT NULL,
    takes jsonb,
    stencil_id uuid,
    stencil_version integer,
    stencil_key text,
    stencil_words jsonb,
    ready_titles jsonb DEFAULT '[]'::jsonb NOT NULL,
    reader_on_pages boolean DEFAULT false NOT NULL,
    access_tags uuid[] DEFAULT '{}'::uuid[] NOT NULL,
    CONSTRAINT place_check CHECK (((kind = 'repository'::text) = (parent_id IS NULL))),
    CONSTRAINT place_check1 CHECK ((((stencil_id IS NULL) = (stencil_key IS NULL)) AND ((stencil_id IS NULL) = (stencil_version IS NULL)))),
    CONSTRAINT place_declare_on_check CHECK ((declare_on = ANY (ARRAY['filing'::text, 'folderClosed'::text]))),
    CONSTRAINT place_kind_check CHECK ((kind = ANY (ARRAY['repository'::text, 'function'::text, 'activity'::text, 'series'::text, 'folder'::text]))),
    CONSTRAINT place_title_check CHECK ((title <> ''::text))
);

CREATE TABLE public.place_delta (
    place_id uuid NOT NULL,
    access_set_id integer NOT NULL,
    kept integer NOT NULL,
    due integer NOT NULL,
    held integer NOT NULL,
    unscheduled integer NOT NULL,
    permanent integer NOT NULL,
    waiting integer NOT NULL
);

CREATE TABLE public.place_rule (
    place_id uuid NOT NULL,
    rule_id uuid NOT NULL
);

CREATE TABLE public.place_sum (
    place_id uuid NOT NULL,
    access_set_id integer NOT NULL,
    kept integer NOT NULL,
    due integer NOT NULL,
    held integer NOT NULL,
    unscheduled integer NOT NULL,
    permanent integer NOT NULL,
    waiting integer NOT NULL
);

CREATE TABLE public.plan_note (
    noted_at timestamp with time zone DEFAULT clock_timestamp() NOT NULL
);

CREATE TABLE public.provider_group (
    provider_id uuid NOT NULL,
    value text NOT NULL,
    group_id uuid NOT NULL
);

CREATE TABLE public.rack_cell (
    series_id uuid NOT NULL,
    vintage smallint NOT NULL,
    access_set_id integer NOT NULL,
    kept integer DEFAULT 0 NOT NULL,
    due integer DEFAULT 0 NOT NULL,
    held integer DEFAULT 0 NOT NULL,
    unscheduled integer DEFAULT 0 NOT NULL,
    permanent integer DEFAULT 0 NOT NULL,
    waiting integer DEFAULT 0 NOT NULL,
    declared integer DEFAULT 0 NOT NULL
);

CREATE TABLE public.rack_delta (
    series_id uuid NOT NULL,
    vintage smallint NOT NULL,
    access_set_id integer NOT NULL,
    kept integer NOT NULL,
    due integer NOT NULL,
    held integer NOT NULL,
    unscheduled integer NOT NULL,
    permanent integer NOT NULL,
    waiting integer NOT NULL,
    declared integer NOT NULL
);

CREATE TABLE public.rack_total (
    series_id uuid NOT NULL,
    vintage smallint NOT NULL,
    kept integer NOT NULL,
    due integer NOT NULL,
    held integer NOT NULL,
    unscheduled integer NOT NULL,
    permanent integer NOT NULL,
    waiting integer NOT NULL,
    declared integer NOT NULL
);

CREATE TABLE public.raise (
    id uuid NOT NULL,
    asker_id uuid NOT NULL,
    place_id uuid NOT NULL,
    profile text NOT NULL,
    until date NOT NULL,
    reason text NOT NULL,
    asked_at timestamp with time zone DEFAULT public.repository_now() NOT NULL,
    state text DEFAULT 'open'::text NOT NULL,
    decided_by uuid,
    decided_at timestamp with time zone,
    note text DEFAULT ''::text NOT NULL,
    CONSTRAINT raise_check CHECK (((state = 'open'::text) = (decided_at IS NULL))),
    CONSTRAINT raise_check1 CHECK (((state <> ALL (ARRAY['approved'::text, 'refused'::text])) OR (decided_by <> asker_id))),
    CONSTRAINT raise_check2 CHECK (((state <> 'withdrawn'::text) OR (decided_by = asker_id))),
    CONSTRAINT raise_state_check CHECK ((state = ANY (ARRAY['open'::text, 'approved'::text, 'refused'::text, 'withdrawn'::text])))
);

CREATE TABLE public.recognised (
    content_id uuid NOT NULL,
    words bytea NOT NULL
);

CREATE TABLE public.record (
    id uuid NOT NULL,
    number text NOT NULL,
    title text NOT NULL COLLATE public.by_words,
    medium text NOT NULL,
    record_type text NOT NULL,
    place_id uuid NOT NULL,
    series_id uuid NOT NULL,
    places uuid[] NOT NULL,
    state text DEFAULT 'working'::text NOT NULL,
    created_on date NOT NULL,
    received_on date NOT NULL,
    filed_on date NOT NULL,
    modified_on date NOT NULL,
    declared_on date,
    superseded_on date,
    last_used_on date,
    facts jsonb DEFAULT '{}'::jsonb NOT NULL,
    gaps smallint DEFAULT 0 NOT NULL,
    search tsvector NOT NULL,
    marking_level smallint DEFAULT 0 NOT NULL,
    marking_caveats text[] DEFAULT '{}'::text[] NOT NULL,
    access_set_id integer NOT NULL,
    owner_id uuid,
    deposited_by uuid NOT NULL,
    container_id uuid,
    jurisdictions text[] DEFAULT '{}'::text[] NOT NULL,
    override jsonb,
    frozen text[] DEFAULT '{}'::text[] NOT NULL,
    outcome text DEFAULT 'unscheduled'::text NOT NULL,
    rule_version_id uuid,
    clock_start date,
    due_on date,
    action text,
    vintage smallint,
    docket text DEFAULT 'none'::text NOT NULL,
    version_no integer DEFAULT 0 NOT NULL,
    size bigint DEFAULT 0 NOT NULL,
    media_type text,
    revision integer DEFAULT 1 NOT NULL,
    disposed_on date,
    deferred_until date,
    deferred_reason text,
    next_step_on date,
    steps_taken jsonb,
    type_version integer DEFAULT 1 NOT NULL,
    refers uuid[] DEFAULT '{}'::uuid[] NOT NULL,
    detected uuid[] DEFAULT '{}'::uuid[] NOT NULL,
    trigger_on date,
    conflict_with uuid,
    CONSTRAINT record_action_check CHECK ((action = ANY (ARRAY['destroy'::text, 'transfer'::text]))),
    CONSTRAINT record_deferral CHECK (((deferred_until IS NULL) = (deferred_reason IS NULL))),
    CONSTRAINT record_docket_check CHECK ((docket = ANY (ARRAY['none'::text, 'due'::text, 'batch'::text]))),
    CONSTRAINT record_medium_check CHECK ((medium = ANY (ARRAY['electronic'::text, 'physical'::text]))),
    CONSTRAINT record_outcome_check CHECK ((outcome = ANY (ARRAY['permanent'::text, 'waiting'::text, 'dated'::text, 'unscheduled'::text]))),
    CONSTRAINT record_state_check CHECK ((state = ANY (ARRAY['working'::text, 'declared'::text, 'disposed'::text]))),
    CONSTRAINT record_title_check CHECK ((title <> ''::text))
);

CREATE TABLE public.record_reference (
    target_id uuid NOT NULL,
    fact text NOT NULL,
    referrer_id uuid NOT NULL,
    replaces boolean DEFAULT false NOT NULL,
    since date NOT NULL,
    until date,
    ended text,
    CONSTRAINT record_reference_end CHECK (((until IS NULL) = (ended IS NULL))),
    CONSTRAINT record_reference_ended_check CHECK ((ended = ANY (ARRAY['gone'::text, 'changed'::text])))
);

CREATE TABLE public.record_type (
    code text NOT NULL,
    title text NOT NULL COLLATE public.by_words,
    facts jsonb NOT NULL,
    revision integer DEFAULT 1 NOT NULL,
    retired_on date
);

CREATE TABLE public.record_type_version (
    code text NOT NULL,
    version integer NOT NULL,
    title text NOT NULL,
    facts jsonb NOT NULL,
    published_by uuid,
    published_at timestamp with time zone DEFAULT now() NOT NULL
);

CREATE TABLE public.recovery_code (
    principal_id uuid NOT NULL,
    code_hash bytea NOT NULL
);

CREATE TABLE public.reorganisation (
    id uuid NOT NULL,
    xact xid8 DEFAULT pg_current_xact_id() NOT NULL,
    at timestamp with time zone DEFAULT transaction_timestamp() NOT NULL,
    made_by uuid NOT NULL,
    reason text NOT NULL,
    CONSTRAINT reorganisation_reason_check CHECK ((TRIM(BOTH FROM reason) <> ''::text))
);

CREATE TABLE public.rule (
    id uuid NOT NULL,
    code text NOT NULL,
    draft jsonb,
    revision integer DEFAULT 1 NOT NULL,
    created_at timestamp with time zone DEFAULT now() NOT NULL,
    draft_by uuid,
    draft_at timestamp with time zone
);

CREATE TABLE public.rule_use (
    rule_version_id uuid NOT NULL,
    access_set_id integer NOT NULL,
    n integer NOT NULL
);

CREATE TABLE public.rule_version (
    id uuid NOT NULL,
    rule_id uuid NOT NULL,
    version integer NOT NULL,
    definition jsonb NOT NULL,
    in_force_from date NOT NULL,
    takes_over text NOT NULL,
    published_by uuid NOT NULL,
    published_at timestamp with time zone NOT NULL,
    CONSTRAINT rule_version_takes_over_check CHECK ((takes_over = ANY (ARRAY['all'::text, 'laterClocks'::text])))
);

CREATE TABLE public.rule_withdrawal (
    version_id uuid NOT NULL,
    withdrawn_by uuid NOT NULL,
    withdrawn_at timestamp with time zone NOT NULL,
    reason text NOT NULL
);

CREATE TABLE public.schema_fingerprint (
    sha256 text NOT NULL
);

CREATE TABLE public.seal_state (
    one boolean DEFAULT true NOT NULL,
    size bigint DEFAULT 0 NOT NULL,
    floor bigint DEFAULT 0 NOT NULL,
    next_floor bigint DEFAULT 0 NOT NULL,
    next_floor_at xid8 DEFAULT '0'::xid8 NOT NULL,
    CONSTRAINT seal_state_one_check CHECK (one)
);

CREATE TABLE public.second_factor (
    principal_id uuid NOT NULL,
    secret bytea NOT NULL,
    made_at timestamp with time zone DEFAULT now() NOT NULL,
    confirmed_at timestamp with time zone,
    last_step bigint DEFAULT 0 NOT NULL
);

CREATE TABLE public.session (
    token_hash bytea NOT NULL,
    principal_id uuid NOT NULL,
    created_at timestamp with time zone DEFAULT now() NOT NULL,
    last_seen_at timestamp with time zone DEFAULT now() NOT NULL,
    expires_at timestamp with time zone NOT NULL,
    id uuid DEFAULT gen_random_uuid() NOT NULL,
    address text DEFAULT ''::text NOT NULL,
    agent text DEFAULT ''::text NOT NULL,
    factor_proved boolean DEFAULT false NOT NULL
);

CREATE TABLE public.setting (
    name text NOT NULL,
    value jsonb NOT NULL
);

CREATE TABLE public.sign_in_begun (
    token_hash bytea NOT NULL,
    provider_id uuid NOT NULL,
    address text NOT NULL,
    linking_id uuid,
    proved_id uuid,
    until timestamp with time zone NOT NULL
);

CREATE TABLE public.sign_in_try (
    login text NOT NULL,
    address text NOT NULL,
    at timestamp with time zone DEFAULT now() NOT NULL
);

CREATE TABLE public.signing_key (
    id text NOT NULL,
    public_key text NOT NULL,
    made_at timestamp with time zone DEFAULT now() NOT NULL,
    succeeds text,
    handover bytea,
    CONSTRAINT signing_key_handover CHECK (((succeeds IS NULL) = (handover IS NULL)))
);

CREATE TABLE public.stencil (
    id uuid NOT NULL,
    subject text NOT NULL COLLATE public.by_words,
    title text NOT NULL COLLATE public.by_words,
    note text DEFAULT ''::text NOT NULL,
    retired_on date,
    revision integer DEFAULT 1 NOT NULL,
    CONSTRAINT stencil_subject_check CHECK ((subject <> ''::text)),
    CONSTRAINT stencil_title_check CHECK ((title <> ''::text))
);

CREATE TABLE public.stencil_version (
    stencil_id uuid NOT NULL,
    version integer NOT NULL,
    definition jsonb NOT NULL,
    made_by uuid NOT NULL,
    made_at timestamp with time zone NOT NULL
);

CREATE TABLE public.step_letter (
    message_id uuid NOT NULL,
    task_id uuid NOT NULL
);

CREATE TABLE public.step_task (
    id uuid NOT NULL,
    record_id uuid NOT NULL,
    rule_id uuid NOT NULL,
    step_index smallint NOT NULL,
    kind text NOT NULL,
    asked_on date NOT NULL,
    last_asked_on date NOT NULL,
    times integer DEFAULT 1 NOT NULL,
    to_send boolean DEFAULT true NOT NULL,
    again_on date,
    state text DEFAULT 'open'::text NOT NULL,
    answer text,
    answered_by uuid,
    answered_on date,
    note text DEFAULT ''::text NOT NULL,
    CONSTRAINT step_task_answer_check CHECK ((answer = ANY (ARRAY['keep'::text, 'notNeeded'::text, 'goOn'::text]))),
    CONSTRAINT step_task_check CHECK (((state = 'answered'::text) = ((answer IS NOT NULL) AND (answered_by IS NOT NULL) AND (answered_on IS NOT NULL)))),
    CONSTRAINT step_task_kind_check CHECK ((kind = ANY (ARRAY['askOwner'::text, 'review'::text]))),
    CONSTRAINT step_task_state_check CHECK ((state = ANY (ARRAY['open'::text, 'answered'::text, 'unanswered'::text, 'dropped'::text])))
);

CREATE TABLE public.transfer (
    batch_id uuid NOT NULL,
    records uuid[] NOT NULL,
    bag_name text NOT NULL,
    bag_sha256 bytea NOT NULL,
    bag_size bigint NOT NULL,
    bag_id uuid,
    made_on date NOT NULL,
    receipt jsonb,
    payload_oxum text,
    files integer,
    CONSTRAINT transfer_bag_sha256_check CHECK ((length(bag_sha256) = 32))
);

CREATE TABLE public.tree_head (
    size bigint NOT NULL,
    root bytea NOT NULL,
    signed_at timestamp with time zone NOT NULL,
    key_id text NOT NULL,
    signature bytea NOT NULL
);

CREATE TABLE public.unread (
    record_id uuid NOT NULL,
    parts jsonb NOT NULL,
    since timestamp with time zone DEFAULT now() NOT NULL
);

CREATE TABLE public.version (
    record_id uuid NOT NULL,
    no integer NOT NULL,
    content_id uuid NOT NULL,
    file_name text NOT NULL,
    made_by uuid NOT NULL,
    made_at timestamp with time zone NOT NULL,
    note text DEFAULT ''::text NOT NULL,
    media_type text NOT NULL
);

CREATE TABLE public.visitor_pass (
    id uuid NOT NULL,
    token_hash bytea NOT NULL,
    visitor text NOT NULL,
    reason text NOT NULL,
    made_by uuid NOT NULL,
    made_at timestamp with time zone DEFAULT public.repository_now() NOT NULL,
    until date NOT NULL,
    passphrase_hash text,
    openings integer,
    opened integer DEFAULT 0 NOT NULL,
    last_opened_at timestamp with time zone,
    copy_out boolean NOT NULL,
    place_id uuid,
    revoked_at timestamp with time zone,
    revoked_by uuid,
    revoke_reason text,
    CONSTRAINT visitor_pass_a_year CHECK ((until <= (public.repository_date(made_at) + 366))),
    CONSTRAINT visitor_pass_openings CHECK ((opened <= openings)),
    CONSTRAINT visitor_pass_openings_check CHECK ((openings > 0))
);

CREATE TABLE public.visitor_pass_record (
    pass_id uuid NOT NULL,
    record_id uuid NOT NULL
);

CREATE TABLE public.visitor_session (
    token_hash bytea NOT NULL,
    pass_id uuid NOT NULL,
    opened_at timestamp with time zone DEFAULT now() NOT NULL,
    last_seen_at timestamp with time zone DEFAULT now() NOT NULL,
    address text NOT NULL
);

ALTER TABLE ONLY public.access_review_line
    ADD CONSTRAINT access_review_line_pkey PRIMARY KEY (id);

ALTER TABLE ONLY public.access_review_line
    ADD CONSTRAINT access_review_line_review_id_grant_id_key UNIQUE (review_id, grant_id);

ALTER TABLE ONLY public.access_review
    ADD CONSTRAINT access_review_pkey PRIMARY KEY (id);

ALTER TABLE ONLY public.access_set
    ADD CONSTRAINT access_set_key UNIQUE NULLS NOT DISTINCT (anchor_place, record_id, marking_level, marking_caveats, tags);

ALTER TABLE ONLY public.access_set
    ADD CONSTRAINT access_set_pkey PRIMARY KEY (id);

ALTER TABLE ONLY public.access_tag
    ADD CONSTRAINT access_tag_pkey PRIMARY KEY (id);

ALTER TABLE ONLY public.api_token
    ADD CONSTRAINT api_token_pkey PRIMARY KEY (id);

ALTER TABLE ONLY public.api_token
    ADD CONSTRAINT api_token_token_hash_key UNIQUE (token_hash);

ALTER TABLE ONLY public.approval
    ADD CONSTRAINT approval_pkey PRIMARY KEY (batch_id, principal_id);

ALTER TABLE ONLY public.arrival
    ADD CONSTRAINT arrival_deposited_by_idempotency_key_key UNIQUE (deposited_by, idempotency_key);

ALTER TABLE ONLY public.arrival
    ADD CONSTRAINT arrival_pkey PRIMARY KEY (id);

ALTER TABLE ONLY public.batch_counter
    ADD CONSTRAINT batch_counter_pkey PRIMARY KEY (kind, year);

ALTER TABLE ONLY public.batch_item
    ADD CONSTRAINT batch_item_pkey PRIMARY KEY (batch_id, record_id);

ALTER TABLE ONLY public.batch
    ADD CONSTRAINT batch_number_key UNIQUE (number);

ALTER TABLE ONLY public.batch
    ADD CONSTRAINT batch_pkey PRIMARY KEY (id);

ALTER TABLE ONLY public.brought
    ADD CONSTRAINT brought_pkey PRIMARY KEY (section, name);

ALTER TABLE ONLY public.certificate
    ADD CONSTRAINT certificate_batch_id_key UNIQUE (batch_id);

ALTER TABLE ONLY public.certificate
    ADD CONSTRAINT certificate_number_key UNIQUE (number);

ALTER TABLE ONLY public.certificate
    ADD CONSTRAINT certificate_pkey PRIMARY KEY (id);

ALTER TABLE ONLY public.container
    ADD CONSTRAINT container_code_key UNIQUE (code);

ALTER TABLE ONLY public.container
    ADD CONSTRAINT container_pkey PRIMARY KEY (id);

ALTER TABLE ONLY public.content_chunk
    ADD CONSTRAINT content_chunk_pkey PRIMARY KEY (content_id, seq);

ALTER TABLE ONLY public.content
    ADD CONSTRAINT content_key_slot_key UNIQUE (key_slot);

ALTER TABLE ONLY public.content_object
    ADD CONSTRAINT content_object_pkey PRIMARY KEY (content_id);

ALTER TABLE ONLY public.content
    ADD CONSTRAINT content_pkey PRIMARY KEY (id);

ALTER TABLE ONLY public.content
    ADD CONSTRAINT content_sha256_key UNIQUE (sha256);

ALTER TABLE ONLY public.criteria_rule
    ADD CONSTRAINT criteria_rule_pkey PRIMARY KEY (id);

ALTER TABLE ONLY public.criteria_rule
    ADD CONSTRAINT criteria_rule_position_key UNIQUE ("position") DEFERRABLE INITIALLY DEFERRED;

ALTER TABLE ONLY public.custodian
    ADD CONSTRAINT custodian_pkey PRIMARY KEY (hold_id, principal_id);

ALTER TABLE ONLY public.detection_due
    ADD CONSTRAINT detection_due_pkey PRIMARY KEY (record_id);

ALTER TABLE ONLY public.detector
    ADD CONSTRAINT detector_pkey PRIMARY KEY (id);

ALTER TABLE ONLY public.digest_due
    ADD CONSTRAINT digest_due_pkey PRIMARY KEY (message_id);

ALTER TABLE ONLY public.due_sum
    ADD CONSTRAINT due_sum_pkey PRIMARY KEY (access_set_id, month, action);

ALTER TABLE ONLY public.entity
    ADD CONSTRAINT entity_pkey PRIMARY KEY (id);

ALTER TABLE ONLY public.epoch
    ADD CONSTRAINT epoch_pkey PRIMARY KEY (name);

ALTER TABLE ONLY public.event
    ADD CONSTRAINT event_pkey PRIMARY KEY (id);

ALTER TABLE ONLY public.event_type
    ADD CONSTRAINT event_type_pkey PRIMARY KEY (name);

ALTER TABLE ONLY public.fact_value
    ADD CONSTRAINT fact_value_pkey PRIMARY KEY (record_type, fact, value);

ALTER TABLE ONLY public.federated
    ADD CONSTRAINT federated_pkey PRIMARY KEY (provider_id, subject);

ALTER TABLE ONLY public.federated
    ADD CONSTRAINT federated_provider_id_principal_id_key UNIQUE (provider_id, principal_id);

ALTER TABLE ONLY public.former_code
    ADD CONSTRAINT former_code_pkey PRIMARY KEY (place_id, code);

ALTER TABLE ONLY public.grant_
    ADD CONSTRAINT grant__pkey PRIMARY KEY (id);

ALTER TABLE ONLY public.head_stamp
    ADD CONSTRAINT head_stamp_pkey PRIMARY KEY (size);

ALTER TABLE ONLY public.head_witness
    ADD CONSTRAINT head_witness_pkey PRIMARY KEY (size);

ALTER TABLE ONLY public.hold_cover
    ADD CONSTRAINT hold_cover_pkey PRIMARY KEY (hold_id, record_id);

ALTER TABLE ONLY public.hold_part
    ADD CONSTRAINT hold_part_pkey PRIMARY KEY (hold_id, no);

ALTER TABLE ONLY public.hold
    ADD CONSTRAINT hold_pkey PRIMARY KEY (id);

ALTER TABLE ONLY public.hold_work
    ADD CONSTRAINT hold_work_pkey PRIMARY KEY (hold_id);

ALTER TABLE ONLY public.identity_provider
    ADD CONSTRAINT identity_provider_issuer_key UNIQUE (issuer);

ALTER TABLE ONLY public.identity_provider
    ADD CONSTRAINT identity_provider_pkey PRIMARY KEY (id);

ALTER TABLE ONLY public.invitation
    ADD CONSTRAINT invitation_pkey PRIMARY KEY (token_hash);

ALTER TABLE ONLY public.invitation
    ADD CONSTRAINT invitation_principal_id_key UNIQUE (principal_id);

ALTER TABLE ONLY public.job_progress
    ADD CONSTRAINT job_progress_pkey PRIMARY KEY (id);

ALTER TABLE ONLY public.jurisdiction
    ADD CONSTRAINT jurisdiction_pkey PRIMARY KEY (name);

ALTER TABLE ONLY public.key_erasure
    ADD CONSTRAINT key_erasure_pkey PRIMARY KEY (slot);

ALTER TABLE ONLY public.known_address
    ADD CONSTRAINT known_address_pkey PRIMARY KEY (principal_id, address);

ALTER TABLE ONLY public.ledger_entry
    ADD CONSTRAINT ledger_entry_pkey PRIMARY KEY (seq);

ALTER TABLE ONLY public.ledger_tile
    ADD CONSTRAINT ledger_tile_pkey PRIMARY KEY (level, idx);

ALTER TABLE ONLY public.mail_choice
    ADD CONSTRAINT mail_choice_pkey PRIMARY KEY (principal_id, kind);

ALTER TABLE ONLY public.mail
    ADD CONSTRAINT mail_pkey PRIMARY KEY (id);

ALTER TABLE ONLY public.matter
    ADD CONSTRAINT matter_code_key UNIQUE (code);

ALTER TABLE ONLY public.matter
    ADD CONSTRAINT matter_pkey PRIMARY KEY (id);

ALTER TABLE ONLY public.membership
    ADD CONSTRAINT membership_pkey PRIMARY KEY (member_id, group_id);

ALTER TABLE ONLY public.message
    ADD CONSTRAINT message_pkey PRIMARY KEY (id);

ALTER TABLE ONLY public.migration
    ADD CONSTRAINT migration_pkey PRIMARY KEY (name);

ALTER TABLE ONLY public.named_year
    ADD CONSTRAINT named_year_pkey PRIMARY KEY (name);

ALTER TABLE ONLY public.numbering_counter
    ADD CONSTRAINT numbering_counter_pkey PRIMARY KEY (numbering_id, scope);

ALTER TABLE ONLY public.numbering
    ADD CONSTRAINT numbering_pkey PRIMARY KEY (id);

ALTER TABLE ONLY public.numbering
    ADD CONSTRAINT numbering_title_key UNIQUE (title);

ALTER TABLE ONLY public.objection
    ADD CONSTRAINT objection_pkey PRIMARY KEY (id);

ALTER TABLE ONLY public.own_profile
    ADD CONSTRAINT own_profile_pkey PRIMARY KEY (code);

ALTER TABLE ONLY public.pair_rule
    ADD CONSTRAINT pair_rule_pkey PRIMARY KEY (record_type, series_id, rule_id);

ALTER TABLE ONLY public.past
    ADD CONSTRAINT past_pkey PRIMARY KEY (id);

ALTER TABLE ONLY public.place
    ADD CONSTRAINT place_pkey PRIMARY KEY (id);

ALTER TABLE ONLY public.place_rule
    ADD CONSTRAINT place_rule_pkey PRIMARY KEY (place_id, rule_id);

ALTER TABLE ONLY public.place_sum
    ADD CONSTRAINT place_sum_pkey PRIMARY KEY (place_id, access_set_id);

ALTER TABLE ONLY public.principal
    ADD CONSTRAINT principal_login_key UNIQUE (login);

ALTER TABLE ONLY public.principal
    ADD CONSTRAINT principal_pkey PRIMARY KEY (id);

ALTER TABLE ONLY public.provider_group
    ADD CONSTRAINT provider_group_pkey PRIMARY KEY (provider_id, value, group_id);

ALTER TABLE ONLY public.rack_cell
    ADD CONSTRAINT rack_cell_pkey PRIMARY KEY (series_id, vintage, access_set_id);

ALTER TABLE ONLY public.rack_total
    ADD CONSTRAINT rack_total_pkey PRIMARY KEY (series_id, vintage);

ALTER TABLE ONLY public.raise
    ADD CONSTRAINT raise_pkey PRIMARY KEY (id);

ALTER TABLE ONLY public.recognised
    ADD CONSTRAINT recognised_pkey PRIMARY KEY (content_id);

ALTER TABLE ONLY public.record
    ADD CONSTRAINT record_pkey PRIMARY KEY (id);

ALTER TABLE ONLY public.record_reference
    ADD CONSTRAINT record_reference_pkey PRIMARY KEY (target_id, fact, referrer_id, since);

ALTER TABLE ONLY public.record_type
    ADD CONSTRAINT record_type_pkey PRIMARY KEY (code);

ALTER TABLE ONLY public.record_type_version
    ADD CONSTRAINT record_type_version_pkey PRIMARY KEY (code, version);

ALTER TABLE ONLY public.recovery_code
    ADD CONSTRAINT recovery_code_pkey PRIMARY KEY (principal_id, code_hash);

ALTER TABLE ONLY public.reorganisation
    ADD CONSTRAINT reorganisation_pkey PRIMARY KEY (id);

ALTER TABLE ONLY public.rule
    ADD CONSTRAINT rule_code_key UNIQUE (code);

ALTER TABLE ONLY public.rule
    ADD CONSTRAINT rule_pkey PRIMARY KEY (id);

ALTER TABLE ONLY public.rule_version
    ADD CONSTRAINT rule_version_pkey PRIMARY KEY (id);

ALTER TABLE ONLY public.rule_version
    ADD CONSTRAINT rule_version_rule_id_version_key UNIQUE (rule_id, version);

ALTER TABLE ONLY public.rule_withdrawal
    ADD CONSTRAINT rule_withdrawal_pkey PRIMARY KEY (version_id);

ALTER TABLE ONLY public.seal_state
    ADD CONSTRAINT seal_state_pkey PRIMARY KEY (one);

ALTER TABLE ONLY public.second_factor
    ADD CONSTRAINT second_factor_pkey PRIMARY KEY (principal_id);

ALTER TABLE ONLY public.session
    ADD CONSTRAINT session_id_key UNIQUE (id);

ALTER TABLE ONLY public.session
    ADD CONSTRAINT session_pkey PRIMARY KEY (token_hash);

ALTER TABLE ONLY public.setting
    ADD CONSTRAINT setting_pkey PRIMARY KEY (name);

ALTER TABLE ONLY public.sign_in_begun
    ADD CONSTRAINT sign_in_begun_pkey PRIMARY KEY (token_hash);

ALTER TABLE ONLY public.signing_key
    ADD CONSTRAINT signing_key_pkey PRIMARY KEY (id);

ALTER TABLE ONLY public.stencil
    ADD CONSTRAINT stencil_pkey PRIMARY KEY (id);

ALTER TABLE ONLY public.stencil_version
    ADD CONSTRAINT stencil_version_pkey PRIMARY KEY (stencil_id, version);

ALTER TABLE ONLY public.step_letter
    ADD CONSTRAINT step_letter_pkey PRIMARY KEY (message_id, task_id);

ALTER TABLE ONLY public.step_task
    ADD CONSTRAINT step_task_pkey PRIMARY KEY (id);

ALTER TABLE ONLY public.transfer
    ADD CONSTRAINT transfer_pkey PRIMARY KEY (batch_id);

ALTER TABLE ONLY public.tree_head
    ADD CONSTRAINT tree_head_pkey PRIMARY KEY (size);

ALTER TABLE ONLY public.unread
    ADD CONSTRAINT unread_pkey PRIMARY KEY (record_id);

ALTER TABLE ONLY public.version
    ADD CONSTRAINT version_pkey PRIMARY KEY (record_id, no);

ALTER TABLE ONLY public.visitor_pass
    ADD CONSTRAINT visitor_pass_pkey PRIMARY KEY (id);

ALTER TABLE ONLY public.visitor_pass_record
    ADD CONSTRAINT visitor_pass_record_pkey PRIMARY KEY (pass_id, record_id);

ALTER TABLE ONLY public.visitor_pass
    ADD CONSTRAINT visitor_pass_token_hash_key UNIQUE (token_hash);

ALTER TABLE ONLY public.visitor_session
    ADD CONSTRAINT visitor_session_pkey PRIMARY KEY (token_hash);

CREATE INDEX access_review_line_grant ON public.access_review_line USING btree (grant_id);

CREATE INDEX access_review_line_review ON public.access_review_line USING btree (review_id);

CREATE INDEX access_set_tags ON public.access_set USING gin (tags) WHERE (tags <> '{}'::uuid[]);

CREATE UNIQUE INDEX access_tag_name ON public.access_tag USING btree (lower(name));

CREATE INDEX api_token_principal ON public.api_token USING btree (principal_id);

CREATE INDEX arrival_by ON public.arrival USING btree (deposited_by, arrived_at);

CREATE INDEX arrival_content ON public.arrival USING btree (content_id);

CREATE INDEX batch_item_open ON public.batch_item USING btree (batch_id) WHERE (outcome = ANY (ARRAY['open'::text, 'task'::text]));

CREATE INDEX batch_item_record ON public.batch_item USING btree (record_id);

CREATE INDEX batch_state ON public.batch USING btree (state);

CREATE INDEX content_damaged ON public.content USING btree (damaged_at) WHERE (damaged_at IS NOT NULL);

CREATE INDEX content_object_begun ON public.content_object USING btree (begun_at) WHERE (version IS NULL);

CREATE INDEX content_object_gone ON public.content_object USING btree (COALESCE(locked_until, '-infinity'::timestamp with time zone)) WHERE (gone_since IS NOT NULL);

CREATE INDEX content_object_lock ON public.content_object USING btree (COALESCE(locked_until, '-infinity'::timestamp with time zone)) WHERE ((version IS NOT NULL) AND (gone_since IS NULL));

CREATE INDEX content_unchecked ON public.content USING btree (COALESCE(checked_at, stored_at), id) WHERE ((sha256 IS NOT NULL) AND (damaged_at IS NULL));

CREATE INDEX content_uncopied ON public.content USING btree (id) WHERE ((sha256 IS NOT NULL) AND (store = 'database'::text) AND (copied_at IS NULL) AND (damaged_at IS NULL) AND (key_slot IS NOT NULL));

CREATE INDEX criteria_rule_rule ON public.criteria_rule USING btree (rule_id);

CREATE INDEX custodian_principal ON public.custodian USING btree (principal_id) WHERE (acknowledged_at IS NULL);

CREATE UNIQUE INDEX detector_title ON public.detector USING btree (lower(title));

CREATE INDEX entity_code ON public.entity USING btree (code) WHERE (code <> ''::text);

CREATE UNIQUE INDEX entity_name ON public.entity USING btree (kind, lower(name));

CREATE INDEX event_corrects ON public.event USING btree (corrects) WHERE (corrects IS NOT NULL);

CREATE INDEX event_entity ON public.event USING btree (entity_id) WHERE (entity_id IS NOT NULL);

CREATE INDEX event_place ON public.event USING btree (place_id);

CREATE INDEX event_record ON public.event USING btree (record_id);

CREATE UNIQUE INDEX event_type_folded ON public.event_type USING btree (lower(name));

CREATE INDEX fact_value_record ON public.fact_value USING btree (record_id);

CREATE INDEX federated_principal ON public.federated USING btree (principal_id);

CREATE INDEX former_code_code ON public.former_code USING btree (code);

CREATE INDEX grant_place ON public.grant_ USING btree (place_id);

CREATE INDEX grant_principal ON public.grant_ USING btree (principal_id);

CREATE INDEX grant_record ON public.grant_ USING btree (record_id) WHERE (record_id IS NOT NULL);

CREATE INDEX grant_tag ON public.grant_ USING btree (tag_id) WHERE (tag_id IS NOT NULL);

CREATE INDEX hold_cover_record ON public.hold_cover USING btree (record_id) WHERE (released_at IS NULL);

CREATE INDEX hold_matter ON public.hold USING btree (matter_id);

CREATE UNIQUE INDEX identity_provider_name ON public.identity_provider USING btree (lower(name));

CREATE INDEX job_progress_running ON public.job_progress USING btree (kind) WHERE (state = 'running'::text);

CREATE INDEX key_erasure_content ON public.key_erasure USING btree (content_id);

CREATE INDEX key_erasure_open ON public.key_erasure USING btree (slot) WHERE (erased_at IS NULL);

CREATE INDEX ledger_entry_act ON public.ledger_entry USING btree (act, seq);

CREATE INDEX ledger_entry_actor ON public.ledger_entry USING btree (actor_id, seq);

CREATE INDEX ledger_entry_people ON public.ledger_entry USING btree (seq) WHERE (actor_id IS NOT NULL);

CREATE INDEX ledger_entry_subject ON public.ledger_entry USING btree (subject_id, seq);

CREATE INDEX ledger_tile_last ON public.ledger_tile USING btree (last_seq) WHERE (level = 0);

CREATE INDEX ledger_tile_span ON public.ledger_tile USING gist (int8range(first_seq, last_seq, '[]'::text)) WHERE (level = 0);

CREATE INDEX mail_message ON public.mail USING btree (message_id) WHERE (message_id IS NOT NULL);

CREATE INDEX mail_not_arrived ON public.mail USING btree (ended_at) WHERE (state = ANY (ARRAY['refused'::text, 'uncertain'::text, 'returned'::text]));

CREATE INDEX mail_queued ON public.mail USING btree (queued_at DESC);

CREATE INDEX mail_waiting ON public.mail USING btree (next_at) WHERE (state = ANY (ARRAY['waiting'::text, 'sending'::text]));

CREATE INDEX message_to ON public.message USING btree (to_id, sent_at DESC);

CREATE INDEX objection_batch ON public.objection USING btree (batch_id);

CREATE UNIQUE INDEX own_profile_title ON public.own_profile USING btree (lower(title));

CREATE INDEX pair_rule_rule ON public.pair_rule USING btree (rule_id);

CREATE INDEX pair_rule_series ON public.pair_rule USING btree (series_id);

CREATE INDEX past_of ON public.past USING btree (of, key, id);

CREATE INDEX place_access_tags ON public.place USING gin (access_tags) WHERE (access_tags <> '{}'::uuid[]);

CREATE INDEX place_ancestors ON public.place USING gin (ancestors);

CREATE UNIQUE INDEX place_code ON public.place USING btree (code) WHERE (kind <> 'folder'::text);

CREATE UNIQUE INDEX place_folder_code ON public.place USING btree (parent_id, code) WHERE (kind = 'folder'::text);

CREATE INDEX place_numbering ON public.place USING btree (numbering_id) WHERE (numbering_id IS NOT NULL);

CREATE INDEX place_parent ON public.place USING btree (parent_id, "position", code);

CREATE INDEX place_rule_rule ON public.place_rule USING btree (rule_id);

CREATE INDEX place_stencil ON public.place USING btree (stencil_id) WHERE (stencil_id IS NOT NULL);

CREATE INDEX principal_asks ON public.principal USING btree (id) WHERE second_factor;

CREATE UNIQUE INDEX principal_everyone ON public.principal USING btree (everyone) WHERE everyone;

CREATE UNIQUE INDEX principal_external ON public.principal USING btree (kind, external_id) WHERE (external_id IS NOT NULL);

CREATE UNIQUE INDEX principal_group_name ON public.principal USING btree (lower(name)) WHERE (kind = 'group'::text);

CREATE UNIQUE INDEX principal_program_name ON public.principal USING btree (lower(name)) WHERE (kind = 'service'::text);

CREATE INDEX rack_cell_set ON public.rack_cell USING btree (access_set_id);

CREATE INDEX raise_asker ON public.raise USING btree (asker_id, asked_at DESC);

CREATE UNIQUE INDEX raise_open ON public.raise USING btree (asker_id, place_id, profile) WHERE (state = 'open'::text);

CREATE INDEX raise_place ON public.raise USING btree (place_id);

CREATE INDEX record_access ON public.record USING btree (access_set_id);

CREATE INDEX record_by_type ON public.record USING btree (record_type, id);

CREATE INDEX record_conflict ON public.record USING btree (conflict_with) INCLUDE (access_set_id, rule_version_id) WHERE ((conflict_with IS NOT NULL) AND (state <> 'disposed'::text));

CREATE INDEX record_container ON public.record USING btree (container_id) WHERE (container_id IS NOT NULL);

CREATE INDEX record_created ON public.record USING btree (created_on, id) INCLUDE (access_set_id, state);

CREATE INDEX record_deposited_by ON public.record USING btree (deposited_by);

CREATE INDEX record_detected ON public.record USING gin (detected) WHERE (detected <> '{}'::uuid[]);

CREATE INDEX record_docket ON public.record USING btree (series_id, rule_version_id, vintage) WHERE (docket <> 'none'::text);

CREATE INDEX record_due ON public.record USING btree (COALESCE(due_on, 'infinity'::date), id) INCLUDE (access_set_id, state, due_on);

CREATE INDEX record_facts ON public.record USING gin (facts jsonb_path_ops);

CREATE INDEX record_filed ON public.record USING btree (filed_on, id) INCLUDE (access_set_id, state);

CREATE UNIQUE INDEX record_number ON public.record USING btree (number) INCLUDE (access_set_id, state);

CREATE INDEX record_override ON public.record USING btree (id) WHERE (override IS NOT NULL);

CREATE INDEX record_owner ON public.record USING btree (owner_id) WHERE (owner_id IS NOT NULL);

CREATE INDEX record_place ON public.record USING btree (place_id);

CREATE INDEX record_places ON public.record USING gin (places);

CREATE INDEX record_reference_by ON public.record_reference USING btree (referrer_id) WHERE (until IS NULL);

CREATE INDEX record_refers ON public.record USING gin (refers) WHERE (refers <> '{}'::uuid[]);

CREATE INDEX record_search ON public.record USING gin (search);

CREATE INDEX record_series_created ON public.record USING btree (series_id, created_on, id) INCLUDE (access_set_id, state);

CREATE INDEX record_series_due ON public.record USING btree (series_id, COALESCE(due_on, 'infinity'::date), id) INCLUDE (access_set_id, state, due_on);

CREATE INDEX record_series_filed ON public.record USING btree (series_id, filed_on, id) INCLUDE (access_set_id, state);

CREATE INDEX record_series_number ON public.record USING btree (series_id, number) INCLUDE (access_set_id, state);

CREATE INDEX record_series_size ON public.record USING btree (series_id, size, id) INCLUDE (access_set_id, state);

CREATE INDEX record_series_title ON public.record USING btree (series_id, title, id) INCLUDE (access_set_id, state);

CREATE INDEX record_size ON public.record USING btree (size, id) INCLUDE (access_set_id, state);

CREATE INDEX record_step ON public.record USING btree (next_step_on) WHERE ((next_step_on IS NOT NULL) AND (state <> 'disposed'::text));

CREATE INDEX record_sweep ON public.record USING btree (due_on) WHERE ((docket = 'none'::text) AND (state <> 'disposed'::text) AND (due_on IS NOT NULL));

CREATE INDEX record_title ON public.record USING btree (title, id) INCLUDE (access_set_id, state);

CREATE INDEX record_unscheduled ON public.record USING btree (series_id, record_type) INCLUDE (access_set_id) WHERE ((outcome = 'unscheduled'::text) AND (state <> 'disposed'::text));

CREATE INDEX record_waiting ON public.record USING btree (rule_version_id, place_id) INCLUDE (access_set_id, record_type) WHERE ((outcome = 'waiting'::text) AND (state <> 'disposed'::text));

CREATE INDEX reorganisation_xact ON public.reorganisation USING btree (xact);

CREATE UNIQUE INDEX schema_fingerprint_one ON public.schema_fingerprint USING btree ((true));

CREATE INDEX session_principal ON public.session USING btree (principal_id);

CREATE INDEX sign_in_begun_address ON public.sign_in_begun USING btree (address);

CREATE INDEX sign_in_try_address ON public.sign_in_try USING btree (address, at);

CREATE INDEX sign_in_try_at ON public.sign_in_try USING btree (at);

CREATE INDEX sign_in_try_login ON public.sign_in_try USING btree (login, at);

CREATE UNIQUE INDEX signing_key_line ON public.signing_key USING btree (COALESCE(succeeds, ''::text));

CREATE UNIQUE INDEX stencil_title ON public.stencil USING btree (lower(title));

CREATE INDEX step_letter_task ON public.step_letter USING btree (task_id);

CREATE UNIQUE INDEX step_task_open ON public.step_task USING btree (record_id) WHERE (state = 'open'::text);

CREATE INDEX step_task_record ON public.step_task USING btree (record_id);

CREATE INDEX step_task_unsent ON public.step_task USING btree (id) WHERE (to_send AND (state = 'open'::text));

CREATE INDEX transfer_bag ON public.transfer USING btree (bag_id) WHERE (bag_id IS NOT NULL);

CREATE INDEX version_content ON public.version USING btree (content_id);

CREATE INDEX visitor_pass_maker ON public.visitor_pass USING btree (made_by);

CREATE INDEX visitor_pass_record_record ON public.visitor_pass_record USING btree (record_id);

CREATE INDEX visitor_session_pass ON public.visitor_session USING btree (pass_id);

CREATE TRIGGER access_set_epoch AFTER INSERT ON public.access_set FOR EACH STATEMENT EXECUTE FUNCTION public.bump_epoch('access');

CREATE TRIGGER access_set_tags BEFORE INSERT ON public.access_set FOR EACH ROW WHEN ((new.tags <> '{}'::uuid[])) EXECUTE FUNCTION public.guard_access_tags('tags');

CREATE TRIGGER access_tag_epoch AFTER UPDATE ON public.access_tag FOR EACH STATEMENT EXECUTE FUNCTION public.bump_epoch('access');

CREATE TRIGGER access_tag_past AFTER INSERT OR UPDATE ON public.access_tag FOR EACH ROW EXECUTE FUNCTION public.keep_past();

CREATE TRIGGER approval_fixed BEFORE DELETE OR UPDATE ON public.approval FOR EACH ROW EXECUTE FUNCTION public.refuse_change('a decision on a batch stays as it is');

CREATE TRIGGER approval_guard BEFORE INSERT ON public.approval FOR EACH ROW EXECUTE FUNCTION public.guard_approval();

CREATE TRIGGER approval_kept BEFORE TRUNCATE ON public.approval FOR EACH STATEMENT EXECUTE FUNCTION public.refuse_change('a decision stays');

CREATE TRIGGER batch_guard BEFORE INSERT OR DELETE OR UPDATE ON public.batch FOR EACH ROW EXECUTE FUNCTION public.guard_batch();

CREATE TRIGGER batch_item_guard BEFORE INSERT OR DELETE OR UPDATE ON public.batch_item FOR EACH ROW EXECUTE FUNCTION public.guard_batch_item();

CREATE TRIGGER batch_item_kept BEFORE TRUNCATE ON public.batch_item FOR EACH STATEMENT EXECUTE FUNCTION public.refuse_change('what was in a batch stays');

CREATE TRIGGER batch_kept BEFORE TRUNCATE ON public.batch FOR EACH STATEMENT EXECUTE FUNCTION public.refuse_change('a batch stays');

CREATE TRIGGER certificate_fixed BEFORE DELETE OR UPDATE ON public.certificate FOR EACH ROW EXECUTE FUNCTION public.refuse_change('a certificate never changes');

CREATE TRIGGER certificate_guard BEFORE INSERT ON public.certificate FOR EACH ROW EXECUTE FUNCTION public.guard_certificate();

CREATE TRIGGER certificate_kept BEFORE TRUNCATE ON public.certificate FOR EACH STATEMENT EXECUTE FUNCTION public.refuse_change('A certificate that was issued stays as it is');

CREATE TRIGGER content_chunk_fixed BEFORE UPDATE ON public.content_chunk FOR EACH ROW EXECUTE FUNCTION public.refuse_change('stored content is never updated');

CREATE TRIGGER content_chunk_guard BEFORE INSERT ON public.content_chunk FOR EACH ROW WHEN ((new.seq > 0)) EXECUTE FUNCTION public.guard_chunk();

CREATE TRIGGER content_guard BEFORE INSERT OR UPDATE ON public.content FOR EACH ROW EXECUTE FUNCTION public.guard_content();

CREATE TRIGGER content_key_erased AFTER DELETE ON public.content FOR EACH ROW WHEN ((old.key_slot IS NOT NULL)) EXECUTE FUNCTION public.erase_key();

CREATE TRIGGER content_object_gone AFTER DELETE ON public.content FOR EACH ROW EXECUTE FUNCTION public.object_gone();

CREATE TRIGGER content_object_guard BEFORE DELETE OR UPDATE ON public.content_object FOR EACH ROW EXECUTE FUNCTION public.guard_object();

CREATE TRIGGER criteria_rule_epoch AFTER INSERT OR DELETE OR UPDATE ON public.criteria_rule FOR EACH STATEMENT EXECUTE FUNCTION public.bump_epoch('schedule');

CREATE TRIGGER criteria_rule_past AFTER INSERT OR DELETE OR UPDATE ON public.criteria_rule FOR EACH ROW EXECUTE FUNCTION public.keep_past();

CREATE TRIGGER grant_epoch AFTER INSERT OR DELETE OR UPDATE ON public.grant_ FOR EACH STATEMENT EXECUTE FUNCTION public.bump_epoch('access');

CREATE TRIGGER grant_past AFTER INSERT OR DELETE OR UPDATE ON public.grant_ FOR EACH ROW EXECUTE FUNCTION public.keep_past();

CREATE TRIGGER head_stamp_fixed BEFORE DELETE OR UPDATE ON public.head_stamp FOR EACH ROW EXECUTE FUNCTION public.refuse_change('a time stamp never changes');

CREATE TRIGGER head_witness_fixed BEFORE DELETE OR UPDATE ON public.head_witness FOR EACH ROW EXECUTE FUNCTION public.refuse_change('a cosignature never changes');

CREATE TRIGGER hold_covers AFTER INSERT ON public.hold FOR EACH ROW WHEN (((new.scope_sql IS NOT NULL) AND (new.state = 'open'::text))) EXECUTE FUNCTION public.begin_covering();

CREATE TRIGGER hold_guard BEFORE DELETE OR UPDATE ON public.hold FOR EACH ROW EXECUTE FUNCTION public.guard_hold();

CREATE TRIGGER jurisdiction_epoch AFTER INSERT OR DELETE OR UPDATE ON public.jurisdiction FOR EACH STATEMENT EXECUTE FUNCTION public.bump_epoch('schedule');

CREATE TRIGGER jurisdiction_past AFTER INSERT OR DELETE OR UPDATE ON public.jurisdiction FOR EACH ROW EXECUTE FUNCTION public.keep_past();

CREATE TRIGGER key_erasure_kept BEFORE DELETE ON public.key_erasure FOR EACH ROW EXECUTE FUNCTION public.refuse_change('a key that was to be destroyed is not forgotten');

CREATE TRIGGER ledger_entry_fixed BEFORE DELETE OR UPDATE ON public.ledger_entry FOR EACH ROW EXECUTE FUNCTION public.refuse_change('the ledger only grows');

CREATE TRIGGER ledger_entry_kept BEFORE TRUNCATE ON public.ledger_entry FOR EACH STATEMENT EXECUTE FUNCTION public.refuse_change('the ledger only grows');

CREATE TRIGGER ledger_tile_fixed BEFORE DELETE ON public.ledger_tile FOR EACH ROW EXECUTE FUNCTION public.refuse_change('the ledger only grows');

CREATE TRIGGER ledger_tile_guard BEFORE INSERT OR UPDATE ON public.ledger_tile FOR EACH ROW EXECUTE FUNCTION public.guard_tile();

CREATE TRIGGER ledger_tile_kept BEFORE TRUNCATE ON public.ledger_tile FOR EACH STATEMENT EXECUTE FUNCTION public.refuse_change('the ledger only grows');

CREATE TRIGGER membership_epoch AFTER INSERT OR DELETE OR UPDATE ON public.membership FOR EACH STATEMENT EXECUTE FUNCTION public.bump_epoch('access');

CREATE TRIGGER membership_everyone BEFORE INSERT OR UPDATE ON public.membership FOR EACH ROW EXECUTE FUNCTION public.guard_everyone();

CREATE TRIGGER membership_past AFTER INSERT OR DELETE OR UPDATE ON public.membership FOR EACH ROW EXECUTE FUNCTION public.keep_past();

CREATE TRIGGER named_year_epoch AFTER INSERT OR DELETE OR UPDATE ON public.named_year FOR EACH STATEMENT EXECUTE FUNCTION public.bump_epoch('schedule');

CREATE TRIGGER named_year_past AFTER INSERT OR DELETE OR UPDATE ON public.named_year FOR EACH ROW EXECUTE FUNCTION public.keep_past();

CREATE TRIGGER numbering_counter_grows BEFORE DELETE OR UPDATE ON public.numbering_counter FOR EACH ROW EXECUTE FUNCTION public.guard_counter();

CREATE TRIGGER objection_emptied BEFORE TRUNCATE ON public.objection FOR EACH STATEMENT EXECUTE FUNCTION public.refuse_change('an objection stays');

CREATE TRIGGER objection_guard BEFORE UPDATE ON public.objection FOR EACH ROW EXECUTE FUNCTION public.guard_objection();

CREATE TRIGGER objection_kept BEFORE DELETE ON public.objection FOR EACH ROW EXECUTE FUNCTION public.refuse_change('an objection stays');

CREATE TRIGGER own_profile_epoch AFTER INSERT OR DELETE OR UPDATE ON public.own_profile FOR EACH STATEMENT EXECUTE FUNCTION public.bump_epoch('access');

CREATE TRIGGER own_profile_past AFTER INSERT OR DELETE OR UPDATE ON public.own_profile FOR EACH ROW EXECUTE FUNCTION public.keep_past();

CREATE TRIGGER pair_rule_epoch AFTER INSERT OR DELETE ON public.pair_rule FOR EACH STATEMENT EXECUTE FUNCTION public.bump_epoch('schedule');

CREATE TRIGGER pair_rule_past AFTER INSERT OR DELETE OR UPDATE ON public.pair_rule FOR EACH ROW EXECUTE FUNCTION public.keep_past();

CREATE TRIGGER past_fixed BEFORE UPDATE ON public.past FOR EACH ROW EXECUTE FUNCTION public.refuse_change('what was does not change');

CREATE TRIGGER past_guard BEFORE DELETE ON public.past FOR EACH ROW EXECUTE FUNCTION public.guard_past();

CREATE TRIGGER past_kept BEFORE TRUNCATE ON public.past FOR EACH STATEMENT EXECUTE FUNCTION public.refuse_change('what was does not change');

CREATE TRIGGER place_access_tags BEFORE INSERT OR UPDATE OF access_tags ON public.place FOR EACH ROW WHEN ((new.access_tags <> '{}'::uuid[])) EXECUTE FUNCTION public.guard_access_tags('access_tags');

CREATE TRIGGER place_changed_noted AFTER UPDATE ON public.place REFERENCING OLD TABLE AS old_rows NEW TABLE AS new_rows FOR EACH STATEMENT EXECUTE FUNCTION public.note_plan();

CREATE TRIGGER place_epoch AFTER UPDATE OF stand_alone, ancestors, code, title, access_tags ON public.place FOR EACH STATEMENT EXECUTE FUNCTION public.bump_epoch('access');

CREATE TRIGGER place_gone_noted AFTER DELETE ON public.place REFERENCING OLD TABLE AS old_rows FOR EACH STATEMENT EXECUTE FUNCTION public.note_plan();

CREATE TRIGGER place_made_noted AFTER INSERT ON public.place REFERENCING NEW TABLE AS new_rows FOR EACH STATEMENT EXECUTE FUNCTION public.note_plan();

CREATE TRIGGER place_past AFTER UPDATE OF kind, code, title, parent_id, ancestors, closed_on, jurisdictions, stand_alone, marking_level, marking_caveats, access_tags ON public.place FOR EACH ROW EXECUTE FUNCTION public.keep_past();

CREATE TRIGGER place_rule_epoch AFTER INSERT OR DELETE ON public.place_rule FOR EACH STATEMENT EXECUTE FUNCTION public.bump_epoch('schedule');

CREATE TRIGGER place_rule_past AFTER INSERT OR DELETE OR UPDATE ON public.place_rule FOR EACH ROW EXECUTE FUNCTION public.keep_past();

CREATE TRIGGER places_gone_noted AFTER TRUNCATE ON public.place FOR EACH STATEMENT EXECUTE FUNCTION public.note_plan();

CREATE TRIGGER principal_epoch AFTER INSERT OR DELETE OR UPDATE ON public.principal FOR EACH STATEMENT EXECUTE FUNCTION public.bump_epoch('access');

CREATE TRIGGER principal_everyone_stays BEFORE DELETE OR UPDATE ON public.principal FOR EACH ROW WHEN (old.everyone) EXECUTE FUNCTION public.guard_everyone();

CREATE TRIGGER principal_made_past AFTER INSERT ON public.principal FOR EACH ROW EXECUTE FUNCTION public.keep_past_of_principal();

CREATE TRIGGER principal_past AFTER UPDATE OF name, active, clearance_level, clearance_caveats ON public.principal FOR EACH ROW WHEN (((((old.name IS DISTINCT FROM new.name) OR (old.active IS DISTINCT FROM new.active)) OR (old.clearance_level IS DISTINCT FROM new.clearance_level)) OR (old.clearance_caveats IS DISTINCT FROM new.clearance_caveats))) EXECUTE FUNCTION public.keep_past_of_principal();

CREATE TRIGGER record_before_change BEFORE UPDATE ON public.record FOR EACH ROW EXECUTE FUNCTION public.cover_before_change();

CREATE TRIGGER record_detection_inserted AFTER INSERT ON public.record FOR EACH ROW EXECUTE FUNCTION public.note_detection();

CREATE TRIGGER record_detection_updated AFTER UPDATE OF title, facts, version_no ON public.record FOR EACH ROW WHEN ((((new.title IS DISTINCT FROM old.title) OR (new.facts IS DISTINCT FROM old.facts)) OR (new.version_no IS DISTINCT FROM old.version_no))) EXECUTE FUNCTION public.note_detection();

CREATE TRIGGER record_forgets_detected BEFORE UPDATE OF state ON public.record FOR EACH ROW WHEN (((new.state = 'disposed'::text) AND (old.state <> 'disposed'::text))) EXECUTE FUNCTION public.forget_detected();

CREATE TRIGGER record_gate BEFORE INSERT OR UPDATE ON public.record FOR EACH STATEMENT EXECUTE FUNCTION public.enter_gate();

CREATE TRIGGER record_guard BEFORE UPDATE ON public.record FOR EACH ROW EXECUTE FUNCTION public.guard_record();

CREATE TRIGGER record_kept BEFORE DELETE ON public.record FOR EACH ROW EXECUTE FUNCTION public.refuse_change('a record is disposed of, never deleted');

CREATE TRIGGER record_past AFTER UPDATE OF title, record_type, place_id, series_id, owner_id, created_on, received_on, modified_on, declared_on, superseded_on, facts, gaps, override, jurisdictions, refers, detected ON public.record FOR EACH ROW WHEN (((new.state <> 'disposed'::text) AND (((((((((((((((old.title IS DISTINCT FROM new.title) OR (old.record_type IS DISTINCT FROM new.record_type)) OR (old.place_id IS DISTINCT FROM new.place_id)) OR (old.series_id IS DISTINCT FROM new.series_id)) OR (old.owner_id IS DISTINCT FROM new.owner_id)) OR (old.created_on IS DISTINCT FROM new.created_on)) OR (old.received_on IS DISTINCT FROM new.received_on)) OR (old.modified_on IS DISTINCT FROM new.modified_on)) OR (old.facts IS DISTINCT FROM new.facts)) OR (old.gaps IS DISTINCT FROM new.gaps)) OR (old.override IS DISTINCT FROM new.override)) OR (old.jurisdictions IS DISTINCT FROM new.jurisdictions)) OR (old.refers IS DISTINCT FROM new.refers)) OR (old.detected IS DISTINCT FROM new.detected)) OR ((old.declared_on IS NOT NULL) AND (old.declared_on IS DISTINCT FROM new.declared_on)) OR ((old.superseded_on IS NOT NULL) AND (old.superseded_on IS DISTINCT FROM new.superseded_on))))) EXECUTE FUNCTION public.keep_past_of_record();

CREATE TRIGGER record_past_gone AFTER UPDATE OF state ON public.record FOR EACH ROW WHEN (((new.state = 'disposed'::text) AND (old.state <> 'disposed'::text))) EXECUTE FUNCTION public.drop_past_of_record();

CREATE TRIGGER record_rack_inserted AFTER INSERT ON public.record REFERENCING NEW TABLE AS new_rows FOR EACH STATEMENT EXECUTE FUNCTION public.note_rack_insert();

CREATE TRIGGER record_rack_updated AFTER UPDATE ON public.record REFERENCING OLD TABLE AS old_rows NEW TABLE AS new_rows FOR EACH STATEMENT EXECUTE FUNCTION public.note_rack_update();

CREATE TRIGGER record_reference_guard BEFORE UPDATE ON public.record_reference FOR EACH ROW EXECUTE FUNCTION public.guard_reference();

CREATE TRIGGER record_reference_kept BEFORE DELETE ON public.record_reference FOR EACH ROW EXECUTE FUNCTION public.refuse_change('what pointed at a record is kept');

CREATE TRIGGER record_rule_use_inserted AFTER INSERT ON public.record REFERENCING NEW TABLE AS new_rows FOR EACH STATEMENT EXECUTE FUNCTION public.note_rule_use_insert();

CREATE TRIGGER record_rule_use_updated AFTER UPDATE ON public.record REFERENCING OLD TABLE AS old_rows NEW TABLE AS new_rows FOR EACH STATEMENT EXECUTE FUNCTION public.note_rule_use_update();

CREATE TRIGGER record_seen_by_holds_inserted AFTER INSERT ON public.record REFERENCING NEW TABLE AS written FOR EACH STATEMENT EXECUTE FUNCTION public.cover_what_matches();

CREATE TRIGGER record_seen_by_holds_updated AFTER UPDATE ON public.record REFERENCING NEW TABLE AS written FOR EACH STATEMENT EXECUTE FUNCTION public.cover_what_matches();

CREATE TRIGGER record_steps_guard BEFORE UPDATE OF steps_taken ON public.record FOR EACH ROW WHEN ((old.steps_taken IS DISTINCT FROM new.steps_taken)) EXECUTE FUNCTION public.guard_steps_taken();

CREATE TRIGGER record_type_version_fixed BEFORE DELETE OR UPDATE ON public.record_type_version FOR EACH ROW EXECUTE FUNCTION public.refuse_change('a published version of a record type never changes');

CREATE TRIGGER record_type_version_kept BEFORE TRUNCATE ON public.record_type_version FOR EACH STATEMENT EXECUTE FUNCTION public.refuse_change('a published version of a record type never changes');

CREATE TRIGGER reorganisation_fixed BEFORE DELETE OR UPDATE ON public.reorganisation FOR EACH ROW EXECUTE FUNCTION public.refuse_change('what was said of a reorganisation never changes');

CREATE TRIGGER reorganisation_kept BEFORE TRUNCATE ON public.reorganisation FOR EACH STATEMENT EXECUTE FUNCTION public.refuse_change('what was said of a reorganisation never changes');

CREATE TRIGGER review_line_stays BEFORE UPDATE ON public.access_review_line FOR EACH ROW EXECUTE FUNCTION public.guard_review_line();

CREATE TRIGGER rule_version_epoch AFTER INSERT ON public.rule_version FOR EACH STATEMENT EXECUTE FUNCTION public.bump_epoch('schedule');

CREATE TRIGGER rule_version_fixed BEFORE DELETE OR UPDATE ON public.rule_version FOR EACH ROW EXECUTE FUNCTION public.refuse_change('a published rule version never changes');

CREATE TRIGGER rule_version_kept BEFORE TRUNCATE ON public.rule_version FOR EACH STATEMENT EXECUTE FUNCTION public.refuse_change('a published rule version never changes');

CREATE TRIGGER rule_withdrawal_epoch AFTER INSERT ON public.rule_withdrawal FOR EACH STATEMENT EXECUTE FUNCTION public.bump_epoch('schedule');

CREATE TRIGGER rule_withdrawal_fixed BEFORE DELETE OR UPDATE ON public.rule_withdrawal FOR EACH ROW EXECUTE FUNCTION public.refuse_change('a version that was withdrawn stays so');

CREATE TRIGGER rule_withdrawal_guard BEFORE INSERT ON public.rule_withdrawal FOR EACH ROW EXECUTE FUNCTION public.guard_withdrawal();

CREATE TRIGGER rule_withdrawal_kept BEFORE TRUNCATE ON public.rule_withdrawal FOR EACH STATEMENT EXECUTE FUNCTION public.refuse_change('a version that was withdrawn stays so');

CREATE TRIGGER seal_state_guard BEFORE UPDATE ON public.seal_state FOR EACH ROW EXECUTE FUNCTION public.guard_seal_state();

CREATE TRIGGER signing_key_fixed BEFORE DELETE OR UPDATE ON public.signing_key FOR EACH ROW EXECUTE FUNCTION public.refuse_change('a key that signed stays known');

CREATE TRIGGER stencil_version_fixed BEFORE DELETE OR UPDATE ON public.stencil_version FOR EACH ROW EXECUTE FUNCTION public.refuse_change('a version of a stencil never changes');

CREATE TRIGGER stencil_version_kept BEFORE TRUNCATE ON public.stencil_version FOR EACH STATEMENT EXECUTE FUNCTION public.refuse_change('a version of a stencil never changes');

CREATE TRIGGER step_task_guard BEFORE UPDATE ON public.step_task FOR EACH ROW EXECUTE FUNCTION public.guard_step_task();

CREATE TRIGGER transfer_guard BEFORE UPDATE ON public.transfer FOR EACH ROW EXECUTE FUNCTION public.guard_transfer();

CREATE TRIGGER tree_head_fixed BEFORE DELETE OR UPDATE ON public.tree_head FOR EACH ROW EXECUTE FUNCTION public.refuse_change('a signed tree head never changes');

CREATE TRIGGER tree_head_guard BEFORE INSERT ON public.tree_head FOR EACH ROW EXECUTE FUNCTION public.guard_tree_head();

CREATE TRIGGER version_guard BEFORE INSERT OR DELETE OR UPDATE ON public.version FOR EACH ROW EXECUTE FUNCTION public.guard_version();

ALTER TABLE ONLY public.access_review_line
    ADD CONSTRAINT access_review_line_answered_by_fkey FOREIGN KEY (answered_by) REFERENCES public.principal(id);

ALTER TABLE ONLY public.access_review_line
    ADD CONSTRAINT access_review_line_place_id_fkey FOREIGN KEY (place_id) REFERENCES public.place(id);

ALTER TABLE ONLY public.access_review_line
    ADD CONSTRAINT access_review_line_principal_id_fkey FOREIGN KEY (principal_id) REFERENCES public.principal(id);

ALTER TABLE ONLY public.access_review_line
    ADD CONSTRAINT access_review_line_record_id_fkey FOREIGN KEY (record_id) REFERENCES public.record(id);

ALTER TABLE ONLY public.access_review_line
    ADD CONSTRAINT access_review_line_review_id_fkey FOREIGN KEY (review_id) REFERENCES public.access_review(id);

ALTER TABLE ONLY public.access_review_line
    ADD CONSTRAINT access_review_line_tag_id_fkey FOREIGN KEY (tag_id) REFERENCES public.access_tag(id);

ALTER TABLE ONLY public.access_review
    ADD CONSTRAINT access_review_made_by_fkey FOREIGN KEY (made_by) REFERENCES public.principal(id);

ALTER TABLE ONLY public.access_review
    ADD CONSTRAINT access_review_place_id_fkey FOREIGN KEY (place_id) REFERENCES public.place(id);

ALTER TABLE ONLY public.access_tag
    ADD CONSTRAINT access_tag_made_by_fkey FOREIGN KEY (made_by) REFERENCES public.principal(id);

ALTER TABLE ONLY public.api_token
    ADD CONSTRAINT api_token_made_by_fkey FOREIGN KEY (made_by) REFERENCES public.principal(id);

ALTER TABLE ONLY public.api_token
    ADD CONSTRAINT api_token_principal_id_fkey FOREIGN KEY (principal_id) REFERENCES public.principal(id);

ALTER TABLE ONLY public.approval
    ADD CONSTRAINT approval_batch_id_fkey FOREIGN KEY (batch_id) REFERENCES public.batch(id);

ALTER TABLE ONLY public.approval
    ADD CONSTRAINT approval_principal_id_fkey FOREIGN KEY (principal_id) REFERENCES public.principal(id);

ALTER TABLE ONLY public.arrival
    ADD CONSTRAINT arrival_content_id_fkey FOREIGN KEY (content_id) REFERENCES public.content(id);

ALTER TABLE ONLY public.arrival
    ADD CONSTRAINT arrival_deposited_by_fkey FOREIGN KEY (deposited_by) REFERENCES public.principal(id);

ALTER TABLE ONLY public.arrival
    ADD CONSTRAINT arrival_place_id_fkey FOREIGN KEY (place_id) REFERENCES public.place(id);

ALTER TABLE ONLY public.batch_item
    ADD CONSTRAINT batch_item_batch_id_fkey FOREIGN KEY (batch_id) REFERENCES public.batch(id);

ALTER TABLE ONLY public.batch_item
    ADD CONSTRAINT batch_item_record_id_fkey FOREIGN KEY (record_id) REFERENCES public.record(id);

ALTER TABLE ONLY public.batch
    ADD CONSTRAINT batch_proposed_by_fkey FOREIGN KEY (proposed_by) REFERENCES public.principal(id);

ALTER TABLE ONLY public.certificate
    ADD CONSTRAINT certificate_batch_id_fkey FOREIGN KEY (batch_id) REFERENCES public.batch(id);

ALTER TABLE ONLY public.content_chunk
    ADD CONSTRAINT content_chunk_content_id_fkey FOREIGN KEY (content_id) REFERENCES public.content(id) ON DELETE CASCADE;

ALTER TABLE ONLY public.criteria_rule
    ADD CONSTRAINT criteria_rule_rule_id_fkey FOREIGN KEY (rule_id) REFERENCES public.rule(id);

ALTER TABLE ONLY public.custodian
    ADD CONSTRAINT custodian_hold_id_fkey FOREIGN KEY (hold_id) REFERENCES public.hold(id);

ALTER TABLE ONLY public.custodian
    ADD CONSTRAINT custodian_principal_id_fkey FOREIGN KEY (principal_id) REFERENCES public.principal(id);

ALTER TABLE ONLY public.digest_due
    ADD CONSTRAINT digest_due_message_id_fkey FOREIGN KEY (message_id) REFERENCES public.message(id);

ALTER TABLE ONLY public.digest_due
    ADD CONSTRAINT digest_due_principal_id_fkey FOREIGN KEY (principal_id) REFERENCES public.principal(id);

ALTER TABLE ONLY public.event
    ADD CONSTRAINT event_corrects_fkey FOREIGN KEY (corrects) REFERENCES public.event(id);

ALTER TABLE ONLY public.event
    ADD CONSTRAINT event_entity_id_fkey FOREIGN KEY (entity_id) REFERENCES public.entity(id);

ALTER TABLE ONLY public.event
    ADD CONSTRAINT event_place_id_fkey FOREIGN KEY (place_id) REFERENCES public.place(id);

ALTER TABLE ONLY public.event
    ADD CONSTRAINT event_record_id_fkey FOREIGN KEY (record_id) REFERENCES public.record(id);

ALTER TABLE ONLY public.event
    ADD CONSTRAINT event_recorded_by_fkey FOREIGN KEY (recorded_by) REFERENCES public.principal(id);

ALTER TABLE ONLY public.event
    ADD CONSTRAINT event_withdrawn_by_fkey FOREIGN KEY (withdrawn_by) REFERENCES public.principal(id);

ALTER TABLE ONLY public.fact_value
    ADD CONSTRAINT fact_value_record_id_fkey FOREIGN KEY (record_id) REFERENCES public.record(id);

ALTER TABLE ONLY public.fact_value
    ADD CONSTRAINT fact_value_record_type_fkey FOREIGN KEY (record_type) REFERENCES public.record_type(code);

ALTER TABLE ONLY public.federated
    ADD CONSTRAINT federated_principal_id_fkey FOREIGN KEY (principal_id) REFERENCES public.principal(id);

ALTER TABLE ONLY public.federated
    ADD CONSTRAINT federated_provider_id_fkey FOREIGN KEY (provider_id) REFERENCES public.identity_provider(id);

ALTER TABLE ONLY public.former_code
    ADD CONSTRAINT former_code_parent_id_fkey FOREIGN KEY (parent_id) REFERENCES public.place(id);

ALTER TABLE ONLY public.former_code
    ADD CONSTRAINT former_code_place_id_fkey FOREIGN KEY (place_id) REFERENCES public.place(id);

ALTER TABLE ONLY public.grant_
    ADD CONSTRAINT grant__by_stencil_fkey FOREIGN KEY (by_stencil) REFERENCES public.stencil(id);

ALTER TABLE ONLY public.grant_
    ADD CONSTRAINT grant__made_by_fkey FOREIGN KEY (made_by) REFERENCES public.principal(id);

ALTER TABLE ONLY public.grant_
    ADD CONSTRAINT grant__place_id_fkey FOREIGN KEY (place_id) REFERENCES public.place(id);

ALTER TABLE ONLY public.grant_
    ADD CONSTRAINT grant__principal_id_fkey FOREIGN KEY (principal_id) REFERENCES public.principal(id);

ALTER TABLE ONLY public.grant_
    ADD CONSTRAINT grant__record_id_fkey FOREIGN KEY (record_id) REFERENCES public.record(id);

ALTER TABLE ONLY public.grant_
    ADD CONSTRAINT grant__tag_id_fkey FOREIGN KEY (tag_id) REFERENCES public.access_tag(id);

ALTER TABLE ONLY public.head_stamp
    ADD CONSTRAINT head_stamp_size_fkey FOREIGN KEY (size) REFERENCES public.tree_head(size);

ALTER TABLE ONLY public.head_witness
    ADD CONSTRAINT head_witness_size_fkey FOREIGN KEY (size) REFERENCES public.tree_head(size);

ALTER TABLE ONLY public.hold_cover
    ADD CONSTRAINT hold_cover_hold_id_fkey FOREIGN KEY (hold_id) REFERENCES public.hold(id);

ALTER TABLE ONLY public.hold_cover
    ADD CONSTRAINT hold_cover_record_id_fkey FOREIGN KEY (record_id) REFERENCES public.record(id);

ALTER TABLE ONLY public.hold_cover
    ADD CONSTRAINT hold_cover_released_by_fkey FOREIGN KEY (released_by) REFERENCES public.principal(id);

ALTER TABLE ONLY public.hold
    ADD CONSTRAINT hold_matter_id_fkey FOREIGN KEY (matter_id) REFERENCES public.matter(id);

ALTER TABLE ONLY public.hold_part
    ADD CONSTRAINT hold_part_hold_id_fkey FOREIGN KEY (hold_id) REFERENCES public.hold(id);

ALTER TABLE ONLY public.hold
    ADD CONSTRAINT hold_placed_by_fkey FOREIGN KEY (placed_by) REFERENCES public.principal(id);

ALTER TABLE ONLY public.hold
    ADD CONSTRAINT hold_released_by_fkey FOREIGN KEY (released_by) REFERENCES public.principal(id);

ALTER TABLE ONLY public.hold_work
    ADD CONSTRAINT hold_work_hold_id_fkey FOREIGN KEY (hold_id) REFERENCES public.hold(id);

ALTER TABLE ONLY public.invitation
    ADD CONSTRAINT invitation_made_by_fkey FOREIGN KEY (made_by) REFERENCES public.principal(id);

ALTER TABLE ONLY public.invitation
    ADD CONSTRAINT invitation_principal_id_fkey FOREIGN KEY (principal_id) REFERENCES public.principal(id);

ALTER TABLE ONLY public.job_progress
    ADD CONSTRAINT job_progress_started_by_fkey FOREIGN KEY (started_by) REFERENCES public.principal(id);

ALTER TABLE ONLY public.jurisdiction
    ADD CONSTRAINT jurisdiction_part_of_fkey FOREIGN KEY (part_of) REFERENCES public.jurisdiction(name);

ALTER TABLE ONLY public.known_address
    ADD CONSTRAINT known_address_principal_id_fkey FOREIGN KEY (principal_id) REFERENCES public.principal(id);

ALTER TABLE ONLY public.mail_choice
    ADD CONSTRAINT mail_choice_principal_id_fkey FOREIGN KEY (principal_id) REFERENCES public.principal(id);

ALTER TABLE ONLY public.mail
    ADD CONSTRAINT mail_message_id_fkey FOREIGN KEY (message_id) REFERENCES public.message(id);

ALTER TABLE ONLY public.mail
    ADD CONSTRAINT mail_to_id_fkey FOREIGN KEY (to_id) REFERENCES public.principal(id);

ALTER TABLE ONLY public.membership
    ADD CONSTRAINT membership_group_id_fkey FOREIGN KEY (group_id) REFERENCES public.principal(id);

ALTER TABLE ONLY public.membership
    ADD CONSTRAINT membership_member_id_fkey FOREIGN KEY (member_id) REFERENCES public.principal(id);

ALTER TABLE ONLY public.message
    ADD CONSTRAINT message_to_id_fkey FOREIGN KEY (to_id) REFERENCES public.principal(id);

ALTER TABLE ONLY public.objection
    ADD CONSTRAINT objection_batch_id_fkey FOREIGN KEY (batch_id) REFERENCES public.batch(id);

ALTER TABLE ONLY public.objection
    ADD CONSTRAINT objection_by_id_fkey FOREIGN KEY (by_id) REFERENCES public.principal(id);

ALTER TABLE ONLY public.objection
    ADD CONSTRAINT objection_record_id_fkey FOREIGN KEY (record_id) REFERENCES public.record(id);

ALTER TABLE ONLY public.pair_rule
    ADD CONSTRAINT pair_rule_record_type_fkey FOREIGN KEY (record_type) REFERENCES public.record_type(code);

ALTER TABLE ONLY public.pair_rule
    ADD CONSTRAINT pair_rule_rule_id_fkey FOREIGN KEY (rule_id) REFERENCES public.rule(id);

ALTER TABLE ONLY public.pair_rule
    ADD CONSTRAINT pair_rule_series_id_fkey FOREIGN KEY (series_id) REFERENCES public.place(id);

ALTER TABLE ONLY public.place
    ADD CONSTRAINT place_access_set_id_fkey FOREIGN KEY (access_set_id) REFERENCES public.access_set(id);

ALTER TABLE ONLY public.place
    ADD CONSTRAINT place_numbering_id_fkey FOREIGN KEY (numbering_id) REFERENCES public.numbering(id);

ALTER TABLE ONLY public.place
    ADD CONSTRAINT place_parent_id_fkey FOREIGN KEY (parent_id) REFERENCES public.place(id);

ALTER TABLE ONLY public.place_rule
    ADD CONSTRAINT place_rule_place_id_fkey FOREIGN KEY (place_id) REFERENCES public.place(id);

ALTER TABLE ONLY public.place_rule
    ADD CONSTRAINT place_rule_rule_id_fkey FOREIGN KEY (rule_id) REFERENCES public.rule(id);

ALTER TABLE ONLY public.place
    ADD CONSTRAINT place_stencil_id_fkey FOREIGN KEY (stencil_id) REFERENCES public.stencil(id);

ALTER TABLE ONLY public.provider_group
    ADD CONSTRAINT provider_group_group_id_fkey FOREIGN KEY (group_id) REFERENCES public.principal(id);

ALTER TABLE ONLY public.provider_group
    ADD CONSTRAINT provider_group_provider_id_fkey FOREIGN KEY (provider_id) REFERENCES public.identity_provider(id);

ALTER TABLE ONLY public.raise
    ADD CONSTRAINT raise_asker_id_fkey FOREIGN KEY (asker_id) REFERENCES public.principal(id);

ALTER TABLE ONLY public.raise
    ADD CONSTRAINT raise_decided_by_fkey FOREIGN KEY (decided_by) REFERENCES public.principal(id);

ALTER TABLE ONLY public.raise
    ADD CONSTRAINT raise_place_id_fkey FOREIGN KEY (place_id) REFERENCES public.place(id);

ALTER TABLE ONLY public.recognised
    ADD CONSTRAINT recognised_content_id_fkey FOREIGN KEY (content_id) REFERENCES public.content(id) ON DELETE CASCADE;

ALTER TABLE ONLY public.record
    ADD CONSTRAINT record_access_set_id_fkey FOREIGN KEY (access_set_id) REFERENCES public.access_set(id);

ALTER TABLE ONLY public.record
    ADD CONSTRAINT record_conflict_with_fkey FOREIGN KEY (conflict_with) REFERENCES public.rule_version(id);

ALTER TABLE ONLY public.record
    ADD CONSTRAINT record_container_id_fkey FOREIGN KEY (container_id) REFERENCES public.container(id);

ALTER TABLE ONLY public.record
    ADD CONSTRAINT record_deposited_by_fkey FOREIGN KEY (deposited_by) REFERENCES public.principal(id);

ALTER TABLE ONLY public.record
    ADD CONSTRAINT record_owner_id_fkey FOREIGN KEY (owner_id) REFERENCES public.principal(id);

ALTER TABLE ONLY public.record
    ADD CONSTRAINT record_place_id_fkey FOREIGN KEY (place_id) REFERENCES public.place(id);

ALTER TABLE ONLY public.record
    ADD CONSTRAINT record_record_type_fkey FOREIGN KEY (record_type) REFERENCES public.record_type(code);

ALTER TABLE ONLY public.record_reference
    ADD CONSTRAINT record_reference_referrer_id_fkey FOREIGN KEY (referrer_id) REFERENCES public.record(id);

ALTER TABLE ONLY public.record_reference
    ADD CONSTRAINT record_reference_target_id_fkey FOREIGN KEY (target_id) REFERENCES public.record(id);

ALTER TABLE ONLY public.record
    ADD CONSTRAINT record_rule_version_id_fkey FOREIGN KEY (rule_version_id) REFERENCES public.rule_version(id);

ALTER TABLE ONLY public.record
    ADD CONSTRAINT record_series_id_fkey FOREIGN KEY (series_id) REFERENCES public.place(id);

ALTER TABLE ONLY public.record_type_version
    ADD CONSTRAINT record_type_version_code_fkey FOREIGN KEY (code) REFERENCES public.record_type(code);

ALTER TABLE ONLY public.record_type_version
    ADD CONSTRAINT record_type_version_published_by_fkey FOREIGN KEY (published_by) REFERENCES public.principal(id);

ALTER TABLE ONLY public.recovery_code
    ADD CONSTRAINT recovery_code_principal_id_fkey FOREIGN KEY (principal_id) REFERENCES public.principal(id);

ALTER TABLE ONLY public.reorganisation
    ADD CONSTRAINT reorganisation_made_by_fkey FOREIGN KEY (made_by) REFERENCES public.principal(id);

ALTER TABLE ONLY public.rule
    ADD CONSTRAINT rule_draft_by_fkey FOREIGN KEY (draft_by) REFERENCES public.principal(id);

ALTER TABLE ONLY public.rule_version
    ADD CONSTRAINT rule_version_published_by_fkey FOREIGN KEY (published_by) REFERENCES public.principal(id);

ALTER TABLE ONLY public.rule_version
    ADD CONSTRAINT rule_version_rule_id_fkey FOREIGN KEY (rule_id) REFERENCES public.rule(id);

ALTER TABLE ONLY public.rule_withdrawal
    ADD CONSTRAINT rule_withdrawal_version_id_fkey FOREIGN KEY (version_id) REFERENCES public.rule_version(id);

ALTER TABLE ONLY public.rule_withdrawal
    ADD CONSTRAINT rule_withdrawal_withdrawn_by_fkey FOREIGN KEY (withdrawn_by) REFERENCES public.principal(id);

ALTER TABLE ONLY public.second_factor
    ADD CONSTRAINT second_factor_principal_id_fkey FOREIGN KEY (principal_id) REFERENCES public.principal(id);

ALTER TABLE ONLY public.session
    ADD CONSTRAINT session_principal_id_fkey FOREIGN KEY (principal_id) REFERENCES public.principal(id);

ALTER TABLE ONLY public.sign_in_begun
    ADD CONSTRAINT sign_in_begun_linking_id_fkey FOREIGN KEY (linking_id) REFERENCES public.principal(id);

ALTER TABLE ONLY public.sign_in_begun
    ADD CONSTRAINT sign_in_begun_proved_id_fkey FOREIGN KEY (proved_id) REFERENCES public.principal(id);

ALTER TABLE ONLY public.sign_in_begun
    ADD CONSTRAINT sign_in_begun_provider_id_fkey FOREIGN KEY (provider_id) REFERENCES public.identity_provider(id);

ALTER TABLE ONLY public.signing_key
    ADD CONSTRAINT signing_key_succeeds_fkey FOREIGN KEY (succeeds) REFERENCES public.signing_key(id);

ALTER TABLE ONLY public.stencil_version
    ADD CONSTRAINT stencil_version_made_by_fkey FOREIGN KEY (made_by) REFERENCES public.principal(id);

ALTER TABLE ONLY public.stencil_version
    ADD CONSTRAINT stencil_version_stencil_id_fkey FOREIGN KEY (stencil_id) REFERENCES public.stencil(id);

ALTER TABLE ONLY public.step_letter
    ADD CONSTRAINT step_letter_message_id_fkey FOREIGN KEY (message_id) REFERENCES public.message(id);

ALTER TABLE ONLY public.step_letter
    ADD CONSTRAINT step_letter_task_id_fkey FOREIGN KEY (task_id) REFERENCES public.step_task(id);

ALTER TABLE ONLY public.step_task
    ADD CONSTRAINT step_task_answered_by_fkey FOREIGN KEY (answered_by) REFERENCES public.principal(id);

ALTER TABLE ONLY public.step_task
    ADD CONSTRAINT step_task_record_id_fkey FOREIGN KEY (record_id) REFERENCES public.record(id);

ALTER TABLE ONLY public.step_task
    ADD CONSTRAINT step_task_rule_id_fkey FOREIGN KEY (rule_id) REFERENCES public.rule(id);

ALTER TABLE ONLY public.transfer
    ADD CONSTRAINT transfer_bag_id_fkey FOREIGN KEY (bag_id) REFERENCES public.content(id);

ALTER TABLE ONLY public.transfer
    ADD CONSTRAINT transfer_batch_id_fkey FOREIGN KEY (batch_id) REFERENCES public.batch(id);

ALTER TABLE ONLY public.unread
    ADD CONSTRAINT unread_record_id_fkey FOREIGN KEY (record_id) REFERENCES public.record(id) ON DELETE CASCADE;

ALTER TABLE ONLY public.version
    ADD CONSTRAINT version_content_id_fkey FOREIGN KEY (content_id) REFERENCES public.content(id);

ALTER TABLE ONLY public.version
    ADD CONSTRAINT version_made_by_fkey FOREIGN KEY (made_by) REFERENCES public.principal(id);

ALTER TABLE ONLY public.version
    ADD CONSTRAINT version_record_id_fkey FOREIGN KEY (record_id) REFERENCES public.record(id);

ALTER TABLE ONLY public.visitor_pass
    ADD CONSTRAINT visitor_pass_made_by_fkey FOREIGN KEY (made_by) REFERENCES public.principal(id);

ALTER TABLE ONLY public.visitor_pass
    ADD CONSTRAINT visitor_pass_place_id_fkey FOREIGN KEY (place_id) REFERENCES public.place(id);

ALTER TABLE ONLY public.visitor_pass_record
    ADD CONSTRAINT visitor_pass_record_pass_id_fkey FOREIGN KEY (pass_id) REFERENCES public.visitor_pass(id);

ALTER TABLE ONLY public.visitor_pass_record
    ADD CONSTRAINT visitor_pass_record_record_id_fkey FOREIGN KEY (record_id) REFERENCES public.record(id);

ALTER TABLE ONLY public.visitor_pass
    ADD CONSTRAINT visitor_pass_revoked_by_fkey FOREIGN KEY (revoked_by) REFERENCES public.principal(id);

ALTER TABLE ONLY public.visitor_session
    ADD CONSTRAINT visitor_session_pass_id_fkey FOREIGN KEY (pass_id) REFERENCES public.visitor_pass(id);

GRANT USAGE ON SCHEMA public TO cellar_app;
GRANT USAGE ON SCHEMA public TO cellar_schema;
GRANT USAGE ON SCHEMA public TO cellar_criteria;

REVOKE ALL ON FUNCTION public.all_matching(p_sql text, p_params jsonb) FROM PUBLIC;
GRANT ALL ON FUNCTION public.all_matching(p_sql text, p_params jsonb) TO cellar_app;
GRANT ALL ON FUNCTION public.all_matching(p_sql text, p_params jsonb) TO cellar_schema;

REVOKE ALL ON FUNCTION public.as_it_was(p_of text, p_on date, p_keys text[]) FROM PUBLIC;
GRANT ALL ON FUNCTION public.as_it_was(p_of text, p_on date, p_keys text[]) TO cellar_app;

REVOKE ALL ON FUNCTION public.begin_covering() FROM PUBLIC;

REVOKE ALL ON FUNCTION public.bump_epoch() FROM PUBLIC;

REVOKE ALL ON FUNCTION public.content_tree(p_content uuid) FROM PUBLIC;
GRANT ALL ON FUNCTION public.content_tree(p_content uuid) TO cellar_app;

REVOKE ALL ON FUNCTION public.cover_before_change() FROM PUBLIC;

REVOKE ALL ON FUNCTION public.cover_matching(p_records uuid[], p_which text, p_because text) FROM PUBLIC;
GRANT ALL ON FUNCTION public.cover_matching(p_records uuid[], p_which text, p_because text) TO cellar_app;

REVOKE ALL ON FUNCTION public.cover_under_way(p_records uuid[]) FROM PUBLIC;
GRANT ALL ON FUNCTION public.cover_under_way(p_records uuid[]) TO cellar_app;

REVOKE ALL ON FUNCTION public.cover_what_matches() FROM PUBLIC;

REVOKE ALL ON FUNCTION public.disposal_key() FROM PUBLIC;
GRANT ALL ON FUNCTION public.disposal_key() TO cellar_app;

REVOKE ALL ON FUNCTION public.dispose_records(p_records uuid[], p_batch uuid, p_on date) FROM PUBLIC;
GRANT ALL ON FUNCTION public.dispose_records(p_records uuid[], p_batch uuid, p_on date) TO cellar_app;

REVOKE ALL ON FUNCTION public.drop_past_of_record() FROM PUBLIC;

REVOKE ALL ON FUNCTION public.drop_unused_content(p_content uuid) FROM PUBLIC;
GRANT ALL ON FUNCTION public.drop_unused_content(p_content uuid) TO cellar_app;

REVOKE ALL ON FUNCTION public.enter_gate() FROM PUBLIC;

REVOKE ALL ON FUNCTION public.enter_on_records(p_act text, p_records uuid[], p_before text, p_after text, p_note text) FROM PUBLIC;

REVOKE ALL ON FUNCTION public.erase_key() FROM PUBLIC;

REVOKE ALL ON FUNCTION public.fold_plan() FROM PUBLIC;
GRANT ALL ON FUNCTION public.fold_plan() TO cellar_app;

REVOKE ALL ON FUNCTION public.fold_rack() FROM PUBLIC;
GRANT ALL ON FUNCTION public.fold_rack() TO cellar_app;

REVOKE ALL ON FUNCTION public.fold_rule_use() FROM PUBLIC;
GRANT ALL ON FUNCTION public.fold_rule_use() TO cellar_app;

REVOKE ALL ON FUNCTION public.fold_value(value text) FROM PUBLIC;
GRANT ALL ON FUNCTION public.fold_value(value text) TO cellar_app;

REVOKE ALL ON FUNCTION public.forget_detected() FROM PUBLIC;

REVOKE ALL ON FUNCTION public.frozen_by_hold(p_record uuid) FROM PUBLIC;
GRANT ALL ON FUNCTION public.frozen_by_hold(p_record uuid) TO cellar_app;

REVOKE ALL ON FUNCTION public.gate_key() FROM PUBLIC;
GRANT ALL ON FUNCTION public.gate_key() TO cellar_app;

REVOKE ALL ON FUNCTION public.guard_access_tags() FROM PUBLIC;

REVOKE ALL ON FUNCTION public.guard_approval() FROM PUBLIC;

REVOKE ALL ON FUNCTION public.guard_batch() FROM PUBLIC;

REVOKE ALL ON FUNCTION public.guard_batch_item() FROM PUBLIC;

REVOKE ALL ON FUNCTION public.guard_certificate() FROM PUBLIC;

REVOKE ALL ON FUNCTION public.guard_chunk() FROM PUBLIC;

REVOKE ALL ON FUNCTION public.guard_content() FROM PUBLIC;

REVOKE ALL ON FUNCTION public.guard_counter() FROM PUBLIC;

REVOKE ALL ON FUNCTION public.guard_everyone() FROM PUBLIC;

REVOKE ALL ON FUNCTION public.guard_hold() FROM PUBLIC;

REVOKE ALL ON FUNCTION public.guard_object() FROM PUBLIC;

REVOKE ALL ON FUNCTION public.guard_objection() FROM PUBLIC;

REVOKE ALL ON FUNCTION public.guard_past() FROM PUBLIC;

REVOKE ALL ON FUNCTION public.guard_record() FROM PUBLIC;

REVOKE ALL ON FUNCTION public.guard_reference() FROM PUBLIC;

REVOKE ALL ON FUNCTION public.guard_review_line() FROM PUBLIC;

REVOKE ALL ON FUNCTION public.guard_seal_state() FROM PUBLIC;

REVOKE ALL ON FUNCTION public.guard_step_task() FROM PUBLIC;

REVOKE ALL ON FUNCTION public.guard_steps_taken() FROM PUBLIC;

REVOKE ALL ON FUNCTION public.guard_tile() FROM PUBLIC;

REVOKE ALL ON FUNCTION public.guard_transfer() FROM PUBLIC;

REVOKE ALL ON FUNCTION public.guard_tree_head() FROM PUBLIC;

REVOKE ALL ON FUNCTION public.guard_version() FROM PUBLIC;

REVOKE ALL ON FUNCTION public.guard_withdrawal() FROM PUBLIC;

REVOKE ALL ON FUNCTION public.hold_step(p_hold uuid, p_doing text) FROM PUBLIC;
GRANT ALL ON FUNCTION public.hold_step(p_hold uuid, p_doing text) TO cellar_app;

REVOKE ALL ON FUNCTION public.holds_matching(p_holds uuid[], p_sqls text[], p_params jsonb, p_records uuid[]) FROM PUBLIC;
GRANT ALL ON FUNCTION public.holds_matching(p_holds uuid[], p_sqls text[], p_params jsonb, p_records uuid[]) TO cellar_app;
GRANT ALL ON FUNCTION public.holds_matching(p_holds uuid[], p_sqls text[], p_params jsonb, p_records uuid[]) TO cellar_schema;

REVOKE ALL ON FUNCTION public.is_one_expression(p_sql text) FROM PUBLIC;
GRANT ALL ON FUNCTION public.is_one_expression(p_sql text) TO cellar_app;

REVOKE ALL ON FUNCTION public.keep_past() FROM PUBLIC;

REVOKE ALL ON FUNCTION public.keep_past_of_principal() FROM PUBLIC;

REVOKE ALL ON FUNCTION public.keep_past_of_record() FROM PUBLIC;

REVOKE ALL ON FUNCTION public.lock_to_dispose(p_records uuid[]) FROM PUBLIC;
GRANT ALL ON FUNCTION public.lock_to_dispose(p_records uuid[]) TO cellar_app;

REVOKE ALL ON FUNCTION public.look_for_work(p_hold uuid, p_a_step integer) FROM PUBLIC;
GRANT ALL ON FUNCTION public.look_for_work(p_hold uuid, p_a_step integer) TO cellar_app;

REVOKE ALL ON FUNCTION public.may_be_disposed(p_record uuid, p_batch uuid) FROM PUBLIC;
GRANT ALL ON FUNCTION public.may_be_disposed(p_record uuid, p_batch uuid) TO cellar_app;

REVOKE ALL ON FUNCTION public.mend_chunk(p_content uuid, p_seq integer, p_bytes bytea) FROM PUBLIC;
GRANT ALL ON FUNCTION public.mend_chunk(p_content uuid, p_seq integer, p_bytes bytea) TO cellar_app;

REVOKE ALL ON FUNCTION public.note_detection() FROM PUBLIC;

REVOKE ALL ON FUNCTION public.note_plan() FROM PUBLIC;

REVOKE ALL ON FUNCTION public.note_rack_held(p_records uuid[], p_hold uuid, p_sign integer) FROM PUBLIC;

REVOKE ALL ON FUNCTION public.note_rack_insert() FROM PUBLIC;

REVOKE ALL ON FUNCTION public.note_rack_update() FROM PUBLIC;

REVOKE ALL ON FUNCTION public.note_rule_use_insert() FROM PUBLIC;

REVOKE ALL ON FUNCTION public.note_rule_use_update() FROM PUBLIC;

REVOKE ALL ON FUNCTION public.object_gone() FROM PUBLIC;

REVOKE ALL ON FUNCTION public.pass_gate() FROM PUBLIC;
GRANT ALL ON FUNCTION public.pass_gate() TO cellar_app;

REVOKE ALL ON FUNCTION public.past_key(p_of text, p_row jsonb) FROM PUBLIC;
GRANT ALL ON FUNCTION public.past_key(p_of text, p_row jsonb) TO cellar_app;

REVOKE ALL ON FUNCTION public.place_cover(p_hold uuid, p_records uuid[], p_because text) FROM PUBLIC;
GRANT ALL ON FUNCTION public.place_cover(p_hold uuid, p_records uuid[], p_because text) TO cellar_app;

REVOKE ALL ON FUNCTION public.refuse_change() FROM PUBLIC;

REVOKE ALL ON FUNCTION public.repository_date(p_at timestamp with time zone) FROM PUBLIC;
GRANT ALL ON FUNCTION public.repository_date(p_at timestamp with time zone) TO cellar_app;
GRANT ALL ON FUNCTION public.repository_date(p_at timestamp with time zone) TO cellar_criteria;

REVOKE ALL ON FUNCTION public.repository_now() FROM PUBLIC;
GRANT ALL ON FUNCTION public.repository_now() TO cellar_app;
GRANT ALL ON FUNCTION public.repository_now() TO cellar_criteria;

REVOKE ALL ON FUNCTION public.revoke_declaration(p_record uuid, p_by uuid, p_reason text) FROM PUBLIC;
GRANT ALL ON FUNCTION public.revoke_declaration(p_record uuid, p_by uuid, p_reason text) TO cellar_app;

REVOKE ALL ON FUNCTION public.trim_versions(p_record uuid, p_on date) FROM PUBLIC;
GRANT ALL ON FUNCTION public.trim_versions(p_record uuid, p_on date) TO cellar_app;

REVOKE ALL ON FUNCTION public.uncover(p_hold uuid, p_records uuid[], p_by uuid, p_reason text, p_act text) FROM PUBLIC;
GRANT ALL ON FUNCTION public.uncover(p_hold uuid, p_records uuid[], p_by uuid, p_reason text, p_act text) TO cellar_app;

REVOKE ALL ON FUNCTION public.writers() FROM PUBLIC;
GRANT ALL ON FUNCTION public.writers() TO cellar_app;

GRANT SELECT,INSERT ON TABLE public.access_review TO cellar_app;

GRANT UPDATE(reminded_on) ON TABLE public.access_review TO cellar_app;

GRANT UPDATE(closed_on) ON TABLE public.access_review TO cellar_app;

GRANT SELECT,INSERT ON TABLE public.access_review_line TO cellar_app;

GRANT UPDATE(answer) ON TABLE public.access_review_line TO cellar_app;

GRANT UPDATE(answered_by) ON TABLE public.access_review_line TO cellar_app;

GRANT UPDATE(answered_on) ON TABLE public.access_review_line TO cellar_app;

GRANT UPDATE(note) ON TABLE public.access_review_line TO cellar_app;

GRANT SELECT,INSERT ON TABLE public.access_set TO cellar_app;

GRANT SELECT,INSERT,UPDATE ON TABLE public.access_tag TO cellar_app;

GRANT SELECT,INSERT ON TABLE public.api_token TO cellar_app;

GRANT UPDATE(last_used_at) ON TABLE public.api_token TO cellar_app;

GRANT UPDATE(last_used_from) ON TABLE public.api_token TO cellar_app;

GRANT UPDATE(ended_on) ON TABLE public.api_token TO cellar_app;

GRANT SELECT,INSERT ON TABLE public.approval TO cellar_app;

GRANT SELECT,INSERT,DELETE ON TABLE public.arrival TO cellar_app;

GRANT SELECT,INSERT ON TABLE public.batch TO cellar_app;

GRANT UPDATE(state) ON TABLE public.batch TO cellar_app;

GRANT UPDATE(announced_on) ON TABLE public.batch TO cellar_app;

GRANT UPDATE(notice_until) ON TABLE public.batch TO cellar_app;

GRANT UPDATE(approved_on) ON TABLE public.batch TO cellar_app;

GRANT UPDATE(finished_on) ON TABLE public.batch TO cellar_app;

GRANT UPDATE(withdrawn_reason) ON TABLE public.batch TO cellar_app;

GRANT UPDATE(revision) ON TABLE public.batch TO cellar_app;

GRANT SELECT,INSERT,UPDATE ON TABLE public.batch_counter TO cellar_app;

GRANT SELECT,INSERT ON TABLE public.batch_item TO cellar_app;

GRANT UPDATE(outcome) ON TABLE public.batch_item TO cellar_app;

GRANT UPDATE(reason) ON TABLE public.batch_item TO cellar_app;

GRANT UPDATE(evidence) ON TABLE public.batch_item TO cellar_app;

GRANT SELECT,INSERT,UPDATE ON TABLE public.brought TO cellar_app;

GRANT SELECT,INSERT ON TABLE public.certificate TO cellar_app;

GRANT SELECT,INSERT,UPDATE ON TABLE public.container TO cellar_app;

GRANT SELECT,INSERT,DELETE ON TABLE public.content TO cellar_app;

GRANT UPDATE(sha256) ON TABLE public.content TO cellar_app;

GRANT UPDATE(size) ON TABLE public.content TO cellar_app;

GRANT UPDATE(checked_at) ON TABLE public.content TO cellar_app;

GRANT UPDATE(damaged_at) ON TABLE public.content TO cellar_app;

GRANT UPDATE(copied_at) ON TABLE public.content TO cellar_app;

GRANT SELECT,INSERT ON TABLE public.content_chunk TO cellar_app;

GRANT USAGE ON SEQUENCE public.content_key_block TO cellar_app;

GRANT SELECT,DELETE ON TABLE public.content_object TO cellar_app;

GRANT INSERT(content_id) ON TABLE public.content_object TO cellar_app;

GRANT UPDATE(begun_at) ON TABLE public.content_object TO cellar_app;

GRANT UPDATE(version) ON TABLE public.content_object TO cellar_app;

GRANT UPDATE(locked_until) ON TABLE public.content_object TO cellar_app;

GRANT SELECT,INSERT,DELETE,UPDATE ON TABLE public.criteria_rule TO cellar_app;

GRANT SELECT,INSERT,UPDATE ON TABLE public.custodian TO cellar_app;

GRANT USAGE ON SEQUENCE public.detection_stamp TO cellar_app;

GRANT SELECT,INSERT,DELETE,UPDATE ON TABLE public.detection_due TO cellar_app;

GRANT SELECT,INSERT,UPDATE ON TABLE public.detector TO cellar_app;

GRANT SELECT,INSERT,DELETE,UPDATE ON TABLE public.digest_due TO cellar_app;

GRANT SELECT ON TABLE public.due_delta TO cellar_app;

GRANT SELECT ON TABLE public.due_sum TO cellar_app;

GRANT SELECT,INSERT,UPDATE ON TABLE public.entity TO cellar_app;

GRANT SELECT ON TABLE public.epoch TO cellar_app;

GRANT SELECT,INSERT,UPDATE ON TABLE public.event TO cellar_app;

GRANT SELECT,INSERT,DELETE,UPDATE ON TABLE public.event_type TO cellar_app;

GRANT SELECT,INSERT,DELETE ON TABLE public.fact_value TO cellar_app;

GRANT SELECT,INSERT,DELETE ON TABLE public.federated TO cellar_app;

GRANT UPDATE(last_at) ON TABLE public.federated TO cellar_app;

GRANT SELECT,INSERT,DELETE,UPDATE ON TABLE public.former_code TO cellar_app;

GRANT SELECT,INSERT,DELETE,UPDATE ON TABLE public.grant_ TO cellar_app;

GRANT SELECT,INSERT ON TABLE public.head_stamp TO cellar_app;

GRANT SELECT,INSERT ON TABLE public.head_witness TO cellar_app;

GRANT SELECT,INSERT ON TABLE public.hold TO cellar_app;

GRANT UPDATE(state) ON TABLE public.hold TO cellar_app;

GRANT UPDATE(released_by) ON TABLE public.hold TO cellar_app;

GRANT UPDATE(released_at) ON TABLE public.hold TO cellar_app;

GRANT UPDATE(release_reason) ON TABLE public.hold TO cellar_app;

GRANT SELECT ON TABLE public.hold_cover TO cellar_app;
GRANT SELECT ON TABLE public.hold_cover TO cellar_criteria;

GRANT SELECT ON TABLE public.hold_part TO cellar_app;

GRANT SELECT ON TABLE public.hold_work TO cellar_app;

GRANT SELECT,INSERT,UPDATE ON TABLE public.identity_provider TO cellar_app;

GRANT SELECT,INSERT,DELETE,UPDATE ON TABLE public.membership TO cellar_app;

GRANT SELECT,INSERT,UPDATE ON TABLE public.principal TO cellar_app;

GRANT SELECT ON TABLE public.in_group TO cellar_app;

GRANT SELECT,INSERT,DELETE ON TABLE public.invitation TO cellar_app;

GRANT SELECT,INSERT,UPDATE ON TABLE public.job_progress TO cellar_app;

GRANT SELECT,INSERT,DELETE,UPDATE ON TABLE public.jurisdiction TO cellar_app;

GRANT SELECT ON TABLE public.key_erasure TO cellar_app;

GRANT UPDATE(erased_at) ON TABLE public.key_erasure TO cellar_app;

GRANT SELECT,INSERT,DELETE,UPDATE ON TABLE public.known_address TO cellar_app;

GRANT SELECT ON TABLE public.ledger_entry TO cellar_app;

GRANT INSERT(at) ON TABLE public.ledger_entry TO cellar_app;

GRANT INSERT(actor_id) ON TABLE public.ledger_entry TO cellar_app;

GRANT INSERT(act) ON TABLE public.ledger_entry TO cellar_app;

GRANT INSERT(subject_kind) ON TABLE public.ledger_entry TO cellar_app;

GRANT INSERT(subject_id) ON TABLE public.ledger_entry TO cellar_app;

GRANT INSERT(body) ON TABLE public.ledger_entry TO cellar_app;

GRANT SELECT,INSERT,UPDATE ON TABLE public.ledger_tile TO cellar_app;

GRANT SELECT,INSERT,DELETE,UPDATE ON TABLE public.mail TO cellar_app;

GRANT SELECT,INSERT,DELETE,UPDATE ON TABLE public.mail_choice TO cellar_app;

GRANT SELECT,INSERT,UPDATE ON TABLE public.matter TO cellar_app;

GRANT SELECT,INSERT,UPDATE ON TABLE public.message TO cellar_app;

GRANT SELECT ON TABLE public.migration TO cellar_app;

GRANT SELECT,INSERT,DELETE,UPDATE ON TABLE public.named_year TO cellar_app;

GRANT SELECT,INSERT,DELETE,UPDATE ON TABLE public.numbering TO cellar_app;

GRANT SELECT,INSERT,UPDATE ON TABLE public.numbering_counter TO cellar_app;

GRANT SELECT,INSERT ON TABLE public.objection TO cellar_app;

GRANT UPDATE(answered_at) ON TABLE public.objection TO cellar_app;

GRANT UPDATE(answer) ON TABLE public.objection TO cellar_app;

GRANT SELECT,INSERT,UPDATE ON TABLE public.own_profile TO cellar_app;

GRANT SELECT,INSERT,DELETE,UPDATE ON TABLE public.pair_rule TO cellar_app;

GRANT SELECT ON TABLE public.past TO cellar_app;

GRANT SELECT,INSERT,UPDATE ON TABLE public.place TO cellar_app;

GRANT SELECT ON TABLE public.place_delta TO cellar_app;

GRANT SELECT,INSERT,DELETE,UPDATE ON TABLE public.place_rule TO cellar_app;

GRANT SELECT ON TABLE public.place_sum TO cellar_app;

GRANT SELECT ON TABLE public.plan_note TO cellar_app;

GRANT SELECT,INSERT,DELETE ON TABLE public.provider_group TO cellar_app;

GRANT SELECT ON TABLE public.rack_cell TO cellar_app;

GRANT SELECT ON TABLE public.rack_delta TO cellar_app;

GRANT SELECT ON TABLE public.rack_total TO cellar_app;

GRANT SELECT,INSERT ON TABLE public.raise TO cellar_app;

GRANT UPDATE(until) ON TABLE public.raise TO cellar_app;

GRANT UPDATE(state) ON TABLE public.raise TO cellar_app;

GRANT UPDATE(decided_by) ON TABLE public.raise TO cellar_app;

GRANT UPDATE(decided_at) ON TABLE public.raise TO cellar_app;

GRANT UPDATE(note) ON TABLE public.raise TO cellar_app;

GRANT SELECT,INSERT,UPDATE ON TABLE public.recognised TO cellar_app;

GRANT SELECT,INSERT ON TABLE public.record TO cellar_app;
GRANT SELECT ON TABLE public.record TO cellar_criteria;

GRANT UPDATE(number) ON TABLE public.record TO cellar_app;

GRANT UPDATE(title) ON TABLE public.record TO cellar_app;

GRANT UPDATE(medium) ON TABLE public.record TO cellar_app;

GRANT UPDATE(record_type) ON TABLE public.record TO cellar_app;

GRANT UPDATE(place_id) ON TABLE public.record TO cellar_app;

GRANT UPDATE(series_id) ON TABLE public.record TO cellar_app;

GRANT UPDATE(places) ON TABLE public.record TO cellar_app;

GRANT UPDATE(state) ON TABLE public.record TO cellar_app;

GRANT UPDATE(created_on) ON TABLE public.record TO cellar_app;

GRANT UPDATE(received_on) ON TABLE public.record TO cellar_app;

GRANT UPDATE(filed_on) ON TABLE public.record TO cellar_app;

GRANT UPDATE(modified_on) ON TABLE public.record TO cellar_app;

GRANT UPDATE(declared_on) ON TABLE public.record TO cellar_app;

GRANT UPDATE(superseded_on) ON TABLE public.record TO cellar_app;

GRANT UPDATE(last_used_on) ON TABLE public.record TO cellar_app;

GRANT UPDATE(facts) ON TABLE public.record TO cellar_app;

GRANT UPDATE(gaps) ON TABLE public.record TO cellar_app;

GRANT UPDATE(search) ON TABLE public.record TO cellar_app;

GRANT UPDATE(marking_level) ON TABLE public.record TO cellar_app;

GRANT UPDATE(marking_caveats) ON TABLE public.record TO cellar_app;

GRANT UPDATE(access_set_id) ON TABLE public.record TO cellar_app;

GRANT UPDATE(owner_id) ON TABLE public.record TO cellar_app;

GRANT UPDATE(container_id) ON TABLE public.record TO cellar_app;

GRANT UPDATE(jurisdictions) ON TABLE public.record TO cellar_app;

GRANT UPDATE(override) ON TABLE public.record TO cellar_app;

GRANT UPDATE(frozen) ON TABLE public.record TO cellar_app;

GRANT UPDATE(outcome) ON TABLE public.record TO cellar_app;

GRANT UPDATE(rule_version_id) ON TABLE public.record TO cellar_app;

GRANT UPDATE(clock_start) ON TABLE public.record TO cellar_app;

GRANT UPDATE(due_on) ON TABLE public.record TO cellar_app;

GRANT UPDATE(action) ON TABLE public.record TO cellar_app;

GRANT UPDATE(vintage) ON TABLE public.record TO cellar_app;

GRANT UPDATE(docket) ON TABLE public.record TO cellar_app;

GRANT UPDATE(version_no) ON TABLE public.record TO cellar_app;

GRANT UPDATE(size) ON TABLE public.record TO cellar_app;

GRANT UPDATE(media_type) ON TABLE public.record TO cellar_app;

GRANT UPDATE(revision) ON TABLE public.record TO cellar_app;

GRANT UPDATE(disposed_on) ON TABLE public.record TO cellar_app;

GRANT UPDATE(deferred_until) ON TABLE public.record TO cellar_app;

GRANT UPDATE(deferred_reason) ON TABLE public.record TO cellar_app;

GRANT UPDATE(next_step_on) ON TABLE public.record TO cellar_app;

GRANT UPDATE(steps_taken) ON TABLE public.record TO cellar_app;

GRANT UPDATE(type_version) ON TABLE public.record TO cellar_app;

GRANT UPDATE(refers) ON TABLE public.record TO cellar_app;

GRANT UPDATE(detected) ON TABLE public.record TO cellar_app;

GRANT UPDATE(trigger_on) ON TABLE public.record TO cellar_app;

GRANT UPDATE(conflict_with) ON TABLE public.record TO cellar_app;

GRANT SELECT,INSERT ON TABLE public.record_reference TO cellar_app;

GRANT UPDATE(until) ON TABLE public.record_reference TO cellar_app;

GRANT UPDATE(ended) ON TABLE public.record_reference TO cellar_app;

GRANT SELECT,INSERT,UPDATE ON TABLE public.record_type TO cellar_app;

GRANT SELECT,INSERT ON TABLE public.record_type_version TO cellar_app;

GRANT SELECT,INSERT,DELETE,UPDATE ON TABLE public.recovery_code TO cellar_app;

GRANT SELECT ON TABLE public.reorganisation TO cellar_app;

GRANT INSERT(id) ON TABLE public.reorganisation TO cellar_app;

GRANT INSERT(made_by) ON TABLE public.reorganisation TO cellar_app;

GRANT INSERT(reason) ON TABLE public.reorganisation TO cellar_app;

GRANT SELECT,INSERT,UPDATE ON TABLE public.rule TO cellar_app;

GRANT SELECT ON TABLE public.rule_use TO cellar_app;

GRANT SELECT,INSERT ON TABLE public.rule_version TO cellar_app;

GRANT SELECT,INSERT ON TABLE public.rule_withdrawal TO cellar_app;

GRANT SELECT ON TABLE public.schema_fingerprint TO cellar_app;

GRANT SELECT,INSERT,UPDATE ON TABLE public.seal_state TO cellar_app;

GRANT SELECT,INSERT,DELETE,UPDATE ON TABLE public.second_factor TO cellar_app;

GRANT SELECT,INSERT,DELETE,UPDATE ON TABLE public.session TO cellar_app;

GRANT SELECT,INSERT,UPDATE ON TABLE public.setting TO cellar_app;
GRANT SELECT ON TABLE public.setting TO cellar_criteria;

GRANT SELECT,INSERT,DELETE,UPDATE ON TABLE public.sign_in_begun TO cellar_app;

GRANT SELECT,INSERT,DELETE,UPDATE ON TABLE public.sign_in_try TO cellar_app;

GRANT SELECT,INSERT ON TABLE public.signing_key TO cellar_app;

GRANT SELECT,INSERT,UPDATE ON TABLE public.stencil TO cellar_app;

GRANT SELECT,INSERT ON TABLE public.stencil_version TO cellar_app;

GRANT SELECT,INSERT ON TABLE public.step_letter TO cellar_app;

GRANT SELECT,INSERT,UPDATE ON TABLE public.step_task TO cellar_app;

GRANT SELECT,INSERT ON TABLE public.transfer TO cellar_app;

GRANT UPDATE(bag_id) ON TABLE public.transfer TO cellar_app;

GRANT UPDATE(receipt) ON TABLE public.transfer TO cellar_app;

GRANT SELECT,INSERT ON TABLE public.tree_head TO cellar_app;

GRANT SELECT,INSERT,DELETE,UPDATE ON TABLE public.unread TO cellar_app;

GRANT SELECT,INSERT ON TABLE public.version TO cellar_app;

GRANT SELECT,INSERT ON TABLE public.visitor_pass TO cellar_app;

GRANT UPDATE(opened) ON TABLE public.visitor_pass TO cellar_app;

GRANT UPDATE(last_opened_at) ON TABLE public.visitor_pass TO cellar_app;

GRANT UPDATE(revoked_at) ON TABLE public.visitor_pass TO cellar_app;

GRANT UPDATE(revoked_by) ON TABLE public.visitor_pass TO cellar_app;

GRANT UPDATE(revoke_reason) ON TABLE public.visitor_pass TO cellar_app;

GRANT SELECT,INSERT ON TABLE public.visitor_pass_record TO cellar_app;

GRANT SELECT,INSERT,DELETE,UPDATE ON TABLE public.visitor_session TO cellar_app;
