import type pg from 'pg';
import { planVersion } from './planStore.js';

/** Of each kind so many are remembered, those asked for last. */
const mostOfAKind = 8;

interface Remembered {
  readonly version: string;
  readonly kinds: Map<string, Map<string, Promise<unknown>>>;
}
const remembered = new WeakMap<pg.Pool, Remembered>();

/**
 * What was made of places, remembered until one of them changes, by a server or past all of them. `key` has to tell whatever
 * else it depends on; what is made is given to all who ask, and nobody changes it.
 */
export async function whilePlanStays<T>(pool: pg.Pool, kind: string, key: string, make: () => Promise<T>): Promise<T> {
  const version = await planVersion(pool);
  let here = remembered.get(pool);
  if (here?.version !== version) remembered.set(pool, (here = { version, kinds: new Map() }));
  const ofKind = here.kinds.get(kind) ?? new Map<string, Promise<unknown>>();
  here.kinds.set(kind, ofKind);
  const known = ofKind.get(key) as Promise<T> | undefined;
  const made = known ?? make();
  ofKind.delete(key);
  ofKind.set(key, made);
  if (ofKind.size > mostOfAKind) ofKind.delete(ofKind.keys().next().value!);
  // What failed is made anew by whoever asks next.
  if (!known) made.catch(() => ofKind.delete(key));
  return made;
}
