import { dominates, joined, markingInside, markingWords, sameMarking, type Marking } from '@key-cellar/core/access';
import { message } from '@key-cellar/words';
import { Problem, wrongField, type Db, type SignedIn } from '../kernel/index.js';
import * as store from './store.js';
import { changeSetsOf, swapOf } from './swaps.js';

/** Throws 422 for a marking that is less than what is around has, and 403 for one that whoever gives it is not cleared for. */
export function requireMarking(person: SignedIn, marking: Marking, around: Marking | null): void {
  if (!dominates(person.clearance, marking)) {
    throw new Problem(403, 'not-allowed', message('access.markedBeyondYou', { marking: markingWords(marking) }));
  }
  if (around && !dominates(marking, around)) throw wrongField('/level', message('access.markedAround', { marking: markingWords(around) }));
}

const marked =
  (change: (own: Marking) => Marking) =>
  (key: store.SetKey): store.SetKey => ({ ...key, ...change({ level: key.level, caveats: key.caveats }) });

/** Marks a place. What lies in it and was marked as it was follows; what was marked otherwise is lifted where that is less. */
export async function markPlace(
  db: Db,
  placeId: string,
  marking: Marking,
): Promise<{ readonly was: Marking; readonly is: Marking; readonly swapped: ReadonlyMap<number, number> }> {
  const was = await store.markingOfPlace(db, placeId);
  const is = joined(marking, marking);
  if (sameMarking(was, is)) return { was, is, swapped: new Map() };
  const swapped = await swapOf(
    db,
    await store.setsInside(db, placeId),
    marked((own) => markingInside(was, is, own)),
  );
  await store.swapSetsInside(db, placeId, swapped);
  return { was, is, swapped };
}

/** Gives records another marking, each as `change` says; gives which access set each became. */
export function remarkRecords(
  db: Db,
  recordIds: readonly string[],
  change: (own: Marking) => Marking,
): Promise<ReadonlyMap<number, number>> {
  return changeSetsOf(db, recordIds, marked(change));
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
  const swapped = await swapOf(db, await store.setsInside(db, what.placeId), marked(lift));
  if (swapped.size > 0) await store.swapSetsInside(db, what.placeId, swapped);
}
