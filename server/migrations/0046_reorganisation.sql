-- A declared record leaves its series, or its folder, only while the plan is reorganised: somebody said so, and why, in the same transaction,
-- and what was said stays.
create table reorganisation (
  id uuid primary key,
  -- The transaction that it holds for. Its number alone would come again in a repository that was put back from a backup.
  xact xid8 not null default pg_current_xact_id(),
  at timestamptz not null default transaction_timestamp(),
  made_by uuid not null references principal,
  reason text not null check (trim(reason) <> '')
);
create trigger reorganisation_fixed before update or delete on reorganisation
  for each row execute function refuse_change('what was said of a reorganisation never changes');
create trigger reorganisation_kept before truncate on reorganisation
  for each statement execute function refuse_change('what was said of a reorganisation never changes');
grant select on reorganisation to cellar_app;
grant insert (id, made_by, reason) on reorganisation to cellar_app;
create index reorganisation_xact on reorganisation (xact);
