-- What decides about dates, as it was before it changed: so that a day of the past can be asked about. Written by triggers
-- (functions/past.sql) and by nothing else; what a record was goes with it when it is disposed of.
create table past (
  id bigint generated always as identity primary key,
  -- The table, and the key of the row in it.
  of text not null,
  key text not null,
  -- The moment from which on it was otherwise.
  until timestamptz not null,
  -- The row; null: there was none.
  was jsonb
);
create index past_of on past (of, key, id);
grant select on past to cellar_app;

-- Nothing is known of how it was before this day.
insert into setting (name, value)
select 'pastFrom', jsonb_build_object('on', repository_date(repository_now())) where exists (select from place);
