-- A fingerprint per chunk, so that a part of a content is checked before a byte of it leaves. The tree of a content is the
-- fingerprint over those of its chunks, one after another. Content that was damaged before this is still told by the fingerprint
-- of the whole.
alter table content_chunk add column sha256 bytea not null generated always as (sha256(bytes)) stored;
alter table content add column tree bytea check (length(tree) = 32);
alter table content disable trigger content_guard;
update content c set tree = (select sha256(string_agg(k.sha256, ''::bytea order by k.seq)) from content_chunk k where k.content_id = c.id)
where c.sha256 is not null;
alter table content enable trigger content_guard;
alter table content add constraint content_whole check ((sha256 is null) = (tree is null));
