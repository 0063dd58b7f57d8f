-- What a thing was like when it last came in with a package: a fingerprint of each of its fields, by which the next package tells what was
-- changed here from what was changed there.
create table brought (
  section text not null,
  name text not null,
  fields jsonb not null,
  primary key (section, name)
);
grant select, insert, update on brought to cellar_app;
grant delete on membership to cellar_app;
