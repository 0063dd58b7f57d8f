import { dominates, joined, markingInside, markingWords, sameMarking, type Marking } from '@key-cellar/core/access';
import { message } from '@key-cellar/words';
import { Problem, wrongField, type Db, type SignedIn } from '../kernel/index.js';
import * as store from './store.js';

/** Throws 422 for a marking that is less than what is around has, and 403 for one that whoever gives it is not cleared for. */
export function requireMarking(person: SignedIn, marking: Marking, around: Marking | null): void {
  if (!dominates(person.clearance, marking)) {
    throw new Problem(403, 'not-allowed', message('access.markedBeyondYou', { marking: markingWords(marking) }));
  }
  if (around && !dominates(marking, around)) throw wrongField('/level', message('access.markedAround', { marking: markingWords(around) }));
}

/** Which other set each of some sets becomes, where their markings change. */
async function swapOf(db: Db, sets: readonly store.SetRow[], change: (own: Marking) => Marking): Promise<Map<number, number>> {
  const swap = new Map<number, number>();
  for (const { id, anchor_place: anchorPlace, record_id: recordId, marking_level: level, marking_caveats: caveats } of sets) {
    const is = change({ level, caveats });
    if (!sameMarking({ level, caveats }, is)) swap.set(id, await store.getOrMakeSet(db, { anchorPlace, recordId, ...is }));
  }
  return swap;
}

/** Marks a place. What lies in it and was marked as it was follows; what was marked otherwise is lifted where that is less. */
export async function markPlace(
  db: Db,
  placeId: string,
  marking: Marking,
): Promise<{ readonly was: Marking; readonly is: Marking; readonly swapped: ReadonlyMap<number, number> }> {
  const was = await store.markingOfPlace(db, placeId);
  const is = joined(marking, marking);
  if (sameMarking(was, is)) return { was, is, swapped: new Map() };
  const swapped = await swapOf(db, await store.setsInside(db, placeId), (own) => markingInside(was, is, own));
  await store.swapSetsInside(db, placeId, swapped);
  return { was, is, swapped };
}

/** Gives records another marking, each as `change` says; gives which access set each became. */
export async function remarkRecords(
  db: Db,
  recordIds: readonly string[],
  change: (own: Marking) => Marking,
): Promise<ReadonlyMap<number, number>> {
  const swapped = await swapOf(db, await store.setsOf(db, recordIds), change);
  if (swapped.size > 0) await store.swapSetsOf(db, recordIds, swapped);
  return swapped;
}

/** Lifts what came to lie in a place to at least its marking: records, or what is in another place with that place itself. */
export async function liftInto(
  db: Db,
  intoId: string,
  what: { readonly placeId: string } | { readonly recordIds: readonly string[] },
): Promise<void> {
  const least = await store.markingOfPlace(db, intoId);
  if (least.level === 0 && least.caveats.length === 0) return;
  const lift = (own: Marking): Marking => joined(own, least);
  if ('recordIds' in what) {
    await remarkRecords(db, what.recordIds, lift);
    return;
  }
  const swapped = await swapOf(db, await store.setsInside(db, what.placeId), lift);
  if (swapped.size > 0) await store.swapSetsInside(db, what.placeId, swapped);
}
