-- Detectors: what is looked for in the text of records, and what was found.
create table detector (
  id uuid primary key,
  title text not null check (title <> ''),
  note text not null default '',
  -- As the core has them; at least one.
  signs jsonb not null,
  revision integer not null default 1,
  retired_on date
);
create unique index detector_title on detector (lower(title));

alter table record add column detected uuid[] not null default '{}';
create index record_detected on record using gin (detected) where detected <> '{}';

-- Records that are to be looked at, or looked at again. Whoever looks claims a note for a while and takes it off only when it
-- still has the stamp that it had then: what was written meanwhile is looked at once more, and nobody waits for anybody.
create sequence detection_stamp;
create table detection_due (
  -- No foreign key: records are never deleted, and its lock would be one more for writers to wait for each other at.
  record_id uuid primary key,
  stamp bigint not null default nextval('detection_stamp'),
  claimed_until timestamptz
);

create function note_detection() returns trigger language plpgsql security definer set search_path = public as $$
begin
  if exists (select from detector where retired_on is null) then
    insert into detection_due (record_id) values (new.id)
    on conflict (record_id) do update set stamp = nextval('detection_stamp'), claimed_until = null;
  end if;
  return null;
end $$;
create trigger record_detection_inserted after insert on record
  for each row execute function note_detection();
-- Dating records anew names none of these columns, and so costs nothing.
create trigger record_detection_updated after update of title, facts, version_no on record
  for each row when ((new.title, new.facts, new.version_no) is distinct from (old.title, old.facts, old.version_no))
  execute function note_detection();

-- A stub keeps the facts that its rule says, and nothing of what was in the content.
create function forget_detected() returns trigger language plpgsql as $$
begin
  new.detected := '{}';
  return new;
end $$;
create trigger record_forgets_detected before update of state on record
  for each row when (new.state = 'disposed' and old.state <> 'disposed') execute function forget_detected();

grant select, insert, update on detector to cellar_app;
grant select, insert, update, delete on detection_due to cellar_app;
grant usage on sequence detection_stamp to cellar_app;
grant update (detected) on record to cellar_app;
