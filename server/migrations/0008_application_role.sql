-- What the application may do. It owns nothing; what is not listed is refused by the database itself.

grant usage on schema public to cellar_app;
grant select on all tables in schema public to cellar_app;
grant insert, update, delete on setting, principal, membership, session, sign_in_failure, place, grant_, container,
  message, record_type, rule, place_rule, event, number_counter, batch, batch_item, approval, objection, batch_counter,
  custodian, matter, ledger_tile, seal_state, job_progress to cellar_app;
grant insert on access_set, rule_version, certificate, tree_head, signing_key, content_chunk, version, hold to cellar_app;
grant insert, delete on arrival to cellar_app;
grant insert, delete on content to cellar_app;
grant update (sha256, size, media_type, checked_at) on content to cellar_app;
grant update (state, released_by, released_at, release_reason) on hold to cellar_app;
-- Everything but id, hold_count and freeze_count: those belong to the hold triggers.
grant insert on record to cellar_app;
grant update (number, title, medium, record_type, place_id, series_id, places, state, created_on, received_on, filed_on,
  modified_on, declared_on, superseded_on, last_used_on, facts, gaps, search, marking_level, marking_caveats,
  access_set_id, owner_id, container_id, jurisdictions, override, frozen, outcome, rule_version_id, clock_start, due_on,
  action, vintage, docket, version_no, size, media_type, revision, disposed_on) on record to cellar_app;
grant insert (at, actor_id, act, subject_kind, subject_id, body) on ledger_entry to cellar_app;
