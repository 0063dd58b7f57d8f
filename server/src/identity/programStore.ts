import { type Db, row, rows, run } from '../kernel/index.js';

export interface ProgramRow extends Record<string, unknown> {
  id: string;
  name: string;
  active: boolean;
  clearance_level: number;
  clearance_caveats: string[];
  revision: number;
}

const columns = 'id, name, active, clearance_level, clearance_caveats, revision';

export const programs = (db: Db) =>
  rows<ProgramRow>(db, 'program.all', `select ${columns} from principal where kind = 'service' order by active desc, lower(name)`, []);

export const programById = (db: Db, id: string) =>
  row<ProgramRow>(db, 'program.one', `select ${columns} from principal where id = $1 and kind = 'service'`, [id]);

export const lockProgram = (db: Db, id: string) =>
  row<ProgramRow>(db, 'program.lock', `select ${columns} from principal where id = $1 and kind = 'service' for no key update`, [id]);

export async function programNameTaken(db: Db, name: string, but: string | null): Promise<boolean> {
  const found = await row(
    db,
    'program.taken',
    `select from principal where kind = 'service' and lower(name) = lower($1) and id is distinct from $2`,
    [name, but],
  );
  return found !== undefined;
}

export async function writeProgram(
  db: Db,
  p: { id: string; name: string; level: number; caveats: readonly string[]; active: boolean },
): Promise<void> {
  await run(
    db,
    'program.write',
    `update principal set name = $2, clearance_level = $3, clearance_caveats = $4, active = $5, revision = revision + 1 where id = $1`,
    [p.id, p.name, p.level, p.caveats, p.active],
  );
}

export interface TokenRow extends Record<string, unknown> {
  id: string;
  principal_id: string;
  name: string;
  scopes: string[];
  until: string;
  made_by: string;
  made_by_name: string;
  made_on: string;
  last_used_at: Date | null;
  last_used_from: string | null;
  ended_on: string | null;
}

const tokenColumns = `t.id, t.principal_id, t.name, t.scopes, t.until, t.made_by, m.name as made_by_name, t.made_on, t.last_used_at, t.last_used_from, t.ended_on`;

/** All tokens that were made, the newest first of those that work. */
export const tokens = (db: Db) =>
  rows<TokenRow>(
    db,
    'token.all',
    `select ${tokenColumns} from api_token t join principal m on m.id = t.made_by order by t.ended_on nulls first, t.until desc, t.id`,
    [],
  );

export const lockToken = (db: Db, id: string) =>
  row<TokenRow>(
    db,
    'token.lock',
    `select ${tokenColumns} from api_token t join principal m on m.id = t.made_by where t.id = $1 for no key update of t`,
    [id],
  );

export async function addToken(
  db: Db,
  t: {
    id: string;
    principalId: string;
    name: string;
    tokenHash: Buffer;
    scopes: readonly string[];
    until: string;
    madeBy: string;
    madeOn: string;
  },
): Promise<void> {
  await run(
    db,
    'token.add',
    `insert into api_token (id, principal_id, name, token_hash, scopes, until, made_by, made_on) values ($1, $2, $3, $4, $5, $6, $7, $8)`,
    [t.id, t.principalId, t.name, t.tokenHash, t.scopes, t.until, t.madeBy, t.madeOn],
  );
}

export async function endToken(db: Db, id: string, on: string): Promise<void> {
  await run(db, 'token.end', 'update api_token set ended_on = $2 where id = $1', [id, on]);
}

export interface TokenBearer extends Record<string, unknown> {
  token_id: string;
  scopes: string[];
  id: string;
  name: string;
  clearance_level: number;
  clearance_caveats: string[];
  access_epoch: number;
  stale: boolean;
}

/** Whose token it is, while it works on a day. */
export const bearer = (db: Db, tokenHash: Buffer, today: string) =>
  row<TokenBearer>(
    db,
    'token.bearer',
    `select t.id as token_id, t.scopes, p.id, p.name, p.clearance_level, p.clearance_caveats,
            (select value from epoch where name = 'access') as access_epoch,
            t.last_used_at is null or t.last_used_at < now() - interval '1 minute' as stale
     from api_token t join principal p on p.id = t.principal_id
     where t.token_hash = $1 and t.ended_on is null and t.until >= $2 and p.active and p.kind = 'service'`,
    [tokenHash, today],
  );

export async function touchToken(db: Db, id: string, from: string): Promise<void> {
  await run(db, 'token.touch', 'update api_token set last_used_at = now(), last_used_from = $2 where id = $1', [id, from]);
}
