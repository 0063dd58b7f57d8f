-- What detectors could not read of a record’s content, so that nobody takes silence for nothing found.
create table unread (
  record_id uuid primary key references record on delete cascade,
  -- Which part and why, as the reader tells it.
  parts jsonb not null,
  since timestamptz not null default now()
);
grant select, insert, update, delete on unread to cellar_app;
-- More can be read than before: all that is kept is looked at anew.
insert into detection_due (record_id)
select id from record where state <> 'disposed' and exists (select from detector where retired_on is null)
on conflict (record_id) do nothing;
