-- Which tile an entry is in, and which tiles reach above the sealer's floor, without walking through all tiles.
drop index ledger_tile_seq;
create index ledger_tile_span on ledger_tile using gist (int8range(first_seq, last_seq, '[]')) where level = 0;
create index ledger_tile_last on ledger_tile (last_seq) where level = 0;
