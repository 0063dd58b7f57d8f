-- A version that was announced and has not come into force may be withdrawn. It stays as it was published.
create table rule_withdrawal (
  version_id uuid primary key references rule_version (id),
  withdrawn_by uuid not null references principal (id),
  withdrawn_at timestamptz not null,
  reason text not null
);
grant select, insert on rule_withdrawal to cellar_app;
