-- People and groups that a program of another system arranges (SCIM 2.0, RFC 7643): what they are called there, and whether they were taken away there.
alter table principal add column external_id text check (external_id <> ''), add column taken_away boolean not null default false;
create unique index principal_external on principal (kind, external_id) where external_id is not null;
