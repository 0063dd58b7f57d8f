-- The only ways out for a record, and what a batch, a transfer and a question keep.
-- Re-creatable: run after the migrations whenever this file changed.

-- As before, and: what is transferred leaves only when an archive has said that it holds it, or, on paper, when a person has.
create or replace function dispose_record(p_record uuid, p_batch uuid, p_on date) returns uuid[]
  language plpgsql security definer set search_path = public as $$
declare
  v_contents uuid[];
begin
  perform from record where id = p_record for update;
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
  update record set state = 'disposed', disposed_on = p_on, docket = 'none', due_on = null, deferred_until = null,
    deferred_reason = null, revision = revision + 1
  where id = p_record;
  select coalesce(array_agg(distinct content_id), '{}') into v_contents from version where record_id = p_record;
  delete from version where record_id = p_record;
  return v_contents;
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
create or replace trigger transfer_guard before update on transfer for each row execute function guard_transfer();
create or replace trigger record_steps_guard before update of steps_taken on record
  for each row when (old.steps_taken is distinct from new.steps_taken) execute function guard_steps_taken();
create or replace trigger step_task_guard before update on step_task for each row execute function guard_step_task();
-- Certificates cannot be emptied by the owner of the database either; changing and deleting one was refused already.
create or replace trigger certificate_kept before truncate on certificate
  for each statement execute function refuse_change('A certificate that was issued stays as it is');
