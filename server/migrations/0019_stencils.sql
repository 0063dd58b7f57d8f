-- Stencils: reusable folder structures, their versions, and which folders were made from them.

create table stencil (
  id uuid primary key,
  subject text not null check (subject <> ''),
  title text not null check (title <> ''),
  note text not null default '',
  retired_on date,
  revision integer not null default 1
);
create unique index stencil_title on stencil (lower(title));
create table stencil_version (
  stencil_id uuid not null references stencil,
  version integer not null,
  definition jsonb not null,
  made_by uuid not null references principal,
  made_at timestamptz not null,
  primary key (stencil_id, version)
);
create trigger stencil_version_fixed before update or delete on stencil_version
  for each row execute function refuse_change('a version of a stencil never changes');
create trigger stencil_version_kept before truncate on stencil_version
  for each statement execute function refuse_change('a version of a stencil never changes');
grant select, insert, update on stencil to cellar_app;
grant select, insert on stencil_version to cellar_app;

alter table place
  add stencil_id uuid references stencil,
  -- The version whose words the folder has, which of its folders this is, and the facts that were said when it was made.
  add stencil_version integer,
  add stencil_key text,
  add stencil_words jsonb,
  add ready_titles jsonb not null default '[]',
  add check ((stencil_id is null) = (stencil_key is null) and (stencil_id is null) = (stencil_version is null));
create index place_stencil on place (stencil_id) where stencil_id is not null;
alter table grant_ add by_stencil uuid references stencil;
