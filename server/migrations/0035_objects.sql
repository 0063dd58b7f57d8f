-- Contents may lie in an object store, or have a copy there.
alter table content add column store text not null default 'database' check (store in ('database', 'objects'));
-- SHA-256 of each stored chunk, one after another, of what lies in the object store: there are no rows of chunks for it.
alter table content add column fingerprints bytea;
alter table content add constraint content_fingerprints check ((fingerprints is not null) = (store = 'objects'));
alter table content add column copied_at timestamptz;
create index content_uncopied on content (id)
  where sha256 is not null and store = 'database' and copied_at is null and damaged_at is null and key_slot is not null;

-- By the repository’s clock, as when it was checked.
alter table content alter column stored_at set default repository_now();

-- Every object that was ever begun and is not removed yet. One whose content is gone, or never came to be, is to be removed.
create table content_object (
  content_id uuid primary key,
  -- When it was begun to be written, or its newest version was.
  begun_at timestamptz not null default now(),
  -- The version that was written; null as long as nothing is known to be there.
  version text,
  locked_until timestamptz,
  gone_since timestamptz
);
-- No lock counts as one that has ended: what is to be done is at the front of either index, however much is not.
create index content_object_lock on content_object ((coalesce(locked_until, '-infinity'))) where version is not null and gone_since is null;
create index content_object_gone on content_object ((coalesce(locked_until, '-infinity'))) where gone_since is not null;
create index content_object_begun on content_object (begun_at) where version is null;
grant select, insert (content_id), update (begun_at, version, locked_until), delete on content_object to cellar_app;
grant update (copied_at) on content to cellar_app;
