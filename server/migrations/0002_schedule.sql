-- Record types, rules with immutable versions, where rules are set, events.

create table record_type (
  code text primary key,
  title text not null,
  facts jsonb not null,
  revision integer not null default 1
);

create table rule (
  id uuid primary key,
  code text not null unique,
  -- The definition being worked on; null when there is none. Published versions live in rule_version.
  draft jsonb,
  revision integer not null default 1,
  created_at timestamptz not null default now()
);

create table rule_version (
  id uuid primary key,
  rule_id uuid not null references rule,
  version integer not null,
  definition jsonb not null,
  in_force_from date not null,
  takes_over text not null check (takes_over in ('all', 'laterClocks')),
  published_by uuid not null references principal,
  published_at timestamptz not null,
  unique (rule_id, version)
);

create function refuse_change() returns trigger language plpgsql as $$
begin
  raise exception '% of % is refused: %', tg_op, tg_table_name, tg_argv[0]
    using errcode = 'KC001', hint = tg_argv[0];
end $$;

create trigger rule_version_fixed before update or delete on rule_version
  for each row execute function refuse_change('a published rule version never changes');
create trigger rule_version_kept before truncate on rule_version
  for each statement execute function refuse_change('a published rule version never changes');

create table place_rule (
  place_id uuid not null references place,
  rule_id uuid not null references rule,
  primary key (place_id, rule_id)
);
create index place_rule_rule on place_rule (rule_id);

create trigger rule_version_epoch after insert on rule_version
  for each statement execute function bump_epoch('schedule');
create trigger place_rule_epoch after insert or delete on place_rule
  for each statement execute function bump_epoch('schedule');

create table event (
  id uuid primary key,
  type text not null,
  happened_on date not null,
  place_id uuid references place,
  record_id uuid,
  note text not null default '',
  recorded_by uuid not null references principal,
  recorded_at timestamptz not null,
  withdrawn_at timestamptz,
  check ((place_id is null) <> (record_id is null))
);
create index event_place on event (place_id);
create index event_record on event (record_id);
