-- How many records lie right in each place, kept as the rack is: what is in a folder is added up from it and the folders in it.
create table place_sum (
  place_id uuid not null,
  access_set_id integer not null,
  kept integer not null,
  due integer not null,
  held integer not null,
  unscheduled integer not null,
  permanent integer not null,
  waiting integer not null,
  primary key (place_id, access_set_id)
);
create table place_delta (like place_sum);
insert into place_sum
select place_id, access_set_id, count(*), count(*) filter (where docket <> 'none'),
  count(*) filter (where exists (select from hold_cover c where c.record_id = record.id and c.released_at is null)),
  count(*) filter (where outcome = 'unscheduled'), count(*) filter (where outcome = 'permanent'), count(*) filter (where outcome = 'waiting')
from record where state <> 'disposed' group by 1, 2;
grant select on place_sum, place_delta to cellar_app;
