import { message } from '@key-cellar/words';
import { profile } from '@key-cellar/core/access';
import { uuidv7 } from 'uuidv7';
import { notFound, type UnitOfWork } from '../kernel/index.js';
import * as store from './store.js';

/** Makes a grant on a place. What lies below takes its access from there from now on. */
export async function placeGrant(
  uow: UnitOfWork,
  grant: { principalId: string; placeId: string; profile: string; from?: string; until?: string; reason: string },
): Promise<string> {
  const named = profile(grant.profile);
  const place = await store.anchorOfPlace(uow, grant.placeId);
  if (!place) throw notFound(message('thing.place'));
  const id = uuidv7();
  await store.addGrant(uow, { ...grant, id, madeBy: uow.actor.id });
  if (place.anchor_place !== grant.placeId) await store.reanchor(uow, grant.placeId, place.anchor_place, grant.placeId);
  uow.enter({
    act: 'granted',
    subject: { kind: 'place', id: grant.placeId, name: `${place.code} ${place.title}` },
    after: { principal: grant.principalId, profile: named.code, from: grant.from ?? null, until: grant.until ?? null },
    note: grant.reason,
  });
  return id;
}
