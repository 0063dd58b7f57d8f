-- The nearer levels of the schedule: rules for a record type in a series, rules by criteria, jurisdictions as a tree.

create table jurisdiction (
  name text primary key check (name <> ''),
  part_of text references jurisdiction,
  position integer not null default 0,
  check (part_of is null or part_of <> name)
);
insert into jurisdiction (name)
select distinct unnest(jurisdictions) from record union select distinct unnest(jurisdictions) from place
union select distinct jsonb_array_elements_text(definition->'jurisdictions') from rule_version;

create table pair_rule (
  record_type text not null references record_type,
  series_id uuid not null references place,
  rule_id uuid not null references rule,
  primary key (record_type, series_id, rule_id)
);
create index pair_rule_rule on pair_rule (rule_id);
create index pair_rule_series on pair_rule (series_id);

-- Rules set by criteria, in their priority order: the first one that a record matches counts.
create table criteria_rule (
  id uuid primary key,
  rule_id uuid not null references rule,
  criteria jsonb not null,
  note text not null default '',
  position integer not null,
  unique (position) deferrable initially deferred
);
create index criteria_rule_rule on criteria_rule (rule_id);

create trigger jurisdiction_epoch after insert or update or delete on jurisdiction
  for each statement execute function bump_epoch('schedule');
create trigger pair_rule_epoch after insert or delete on pair_rule
  for each statement execute function bump_epoch('schedule');
create trigger criteria_rule_epoch after insert or update or delete on criteria_rule
  for each statement execute function bump_epoch('schedule');

-- Criteria find facts, owners and what was set by hand through these.
create index record_facts on record using gin (facts jsonb_path_ops);
create index record_owner on record (owner_id) where owner_id is not null;
create index record_override on record (id) where override is not null;
-- Who waits: few columns, so that counting reads the index only.
create index record_waiting on record (rule_version_id, place_id) include (access_set_id, record_type) where outcome = 'waiting' and state <> 'disposed';
-- What follows no rule.
create index record_unscheduled on record (series_id, record_type) include (access_set_id) where outcome = 'unscheduled' and state <> 'disposed';

-- An event that was wrong is taken back and, when it only was inexact, replaced; both stay to be read.
alter table event add withdrawn_by uuid references principal, add withdrawn_reason text, add corrects uuid references event,
  add constraint event_withdrawal check ((withdrawn_at is null) = (withdrawn_by is null));
create index event_corrects on event (corrects) where corrects is not null;

-- Work under way says now what it may touch in one shape.
update job_progress set data = jsonb_build_object('reach', data) where kind = 'recompute' and state = 'running' and data ? 'placeIds';

grant select, insert, update, delete on jurisdiction, pair_rule, criteria_rule to cellar_app;
