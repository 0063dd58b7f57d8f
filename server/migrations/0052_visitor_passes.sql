-- Links for people without an account (docs/decisions/0049-visitor-passes.md).
create table visitor_pass (
  id uuid primary key,
  token_hash bytea not null unique,
  visitor text not null,
  reason text not null,
  made_by uuid not null references principal,
  made_at timestamptz not null default repository_now(),
  -- The last day.
  until date not null,
  passphrase_hash text,
  -- How often it may be opened; null: as often as wanted.
  openings integer check (openings > 0),
  opened integer not null default 0,
  last_opened_at timestamptz,
  copy_out boolean not null,
  -- All that lies in a place; else the records named below.
  place_id uuid references place,
  revoked_at timestamptz,
  revoked_by uuid references principal,
  revoke_reason text,
  constraint visitor_pass_a_year check (until <= repository_date(made_at) + 366),
  constraint visitor_pass_openings check (opened <= openings)
);
create index visitor_pass_maker on visitor_pass (made_by);
create table visitor_pass_record (
  pass_id uuid not null references visitor_pass,
  record_id uuid not null references record,
  primary key (pass_id, record_id)
);
create index visitor_pass_record_record on visitor_pass_record (record_id);
create table visitor_session (
  token_hash bytea primary key,
  pass_id uuid not null references visitor_pass,
  opened_at timestamptz not null default now(),
  last_seen_at timestamptz not null default now(),
  address text not null
);
create index visitor_session_pass on visitor_session (pass_id);
-- A pass is what was made: only its openings are counted and its end is written.
grant insert on visitor_pass, visitor_pass_record to cellar_app;
grant update (opened, last_opened_at, revoked_at, revoked_by, revoke_reason) on visitor_pass to cellar_app;
grant select on visitor_pass, visitor_pass_record to cellar_app;
grant select, insert, update, delete on visitor_session to cellar_app;
