-- Tries at signing in are counted before a password is looked at, and taken back when it was right.
alter table sign_in_failure rename to sign_in_try;
alter index sign_in_failure_login rename to sign_in_try_login;
alter index sign_in_failure_address rename to sign_in_try_address;
create index sign_in_try_at on sign_in_try (at);

-- Where a person has signed in from: there, what strangers try elsewhere does not keep them out.
create table known_address (
  principal_id uuid not null references principal (id),
  address text not null,
  last_at timestamptz not null default now(),
  primary key (principal_id, address)
);
grant select, insert, update, delete on known_address to cellar_app;

-- What a person sees of their sessions; the token's hash stays where it is.
alter table session
  add column id uuid not null default gen_random_uuid() unique,
  add column address text not null default '',
  add column agent text not null default '';
