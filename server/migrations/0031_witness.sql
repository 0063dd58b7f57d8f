-- Tree heads are cosigned by a witness outside; private keys are files outside (taken out by kernel/migrate.ts before this runs).
alter table signing_key drop column private_key;
alter table signing_key add column succeeds text references signing_key;
alter table signing_key add column handover bytea;
alter table signing_key add constraint signing_key_handover check ((succeeds is null) = (handover is null));
-- One first key, and each is followed by one at most.
create unique index signing_key_line on signing_key (coalesce(succeeds, ''));

create table head_witness (
  size bigint primary key references tree_head,
  -- The checkpoint with the signatures of log and witness (C2SP signed-note).
  note text not null,
  witness text not null,
  witnessed_at timestamptz not null
);
grant select, insert on head_witness to cellar_app;
-- When was it last verified, and what came of it?
create index ledger_entry_verified on ledger_entry (seq) where act = 'verified the ledger';
