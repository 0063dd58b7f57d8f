import type { Db } from '../kernel/index.js';
import * as store from './store.js';

/** Which other set each of some sets becomes, where what they have of their own changes. */
export async function swapOf(
  db: Db,
  sets: readonly store.SetRow[],
  change: (own: store.SetKey) => store.SetKey,
): Promise<ReadonlyMap<number, number>> {
  const swap = new Map<number, number>();
  for (const set of sets) {
    const is = await store.getOrMakeSet(db, change(store.keyOf(set)));
    if (is !== set.id) swap.set(set.id, is);
  }
  return swap;
}

/** Changes what the sets of some records have of their own; gives which set each became. */
export async function changeSetsOf(
  db: Db,
  recordIds: readonly string[],
  change: (own: store.SetKey) => store.SetKey,
): Promise<ReadonlyMap<number, number>> {
  const swapped = await swapOf(db, await store.setsOf(db, recordIds), change);
  if (swapped.size > 0) await store.swapSetsOf(db, recordIds, swapped);
  return swapped;
}
