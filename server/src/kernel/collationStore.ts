import { type Db, rows } from './connect.js';

/**
 * Builds indexes anew whose order another version of ICU made, as after an upgrade of the machine or a restore on another one: what such an index
 * finds may lack rows. Gives the names of the indexes.
 */
export async function orderAnew(db: Db): Promise<string[]> {
  const collations = await rows<{ oid: string; name: string }>(
    db,
    'collation.ofBefore',
    `select oid::text, format('%I', collname) as name from pg_collation
      where collnamespace = 'public'::regnamespace and collversion is distinct from pg_collation_actual_version(oid)`,
  );
  const indexes = await rows<{ name: string }>(
    db,
    'collation.indexes',
    'select indexrelid::regclass::text as name from pg_index where indcollation::oid[] && $1::oid[] order by 1',
    [collations.map((c) => c.oid)],
  );
  for (const { name } of indexes) await db.query({ text: `reindex index ${name}` });
  for (const { name } of collations) await db.query({ text: `alter collation ${name} refresh version` });
  return indexes.map((i) => i.name);
}
