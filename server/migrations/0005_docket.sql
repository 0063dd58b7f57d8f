-- Batches of what is due, from proposal to certificate.

create table batch_counter (
  kind text not null,
  year integer not null,
  last integer not null,
  primary key (kind, year)
);

create table batch (
  id uuid primary key,
  number text not null unique,
  action text not null check (action in ('destroy', 'transfer')),
  what text not null,
  state text not null check (state in ('proposed', 'notice', 'approved', 'executing', 'done', 'withdrawn')),
  approvals_needed integer not null,
  notice_days integer not null,
  proposed_by uuid not null references principal,
  proposed_on date not null,
  announced_on date,
  notice_until date,
  approved_on date,
  finished_on date,
  withdrawn_reason text,
  revision integer not null default 1
);
create index batch_state on batch (state);

create table batch_item (
  batch_id uuid not null references batch,
  record_id uuid not null references record,
  outcome text not null default 'open'
    check (outcome in ('open', 'task', 'objected', 'disposed', 'blocked', 'dropped', 'deferred')),
  reason text,
  -- What the certificate says of the record: taken down in the transaction that destroyed it.
  evidence jsonb,
  primary key (batch_id, record_id)
);
create index batch_item_record on batch_item (record_id);
create index batch_item_open on batch_item (batch_id) where outcome in ('open', 'task');

create table approval (
  batch_id uuid not null references batch,
  principal_id uuid not null references principal,
  decision text not null check (decision in ('approve', 'reject')),
  note text not null default '',
  decided_on date not null,
  decided_at timestamptz not null,
  primary key (batch_id, principal_id)
);

create table objection (
  id uuid primary key,
  batch_id uuid not null references batch,
  record_id uuid not null references record,
  by_id uuid not null references principal,
  reason text not null check (reason <> ''),
  made_at timestamptz not null,
  answered_at timestamptz,
  answer text
);
create index objection_batch on objection (batch_id);

create table certificate (
  id uuid primary key,
  number text not null unique,
  batch_id uuid not null unique references batch,
  issued_on date not null,
  sha256 bytea not null,
  pdf bytea not null
);
create trigger certificate_fixed before update or delete on certificate
  for each row execute function refuse_change('a certificate never changes');

-- The only way out for a record: a batch that is being executed, that somebody other than its proposer approved, in
-- which this record is open. Returns the contents its versions had; the caller drops those that nothing else uses.
create function dispose_record(p_record uuid, p_batch uuid, p_on date) returns uuid[]
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
  update record set state = 'disposed', disposed_on = p_on, docket = 'none', due_on = null, revision = revision + 1
  where id = p_record;
  select coalesce(array_agg(distinct content_id), '{}') into v_contents from version where record_id = p_record;
  delete from version where record_id = p_record;
  return v_contents;
end $$;
