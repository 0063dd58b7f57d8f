-- The only ways out for a record, and what a batch, a transfer and a question keep.
-- Re-creatable: run after the migrations whenever this file changed.

-- The only way out for records: all of them go, or none. Gives the contents that each had.
create or replace function dispose_records(p_records uuid[], p_batch uuid, p_on date) returns table (record_id uuid, contents uuid[])
  language plpgsql security definer set search_path = public as $$
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

-- Refuses unless a record is open in an approved batch that is being executed. What is transferred leaves only when an archive has said
-- that it holds it, or, on paper, when a person has.
create or replace function may_be_disposed(p_record uuid, p_batch uuid) returns void language plpgsql as $$
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

-- A batch goes from state to state as docs/semantics.md 8.1 and 8.2 say, whoever writes it: it begins as a proposal; it is approved
-- when the notice has run and enough people agreed, one of them not its proposer; it ends when nothing of it is open.
create or replace function guard_batch() returns trigger language plpgsql as $$
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

-- What is in a batch is said when it is proposed; each item comes to one end, and stays there.
create or replace function guard_batch_item() returns trigger language plpgsql as $$
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

-- A person decides for themselves, once, while a session of theirs lasts, with the right to, and of the groups that the rule wants.
create or replace function guard_approval() returns trigger language plpgsql security definer set search_path = public as $$
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

-- An objection is answered once.
create or replace function guard_objection() returns trigger language plpgsql as $$
begin
  if (new.id, new.batch_id, new.record_id, new.by_id, new.reason, new.made_at)
      is distinct from (old.id, old.batch_id, old.record_id, old.by_id, old.reason, old.made_at)
    or old.answered_at is not null then
    raise exception 'An objection and its answer stay as they are' using errcode = 'KC001';
  end if;
  return new;
end $$;

-- A certificate says what a batch came to, when it has.
create or replace function guard_certificate() returns trigger language plpgsql as $$
begin
  if not exists (select from batch b where b.id = new.batch_id and b.state in ('executing', 'done'))
    or exists (select from batch_item i where i.batch_id = new.batch_id and i.outcome in ('open', 'task'))
    or not exists (select from batch_item i where i.batch_id = new.batch_id and i.outcome = 'disposed')
    or new.sha256 <> sha256(new.pdf) then
    raise exception 'This certificate does not say what came of a batch' using errcode = 'KC004';
  end if;
  return new;
end $$;

create or replace function guard_transfer() returns trigger language plpgsql as $$
begin
  if (new.batch_id, new.records, new.bag_name, new.bag_sha256, new.bag_size, new.made_on)
    is distinct from (old.batch_id, old.records, old.bag_name, old.bag_sha256, old.bag_size, old.made_on)
    or (old.receipt is not null and new.receipt is distinct from old.receipt) then
    raise exception 'A transfer and its receipt never change' using errcode = 'KC001';
  end if;
  return new;
end $$;

create or replace function guard_steps_taken() returns trigger language plpgsql as $$
begin
  if jsonb_typeof(new.steps_taken) is distinct from 'array'
    or exists (select from jsonb_array_elements(old.steps_taken) with ordinality o (act, i) where new.steps_taken->(o.i::int - 1) is distinct from o.act) then
    raise exception 'What was done about the steps of record % stays', old.number using errcode = 'KC001';
  end if;
  return new;
end $$;

create or replace function guard_step_task() returns trigger language plpgsql as $$
begin
  if old.state <> 'open' or (new.record_id, new.rule_id, new.step_index, new.kind) is distinct from (old.record_id, old.rule_id, old.step_index, old.kind) then
    raise exception 'This question is closed and stays as it is' using errcode = 'KC001';
  end if;
  return new;
end $$;

-- Removes all versions but the newest, when a step of the record's rule is due that says so. Gives what was removed.
create or replace function trim_versions(p_record uuid, p_on date)
  returns table (no integer, file_name text, content_id uuid, sha256 bytea, size bigint)
  language plpgsql security definer set search_path = public as $$
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

create or replace trigger certificate_fixed before update or delete on certificate
  for each row execute function refuse_change('a certificate never changes');
create or replace trigger batch_guard before insert or update or delete on batch for each row execute function guard_batch();
create or replace trigger batch_item_guard before insert or update or delete on batch_item for each row execute function guard_batch_item();
create or replace trigger approval_guard before insert on approval for each row execute function guard_approval();
create or replace trigger approval_fixed before update or delete on approval
  for each row execute function refuse_change('a decision on a batch stays as it is');
create or replace trigger objection_guard before update on objection for each row execute function guard_objection();
create or replace trigger objection_kept before delete on objection for each row execute function refuse_change('an objection stays');
create or replace trigger certificate_guard before insert on certificate for each row execute function guard_certificate();
create or replace trigger batch_kept before truncate on batch for each statement execute function refuse_change('a batch stays');
create or replace trigger batch_item_kept before truncate on batch_item for each statement execute function refuse_change('what was in a batch stays');
create or replace trigger approval_kept before truncate on approval for each statement execute function refuse_change('a decision stays');
create or replace trigger objection_emptied before truncate on objection for each statement execute function refuse_change('an objection stays');
create or replace trigger transfer_guard before update on transfer for each row execute function guard_transfer();
create or replace trigger record_steps_guard before update of steps_taken on record
  for each row when (old.steps_taken is distinct from new.steps_taken) execute function guard_steps_taken();
create or replace trigger step_task_guard before update on step_task for each row execute function guard_step_task();
-- Certificates cannot be emptied by the owner of the database either; changing and deleting one was refused already.
create or replace trigger certificate_kept before truncate on certificate
  for each statement execute function refuse_change('A certificate that was issued stays as it is');
