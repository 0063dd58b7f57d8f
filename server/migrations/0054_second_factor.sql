-- A second factor for signing in (docs/decisions/0051-second-factor.md).
create table second_factor (
  principal_id uuid primary key references principal,
  -- Sealed: a nonce, what is sealed, and its tag.
  secret bytea not null,
  made_at timestamptz not null default now(),
  -- From when on it is asked for; null while its owner has not shown that they have it.
  confirmed_at timestamptz,
  -- The newest step of which a code was used.
  last_step bigint not null default 0
);
create table recovery_code (
  principal_id uuid not null references principal,
  code_hash bytea not null,
  primary key (principal_id, code_hash)
);
-- Whether a group asks its members for it.
alter table principal add column second_factor boolean not null default false;
grant select, insert, update, delete on second_factor, recovery_code to cellar_app;
create index principal_asks on principal (id) where second_factor;
