-- Who owns what, and who may call it. Run after everything else, whenever anything of it changed.

do $$
declare
  o record;
begin
  for o in
    select format('alter %s %s owner to cellar_schema', case c.relkind when 'v' then 'view' when 'S' then 'sequence' else 'table' end, c.oid::regclass) as command
    from pg_class c
    where c.relnamespace = 'public'::regnamespace and c.relkind in ('r', 'p', 'v', 'S') and c.relowner <> 'cellar_schema'::regrole
      -- The sequence of a column goes with its table.
      and not (c.relkind = 'S' and exists (select from pg_depend d where d.objid = c.oid and d.deptype in ('a', 'i')))
  loop
    execute o.command;
  end loop;
  for o in
    select p.oid::regprocedure as name, p.prorettype = 'trigger'::regtype as is_trigger, p.proname
    from pg_proc p
    where p.pronamespace = 'public'::regnamespace
      and not exists (select from pg_depend d where d.objid = p.oid and d.classid = 'pg_proc'::regclass and d.deptype = 'e')
  loop
    execute format('alter function %s owner to %I', o.name, case when o.proname in ('holds_matching', 'all_matching') then 'cellar_criteria' else 'cellar_schema' end);
    execute format('revoke execute on function %s from public', o.name);
    -- What only other functions call is nobody else's to call; a trigger calls its function whoever fires it.
    if not o.is_trigger and o.proname not in ('enter_on_records', 'note_rack_held') then
      execute format('grant execute on function %s to cellar_app', o.name);
    end if;
  end loop;
end $$;
grant execute on function holds_matching(uuid[], text[], jsonb, uuid[]), all_matching(text, jsonb), repository_date(timestamptz), repository_now() to cellar_schema;
grant execute on function repository_date(timestamptz), repository_now() to cellar_criteria;
grant select on setting to cellar_criteria;
