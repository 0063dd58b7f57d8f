-- Tags through which access is given: carried by places and by records, with grants of their own. What is not in use gives nothing.
create table access_tag (
  id uuid primary key,
  name text not null check (name <> ''),
  note text not null default '',
  active boolean not null default true,
  made_by uuid references principal,
  made_at timestamptz not null default repository_now(),
  revision integer not null default 1
);
create unique index access_tag_name on access_tag (lower(name));
grant select, insert, update on access_tag to cellar_app;

alter table place add column access_tags uuid[] not null default '{}';
create index place_access_tags on place using gin (access_tags) where access_tags <> '{}';

-- Records carry theirs by their access set, as they do their marking.
alter table access_set add column tags uuid[] not null default '{}',
  drop constraint access_set_anchor_place_record_id_marking_level_marking_cav_key,
  add constraint access_set_key unique nulls not distinct (anchor_place, record_id, marking_level, marking_caveats, tags);
create index access_set_tags on access_set using gin (tags) where tags <> '{}';

alter table grant_ add column tag_id uuid references access_tag,
  drop constraint grant__check,
  add constraint grant_on_one_thing check (num_nonnulls(place_id, record_id, tag_id) = 1);
create index grant_tag on grant_ (tag_id) where tag_id is not null;
alter table access_review_line add column tag_id uuid references access_tag;
