import { hasRight, may, type Right } from '@key-cellar/core/access';
import { row, type Db } from '../db/index.js';
import type { SignedIn } from '../identity/index.js';
import { notAllowed, notFound } from '../problem.js';
import type { PersonAccess } from './book.js';

/** What a check needs to know of a place or record. */
export interface Guarded {
  readonly access_set_id: number;
  readonly deposited_by?: string;
}

export function mayOn(access: PersonAccess, person: SignedIn, thing: Guarded, right: Right): boolean {
  return may(access.on(thing.access_set_id), right, thing.deposited_by === person.id);
}

/**
 * Throws 404 for what the person may not discover and 403 for what they may not do with it.
 * Gives the thing back, so that `requireRight(access, person, await find(), 'read')` reads in one line.
 */
export function requireRight<T extends Guarded>(
  access: PersonAccess,
  person: SignedIn,
  thing: T | undefined,
  right: Right,
  what = 'This record',
): T {
  if (!thing || !mayOn(access, person, thing, 'discover')) throw notFound(what);
  if (!mayOn(access, person, thing, right)) throw notAllowed(right);
  return thing;
}

/**
 * SQL that is true for rows of `alias` on which the person has the right. Takes the next two parameter numbers and,
 * where the person has it for own deposits only, a third.
 */
export function visibleSql(access: PersonAccess, person: SignedIn, right: Right, bind: (value: unknown) => string, alias = 'r'): string {
  const own = access.ownSets(right);
  const all = `${alias}.access_set_id = any (${bind(access.sets(right))}::int[])`;
  if (own.length === 0) return all;
  return `(${all} or (${alias}.deposited_by = ${bind(person.id)} and ${alias}.access_set_id = any (${bind(own)}::int[])))`;
}

/** Throws 403 unless the person has the right on the repository as a whole. */
export async function requireAtRepository(db: Db, access: PersonAccess, right: Right, who?: string): Promise<void> {
  const root = await row<{ access_set_id: number }>(db, 'access.root', 'select access_set_id from place where parent_id is null');
  if (!root || !hasRight(access.on(root.access_set_id).all, right)) throw notAllowed(right, who);
}
