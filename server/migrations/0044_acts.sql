-- Entries of one act, newest first, as Proof narrows to and an auditor's Today shows; it serves the newest verification as well.
create index ledger_entry_act on ledger_entry (act, seq);
drop index ledger_entry_verified;

-- What people did, between which lists of acts count what the program did.
create index ledger_entry_people on ledger_entry (seq) where actor_id is not null;
