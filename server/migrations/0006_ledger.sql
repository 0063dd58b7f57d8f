-- The append-only audit trail and the tree over it.

create table ledger_entry (
  seq bigint generated always as identity primary key,
  at timestamptz not null,
  actor_id uuid,
  act text not null,
  subject_kind text not null,
  subject_id uuid,
  -- Canonical JSON (RFC 8785): what is hashed. The columns before it only repeat parts of it for searching.
  body text not null
);
create index ledger_entry_subject on ledger_entry (subject_id, seq);
create index ledger_entry_actor on ledger_entry (actor_id, seq);

create trigger ledger_entry_fixed before update or delete on ledger_entry
  for each row execute function refuse_change('the ledger only grows');
create trigger ledger_entry_kept before truncate on ledger_entry
  for each statement execute function refuse_change('the ledger only grows');

-- The tree in tiles: a tile of level n holds up to 256 hashes of complete subtrees of 256^n leaves each.
-- Tiles of level 0 also name their entries: tree order is the order in which the sealer saw them committed.
create table ledger_tile (
  level smallint not null,
  idx bigint not null,
  hashes bytea not null,
  entries bigint[],
  first_seq bigint,
  last_seq bigint,
  primary key (level, idx)
);
create index ledger_tile_seq on ledger_tile (first_seq, last_seq) where level = 0;

create table tree_head (
  size bigint primary key,
  root bytea not null,
  signed_at timestamptz not null,
  key_id text not null,
  signature bytea not null
);
create trigger tree_head_fixed before update or delete on tree_head
  for each row execute function refuse_change('a signed tree head never changes');

create table signing_key (
  id text primary key,
  public_key text not null,
  private_key text not null,
  made_at timestamptz not null default now()
);

-- Where the sealer looks for new entries: nothing at or below `floor` can still be uncommitted.
create table seal_state (
  one boolean primary key default true check (one),
  size bigint not null default 0,
  floor bigint not null default 0,
  next_floor bigint not null default 0,
  next_floor_at xid8 not null default '0'
);
insert into seal_state default values;
