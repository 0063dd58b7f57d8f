-- History only grows.
-- Re-creatable: run after the migrations whenever this file changed.

-- A tile is added to at its end.
create or replace function guard_tile() returns trigger language plpgsql as $$
begin
  if length(new.hashes) % 32 <> 0 or length(new.hashes) > 8192
    or (new.level = 0 and cardinality(new.entries) <> length(new.hashes) / 32)
    or (tg_op = 'UPDATE' and ((new.level, new.idx) is distinct from (old.level, old.idx)
      or substring(new.hashes for length(old.hashes)) <> old.hashes
      or new.entries[:cardinality(old.entries)] is distinct from old.entries)) then
    raise exception 'A tile of the tree is added to at its end' using errcode = 'KC001';
  end if;
  return new;
end $$;

-- A head is larger than every one before it, of a tree that has as many leaves, and signed with the newest key.
create or replace function guard_tree_head() returns trigger language plpgsql as $$
begin
  if new.size <= coalesce((select max(size) from tree_head), 0)
    or new.size <> (select idx * 256 + cardinality(entries) from ledger_tile where level = 0 order by idx desc limit 1)
    or length(new.root) <> 32 or length(new.signature) <> 64
    or not exists (select from signing_key k where k.id = new.key_id and not exists (select from signing_key n where n.succeeds = k.id)) then
    raise exception 'A tree head says what was sealed, with the newest key' using errcode = 'KC001';
  end if;
  return new;
end $$;

-- What is sealed stays so.
create or replace function guard_seal_state() returns trigger language plpgsql as $$
begin
  if new.size < old.size or new.floor < old.floor or new.next_floor < old.next_floor then
    raise exception 'What is sealed stays sealed' using errcode = 'KC001';
  end if;
  return new;
end $$;

create or replace trigger ledger_entry_fixed before update or delete on ledger_entry
  for each row execute function refuse_change('the ledger only grows');
create or replace trigger ledger_entry_kept before truncate on ledger_entry
  for each statement execute function refuse_change('the ledger only grows');
create or replace trigger ledger_tile_guard before insert or update on ledger_tile for each row execute function guard_tile();
create or replace trigger ledger_tile_fixed before delete on ledger_tile
  for each row execute function refuse_change('the ledger only grows');
create or replace trigger ledger_tile_kept before truncate on ledger_tile
  for each statement execute function refuse_change('the ledger only grows');
create or replace trigger tree_head_guard before insert on tree_head for each row execute function guard_tree_head();
create or replace trigger tree_head_fixed before update or delete on tree_head
  for each row execute function refuse_change('a signed tree head never changes');
create or replace trigger head_stamp_fixed before update or delete on head_stamp
  for each row execute function refuse_change('a time stamp never changes');
create or replace trigger head_witness_fixed before update or delete on head_witness
  for each row execute function refuse_change('a cosignature never changes');
create or replace trigger signing_key_fixed before update or delete on signing_key
  for each row execute function refuse_change('a key that signed stays known');
create or replace trigger seal_state_guard before update on seal_state for each row execute function guard_seal_state();
