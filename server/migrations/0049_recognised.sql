-- What was recognised in pictures and scanned pages of a content, so that each is looked at once. Sealed under a key that follows from the
-- content’s: whoever destroys that destroys the words with it, in every copy of the database.
create table recognised (
  content_id uuid primary key references content on delete cascade,
  words bytea not null
);
grant select, insert, update on recognised to cellar_app;
-- Scans can be read now: what could not be is looked at anew.
insert into detection_due (record_id)
select u.record_id from unread u join record r on r.id = u.record_id
where r.state <> 'disposed' and exists (select from detector where retired_on is null)
on conflict (record_id) do nothing;
