-- Content, arrivals, records and versions, with the guards that protect declared records and their bytes.

create table content (
  id uuid primary key,
  -- Null only inside the transaction that is still streaming it in.
  sha256 bytea unique check (length(sha256) = 32),
  size bigint not null default 0,
  media_type text not null default 'application/octet-stream',
  checked_at timestamptz,
  stored_at timestamptz not null default now()
);

create table content_chunk (
  content_id uuid not null references content on delete cascade,
  seq integer not null,
  bytes bytea not null check (length(bytes) <= 1048576),
  primary key (content_id, seq)
);
alter table content_chunk alter column bytes set storage external;

create trigger content_chunk_fixed before update on content_chunk
  for each row execute function refuse_change('stored content is never updated');

-- Bytes can be added only while the content is being streamed in, and its fingerprint is set once.
create function guard_chunk() returns trigger language plpgsql as $$
begin
  -- Content that this very transaction made may still get its bytes: small files come in one statement.
  if exists (select from content c where c.id = new.content_id and c.sha256 is not null
      and c.xmin <> pg_current_xact_id()::xid) then
    raise exception 'Stored content takes no more bytes' using errcode = 'KC001';
  end if;
  return new;
end $$;
create trigger content_chunk_guard before insert on content_chunk for each row execute function guard_chunk();
create function guard_content() returns trigger language plpgsql as $$
begin
  if old.sha256 is not null and (new.sha256, new.size) is distinct from (old.sha256, old.size) then
    raise exception 'Stored content is never updated' using errcode = 'KC001';
  end if;
  return new;
end $$;
create trigger content_guard before update on content for each row execute function guard_content();

-- What has arrived and is not filed.
create table arrival (
  id uuid primary key,
  file_name text not null,
  changed text[] not null default '{}',
  content_id uuid not null references content,
  source text not null,
  place_id uuid references place,
  deposited_by uuid not null references principal,
  idempotency_key text,
  arrived_at timestamptz not null,
  unique (deposited_by, idempotency_key)
);
create index arrival_content on arrival (content_id);
create index arrival_by on arrival (deposited_by, arrived_at);

create table number_counter (
  series_id uuid not null references place,
  year integer not null,
  last integer not null,
  primary key (series_id, year)
);

create table record (
  id uuid primary key,
  number text not null,
  title text not null check (title <> ''),
  medium text not null check (medium in ('electronic', 'physical')),
  record_type text not null references record_type,
  place_id uuid not null references place,
  series_id uuid not null references place,
  -- From the repository down to place_id.
  places uuid[] not null,
  state text not null default 'working' check (state in ('working', 'declared', 'disposed')),
  created_on date not null,
  received_on date not null,
  filed_on date not null,
  modified_on date not null,
  declared_on date,
  superseded_on date,
  last_used_on date,
  facts jsonb not null default '{}',
  gaps smallint not null default 0,
  search tsvector not null,
  marking_level smallint not null default 0,
  marking_caveats text[] not null default '{}',
  access_set_id integer not null references access_set,
  owner_id uuid references principal,
  deposited_by uuid not null references principal,
  container_id uuid references container,
  jurisdictions text[] not null default '{}',
  override jsonb,
  frozen text[] not null default '{}',
  -- What the schedule says, kept by the recompute.
  outcome text not null default 'unscheduled' check (outcome in ('permanent', 'waiting', 'dated', 'unscheduled')),
  rule_version_id uuid references rule_version,
  clock_start date,
  due_on date,
  action text check (action in ('destroy', 'transfer')),
  vintage smallint,
  docket text not null default 'none' check (docket in ('none', 'due', 'batch')),
  -- Kept by the hold triggers only; the application's role cannot write them.
  hold_count integer not null default 0 check (hold_count >= 0),
  freeze_count integer not null default 0 check (freeze_count >= 0),
  version_no integer not null default 0,
  size bigint not null default 0,
  media_type text,
  revision integer not null default 1,
  disposed_on date
);

-- One index for each column that lists sort by, for the whole repository and within a series. What the access filter
-- needs rides along, so that skipping ahead in a list reads the index only.
create unique index record_number on record (number) include (access_set_id, state);
create index record_title on record (title, id) include (access_set_id, state);
create index record_created on record (created_on, id) include (access_set_id, state);
create index record_filed on record (filed_on, id) include (access_set_id, state);
create index record_due on record ((coalesce(due_on, 'infinity'::date)), id) include (access_set_id, state);
create index record_size on record (size, id) include (access_set_id, state);
create index record_series_number on record (series_id, number) include (access_set_id, state);
create index record_series_title on record (series_id, title, id) include (access_set_id, state);
create index record_series_created on record (series_id, created_on, id) include (access_set_id, state);
create index record_series_filed on record (series_id, filed_on, id) include (access_set_id, state);
create index record_series_due on record (series_id, (coalesce(due_on, 'infinity'::date)), id) include (access_set_id, state);
create index record_series_size on record (series_id, size, id) include (access_set_id, state);
create index record_place on record (place_id);
create index record_access on record (access_set_id);
create index record_deposited_by on record (deposited_by);
create index record_search on record using gin (search);
create index record_places on record using gin (places);
create index record_sweep on record (due_on) where docket = 'none' and state <> 'disposed' and due_on is not null;
create index record_docket on record (series_id, rule_version_id, vintage) where docket <> 'none';
create index record_held on record (id) where hold_count > 0;
create index record_container on record (container_id) where container_id is not null;
alter table grant_ add foreign key (record_id) references record;
alter table event add foreign key (record_id) references record;

create table version (
  record_id uuid not null references record,
  no integer not null,
  content_id uuid not null references content,
  file_name text not null,
  made_by uuid not null references principal,
  made_at timestamptz not null,
  note text not null default '',
  primary key (record_id, no)
);
create index version_content on version (content_id);

-- What nobody may do to a record, whoever asks and however they connect.
create function guard_record() returns trigger language plpgsql as $$
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
  if old.state = 'disposed' then
    raise exception 'Record % was disposed of; its stub never changes', old.number using errcode = 'KC001';
  end if;
  -- Leaving a state goes through the functions below, which ask for their reasons.
  if current_user = 'cellar_app' and (new.state = 'disposed' or (old.state = 'declared' and new.state = 'working')) then
    raise exception 'Record % leaves its state through dispose_record() or undeclare_record() only', old.number
      using errcode = 'KC001';
  end if;
  if new.state = 'disposed' then
    if old.hold_count > 0 or exists (select from hold_cover c where c.record_id = old.id and c.released_at is null) then
      raise exception 'Record % is held and stays', old.number using errcode = 'KC002';
    end if;
    return new;
  end if;
  if old.state = 'declared' and new.state = 'working' and old.hold_count > 0 then
    raise exception 'Record % is held and stays declared', old.number using errcode = 'KC002';
  end if;
  if old.state = 'declared' and new.state = 'declared' then
    if (content_changes and 'content' = any (old.frozen)) or (facts_change and 'facts' = any (old.frozen))
      or (moves and 'moving' = any (old.frozen)) or (new.series_id <> old.series_id) or new.frozen <> old.frozen
      or new.declared_on is distinct from old.declared_on then
      raise exception 'Record % is declared and cannot change', old.number using errcode = 'KC003';
    end if;
  end if;
  if old.freeze_count > 0 and (content_changes or facts_change or moves) then
    raise exception 'Record % is frozen by a hold', old.number using errcode = 'KC002';
  end if;
  return new;
end $$;
create trigger record_guard before update on record for each row execute function guard_record();
create trigger record_kept before delete on record
  for each row execute function refuse_change('a record is disposed of, never deleted');

create function guard_version() returns trigger language plpgsql as $$
declare
  r record;
begin
  if tg_op = 'UPDATE' then
    raise exception 'A version never changes' using errcode = 'KC001';
  end if;
  -- The row lock keeps declaring, holding and disposing from slipping in between.
  select * into r from record where id = coalesce(new.record_id, old.record_id) for update;
  if tg_op = 'DELETE' then
    if r.state <> 'disposed' then
      raise exception 'Versions of record % stay while it is kept', r.number using errcode = 'KC001';
    end if;
    return old;
  end if;
  if r.state = 'disposed' or (r.state = 'declared' and 'content' = any (r.frozen)) then
    raise exception 'Record % is % and takes no new version', r.number, r.state using errcode = 'KC003';
  end if;
  if r.freeze_count > 0 then
    raise exception 'Record % is frozen by a hold', r.number using errcode = 'KC002';
  end if;
  return new;
end $$;
create trigger version_guard before insert or update or delete on version
  for each row execute function guard_version();

-- Content goes only when nothing refers to it any more. The row lock makes a concurrent filing of the same
-- content wait, and find it gone, instead of keeping a reference to nothing.
create function drop_unused_content(p_content uuid) returns boolean
  language plpgsql security definer set search_path = public as $$
begin
  perform from content where id = p_content for update;
  if not found or exists (select from version where content_id = p_content)
    or exists (select from arrival where content_id = p_content) then
    return false;
  end if;
  delete from content where id = p_content;
  return true;
end $$;

-- Undoes a declaration. Refused for held records (by the guard) and without a reason.
create function undeclare_record(p_record uuid, p_by uuid, p_reason text) returns void
  language plpgsql security definer set search_path = public as $$
begin
  if coalesce(trim(p_reason), '') = '' or not exists (select from principal where id = p_by) then
    raise exception 'Undeclaring needs a person and a reason' using errcode = 'KC004';
  end if;
  update record set state = 'working', declared_on = null, frozen = '{}', revision = revision + 1
  where id = p_record and state = 'declared';
  if not found then
    raise exception 'Record % is not declared', p_record using errcode = 'KC004';
  end if;
end $$;
