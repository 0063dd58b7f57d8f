import { hasRight, may, type EffectiveAccess, type Right, type RightSet } from '@key-cellar/core/access';
import type { Actor, SignedIn } from './actor.js';
import type { Db } from './connect.js';
import { rootSet } from './guardStore.js';
import { message, type Message } from '@key-cellar/words';
import { notAllowed, notFound } from './problem.js';

/** What a check needs to know of a place or record: the access set that it stands in, and whose deposit it is. */
export interface Guarded {
  readonly access_set_id: number;
  readonly deposited_by?: string | null;
}

/** Rights on one access set: on all that stands in it, and on what a person deposited there. */
export interface SetRights {
  readonly all: RightSet;
  readonly own: RightSet;
}

/** A person's rights on every access set of one epoch. */
export interface PersonAccess {
  /** Ids of the sets on which the person has a right for everything there. */
  sets(right: Right): readonly number[];
  /** How many sets there are, whether the person has anything on them or not. */
  readonly known: number;
  /** Ids of the sets on which the person has it only for what they deposited. */
  ownSets(right: Right): readonly number[];
  on(setId: number): SetRights;
  /** Rights that the person has anywhere at all. They decide which areas show, and nothing else. */
  readonly anywhere: RightSet;
  explain(setId: number): EffectiveAccess;
}

/** Whose access is asked for, and for which day. */
export type Accessor = Pick<SignedIn, 'id' | 'today' | 'clearance'>;

/** Who may do what; the area `access` knows. */
export interface Authority {
  of(person: Accessor & Pick<SignedIn, 'accessEpoch'>): Promise<PersonAccess>;
  /** The access of every active person on a day. */
  everyone(today: string): Promise<{ readonly id: string; readonly name: string; readonly access: PersonAccess }[]>;
}

export function mayOn(access: PersonAccess, person: Pick<Actor, 'id'>, thing: Guarded, right: Right): boolean {
  return may(access.on(thing.access_set_id), right, typeof thing.deposited_by === 'string' && thing.deposited_by === person.id);
}

/**
 * Throws 404 for what the person may not discover and 403 for what they may not do with it.
 * Gives the thing back, so that `requireRight(access, person, await find(), 'read')` reads in one line.
 */
export function requireRight<T extends Guarded>(
  access: PersonAccess,
  person: Pick<Actor, 'id'>,
  thing: T | undefined,
  right: Right,
  what: Message = message('thing.record'),
): T {
  if (!thing || !mayOn(access, person, thing, 'discover')) throw notFound(what);
  if (!mayOn(access, person, thing, right)) throw notAllowed(right);
  return thing;
}

/** Whether the person has a right on the repository as a whole. */
export async function mayAtRepository(db: Db, access: PersonAccess, right: Right): Promise<boolean> {
  const set = await rootSet(db);
  return set !== null && hasRight(access.on(set).all, right);
}

/** Throws 403 unless the person has the right on the repository as a whole. */
export async function requireAtRepository(db: Db, access: PersonAccess, right: Right, who?: Message): Promise<void> {
  if (!(await mayAtRepository(db, access, right))) throw notAllowed(right, who);
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
