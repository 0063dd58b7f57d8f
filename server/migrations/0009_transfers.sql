-- Transfers to an archive, and records that were put off.

-- The bag a batch went out in, and the receipt that came back. `records` is what the bag holds: nothing else of the
-- batch may leave on the strength of this receipt.
create table transfer (
  batch_id uuid primary key references batch,
  records uuid[] not null,
  bag_name text not null,
  bag_sha256 bytea not null check (length(bag_sha256) = 32),
  bag_size bigint not null,
  -- The bag itself; null once the archive has it and the batch is done.
  bag_id uuid references content,
  made_on date not null,
  receipt jsonb
);
create index transfer_bag on transfer (bag_id) where bag_id is not null;

create function guard_transfer() returns trigger language plpgsql as $$
begin
  if (new.batch_id, new.records, new.bag_name, new.bag_sha256, new.bag_size, new.made_on)
    is distinct from (old.batch_id, old.records, old.bag_name, old.bag_sha256, old.bag_size, old.made_on)
    or (old.receipt is not null and new.receipt is distinct from old.receipt) then
    raise exception 'A transfer and its receipt never change' using errcode = 'KC001';
  end if;
  return new;
end $$;
create trigger transfer_guard before update on transfer for each row execute function guard_transfer();

alter table record add deferred_until date, add deferred_reason text,
  add constraint record_deferral check ((deferred_until is null) = (deferred_reason is null));

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

-- As before, and a bag that may have to be sent again keeps its bytes.
create or replace function drop_unused_content(p_content uuid) returns boolean
  language plpgsql security definer set search_path = public as $$
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

grant select on transfer to cellar_app;
grant insert on transfer to cellar_app;
grant update (bag_id, receipt) on transfer to cellar_app;
grant update (deferred_until, deferred_reason) on record to cellar_app;
