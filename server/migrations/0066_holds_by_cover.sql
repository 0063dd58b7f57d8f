-- That a record is held follows from what holds cover, and from nothing else: to cover a record writes no record, and so none of
-- the indexes on it. What a hold by criteria reaches is covered in steps after it was placed, and let go of in steps after its release.
alter table hold disable trigger hold_guard;
update hold set scope_sql = replace(scope_sql, '(r.hold_count > 0)',
  '(exists (select from hold_cover c where c.record_id = r.id and c.released_at is null))')
where scope_sql like '%hold_count%';
alter table hold enable trigger hold_guard;

drop index record_held;
drop trigger record_cover_inserted on record;
drop trigger record_cover_updated on record;
alter table record drop column hold_count, drop column freeze_count;

-- What a hold is doing: covering what its criteria matched when it was placed, or letting go of what it covered.
create table hold_work (
  hold_id uuid primary key references hold,
  doing text not null check (doing in ('covering', 'releasing')),
  -- Records to go through; null until they were looked for.
  total integer,
  done integer not null default 0
);
-- What is still to be gone through, some hundreds of records a row.
create table hold_part (
  hold_id uuid not null references hold,
  no integer not null,
  record_ids uuid[] not null,
  primary key (hold_id, no)
);
grant select on hold_work, hold_part to cellar_app;
