import { type Db, row, run } from '../kernel/index.js';

export interface FactorRow extends Record<string, unknown> {
  secret: Buffer;
  confirmed: boolean;
  last_step: number;
  codes: number;
}

/** What a person has of a second factor; undefined: nothing. */
export function factorOf(db: Db, principalId: string) {
  return row<FactorRow>(
    db,
    'factor.of',
    `select f.secret, f.confirmed_at is not null as confirmed, f.last_step::int as last_step,
            (select count(*)::int from recovery_code c where c.principal_id = f.principal_id) as codes
     from second_factor f where f.principal_id = $1`,
    [principalId],
  );
}

/** SQL that is true where a group, directly or through others, asks a person for a second factor. */
const askedSql = (person: string): string => `(exists (select from principal where second_factor) and exists (
  with recursive up (group_id) as (
    select group_id from in_group where member_id = ${person}
    union select m.group_id from up join in_group m on m.member_id = up.group_id)
  select from up join principal g on g.id = up.group_id and g.second_factor))`;

/** The same, and the person has none. */
export const missingSql = (person: string): string =>
  `(${askedSql(person)} and not exists (select from second_factor f where f.principal_id = ${person} and f.confirmed_at is not null))`;

/** Whether a group asks a person for one. */
export async function factorAsked(db: Db, principalId: string): Promise<boolean> {
  return (await row<{ asked: boolean }>(db, 'factor.asked', `select ${askedSql('$1::uuid')} as asked`, [principalId]))!.asked;
}

/** Begins anew; one that is in use already stays. Gives whether it began. */
export async function beginFactor(db: Db, principalId: string, secret: Buffer): Promise<boolean> {
  return (
    (await run(
      db,
      'factor.begin',
      `insert into second_factor (principal_id, secret) values ($1, $2)
       on conflict (principal_id) do update set secret = excluded.secret, made_at = now(), last_step = 0 where second_factor.confirmed_at is null`,
      [principalId, secret],
    )) > 0
  );
}

/** Uses up a step: false where it, or a later one, was used before. */
export async function takeStep(db: Db, principalId: string, step: number): Promise<boolean> {
  return (
    (await run(db, 'factor.step', 'update second_factor set last_step = $2 where principal_id = $1 and last_step < $2', [
      principalId,
      step,
    ])) > 0
  );
}

export async function confirmFactor(db: Db, principalId: string): Promise<void> {
  await run(db, 'factor.confirm', 'update second_factor set confirmed_at = now() where principal_id = $1', [principalId]);
}

async function dropCodes(db: Db, principalId: string): Promise<void> {
  await run(db, 'factor.dropCodes', 'delete from recovery_code where principal_id = $1', [principalId]);
}

export async function dropFactor(db: Db, principalId: string): Promise<boolean> {
  await dropCodes(db, principalId);
  return (await run(db, 'factor.drop', 'delete from second_factor where principal_id = $1', [principalId])) > 0;
}

export async function writeCodes(db: Db, principalId: string, hashes: readonly Buffer[]): Promise<void> {
  await dropCodes(db, principalId);
  await run(db, 'factor.codes', 'insert into recovery_code (principal_id, code_hash) select $1, unnest($2::bytea[])', [
    principalId,
    hashes,
  ]);
}

/** Uses up a recovery code; false where there is no such one. */
export async function takeCode(db: Db, principalId: string, hash: Buffer): Promise<boolean> {
  return (
    (await run(db, 'factor.takeCode', 'delete from recovery_code where principal_id = $1 and code_hash = $2', [principalId, hash])) > 0
  );
}
