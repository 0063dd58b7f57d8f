-- What a declared or held record keeps, and what its versions and their bytes keep.
-- Re-creatable: run after the migrations whenever this file changed.

-- Bytes can be added only while the content is being streamed in, and its fingerprint is set once. A damaged one is mended by mend_chunk().
create or replace function guard_chunk() returns trigger language plpgsql as $$
begin
  -- Content that this very transaction made may still get its bytes: small files come in one statement.
  if exists (select from content c where c.id = new.content_id and c.sha256 is not null
      and c.xmin <> pg_current_xact_id()::xid) and not exists (select from content c where c.id = new.content_id and c.damaged_at is not null) then
    raise exception 'Stored content takes no more bytes' using errcode = 'KC001';
  end if;
  return new;
end $$;

-- The fingerprint over those of a content's chunks, from the bytes themselves.
create or replace function content_tree(p_content uuid) returns bytea language sql stable set search_path = public as $$
  select sha256(string_agg(sha256(k.bytes), ''::bytea order by k.seq)) from content_chunk k where k.content_id = p_content
$$;

create or replace function guard_content() returns trigger language plpgsql as $$
begin
  -- What came in before contents were encrypted may be, once. The application has no right on this column: the owner of the database does so.
  if tg_op = 'UPDATE' and old.key_slot is null and new.key_slot is not null and old.damaged_at is not null
    and (new.id, new.sha256, new.size, new.store) is not distinct from (old.id, old.sha256, old.size, old.store) then
    new.tree := content_tree(new.id);
    new.damaged_at := null;
    return new;
  end if;
  if new.key_slot is distinct from (case tg_op when 'UPDATE' then old.key_slot else new.key_slot end)
    or (tg_op = 'INSERT' and exists (select from key_erasure where slot = new.key_slot)) then
    raise exception 'A content keeps its key, and a key is used once' using errcode = 'KC001';
  end if;
  -- What comes whole fits one chunk; of an encrypted one only its writer knows yet what will be stored.
  if tg_op = 'INSERT' then
    if new.key_slot is null then new.tree := sha256(new.sha256); end if;
    if new.store = 'objects' then new.tree := sha256(new.fingerprints); end if;
    return new;
  end if;
  if (new.store, new.fingerprints) is distinct from (old.store, old.fingerprints)
    or (old.sha256 is not null and (new.sha256, new.size, new.tree) is distinct from (old.sha256, old.size, old.tree)) then
    raise exception 'Stored content is never updated' using errcode = 'KC001';
  end if;
  -- Damage is over when every stored byte is what it was, and not before. What lies elsewhere is looked at by whoever reads it.
  if old.damaged_at is not null and new.damaged_at is null and new.store = 'database' and content_tree(new.id) is distinct from new.tree then
    raise exception 'This content is still damaged' using errcode = 'KC001';
  end if;
  -- The tree over the chunks is nobody's to say: it is made when the content is whole.
  if old.sha256 is null and new.sha256 is not null then
    new.tree := (select sha256(string_agg(k.sha256, ''::bytea order by k.seq)) from content_chunk k where k.content_id = new.id);
  end if;
  return new;
end $$;

-- Puts a chunk of damaged content back. Whether it is the right one shows when the damage is said to be over.
create or replace function mend_chunk(p_content uuid, p_seq integer, p_bytes bytea) returns void
language plpgsql security definer set search_path = public as $$
begin
  perform from content where id = p_content and damaged_at is not null for update;
  if not found then
    raise exception 'Stored content is never updated' using errcode = 'KC001';
  end if;
  delete from content_chunk where content_id = p_content and seq = p_seq;
  insert into content_chunk (content_id, seq, bytes) values (p_content, p_seq, p_bytes);
end $$;

-- What was encrypted is gone for good with its key, also from where this database was copied to: the key goes with the content.
create or replace function erase_key() returns trigger language plpgsql security definer set search_path = public as $$
begin
  insert into key_erasure (slot, content_id) values (old.key_slot, old.id);
  return old;
end $$;

-- An object outlives its content until its lock ends: nobody forgets it before, nor says that it goes while its content is here.
create or replace function guard_object() returns trigger language plpgsql security definer set search_path = public as $$
declare
  here boolean := exists (select from content where id = old.content_id);
begin
  if tg_op = 'DELETE' then
    if here or old.locked_until > now() then
      raise exception 'This object is still needed, or locked' using errcode = 'KC001';
    end if;
    return old;
  end if;
  if new.content_id <> old.content_id or (new.begun_at <> old.begun_at and new.version is not distinct from old.version) or new.locked_until < old.locked_until
    or (here and new.gone_since is not null) then
    raise exception 'An object stays what it is, and its lock is only made longer' using errcode = 'KC001';
  end if;
  -- What a content was read from is put elsewhere only when it is damaged; a copy may be made again at any time.
  if old.version is not null and new.version is distinct from old.version
    and exists (select from content where id = old.content_id and store = 'objects' and damaged_at is null) then
    raise exception 'Stored content is never updated' using errcode = 'KC001';
  end if;
  return new;
end $$;

create or replace function object_gone() returns trigger language plpgsql security definer set search_path = public as $$
begin
  update content_object set gone_since = now() where content_id = old.id;
  return old;
end $$;

create or replace function frozen_by_hold(p_record uuid) returns boolean language sql as $$
  select exists (select from hold_cover c join hold h on h.id = c.hold_id
    where c.record_id = p_record and c.released_at is null and h.freezes)
$$;

-- What nobody may do to a record, whoever asks and however they connect.
create or replace function guard_record() returns trigger language plpgsql as $$
declare
  content_changes boolean := (new.version_no, new.size, new.media_type, new.medium)
    is distinct from (old.version_no, old.size, old.media_type, old.medium);
  facts_change boolean := (new.title, new.number, new.record_type, new.facts, new.created_on, new.received_on,
    new.filed_on, new.deposited_by) is distinct from (old.title, old.number, old.record_type, old.facts,
    old.created_on, old.received_on, old.filed_on, old.deposited_by);
  moves boolean := (new.place_id, new.series_id) is distinct from (old.place_id, old.series_id);
begin
  if new.id <> old.id then
    raise exception 'A record keeps its id' using errcode = 'KC001';
  end if;
  -- Who may know of a stub follows what is around it.
  if old.state = 'disposed' and to_jsonb(new) - 'access_set_id' = to_jsonb(old) - 'access_set_id' then
    return new;
  end if;
  if old.state = 'disposed' then
    raise exception 'Record % was disposed of; its stub never changes', old.number using errcode = 'KC001';
  end if;
  -- Leaving a state goes through the functions below, which ask for their reasons.
  if current_user = 'cellar_app' and (new.state = 'disposed' or (old.state = 'declared' and new.state = 'working')) then
    raise exception 'Record % leaves its state through dispose_records() or revoke_declaration() only', old.number
      using errcode = 'KC001';
  end if;
  if new.state = 'disposed' then
    -- From here on a hold that is being placed waits, or was seen.
    perform pg_advisory_xact_lock_shared(disposal_key());
    if exists (select from hold_cover c where c.record_id = old.id and c.released_at is null) then
      raise exception 'Record % is held and stays', old.number using errcode = 'KC002';
    end if;
    return new;
  end if;
  if old.state = 'declared' and new.state = 'working'
    and exists (select from hold_cover c where c.record_id = old.id and c.released_at is null) then
    raise exception 'Record % is held and stays declared', old.number using errcode = 'KC002';
  end if;
  if old.state = 'declared' and new.state = 'declared' then
    if (content_changes and 'content' = any (old.frozen)) or (facts_change and 'facts' = any (old.frozen))
      or new.frozen <> old.frozen or new.declared_on is distinct from old.declared_on
      or (((moves and 'moving' = any (old.frozen)) or new.series_id <> old.series_id)
        and not exists (select from reorganisation where xact = pg_current_xact_id() and at = transaction_timestamp())) then
      raise exception 'Record % is declared and cannot change', old.number using errcode = 'KC003';
    end if;
  end if;
  if (content_changes or facts_change or moves) and frozen_by_hold(old.id) then
    raise exception 'Record % is frozen by a hold', old.number using errcode = 'KC002';
  end if;
  return new;
end $$;

-- Versions go with their record, or older ones by a step of its rule. Never while it is held.
create or replace function guard_version() returns trigger language plpgsql as $$
declare
  r record;
begin
  if tg_op = 'UPDATE' then
    raise exception 'A version never changes' using errcode = 'KC001';
  end if;
  -- The row lock keeps declaring, holding and disposing from slipping in between.
  select * into r from record where id = coalesce(new.record_id, old.record_id) for update;
  perform cover_under_way(array[r.id]);
  if tg_op = 'DELETE' then
    if r.state <> 'disposed' then
      if current_user = 'cellar_app' or old.no >= r.version_no then
        raise exception 'Versions of record % stay while it is kept', r.number using errcode = 'KC001';
      end if;
      if exists (select from hold_cover c where c.record_id = r.id and c.released_at is null) then
        raise exception 'Record % is held and its versions stay', r.number using errcode = 'KC002';
      end if;
    end if;
    return old;
  end if;
  if r.state = 'disposed' or (r.state = 'declared' and 'content' = any (r.frozen)) then
    raise exception 'Record % is % and takes no new version', r.number, r.state using errcode = 'KC003';
  end if;
  -- Frozen from the moment after its filing: what came to match a hold as it was filed still takes the content that it is filed with.
  if frozen_by_hold(r.id) and not (new.no = 1 and r.version_no = 1 and r.medium = 'electronic'
      and not exists (select from version v where v.record_id = r.id)) then
    raise exception 'Record % is frozen by a hold', r.number using errcode = 'KC002';
  end if;
  return new;
end $$;

-- As before, and a bag that may have to be sent again keeps its bytes.
create or replace function drop_unused_content(p_content uuid) returns boolean
  language plpgsql security definer set search_path = public as $$
begin
  perform from content where id = p_content for update;
  if not found or exists (select from version where content_id = p_content)
    or exists (select from arrival where content_id = p_content)
    or exists (select from transfer where bag_id = p_content) then
    return false;
  end if;
  delete from content where id = p_content;
  return true;
end $$;

-- Undoes a declaration. Refused for held records (by the guard) and without a reason.
create or replace function revoke_declaration(p_record uuid, p_by uuid, p_reason text) returns void
  language plpgsql security definer set search_path = public as $$
begin
  if coalesce(trim(p_reason), '') = '' or not exists (select from principal where id = p_by) then
    raise exception 'Revoking a declaration needs a person and a reason' using errcode = 'KC004';
  end if;
  update record set state = 'working', declared_on = null, frozen = '{}', revision = revision + 1
  where id = p_record and state = 'declared';
  if not found then
    raise exception 'Record % is not declared', p_record using errcode = 'KC004';
  end if;
end $$;

create or replace function guard_counter() returns trigger language plpgsql as $$
begin
  if tg_op = 'DELETE' or new.last <= old.last then
    raise exception 'A counter of numbers only grows' using errcode = 'KC001';
  end if;
  return new;
end $$;

create or replace function note_detection() returns trigger language plpgsql security definer set search_path = public as $$
begin
  if exists (select from detector where retired_on is null) then
    insert into detection_due (record_id) values (new.id)
    on conflict (record_id) do update set stamp = nextval('detection_stamp'), claimed_until = null;
  end if;
  return null;
end $$;

-- A stub keeps the facts that its rule says, and nothing of what was in the content.
create or replace function forget_detected() returns trigger language plpgsql as $$
begin
  new.detected := '{}';
  return new;
end $$;

create or replace trigger content_chunk_fixed before update on content_chunk
  for each row execute function refuse_change('stored content is never updated');
create or replace trigger content_guard before insert or update on content for each row execute function guard_content();
create or replace trigger content_key_erased after delete on content
  for each row when (old.key_slot is not null) execute function erase_key();
create or replace trigger content_object_gone after delete on content for each row execute function object_gone();
create or replace trigger content_object_guard before update or delete on content_object
  for each row execute function guard_object();
create or replace trigger key_erasure_kept before delete on key_erasure
  for each row execute function refuse_change('a key that was to be destroyed is not forgotten');
create or replace trigger record_guard before update on record for each row execute function guard_record();
create or replace trigger record_kept before delete on record
  for each row execute function refuse_change('a record is disposed of, never deleted');
create or replace trigger version_guard before insert or update or delete on version
  for each row execute function guard_version();
create or replace trigger content_chunk_guard before insert on content_chunk
  for each row when (new.seq > 0) execute function guard_chunk();
create or replace trigger numbering_counter_grows before update or delete on numbering_counter for each row execute function guard_counter();
create or replace trigger record_type_version_fixed before update or delete on record_type_version
  for each row execute function refuse_change('a published version of a record type never changes');
create or replace trigger record_type_version_kept before truncate on record_type_version
  for each statement execute function refuse_change('a published version of a record type never changes');
create or replace trigger record_detection_inserted after insert on record
  for each row execute function note_detection();
-- Dating records anew names none of these columns, and so costs nothing.
create or replace trigger record_detection_updated after update of title, facts, version_no on record
  for each row when ((new.title, new.facts, new.version_no) is distinct from (old.title, old.facts, old.version_no))
  execute function note_detection();
create or replace trigger record_forgets_detected before update of state on record
  for each row when (new.state = 'disposed' and old.state <> 'disposed') execute function forget_detected();
