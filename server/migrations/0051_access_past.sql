-- Who could do what on an earlier day: what decides about access is kept as it was, like what decides about dates (functions/past.sql).
-- Nothing is known of access before this day.
insert into setting (name, value)
select 'accessPastFrom', jsonb_build_object('on', repository_date(repository_now())) where exists (select from place);
-- A grant is of the repository’s day, as its dates are.
alter table grant_ alter column made_at set default repository_now();
