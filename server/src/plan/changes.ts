import { message } from '@key-cellar/words';
import type { PlanEffect, Told } from '@key-cellar/contract';
import { isCodePattern, nextCode, type PlaceStanding } from '@key-cellar/core/plan';
import { factsOfTypes, type FactDefinition } from '@key-cellar/core/records';
import { whoseAccessChanges } from '../access/index.js';
import { recordTypes } from '../facts/index.js';
import {
  changedMeanwhile,
  notFound,
  Problem,
  wrongField,
  type Db,
  type PersonAccess,
  type Services,
  type SignedIn,
  type UnitOfWork,
} from '../kernel/index.js';
import * as codeStore from './codeStore.js';
import * as moveStore from './moveStore.js';
import type * as placeStore from './placeStore.js';

/** A place as the core looks at it when it is moved or merged. */
export const standingOf = (place: placeStore.PlaceRow): PlaceStanding => ({
  id: place.id,
  kind: place.kind,
  code: place.code,
  openedOn: place.opened_on,
  closedOn: place.closed_on,
  retiredOn: place.retired_on,
  ancestors: place.ancestors,
});

/** Throws 412 when the place was changed since the person looked at it. */
export function requireRevision(place: placeStore.PlaceRow, revision: number): void {
  if (place.revision !== revision) throw changedMeanwhile();
}

/** A code for a new place: as it was given, or the next one of a pattern; throws when it is taken. */
export async function freeCode(uow: UnitOfWork, code: string, kind: string, parentId: string): Promise<string> {
  // One after the other, so that two who ask at the same time do not get the same.
  await codeStore.lockCodes(uow);
  if (!isCodePattern(code)) {
    if (await codeStore.codeTaken(uow, code, kind, parentId)) throw wrongField('/code', message('plan.existsAlready', { code }));
    return code;
  }
  return nextCode(
    code,
    (await codeStore.codesGiven(uow, kind, parentId)).map((c) => c.code),
  );
}

/** What goes along with a place, of what the person may know, and what becomes of access to it. */
export async function effectOn(
  db: Db,
  access: PersonAccess,
  today: string,
  place: placeStore.PlaceRow,
  newParent: placeStore.PlaceRow,
): Promise<Told<PlanEffect>> {
  const extent = await moveStore.extentOf(db, place.id, access.sets('discover'));
  const people = await whoseAccessChanges(db, today, { placeId: place.id, newParentId: newParent.id });
  return { ...extent, ...people, recomputed: extent.records };
}

/**
 * Declared records stay in their series, so a folder cannot leave it with them; and they stay in their folder, so it
 * cannot be merged into another.
 */
export async function requireMovableRecords(
  uow: UnitOfWork,
  place: placeStore.PlaceRow,
  newSeriesId: string | null,
  own: boolean,
): Promise<void> {
  if (await moveStore.declaredThatStay(uow, place.id, newSeriesId, own)) {
    throw new Problem(409, 'declared-inside', message('plan.declaredInside', { code: place.code }));
  }
}

export const seriesOf = (place: placeStore.PlaceRow, chain: readonly placeStore.PlaceRow[]): string | null =>
  [...chain, place].find((p) => p.kind === 'series')?.id ?? null;

/** The place that has a code, or had it; a folder may be named with its series, as in `BER-01/B-07`. */
export async function placeByCode(
  services: Services,
  person: SignedIn,
  code: string,
): Promise<{ id: string; code: string; former: boolean }> {
  const access = await services.access.of(person);
  const found = await codeStore.placesWithCode(services.pool, code.toUpperCase(), access.sets('discover'));
  const [first] = found;
  if (!first) throw notFound(message('plan.placeCode', { code }));
  return { id: first.id, code: first.code, former: first.former };
}

/** Facts that a folder can give on. */
export async function factsOfAllTypes(db: Db): Promise<FactDefinition[]> {
  return factsOfTypes(await recordTypes(db));
}
