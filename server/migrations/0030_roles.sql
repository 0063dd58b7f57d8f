-- Who owns the tables and functions cannot log in and is no superuser; who evaluates criteria may read what they speak of, and
-- nothing else. Roles belong to a cluster: another database of it may have made them already.
do $$
declare
  v_role text;
begin
  foreach v_role in array array['cellar_schema', 'cellar_criteria'] loop
    begin
      execute format('create role %I nologin', v_role);
    exception when duplicate_object or unique_violation then null;
    end;
    -- Whoever brings databases forward need not be a superuser, but has to be of these to hand over what it makes.
    if not (select rolsuper from pg_roles where rolname = current_user) then
      execute format('grant %I to current_user', v_role);
    end if;
  end loop;
end $$;
grant usage on schema public to cellar_schema, cellar_criteria;
grant select on record, hold_cover to cellar_criteria;

-- Evidence is added to, and ends where its function says so; nothing of it is deleted.
revoke delete on approval, batch, batch_counter, batch_item, container, custodian, event, job_progress, ledger_tile, matter, membership,
  message, numbering_counter, objection, place, principal, record_type, rule, seal_state, setting, step_task from cellar_app;
revoke update on approval, batch, batch_item, objection from cellar_app;
grant update (state, announced_on, notice_until, approved_on, finished_on, withdrawn_reason, revision) on batch to cellar_app;
grant update (outcome, reason, evidence) on batch_item to cellar_app;
grant update (answer, answered_at) on objection to cellar_app;
