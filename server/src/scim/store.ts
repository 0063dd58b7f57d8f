import { type Db, row, rows, run } from '../kernel/index.js';

/** A person or group as a directory knows it. */
export interface ProvisionedRow extends Record<string, unknown> {
  id: string;
  external_id: string | null;
  taken_away: boolean;
}

/** What directories call people, or groups, and which of them they took away. */
export const provisioned = (db: Db, kind: 'person' | 'group') =>
  rows<ProvisionedRow>(db, 'scim.all', 'select id, external_id, taken_away from principal where kind = $1 and not everyone', [kind]);

export const provisionedOne = (db: Db, kind: 'person' | 'group', id: string) =>
  row<ProvisionedRow>(db, 'scim.one', 'select id, external_id, taken_away from principal where kind = $1 and id = $2 and not everyone', [
    kind,
    id,
  ]);

/** The person with this login, or the group with this name. */
export const provisionedNamed = (db: Db, kind: 'person' | 'group', name: string) =>
  row<ProvisionedRow>(
    db,
    'scim.named',
    `select id, external_id, taken_away from principal
     where kind = $1 and not everyone and case when $1 = 'person' then login else lower(name) end = lower($2)`,
    [kind, name],
  );

/** Gives false where another of the kind is called so already. */
export async function writeProvisioned(
  db: Db,
  id: string,
  { external_id: externalId, taken_away: takenAway }: Pick<ProvisionedRow, 'external_id' | 'taken_away'>,
): Promise<boolean> {
  const written = await run(
    db,
    'scim.write',
    `update principal p set external_id = $2, taken_away = $3
     where id = $1 and not exists (select from principal o where o.kind = p.kind and o.external_id = $2 and o.id <> p.id)`,
    [id, externalId, takenAway],
  );
  return written === 1;
}
