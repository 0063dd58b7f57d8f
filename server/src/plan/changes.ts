import type { PlanEffect } from '@key-cellar/contract';
import { isCodePattern, mergeRefusal, moveRefusal, nextCode } from '@key-cellar/core/plan';
import { factsOfTypes, type FactDefinition, type Facts, type Takes } from '@key-cellar/core/records';
import { requireRight, whoseAccessChanges, type PersonAccess } from '../access/index.js';
import { withUnitOfWork, type Db, type UnitOfWork } from '../db/index.js';
import type { SignedIn } from '../identity/index.js';
import { changedMeanwhile, notFound, Problem, wrongField } from '../problem.js';
import { checkFacts, recordTypes } from '../records/index.js';
import { recomputeWithin } from '../schedule/index.js';
import type { Services } from '../services.js';
import { openPlace } from './service.js';
import * as store from './store.js';

const subject = (place: store.PlaceRow) => ({ kind: 'place', id: place.id, name: `${place.code} ${place.title}` });

const standing = (place: store.PlaceRow) => ({
  id: place.id,
  kind: place.kind,
  code: place.code,
  closedOn: place.closed_on,
  retiredOn: place.retired_on,
  ancestors: place.ancestors,
});

/** The plan is the keepers'; folders may be changed by those who may move what is in them. */
function requireChange(access: PersonAccess, person: SignedIn, place: store.PlaceRow): void {
  requireRight(access, person, place, place.kind === 'folder' ? 'move' : 'dispose', 'This place');
}

async function lockAtRevision(uow: UnitOfWork, id: string, revision: number): Promise<store.PlaceRow> {
  const place = await store.lockPlace(uow, id);
  if (!place) throw notFound('This place');
  if (place.revision !== revision) throw changedMeanwhile();
  return place;
}

/** A code for a new place: as it was given, or the next one of a pattern; throws when it is taken. */
export async function freeCode(uow: UnitOfWork, code: string, kind: string, parentId: string): Promise<string> {
  if (!isCodePattern(code)) {
    if (await store.codeTaken(uow, code, kind, parentId)) throw wrongField('/code', `${code} exists here already.`);
    return code;
  }
  // One after the other, so that two who ask at the same time do not get the same.
  await store.lockCodes(uow);
  return nextCode(code, (await store.codesGiven(uow, kind, parentId)).map((c) => c.code)); // prettier-ignore
}

export async function editPlace(
  services: Services,
  person: SignedIn,
  id: string,
  input: { revision: number; code: string; title: string; note: string; notHere: string; message: string },
): Promise<number> {
  const { place: seen, access } = await openPlace(services, person, id);
  requireChange(access, person, seen);
  return withUnitOfWork(services.pool, person, async (uow) => {
    const place = await lockAtRevision(uow, id, input.revision);
    if (place.code !== input.code) {
      if (place.parent_id === null) throw wrongField('/code', 'The repository keeps its code.');
      if (await store.codeTaken(uow, input.code, place.kind, place.parent_id)) {
        throw wrongField('/code', `${input.code} is the code of another place.`);
      }
      await store.keepFormerCode(uow, place, person.today);
      await store.dropFormerCode(uow, place.id, input.code);
    }
    const revision = await store.writePlace(uow, id, input);
    const before = { code: place.code, title: place.title, note: place.note, notHere: place.not_here, message: place.message };
    const { revision: _revision, ...after } = input;
    uow.enter({ act: place.code === input.code ? 'changed a place' : 'renumbered a place', subject: subject(place), before, after });
    return revision;
  });
}

/** What goes along with a place, and what becomes of access to it. */
async function effectOn(services: Services, person: SignedIn, place: store.PlaceRow, newParent: store.PlaceRow): Promise<PlanEffect> {
  const [extent, people] = await Promise.all([
    store.extentOf(services.pool, place.id),
    whoseAccessChanges(services.pool, person.today, { placeId: place.id, newParentId: newParent.id }),
  ]);
  return { ...extent, ...people, recomputed: extent.records };
}

/**
 * Declared records stay in their series (3-rules 3.6), so a folder cannot leave it with them; and they stay in their folder,
 * so it cannot be merged into another.
 */
async function requireMovableRecords(uow: UnitOfWork, place: store.PlaceRow, newSeriesId: string | null, own: boolean): Promise<void> {
  const stuck = await store.declaredThatStay(uow, place.id, newSeriesId, own);
  if (stuck > 0) {
    throw new Problem(
      409,
      'declared-inside',
      `${stuck === 1 ? 'One declared record' : `${stuck} declared records`} in ${place.code} cannot be moved. A keeper may undeclare them with a reason.`,
    );
  }
}

const seriesOf = (place: store.PlaceRow, chain: readonly store.PlaceRow[]): string | null =>
  [...chain, place].find((p) => p.kind === 'series')?.id ?? null;

/** Moves a place with all that is in it. Where its access came from above, it comes from there no more. */
export async function movePlace(
  services: Services,
  person: SignedIn,
  id: string,
  input: { revision: number; parentId: string; dryRun: boolean },
): Promise<PlanEffect> {
  const { place: seen, access } = await openPlace(services, person, id);
  const { place: target } = await openPlace(services, person, input.parentId);
  requireChange(access, person, seen);
  requireRight(access, person, target, seen.kind === 'folder' ? 'edit' : 'dispose', 'This place');
  const refusal = moveRefusal(standing(seen), standing(target));
  if (refusal) throw new Problem(409, 'cannot-move', refusal);
  const effect = await effectOn(services, person, seen, target);
  return withUnitOfWork(services.pool, person, async (uow) => {
    // Two moves at once could close a circle between them.
    await store.lockPlan(uow);
    const place = await lockAtRevision(uow, id, input.revision);
    const parent = (await store.lockPlace(uow, input.parentId))!;
    const again = moveRefusal(standing(place), standing(parent));
    if (again) throw new Problem(409, 'cannot-move', again);
    const from = (await store.placeById(uow, place.parent_id!))!;
    const newSeriesId = seriesOf(parent, await store.placesByIds(uow, parent.ancestors));
    if (place.kind === 'folder') await requireMovableRecords(uow, place, newSeriesId, false);
    if (await store.codeTaken(uow, place.code, place.kind, parent.id, place.id)) {
      throw new Problem(409, 'code-taken', `${parent.code} has a ${place.kind} ${place.code} already. Renumber one of them first.`);
    }
    if (input.dryRun) return effect;
    await store.keepFormerCode(uow, place, person.today);
    await store.moveUnder(uow, place, parent, place.kind === 'folder' ? newSeriesId : null);
    uow.enter({
      act: 'moved a place',
      subject: subject(place),
      before: { in: `${from.code} ${from.title}` },
      after: { in: `${parent.code} ${parent.title}`, records: effect.records },
    });
    return { ...effect, recomputed: await recomputeWithin(services, uow, { placeIds: [id] }, place.code) };
  });
}

/** Merges a place into another of its kind: all that is in it goes there, its code leads there, and it is retired empty. */
export async function mergePlace(
  services: Services,
  person: SignedIn,
  id: string,
  input: { revision: number; intoId: string; dryRun: boolean },
): Promise<PlanEffect> {
  const { place: seen, access } = await openPlace(services, person, id);
  const { place: target } = await openPlace(services, person, input.intoId);
  requireChange(access, person, seen);
  requireChange(access, person, target);
  const refusal = mergeRefusal(standing(seen), standing(target));
  if (refusal) throw new Problem(409, 'cannot-merge', refusal);
  const effect = await effectOn(services, person, seen, target);
  return withUnitOfWork(services.pool, person, async (uow) => {
    await store.lockPlan(uow);
    const place = await lockAtRevision(uow, id, input.revision);
    const into = (await store.lockPlace(uow, input.intoId))!;
    const again = mergeRefusal(standing(place), standing(into));
    if (again) throw new Problem(409, 'cannot-merge', again);
    const events = await store.eventCount(uow, id);
    if (events > 0) {
      throw new Problem(
        409,
        'has-events',
        `${place.code} has ${events} events of its own, and they would start clocks in ${into.code}. Take them back first.`,
      );
    }
    const newSeriesId = seriesOf(into, await store.placesByIds(uow, into.ancestors));
    await requireMovableRecords(uow, place, newSeriesId, true);
    const clash = await store.clashingCodes(uow, id, into.id);
    if (clash.length > 0) {
      throw new Problem(409, 'code-taken', `Both have ${clash.slice(0, 5).map((c) => c.code).join(', ')}${clash.length > 5 ? ' and more' : ''} inside. Renumber one of each first.`); // prettier-ignore
    }
    if (input.dryRun) return effect;
    await store.mergeInto(uow, place, into, newSeriesId, person.today);
    uow.enter({
      act: 'merged a place',
      subject: subject(place),
      after: { into: `${into.code} ${into.title}`, records: effect.records, places: effect.places },
    });
    return { ...effect, recomputed: await recomputeWithin(services, uow, { placeIds: [into.id] }, into.code) };
  });
}

export async function reopenFolder(services: Services, person: SignedIn, id: string, reason: string): Promise<void> {
  const { place: seen, access } = await openPlace(services, person, id);
  requireChange(access, person, seen);
  await withUnitOfWork(services.pool, person, async (uow) => {
    const place = (await store.lockPlace(uow, id))!;
    if (place.closed_on === null && place.retired_on === null) throw new Problem(409, 'nothing-to-do', 'It is open.');
    await store.reopen(uow, id);
    uow.enter({
      act: place.retired_on === null ? 'opened a folder again' : 'brought a place back',
      subject: subject(place),
      before: { closedOn: place.closed_on, retiredOn: place.retired_on },
      note: reason,
    });
    await recomputeWithin(services, uow, { placeIds: [id] }, place.code);
  });
}

export async function retirePlace(services: Services, person: SignedIn, id: string, reason: string): Promise<void> {
  const { place: seen, access } = await openPlace(services, person, id);
  requireChange(access, person, seen);
  await withUnitOfWork(services.pool, person, async (uow) => {
    const place = (await store.lockPlace(uow, id))!;
    if (place.kind === 'repository') throw new Problem(409, 'cannot-retire', 'The repository itself cannot be retired.');
    if (place.retired_on !== null) throw new Problem(409, 'nothing-to-do', `It was retired on ${place.retired_on}.`);
    await store.retire(uow, id, person.today);
    uow.enter({ act: 'retired a place', subject: subject(place), after: { on: person.today }, note: reason });
  });
}

/** The place that has a code, or had it; a folder may be named with its series, as in `BER-01/B-07`. */
export async function placeByCode(
  services: Services,
  person: SignedIn,
  code: string,
): Promise<{ id: string; code: string; former: boolean }> {
  const access = await services.access.of(person);
  const found = await store.placesWithCode(services.pool, code.toUpperCase(), access.sets('discover'));
  const [first] = found;
  if (!first) throw notFound(`A place with the code ${code}`);
  return { id: first.id, code: first.code, former: first.former };
}

/** Facts that a folder can give on. */
export async function factsOfAllTypes(db: Db): Promise<FactDefinition[]> {
  return factsOfTypes(await recordTypes(db));
}

/** Says what a folder gives on to what is filed in it from now on. */
export async function setPlaceFacts(
  services: Services,
  person: SignedIn,
  id: string,
  input: { revision: number; facts: Facts },
): Promise<number> {
  const { place: seen, access } = await openPlace(services, person, id);
  requireRight(access, person, seen, 'edit', 'This place');
  return withUnitOfWork(services.pool, person, async (uow) => {
    const place = await lockAtRevision(uow, id, input.revision);
    const { facts } = await checkFacts(uow, access, person, { facts: await factsOfAllTypes(uow) }, input.facts, { before: place.facts });
    await store.writePlaceFacts(uow, id, facts);
    uow.enter({ act: 'changed the facts of a place', subject: subject(place), before: place.facts, after: facts });
    return place.revision + 1;
  });
}

/** Says which types, formats and sizes a place takes. */
export async function setPlaceTakes(
  services: Services,
  person: SignedIn,
  id: string,
  input: { revision: number; takes: Takes | null },
): Promise<number> {
  const { place: seen, access } = await openPlace(services, person, id);
  requireRight(access, person, seen, 'dispose', 'This place');
  return withUnitOfWork(services.pool, person, async (uow) => {
    const place = await lockAtRevision(uow, id, input.revision);
    const types = new Set((await recordTypes(uow)).map((t) => t.code));
    const unknown = input.takes?.types?.find((code) => !types.has(code));
    if (unknown !== undefined) throw wrongField('/takes/types', `There is no record type “${unknown}”.`);
    await store.writeTakes(uow, id, input.takes);
    uow.enter({ act: 'changed what a place takes', subject: subject(place), before: place.takes, after: input.takes });
    return place.revision + 1;
  });
}
