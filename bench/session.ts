import { createHash, randomBytes } from 'node:crypto';
import type pg from 'pg';

/** The token of a session of somebody. */
export async function sessionOf(pool: pg.Pool, personId: string): Promise<string> {
  const token = randomBytes(32).toString('base64url');
  await pool.query({
    text: `insert into session (token_hash, principal_id, expires_at) values ($1, $2, now() + interval '1 day')`,
    values: [createHash('sha256').update(token).digest(), personId],
  });
  return token;
}
