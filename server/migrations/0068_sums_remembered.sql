-- What the rack came to is remembered by servers until it is folded again; what comes due is kept by month as the rack is.
insert into epoch (name) values ('rack');

-- By month and access set; over all sets under the set 0.
create table due_sum (
  access_set_id integer not null,
  month date not null,
  action text not null check (action in ('destroy', 'transfer')),
  n integer not null,
  held integer not null,
  primary key (access_set_id, month, action)
);
create table due_delta (like due_sum);
insert into due_sum
select coalesce(access_set_id, 0), month, action, count(*), sum(held) from (
  select access_set_id, date_trunc('month', due_on)::date as month, action,
    exists (select from hold_cover c where c.record_id = record.id and c.released_at is null)::int as held
  from record where state <> 'disposed' and due_on is not null and action is not null) r
group by grouping sets ((access_set_id, month, action), (month, action));
grant select on due_sum, due_delta to cellar_app;

drop view rack_now;

-- With the column itself, so that a list by due date is jumped through in the index.
drop index record_due;
create index record_due on record (coalesce(due_on, 'infinity'::date), id) include (access_set_id, state, due_on);
drop index record_series_due;
create index record_series_due on record (series_id, coalesce(due_on, 'infinity'::date), id) include (access_set_id, state, due_on);
