-- What events can be recorded, and rules can wait for: a list of the repository, compared without case.
create table event_type (
  name text primary key check (name <> '')
);
create unique index event_type_folded on event_type (lower(name));
insert into event_type (name)
select distinct on (lower(type)) type from (
  select type from event
  union all select definition->'trigger'->>'eventType' from rule_version
  union all select draft->'trigger'->>'eventType' from rule
) named where type <> '' order by lower(type), type;
grant select, insert, update, delete on event_type to cellar_app;

-- Years whose ends are listed, such as terms of office: rules roll to them by their name.
create table named_year (
  name text primary key check (name <> ''),
  ends date[] not null default '{}'
);
grant select, insert, update, delete on named_year to cellar_app;

-- Which days are worked in a jurisdiction: {"weekend": [6, 7], "holidays": [{"on": "2026-12-25", "name": "Christmas"}]}.
alter table jurisdiction add column calendar jsonb;

-- The trigger’s own date, which steps before it count from; and the rule that allows less than what keeps the record.
alter table record add column trigger_on date;
alter table record add column conflict_with uuid references rule_version (id);
grant update (trigger_on, conflict_with) on record to cellar_app;
create index record_conflict on record (conflict_with) include (access_set_id, rule_version_id)
  where conflict_with is not null and state <> 'disposed';

-- Which records pointed at which by what fact, from when until when: it ends when the one that pointed is gone, or points elsewhere.
create table record_reference (
  target_id uuid not null references record (id),
  fact text not null,
  referrer_id uuid not null references record (id),
  -- The fact says that the one that points replaces the other.
  replaces boolean not null default false,
  since date not null,
  until date,
  ended text check (ended in ('gone', 'changed')),
  primary key (target_id, fact, referrer_id, since),
  constraint record_reference_end check ((until is null) = (ended is null))
);
create index record_reference_by on record_reference (referrer_id) where until is null;
insert into record_reference (target_id, fact, referrer_id, since, until, ended)
select distinct t.id, f.code, r.id, r.filed_on, r.disposed_on, case when r.disposed_on is not null then 'gone' end
from record r
join record_type_version ty on ty.code = r.record_type and ty.version = r.type_version
cross join lateral jsonb_to_recordset(ty.facts) as f (code text, kind text)
cross join lateral jsonb_array_elements_text(
  case jsonb_typeof(r.facts->f.code) when 'array' then r.facts->f.code else jsonb_build_array(r.facts->f.code) end) as v (id)
join record t on t.id::text = v.id
where f.kind = 'reference' and r.facts ? f.code;
grant select, insert, update (until, ended) on record_reference to cellar_app;

-- What a rule keeps as a sample stays out of the batch that it was gathered with, and says so there.
alter table batch_item drop constraint batch_item_outcome_check;
alter table batch_item add constraint batch_item_outcome_check
  check (outcome in ('open', 'task', 'objected', 'disposed', 'blocked', 'dropped', 'deferred', 'sampled'));

-- Types of events that were compared with case before, and dates that are stored for the first time.
insert into setting (name, value) select 'judgeAnew', 'true' where exists (select from record)
  on conflict (name) do update set value = 'true';

-- Letters that no decomposition takes apart are folded now (ß as ss, ł as l): what was indexed, and what holds look for, as what is asked.
create function fold_letters(word text) returns text language sql immutable as $$
  select replace(replace(replace(replace(translate(word, 'øłđðħŋıĸς', 'olddhnikσ'), 'ß', 'ss'), 'æ', 'ae'), 'œ', 'oe'), 'þ', 'th')
$$;
update record set search = array_to_tsvector(array(select distinct fold_letters(word) from unnest(tsvector_to_array(search)) word))
where search::text ~ '[ßæœøłđðþħŋıĸς]';
alter table hold disable trigger hold_guard;
update hold h set scope_params = (
  select jsonb_agg(case when h.scope_sql like '%($2->>' || n - 1 || ')::tsquery%' then to_jsonb(fold_letters(p #>> '{}')) else p end order by n)
  from jsonb_array_elements(h.scope_params) with ordinality x (p, n))
where h.state = 'open' and h.scope_params::text ~ '[ßæœøłđðþħŋıĸς]';
alter table hold enable trigger hold_guard;
drop function fold_letters(text);
