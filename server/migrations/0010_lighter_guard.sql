-- The first chunk of a content needs no look at the content: finished content always has one, so a second is refused by
-- the primary key. This is every small file.
drop trigger content_chunk_guard on content_chunk;
create trigger content_chunk_guard before insert on content_chunk
  for each row when (new.seq > 0) execute function guard_chunk();
