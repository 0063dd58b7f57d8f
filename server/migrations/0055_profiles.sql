-- Profiles of the repository's own, beside those that ship; their codes are apart from those (core/src/access/rights.ts).
create table own_profile (
  code text primary key check (code ~ '^[a-z0-9][a-z0-9-]{0,39}$'),
  title text not null check (title <> ''),
  rights text[] not null check (rights <> '{}'),
  -- Discover, read and copyOut reach only what the person deposited.
  own_only boolean not null default false,
  -- One that is not in use is given to nobody any more; what was given with it goes on.
  active boolean not null default true,
  revision integer not null default 1
);
create unique index own_profile_title on own_profile (lower(title));
grant select, insert, update on own_profile to cellar_app;

-- The group that everybody is in who can sign in; its members stand nowhere.
alter table principal add column everyone boolean not null default false check (not everyone or kind = 'group');
create unique index principal_everyone on principal (everyone) where everyone;
insert into principal (id, kind, name, everyone) values (gen_random_uuid(), 'group', case
  when exists (select from principal where kind = 'group' and lower(name) = 'everyone') then 'Everyone who signs in' else 'Everyone' end, true);

create or replace view in_group as
select m.member_id, m.group_id from membership m join principal g on g.id = m.group_id and g.active
union all
select p.id, e.id from principal p, principal e where e.everyone and e.active and p.kind = 'person' and p.active;
