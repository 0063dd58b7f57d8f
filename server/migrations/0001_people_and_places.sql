-- Who acts, and where: principals, sessions, the file plan with grants, containers.

create table setting (
  name text primary key,
  value jsonb not null
);

-- The repository's clock: the real one, moved by the demo offset when there is one.
create function repository_now() returns timestamptz language sql stable as $$
  select now() + make_interval(days => coalesce((select (value->>'offsetDays')::int from setting where name = 'clock'), 0))
$$;
-- The civil date of an instant in the repository's time zone.
create function repository_date(p_at timestamptz) returns date language sql stable as $$
  select (p_at at time zone coalesce((select value->>'timeZone' from setting where name = 'repository'), 'UTC'))::date
$$;

-- Bumped by triggers whenever something changes that effective access or the rule book depends on.
-- App servers keep snapshots and compare these numbers to know that theirs is stale.
create table epoch (
  name text primary key,
  value bigint not null default 1
);
insert into epoch (name) values ('access'), ('schedule');

create function bump_epoch() returns trigger language plpgsql security definer set search_path = public as $$
begin
  update epoch set value = value + 1 where name = tg_argv[0];
  return null;
end $$;

create table principal (
  id uuid primary key,
  kind text not null check (kind in ('person', 'group', 'service')),
  name text not null,
  login text unique,
  password_hash text,
  email text,
  clearance_level smallint not null default 0,
  clearance_caveats text[] not null default '{}',
  active boolean not null default true,
  check (kind = 'person' or password_hash is null)
);

create table membership (
  member_id uuid not null references principal,
  group_id uuid not null references principal,
  primary key (member_id, group_id)
);

create table session (
  token_hash bytea primary key,
  principal_id uuid not null references principal,
  created_at timestamptz not null default now(),
  last_seen_at timestamptz not null default now(),
  expires_at timestamptz not null
);
create index session_principal on session (principal_id);

create table sign_in_failure (
  login text not null,
  address text not null,
  at timestamptz not null default now()
);
create index sign_in_failure_login on sign_in_failure (login, at);
create index sign_in_failure_address on sign_in_failure (address, at);

-- Records and places with the same effective access share one access set: the nearest place that has grants of its
-- own or stands alone, the marking, and the record itself when it has grants of its own.
create table access_set (
  id integer generated always as identity primary key,
  anchor_place uuid not null,
  record_id uuid,
  marking_level smallint not null default 0,
  marking_caveats text[] not null default '{}',
  unique nulls not distinct (anchor_place, record_id, marking_level, marking_caveats)
);

create table place (
  id uuid primary key,
  kind text not null check (kind in ('repository', 'function', 'activity', 'series', 'folder')),
  parent_id uuid references place,
  -- From the repository down to the place itself.
  ancestors uuid[] not null,
  code text not null,
  title text not null check (title <> ''),
  note text not null default '',
  position integer not null default 0,
  stand_alone boolean not null default false,
  marking_level smallint not null default 0,
  marking_caveats text[] not null default '{}',
  access_set_id integer not null references access_set,
  jurisdictions text[] not null default '{}',
  frozen_when_declared text[] not null default '{content,facts,moving}',
  declare_on text check (declare_on in ('filing', 'folderClosed')),
  opened_on date not null,
  closed_on date,
  revision integer not null default 1,
  check ((kind = 'repository') = (parent_id is null))
);
create unique index place_code on place (code) where kind <> 'folder';
create unique index place_folder_code on place (parent_id, code) where kind = 'folder';
create index place_parent on place (parent_id, position, code);
create index place_ancestors on place using gin (ancestors);

create table grant_ (
  id uuid primary key,
  principal_id uuid not null references principal,
  place_id uuid references place,
  record_id uuid,
  profile text not null,
  from_on date,
  until_on date,
  reason text not null,
  made_by uuid references principal,
  made_at timestamptz not null default now(),
  check ((place_id is null) <> (record_id is null)),
  check (until_on is null or from_on is null or until_on >= from_on)
);
create index grant_place on grant_ (place_id);
create index grant_principal on grant_ (principal_id);

create trigger grant_epoch after insert or update or delete on grant_
  for each statement execute function bump_epoch('access');
create trigger membership_epoch after insert or update or delete on membership
  for each statement execute function bump_epoch('access');
create trigger principal_epoch after insert or update or delete on principal
  for each statement execute function bump_epoch('access');
create trigger place_epoch after update of stand_alone, ancestors, code, title on place
  for each statement execute function bump_epoch('access');
create trigger access_set_epoch after insert on access_set
  for each statement execute function bump_epoch('access');

create table container (
  id uuid primary key,
  code text not null unique,
  title text not null,
  home text not null,
  location text not null
);

-- The mail stand-in: what would have left by mail, readable by the person it is for.
create table message (
  id uuid primary key,
  to_id uuid not null references principal,
  kind text not null,
  subject text not null,
  body text not null,
  link text,
  sent_at timestamptz not null,
  read_at timestamptz
);
create index message_to on message (to_id, sent_at desc);
