import { message } from '@key-cellar/words';
import type { PlanEffect, Told } from '@key-cellar/contract';
import { isCodePattern, nextCode, type PlaceStanding } from '@key-cellar/core/plan';
import { hasRight } from '@key-cellar/core/access';
import { factsOfTypes, type FactDefinition } from '@key-cellar/core/records';
import { uuidv7 } from 'uuidv7';
import { whoseAccessChanges } from '../access/index.js';
import { recordTypes } from '../facts/index.js';
import {
  changedMeanwhile,
  mayDoTo,
  notFound,
  Problem,
  wrongField,
  type Db,
  type PersonAccess,
  type Services,
  type SignedIn,
  type UnitOfWork,
} from '../kernel/index.js';
import { placeKind } from './kinds.js';
import * as codeStore from './codeStore.js';
import * as moveStore from './moveStore.js';
import * as placeStore from './placeStore.js';

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

/**
 * Refuses a code that was that of another place before, and names that place: what refers to it by the code still leads there. `again`: whoever
 * asks knows, and gives it all the same.
 */
export async function requireNotBefore(
  db: Db,
  access: PersonAccess,
  asked: { readonly code: string; readonly kind: string; readonly parentId: string; readonly placeId?: string },
  again: boolean | undefined,
): Promise<void> {
  if (again) return;
  const holders = await codeStore.formerHolders(db, asked);
  if (holders.length === 0) return;
  const { code } = asked;
  const known = holders.filter((h) => hasRight(access.on(h.access_set_id).all, 'discover'));
  throw new Problem(
    409,
    'code-given-before',
    known.length > 0
      ? message('plan.codeGivenBefore', {
          code,
          places: { all: known.map((h) => `${h.code} ${h.title}`) },
          until: { day: known[0]!.until },
        })
      : message('plan.codeGivenBeforeElsewhere', { code }),
    [{ pointer: '/code', sentence: message('plan.codeOfAnotherBefore') }],
  );
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
  return { ...extent, ...people, recomputed: extent.records, declared: 0 };
}

/** What does not simply go along when a folder leaves its series, or is merged into another. */
export interface Staying {
  /** Declared records: they leave their series, or their folder, only with a reason, by whoever may dispose of them. */
  readonly declared: readonly moveStore.StayingRow[];
  /** Whether a hold keeps any where it is. */
  readonly frozen: boolean;
}

/** Records in a place that would leave their series, or with `own` that place, and do not simply go along. */
export async function stayingIn(db: Db, place: placeStore.PlaceRow, newSeriesId: string | null, own: boolean): Promise<Staying> {
  const rows = await moveStore.staying(db, place.id, newSeriesId, own);
  return { declared: rows.filter((r) => r.state === 'declared'), frozen: rows.some((r) => r.frozen) };
}

/** For what moves places without a reason of its own: refuses where not all simply goes along. */
export async function requireMovableRecords(
  uow: UnitOfWork,
  place: placeStore.PlaceRow,
  newSeriesId: string | null,
  own: boolean,
): Promise<void> {
  const staying = await stayingIn(uow, place, newSeriesId, own);
  if (staying.frozen) throw new Problem(409, 'frozen-inside', message('plan.frozenInside', { code: place.code }));
  if (staying.declared.length > 0) throw new Problem(409, 'declared-inside', message('plan.declaredInside', { code: place.code }));
}

/**
 * Lets declared records go along in this transaction, and enters it on each. Refuses without a reason, where a hold keeps records where they
 * are, and for whoever may not dispose of what is in both places. A trial needs no reason yet.
 */
export async function reorganise(
  uow: UnitOfWork,
  { person, access, trial }: { readonly person: SignedIn; readonly access: PersonAccess; readonly trial: boolean },
  { declared, frozen }: Staying,
  to: { readonly places: readonly placeStore.PlaceRow[]; readonly into: placeStore.PlaceRow; readonly reason: string | undefined },
): Promise<void> {
  const [place] = to.places;
  if (frozen) throw new Problem(409, 'frozen-inside', message('plan.frozenInside', { code: place!.code }));
  if (declared.length === 0) return;
  for (const one of to.places) {
    if (!(await mayDoTo(uow, placeKind, one, 'dispose', person, access)))
      throw new Problem(409, 'declared-inside', message('plan.declaredInside', { code: place!.code }));
  }
  if (!trial && !to.reason) throw wrongField('/reason', message('plan.declaredNeedReason'));
  await moveStore.addReorganisation(uow, { id: uuidv7(), by: person.id, reason: to.reason ?? '-' });
  const from = new Map((await placeStore.placesByIds(uow, [...new Set(declared.map((r) => r.place_id))])).map((p) => [p.id, p.code]));
  uow.enterAll(
    declared.map((r) => ({
      act: 'moved',
      subject: { kind: 'record', id: r.id, name: `${r.number} ${r.title}` },
      before: { in: from.get(r.place_id), series: r.series },
      after: { with: place!.code, in: to.into.code },
      note: to.reason,
    })),
  );
}

export const seriesOf = (place: placeStore.PlaceRow, chain: readonly placeStore.PlaceRow[]): string | null =>
  [...chain, place].find((p) => p.kind === 'series')?.id ?? null;

/** The places that have a code, and those that had it; a folder may be named with its series, as in `BER-01/B-07`. 404 where there is none. */
export async function placesByCode(
  services: Services,
  person: SignedIn,
  code: string,
): Promise<{ places: { id: string; code: string; title: string; former: boolean }[] }> {
  const access = await services.access.of(person);
  const found = await codeStore.placesWithCode(services.pool, code.toUpperCase(), access.sets('discover'));
  if (found.length === 0) throw notFound(message('plan.placeCode', { code }));
  return { places: found.map(({ id, code: now, title, former }) => ({ id, code: now, title, former })) };
}

/** Facts that a folder can give on. */
export async function factsOfAllTypes(db: Db): Promise<FactDefinition[]> {
  return factsOfTypes(await recordTypes(db));
}
