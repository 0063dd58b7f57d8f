-- A sweep goes through days, so that where a job stands is a text: the id of a record, or a day.
alter table job_progress alter column cursor_ type text using cursor_::text;

-- What the schedule said of records was worked out as it was understood before; the next sweep judges them anew.
insert into setting (name, value) select 'judgeAnew', 'true' where exists (select from record);
