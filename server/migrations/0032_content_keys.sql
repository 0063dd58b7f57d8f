-- Each content is encrypted under a key of its own, kept in a file outside; what is stored is checked again and again.
alter table content add column key_slot bigint unique;
alter table content add column damaged_at timestamptz;
-- An authentication tag comes with each chunk (NIST SP 800-38D).
alter table content_chunk drop constraint content_chunk_bytes_check;
alter table content_chunk add constraint content_chunk_bytes_check check (length(bytes) <= 1048576 + 16);
create index content_unchecked on content ((coalesce(checked_at, stored_at)), id) where sha256 is not null and damaged_at is null;
create index content_damaged on content (damaged_at) where damaged_at is not null;

-- Keys are made in blocks; a slot is used once.
create sequence content_key_block minvalue 0;
-- Keys of contents that are gone: destroyed in their file as soon as the transaction that let them go has ended.
create table key_erasure (
  slot bigint primary key,
  content_id uuid not null,
  since timestamptz not null default now(),
  erased_at timestamptz
);
create index key_erasure_open on key_erasure (slot) where erased_at is null;
create index key_erasure_content on key_erasure (content_id);
grant usage on sequence content_key_block to cellar_app;
grant select, update (erased_at) on key_erasure to cellar_app;
grant update (damaged_at) on content to cellar_app;
