-- Programs of others that use the interface: each with tokens of its own, which end (docs/semantics.md 9.15).
create table api_token (
  id uuid primary key,
  principal_id uuid not null references principal,
  name text not null check (name <> ''),
  -- What the token itself is, nobody keeps.
  token_hash bytea not null unique,
  -- Such as records.read: the area of the interface, and whether its questions or its acts. A token has no right by them, it only narrows.
  scopes text[] not null check (scopes <> '{}'),
  -- The last day on which it works.
  until date not null,
  made_by uuid not null references principal,
  made_on date not null,
  last_used_at timestamptz,
  last_used_from text,
  ended_on date
);
create index api_token_principal on api_token (principal_id);
grant select, insert on api_token to cellar_app;
grant update (last_used_at, last_used_from, ended_on) on api_token to cellar_app;

create unique index principal_program_name on principal (lower(name)) where kind = 'service';
