-- How guards, rights and owners stood when migrations had made them: compared before anybody is told that the server is ready.
create table schema_fingerprint (sha256 text not null);
create unique index schema_fingerprint_one on schema_fingerprint ((true));
grant select on schema_fingerprint to cellar_app;
