import { createHash } from 'node:crypto';
import { type Db, row, rows, run } from './connect.js';

/**
 * All that the database refuses by itself, as text: tables with owners and rights, columns with rights, triggers that are awake, functions
 * with their bodies, owners and rights, and constraints. Names stand for roles, so that it is the same on another cluster; brackets are left out,
 * since a dump writes fewer of them.
 */
const everything = `
  select 'table ' || c.relname || ' ' || pg_get_userbyid(c.relowner) || ' ' ||
    coalesce((select string_agg(a::text, ',' order by a::text) from unnest(c.relacl) a), '') as line
    from pg_class c where c.relnamespace = 'public'::regnamespace and c.relkind in ('r', 'p', 'v', 'S')
  union all
  select 'column ' || c.relname || '.' || a.attname || ' ' || format_type(a.atttypid, a.atttypmod) || ' ' || a.attnotnull || ' ' ||
    coalesce((select string_agg(l::text, ',' order by l::text) from unnest(a.attacl) l), '')
    from pg_attribute a join pg_class c on c.oid = a.attrelid
    where c.relnamespace = 'public'::regnamespace and c.relkind in ('r', 'p', 'v') and a.attnum > 0 and not a.attisdropped
  union all
  select 'trigger ' || c.relname || ' ' || t.tgname || ' ' || t.tgenabled::text || ' ' || translate(pg_get_triggerdef(t.oid), '()', '')
    from pg_trigger t join pg_class c on c.oid = t.tgrelid where c.relnamespace = 'public'::regnamespace and not t.tgisinternal
  union all
  select 'function ' || p.oid::regprocedure || ' ' || pg_get_userbyid(p.proowner) || ' ' || p.prosecdef || ' ' || coalesce(p.proconfig::text, '') || ' ' ||
    coalesce((select string_agg(a::text, ',' order by a::text) from unnest(p.proacl) a), '') || ' ' || p.prosrc
    from pg_proc p where p.pronamespace = 'public'::regnamespace
  union all
  select 'constraint ' || conrelid::regclass || ' ' || conname || ' ' || convalidated || ' ' || translate(pg_get_constraintdef(oid), '()', '')
    from pg_constraint where connamespace = 'public'::regnamespace and conrelid <> 0
  order by 1`;

/** The fingerprint of what the database refuses by itself. */
async function fingerprint(db: Db): Promise<string> {
  const lines = await rows<{ line: string }>(db, 'sound.everything', everything);
  return createHash('sha256')
    .update(lines.map((l) => l.line).join('\n'))
    .digest('hex');
}

async function known(db: Db): Promise<string | null> {
  return (await row<{ sha256: string | null }>(db, 'sound.known', 'select sha256 from schema_fingerprint'))?.sha256 ?? null;
}

/** Notes how things stand, once migrations have made them so. */
export async function noteSound(db: Db): Promise<void> {
  await run(db, 'sound.forget', 'delete from schema_fingerprint');
  await run(db, 'sound.note', 'insert into schema_fingerprint (sha256) values ($1)', [await fingerprint(db)]);
}

/**
 * What is not as the migrations made it: a guard asleep or gone, a right or an owner changed, as after a dump that was restored without its
 * roles. Null when all is well.
 */
export async function unsound(db: Db): Promise<string | null> {
  const before = await known(db).catch(() => null);
  if (before === (await fingerprint(db))) return null;
  return 'guards, rights or owners in the database are not as the migrations made them; bring it forward again with its owner’s account (npm run migrate -- --again)';
}
