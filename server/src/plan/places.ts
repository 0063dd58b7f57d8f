import type { OutlineLine, PlaceLine, PlacePage, RackCounts, RackOfSeries, Told } from '@key-cellar/contract';
import { explainAccess, hasRight, listRights, profilesThatCount } from '@key-cellar/core/access';
import { refusesInside, shutOn } from '@key-cellar/core/plan';
import { idsIn, type Takes } from '@key-cellar/core/records';
import { uuidv7 } from 'uuidv7';
import { message, type Message } from '@key-cellar/words';
import { namesOf } from '../facts/index.js';
import { notFound, whilePlanStays, type Db, type PersonAccess, type Services, type SignedIn, type UnitOfWork } from '../kernel/index.js';
import { standingOf } from './changes.js';
import { readyTitlesFor } from './readyTitles.js';
import { namesOfParts, saidOf, stencilOfPlace } from './stencilStore.js';
import * as codeStore from './codeStore.js';
import * as placeStore from './placeStore.js';
import { rackSeen, type RackSeen } from './rackSeen.js';
import * as rackStore from './rackStore.js';

const noCounts: RackCounts = { kept: 0, due: 0, held: 0, unscheduled: 0, permanent: 0, waiting: 0 };

function addCounts(a: RackCounts, b: RackCounts): RackCounts {
  return {
    kept: a.kept + b.kept,
    due: a.due + b.due,
    held: a.held + b.held,
    unscheduled: a.unscheduled + b.unscheduled,
    permanent: a.permanent + b.permanent,
    waiting: a.waiting + b.waiting,
  };
}

function countsOf(cell: RackCounts): RackCounts {
  const { kept, due, held, unscheduled, permanent, waiting } = cell;
  return { kept, due, held, unscheduled, permanent, waiting };
}

/** Counts of series, added up for every place that they lie in. */
function countsAround(
  seen: RackSeen,
  series: readonly { readonly id: string; readonly ancestors: readonly string[] }[],
): Map<string, RackCounts> {
  const around = new Map<string, RackCounts>();
  for (const { id, ancestors } of series) {
    for (const place of ancestors) around.set(place, addCounts(around.get(place) ?? noCounts, seen.of(id)));
  }
  return around;
}

/** A place is open to a person who may discover what is in it, or put something there. */
function isOpen(access: PersonAccess, place: placeStore.PlaceRow): boolean {
  const { all } = access.on(place.access_set_id);
  return hasRight(all, 'discover') || hasRight(all, 'deposit');
}

/** Whether a person may know of a place: it is open to them, or lies on the way to one that is. */
export async function mayKnowOfPlace(db: Db, access: PersonAccess, place: placeStore.PlaceRow): Promise<boolean> {
  if (isOpen(access, place) || hasRight(access.on(place.access_set_id).own, 'discover')) return true;
  return placeStore.leadsTo(db, place.id, [...access.sets('discover'), ...access.sets('deposit'), ...access.ownSets('discover')]);
}

function toLine(
  place: placeStore.PlaceRow,
  { access, today }: { readonly access: PersonAccess; readonly today: string },
  rules: readonly string[],
  counts: RackCounts | null,
): PlaceLine {
  const open = isOpen(access, place);
  return {
    id: place.id,
    kind: place.kind,
    parentId: place.parent_id,
    code: place.code,
    title: place.title,
    closedOn: place.closed_on,
    retiredOn: place.retired_on,
    shut: shutOn(standingOf(place), today),
    rules: open ? [...rules] : [],
    discover: open,
    deposit: hasRight(access.on(place.access_set_id).all, 'deposit'),
    counts: open ? counts : null,
  };
}

/** Open places with the places on the way to them. */
function withAncestors(places: readonly placeStore.PlaceRow[], access: PersonAccess): placeStore.PlaceRow[] {
  const shown = new Set(places.filter((p) => isOpen(access, p)).flatMap((p) => p.ancestors));
  return places.filter((p) => shown.has(p.id));
}

async function rulesByPlace(services: Services, placeIds: readonly string[]): Promise<Map<string, string[]>> {
  const byPlace = new Map<string, string[]>();
  for (const r of await placeStore.rulesSetOn(services.pool, placeIds)) {
    byPlace.set(r.place_id, [...(byPlace.get(r.place_id) ?? []), r.code]);
  }
  return byPlace;
}

/** Ids of places in which there is a folder that is open to a person. */
function withFolders({ pool }: Services, access: PersonAccess, under: string | null): Promise<ReadonlySet<string>> {
  const sets = [...new Set([...access.sets('discover'), ...access.sets('deposit')])];
  const found = async (): Promise<ReadonlySet<string>> => new Set((await placeStore.placesWithFolders(pool, sets, under)).map((p) => p.id));
  return under === null ? whilePlanStays(pool, 'withFolders', sets.join(), found) : found();
}

export async function outline(services: Services, person: SignedIn, folders: boolean): Promise<OutlineLine[]> {
  const access = await services.access.of(person);
  const seenBy = { access, today: person.today };
  const [places, holdFolders, seen] = await Promise.all([
    folders ? placeStore.allPlaces(services.pool) : whilePlanStays(services.pool, 'nodes', '', () => placeStore.planNodes(services.pool)),
    withFolders(services, access, null),
    rackSeen(services.pool, access, 'discover'),
  ]);
  const shown = withAncestors(places, access);
  const rules = await rulesByPlace(
    services,
    shown.map((p) => p.id),
  );
  const counts = countsAround(
    seen,
    places.filter((p) => p.kind === 'series'),
  );
  return shown.map((p) => ({
    ...toLine(p, seenBy, rules.get(p.id) ?? [], p.kind === 'folder' ? null : (counts.get(p.id) ?? noCounts)),
    foldersInside: holdFolders.has(p.id),
  }));
}

const mostFolders = 500;

/** The folders right inside a place, each with its counts: for an outline that is unfolded piece by piece. */
export async function foldersOf(services: Services, person: SignedIn, id: string): Promise<{ places: OutlineLine[]; more: number }> {
  const access = await services.access.of(person);
  const seenBy = { access, today: person.today };
  const { pool } = services;
  const [children, counts, holdFolders] = await Promise.all([
    placeStore.childrenOf(pool, id),
    rackStore.countsWithin(pool, id, access.sets('discover')),
    withFolders(services, access, id),
  ]);
  // The way to what is open further down shows too, by code and title.
  const seen = children.filter((c) => c.kind === 'folder' && (isOpen(access, c) || holdFolders.has(c.id)));
  const shown = seen.slice(0, mostFolders);
  const rules = await rulesByPlace(
    services,
    shown.map((p) => p.id),
  );
  const countsOfFolder = new Map(counts.map((f) => [f.id, countsOf(f)]));
  return {
    places: shown.map((p) => ({
      ...toLine(p, seenBy, rules.get(p.id) ?? [], countsOfFolder.get(p.id) ?? noCounts),
      foldersInside: holdFolders.has(p.id),
    })),
    more: seen.length - shown.length,
  };
}

export async function rack(services: Services, person: SignedIn): Promise<{ series: RackOfSeries[] }> {
  return (await rackSeen(services.pool, await services.access.of(person), 'discover')).toSend();
}

/** Finds a place that the person may see at all; throws 404 otherwise. */
export async function openPlace(
  services: Services,
  person: SignedIn,
  id: string,
): Promise<{ place: placeStore.PlaceRow; access: PersonAccess }> {
  const access = await services.access.of(person);
  const place = await placeStore.placeById(services.pool, id);
  if (!place || !isOpen(access, place)) throw notFound(message('thing.place'));
  return { place, access };
}

/** The stencil that a place was made from, and at the outermost folder of a use who has which role in it. */
async function usedStencil(db: Db, placeId: string): Promise<PlacePage['stencil']> {
  const made = await stencilOfPlace(db, placeId);
  if (!made) return null;
  const { id, title, version, newest, definition, root } = made;
  const { roles } = saidOf(made);
  const names = new Map(root ? (await namesOfParts(db, Object.values(roles))).map((p) => [p.id, p.name]) : []);
  return {
    id,
    title,
    version,
    newest,
    roles: root
      ? definition.roles.map((role) => {
          const principalId = roles[role.code] ?? null;
          return { ...role, principalId, name: principalId === null ? null : (names.get(principalId) ?? null) };
        })
      : [],
  };
}

export async function placePage(services: Services, person: SignedIn, id: string): Promise<Told<PlacePage>> {
  const { place, access } = await openPlace(services, person, id);
  const { pool } = services;
  const seenBy = { access, today: person.today };
  const [ancestors, children, within, setRules, formerCodes, series, seen] = await Promise.all([
    placeStore.placesByIds(pool, place.ancestors),
    placeStore.childrenOf(pool, id),
    place.kind === 'series' || place.kind === 'folder' ? rackStore.countsWithin(pool, id, access.sets('discover')) : [],
    placeStore.rulesSetOn(pool, place.ancestors),
    codeStore.formerCodes(pool, id),
    placeStore.seriesUnder(pool, id),
    rackSeen(pool, access, 'discover'),
  ]);
  const byId = new Map(ancestors.map((p) => [p.id, p]));
  const path = place.ancestors.map((a) => byId.get(a)!);
  const around = countsAround(seen, series);
  const ownCounts =
    place.kind === 'folder' ? within.reduce((sum, f) => addCounts(sum, countsOf(f)), noCounts) : (around.get(id) ?? noCounts);
  const childCounts = new Map([...around, ...within.map((f) => [f.id, countsOf(f)] as const)]);
  const inJurisdictions = [...path].reverse().find((p) => p.jurisdictions.length > 0);
  const numbered = [...path].reverse().find((p) => p.numbering_id !== null);
  const numbering = numbered && (await placeStore.numberingOf(pool, numbered.numbering_id!));
  const effective = access.explain(place.access_set_id);
  return {
    ...toLine(
      place,
      seenBy,
      setRules.filter((r) => r.place_id === id).map((r) => r.code),
      ownCounts,
    ),
    note: place.note,
    notHere: place.not_here,
    message: place.message,
    formerCodes,
    openedOn: place.opened_on,
    standAlone: place.stand_alone,
    path: path.map(({ id: placeId, kind, code, title }) => ({ id: placeId, kind, code, title })),
    inside: children.filter((c) => isOpen(access, c)).map((c) => toLine(c, seenBy, [], childCounts.get(c.id) ?? noCounts)),
    setRules: setRules.map((r) => ({
      id: r.id,
      code: r.code,
      title: r.title ?? r.code,
      setOn: byId.get(r.place_id)!.code,
      here: r.place_id === id,
    })),
    jurisdictions: inJurisdictions?.jurisdictions ?? [],
    jurisdictionsFrom: inJurisdictions?.code ?? null,
    numbering: numbering ? { ...numbering, setOn: numbered.code } : null,
    facts: place.facts,
    factNames: await namesOf(pool, access, idsIn(...path.map((p) => p.facts))),
    factsAround: path
      .slice(0, -1)
      .reverse()
      .flatMap((p) => (Object.keys(p.facts).length > 0 ? [{ code: p.code, facts: p.facts }] : [])),
    readyTitles: await readyTitlesFor(pool, id),
    stencil: await usedStencil(pool, id),
    takes: place.takes,
    takesAround: takesAround(path.slice(0, -1), place.ancestors).map(({ name, takes }) => ({ code: name, takes })),
    rights: listRights(access.on(place.access_set_id).all),
    profiles: profilesThatCount(effective),
    accessWhy: explainAccess(effective),
    revision: place.revision,
  };
}

/** Why nothing may come into a place today: it, or one around it, was closed or retired, or opens later. */
export async function shutAround(db: Db, place: placeStore.PlaceRow, today: string): Promise<Message | null> {
  for (const p of (await placeStore.placesByIds(db, place.ancestors)).reverse()) {
    const refusal = refusesInside(standingOf(p), today);
    if (refusal) return refusal;
  }
  return null;
}

/** The folder of a series that has a code; made when there is none. */
export async function ensureFolder(uow: UnitOfWork, seriesId: string, code: string): Promise<placeStore.PlaceRow> {
  await codeStore.lockCodes(uow);
  const found = await placeStore.folderIn(uow, seriesId, code);
  if (found) return found;
  const series = (await placeStore.placeById(uow, seriesId))!;
  const id = uuidv7();
  await placeStore.addPlace(uow, {
    id,
    kind: 'folder',
    parentId: seriesId,
    ancestors: [...series.ancestors, id],
    code,
    title: code,
    note: '',
    position: (await placeStore.childrenOf(uow, seriesId)).length,
    accessSetId: series.access_set_id,
    openedOn: uow.actor.today,
  });
  uow.enter({ act: 'made a folder', subject: { kind: 'place', id, name: `${code} ${code}` }, after: { parent: series.code, note: '' } });
  return (await placeStore.placeById(uow, id))!;
}

/** What places say that they take, nearest first. */
export function takesAround(places: readonly placeStore.PlaceRow[], way: readonly string[]): { name: string; takes: Takes }[] {
  return way.toReversed().flatMap((id) => {
    const place = places.find((p) => p.id === id);
    return place?.takes ? [{ name: place.code, takes: place.takes }] : [];
  });
}
