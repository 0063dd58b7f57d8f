-- Signing in by the word of a provider of identities (OpenID Connect Core 1.0; docs/semantics.md 9.14).
create table identity_provider (
  id uuid primary key,
  name text not null,
  issuer text not null unique,
  client_id text not null,
  -- Sealed under a key that lies beside the database; null for a client that has none.
  client_secret bytea,
  groups_claim text,
  newcomers boolean not null,
  by_email boolean not null,
  brings_factor boolean not null,
  active boolean not null,
  revision integer not null default 1
);
create unique index identity_provider_name on identity_provider (lower(name));
grant select, insert, update on identity_provider to cellar_app;

-- Which value of the groups claim puts people into which group here.
create table provider_group (
  provider_id uuid not null references identity_provider,
  value text not null,
  group_id uuid not null references principal,
  primary key (provider_id, value, group_id)
);
grant select, insert, delete on provider_group to cellar_app;

-- Who somebody is there (the subject, never an address or a name) and here.
create table federated (
  provider_id uuid not null references identity_provider,
  subject text not null,
  principal_id uuid not null references principal,
  linked_at timestamptz not null default now(),
  last_at timestamptz,
  primary key (provider_id, subject),
  unique (provider_id, principal_id)
);
create index federated_principal on federated (principal_id);
grant select, insert, delete on federated to cellar_app;
grant update (last_at) on federated to cellar_app;

-- A sign-in that is under way elsewhere. State, nonce and verifier follow from the token of the browser that began it, which only that browser has.
create table sign_in_begun (
  token_hash bytea primary key,
  provider_id uuid not null references identity_provider,
  address text not null,
  -- Who links themselves; null: somebody signs in.
  linking_id uuid references principal,
  -- Once the provider said who it is, and a code of theirs is still missing.
  proved_id uuid references principal,
  until timestamptz not null
);
create index sign_in_begun_address on sign_in_begun (address);
grant select, insert, update, delete on sign_in_begun to cellar_app;

-- Whether a second factor was asked for where the person signed in.
alter table session add column factor_proved boolean not null default false;
