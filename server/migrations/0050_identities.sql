-- People and groups are changed by whoever sets up, and no change of somebody else is written over.
alter table principal add column revision integer not null default 1;
update principal p set name = p.name || ' (' || d.n || ')'
from (select id, row_number() over (partition by lower(name) order by id) as n from principal where kind = 'group') d
where d.id = p.id and d.n > 1;
create unique index principal_group_name on principal (lower(name)) where kind = 'group';
-- Links by which a person chooses a password. Only what they hash to is kept; one of a person works at a time, and once.
create table invitation (
  token_hash bytea primary key,
  principal_id uuid not null unique references principal,
  made_by uuid references principal,
  made_at timestamptz not null default now(),
  until timestamptz not null
);
grant select, insert, delete on invitation to cellar_app;
-- A group that is not in use gives its members nothing.
create view in_group as
select m.member_id, m.group_id from membership m join principal g on g.id = m.group_id and g.active;
grant select on in_group to cellar_app;
