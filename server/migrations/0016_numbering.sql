-- Numbering schemes, and one kind of counter for all of them. The scheme that holds where none is set has no row of its own.

create table numbering (
  id uuid primary key,
  title text not null unique check (title <> ''),
  pattern text not null,
  per text[] not null,
  gapless boolean not null,
  revision integer not null default 1
);

-- The last number given within a scope, such as one series in one year. It only ever grows: no number is given twice.
create table numbering_counter (
  numbering_id uuid not null,
  scope text not null,
  last bigint not null,
  primary key (numbering_id, scope)
);
insert into numbering_counter select '00000000-0000-0000-0000-000000000000', series_id || ' ' || year, last from number_counter;
drop table number_counter;

create function guard_counter() returns trigger language plpgsql as $$
begin
  if tg_op = 'DELETE' or new.last <= old.last then
    raise exception 'A counter of numbers only grows' using errcode = 'KC001';
  end if;
  return new;
end $$;
create trigger numbering_counter_grows before update or delete on numbering_counter for each row execute function guard_counter();

alter table place add numbering_id uuid references numbering;
create index place_numbering on place (numbering_id) where numbering_id is not null;
grant select, insert, update, delete on numbering to cellar_app;
grant select, insert, update on numbering_counter to cellar_app;
