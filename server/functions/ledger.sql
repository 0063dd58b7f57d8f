-- History only grows.
-- Re-creatable: run after the migrations whenever this file changed.


create or replace trigger ledger_entry_fixed before update or delete on ledger_entry
  for each row execute function refuse_change('the ledger only grows');
create or replace trigger ledger_entry_kept before truncate on ledger_entry
  for each statement execute function refuse_change('the ledger only grows');
create or replace trigger tree_head_fixed before update or delete on tree_head
  for each row execute function refuse_change('a signed tree head never changes');
create or replace trigger head_stamp_fixed before update or delete on head_stamp
  for each row execute function refuse_change('a time stamp never changes');
