import type { Services, SignedIn } from '../kernel/index.js';
import * as placeStore from './placeStore.js';

async function rulesByPlace(db: Parameters<typeof placeStore.allPlaces>[0], placeIds: readonly string[]): Promise<Map<string, string[]>> {
  const byPlace = new Map<string, string[]>();
  for (const r of await placeStore.rulesSetOn(db, placeIds)) byPlace.set(r.place_id, [...(byPlace.get(r.place_id) ?? []), r.code]);
  return byPlace;
}

/** The places of the plan that a person may discover, from the repository inwards, with the rules set on them. */
export async function planOf(
  services: Services,
  person: SignedIn,
): Promise<{ places: placeStore.PlaceRow[]; byId: Map<string, placeStore.PlaceRow>; rules: Map<string, string[]> }> {
  const access = await services.access.of(person);
  const sets = new Set(access.sets('discover'));
  const all = await placeStore.allPlaces(services.pool);
  const byId = new Map(all.map((p) => [p.id, p]));
  const children = new Map<string | null, placeStore.PlaceRow[]>();
  for (const p of all) children.set(p.parent_id, [...(children.get(p.parent_id) ?? []), p]);
  const inOrder = (parentId: string | null): placeStore.PlaceRow[] => (children.get(parentId) ?? []).flatMap((p) => [p, ...inOrder(p.id)]);
  const places = inOrder(null).filter((p) => sets.has(p.access_set_id));
  return {
    places,
    byId,
    rules: await rulesByPlace(
      services.pool,
      places.map((p) => p.id),
    ),
  };
}
