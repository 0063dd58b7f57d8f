-- Versioned record types, parties and business objects that facts point at, facts of folders, and what places take.

alter table record_type add retired_on date;
create table record_type_version (
  code text not null references record_type,
  version integer not null,
  title text not null,
  facts jsonb not null,
  -- Null: it was there before types had versions.
  published_by uuid references principal,
  published_at timestamptz not null default now(),
  primary key (code, version)
);
insert into record_type_version (code, version, title, facts) select code, revision, title, facts from record_type;
create trigger record_type_version_fixed before update or delete on record_type_version
  for each row execute function refuse_change('a published version of a record type never changes');
create trigger record_type_version_kept before truncate on record_type_version
  for each statement execute function refuse_change('a published version of a record type never changes');
grant select, insert on record_type_version to cellar_app;

create table entity (
  id uuid primary key,
  kind text not null check (kind in ('party', 'object')),
  name text not null check (name <> ''),
  -- Its number elsewhere, such as in a line-of-business system.
  code text not null default '',
  note text not null default '',
  retired_on date,
  revision integer not null default 1
);
create unique index entity_name on entity (kind, lower(name));
create index entity_code on entity (code) where code <> '';
grant select, insert, update on entity to cellar_app;

alter table record
  -- The version of its type that its facts were last checked against.
  add type_version integer not null default 1,
  -- Parties and business objects that its facts point at.
  add refers uuid[] not null default '{}';
create index record_refers on record using gin (refers) where refers <> '{}';
create index record_by_type on record (record_type, id);
grant update (type_version, refers) on record to cellar_app;

-- Values of facts that no two records of a type may share. A value stays taken when its record is disposed of.
create table fact_value (
  record_type text not null references record_type,
  fact text not null,
  value text not null,
  record_id uuid not null references record,
  primary key (record_type, fact, value)
);
create index fact_value_record on fact_value (record_id);
grant select, insert, delete on fact_value to cellar_app;

alter table place
  -- Given on to what is filed in it.
  add facts jsonb not null default '{}',
  -- What it takes: types, formats, largest; null: whatever the places around it take.
  add takes jsonb;

alter table event add entity_id uuid references entity;
alter table event drop constraint event_check;
alter table event add constraint event_on_one check (num_nonnulls(place_id, record_id, entity_id) = 1);
create index event_entity on event (entity_id) where entity_id is not null;
