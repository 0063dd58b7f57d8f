import { message } from '@key-cellar/words';
import { hasRight, profile } from '@key-cellar/core/access';
import { uuidv7 } from 'uuidv7';
import { notFound, rootSet, type Db, type UnitOfWork } from '../kernel/index.js';
import { loadSnapshot } from './book.js';
import * as store from './store.js';

/** What somebody is given on a place; days are YYYY-MM-DD, both in force. */
interface Given {
  readonly principalId: string;
  readonly placeId: string;
  readonly profile: string;
  readonly from?: string;
  readonly until?: string;
  readonly reason: string;
}

/**
 * Lets access of a place hang where it has to by what is set on it: on itself when it has grants or stands alone, else where that of the place
 * around it does. What lies below goes along.
 */
export async function settleAnchor(uow: UnitOfWork, placeId: string): Promise<void> {
  const place = await store.hanging(uow, placeId);
  if (!place) throw notFound(message('thing.place'));
  const wanted = place.own || place.parent_anchor === null ? placeId : place.parent_anchor;
  if (place.anchor_place !== wanted) await store.reanchor(uow, placeId, place.anchor_place, wanted);
}

/** Makes a grant on a place. What lies below takes its access from there from now on. */
export async function placeGrant(uow: UnitOfWork, grant: Given): Promise<string> {
  const named = profile(grant.profile);
  const place = await store.anchorOfPlace(uow, grant.placeId);
  if (!place) throw notFound(message('thing.place'));
  const id = uuidv7();
  await store.addGrant(uow, { ...grant, id, madeBy: uow.actor.id });
  await settleAnchor(uow, grant.placeId);
  uow.enter({
    act: 'granted',
    subject: { kind: 'place', id: grant.placeId, name: `${place.code} ${place.title}` },
    after: { principal: grant.principalId, profile: named.code, from: grant.from ?? null, until: grant.until ?? null },
    note: grant.reason,
  });
  return id;
}

/** Takes a grant back. What lies below takes its access from farther out where it was the last one there. */
export async function takeGrantBack(uow: UnitOfWork, grant: store.GrantRow, reason: string): Promise<void> {
  await store.dropGrant(uow, grant.id);
  await settleAnchor(uow, grant.place_id);
  uow.enter({
    act: 'took a grant back',
    subject: { kind: 'place', id: grant.place_id, name: `${grant.place_code} ${grant.place_title}` },
    before: { principal: grant.principal_id, profile: grant.profile, from: grant.from_on, until: grant.until_on },
    note: reason,
  });
}

/**
 * What somebody leaves behind when they go: their own grants end, and go to an heir when asked. Grants that stencils placed for a role are
 * named there; gives how many went over.
 */
export async function handOverGrants(
  uow: UnitOfWork,
  {
    from,
    to,
    grantsToo,
  }: {
    readonly from: { readonly id: string; readonly name: string };
    readonly to: { readonly id: string } | null;
    readonly grantsToo: boolean;
  },
): Promise<number> {
  const grants = await store.grantsOf(uow, from.id);
  const reason = `${from.name} left`;
  let handed = 0;
  for (const grant of grants) {
    if (to && grantsToo) {
      const days = {
        ...(grant.from_on === null ? {} : { from: grant.from_on }),
        ...(grant.until_on === null ? {} : { until: grant.until_on }),
      };
      await placeGrant(uow, { principalId: to.id, placeId: grant.place_id, profile: grant.profile, ...days, reason });
      handed++;
    }
    await takeGrantBack(uow, grant, reason);
  }
  return handed;
}

/** Whether anybody who can sign in may set up the repository, as this transaction has it. */
export async function somebodySetsUp(db: Db, today: string): Promise<boolean> {
  const [root, snapshot, people] = [await rootSet(db), await loadSnapshot(db), await store.people(db)];
  if (root === null) return true;
  return people.some(
    (p) =>
      p.signs_in &&
      hasRight(
        snapshot.of({ id: p.id, today, clearance: { level: p.clearance_level, caveats: p.clearance_caveats } }).on(root).all,
        'setUp',
      ),
  );
}
