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
    const was = store.keyOf(set);
    const is = change(was);
    if (JSON.stringify(is) !== JSON.stringify(was)) swap.set(set.id, await store.getOrMakeSet(db, is));
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
