-- What people call things stands in the order of the Unicode collation algorithm (UTS #10, the root of CLDR, which English and German share), with
-- numbers by their value: “Ärzte” beside “Arzt”, “Box 2” before “Box 10”. Codes and numbers of records stay in the order of their bytes.
create collation by_words (provider = icu, locale = 'und-u-kn-true');

alter table container alter column title type text collate by_words;
alter table detector alter column title type text collate by_words;
alter table entity alter column name type text collate by_words;
alter table event_type alter column name type text collate by_words;
alter table hold alter column name type text collate by_words;
alter table jurisdiction alter column name type text collate by_words;
alter table matter alter column title type text collate by_words;
alter table named_year alter column name type text collate by_words;
alter table numbering alter column title type text collate by_words;
alter table principal alter column name type text collate by_words;
alter table record_type alter column title type text collate by_words;
alter table stencil alter column subject type text collate by_words;
alter table stencil alter column title type text collate by_words;

-- Triggers that name such a column stand in its way, and come back as they were.
create temporary table waiting on commit drop as
  select tgname as name, tgrelid::regclass as of, pg_get_triggerdef(oid) as definition from pg_trigger
   where not tgisinternal and tgrelid in ('place'::regclass, 'record'::regclass);
do $$
declare one record;
begin
  for one in select * from waiting loop execute format('drop trigger %I on %s', one.name, one.of); end loop;
  alter table place alter column title type text collate by_words;
  alter table record alter column title type text collate by_words;
  for one in select * from waiting loop execute one.definition; end loop;
end $$;
