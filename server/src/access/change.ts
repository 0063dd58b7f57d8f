import type { AccessShift, Told } from '@key-cellar/contract';
import { describeRights, hasRight, type RightSet } from '@key-cellar/core/access';
import { message, type Message } from '@key-cellar/words';
import type { Db, PersonAccess } from '../kernel/index.js';
import { loadSnapshot } from './book.js';
import * as store from './store.js';

/** What everybody could do on what, at one moment. */
export interface AccessStanding {
  readonly people: ReadonlyMap<string, { readonly name: string; readonly access: PersonAccess }>;
  /** Access sets of places, and of records by their place (or each by itself), with how many there are. */
  readonly places: ReadonlyMap<string, number>;
  readonly records: ReadonlyMap<string, readonly { readonly set: number; readonly n: number }[]>;
  /** What tells a set from another of the same place: it is of one record, or has a marking or tags of its own. */
  readonly marks: ReadonlyMap<number, string>;
}

/** On what access is looked at: everything, what lies in a place, or some records. */
export type Scope = 'everything' | { readonly placeId: string } | { readonly recordIds: readonly string[] };

async function reachedIn(db: Db, scope: Scope) {
  if (scope === 'everything') return store.reached(db);
  return 'placeId' in scope ? store.reachedIn(db, scope.placeId) : store.reachedOf(db, scope.recordIds);
}

/** How access stands now, in the transaction of whoever asks. */
export async function accessStanding(db: Db, today: string, scope: Scope = 'everything'): Promise<AccessStanding> {
  const snapshot = await loadSnapshot(db);
  const [people, sets, { places, records }] = [await store.people(db), await store.accessSets(db), await reachedIn(db, scope)];
  const byPlace = new Map<string, { set: number; n: number }[]>();
  for (const { at, access_set_id: set, n } of records) byPlace.set(at, [...(byPlace.get(at) ?? []), { set, n }]);
  return {
    people: new Map(
      people.map(({ id, name, clearance_level: level, clearance_caveats: caveats }) => [
        id,
        { name, access: snapshot.of({ id, today, clearance: { level, caveats } }) },
      ]),
    ),
    places: new Map(places.map((p) => [p.id, p.access_set_id])),
    records: byPlace,
    marks: new Map(sets.map((s) => [s.id, JSON.stringify([s.record_id, s.marking_level, s.marking_caveats, s.tags])])),
  };
}

interface Moved {
  readonly was: number;
  readonly is: number;
  places: number;
  records: number;
}

/** How many places and records have another access set than before, or the same, by the two sets. */
function movedSets(before: AccessStanding, after: AccessStanding, swapped: ReadonlyMap<number, number>): Moved[] {
  const moved = new Map<string, Moved>();
  const count = (was: number, is: number, places: number, records: number): void => {
    const at = `${was} ${is}`;
    const known = moved.get(at) ?? { was, is, places: 0, records: 0 };
    known.places += places;
    known.records += records;
    moved.set(at, known);
  };
  for (const [place, was] of before.places) {
    const is = after.places.get(place);
    if (is !== undefined) count(was, is, 1, 0);
  }
  for (const [at, sets] of before.records) {
    const now = after.records.get(at) ?? [];
    const around = after.places.get(at);
    if (around === undefined && before.places.has(at)) continue;
    for (const { set, n } of sets) {
      const mark = before.marks.get(set);
      // What has lost its own marking, or got one, has the set of its place; a record by itself has the one that it has.
      const is = swapped.get(set) ?? now.find((one) => after.marks.get(one.set) === mark)?.set ?? around ?? now[0]?.set;
      if (is !== undefined) count(set, is, 0, n);
    }
  }
  return [...moved.values()];
}

const mostTold = 40;

/**
 * Who gains or loses which rights between two moments, and on how many places and records that were there at both; of what `asker` may not
 * discover nothing is counted. `swapped`: which set each became, where that is known.
 */
export function accessShift(
  before: AccessStanding,
  after: AccessStanding,
  asker: string,
  swapped: ReadonlyMap<number, number> = new Map(),
): Told<AccessShift> {
  const sees = (standing: AccessStanding, set: number): boolean =>
    hasRight(standing.people.get(asker)?.access.on(set).all ?? 0, 'discover');
  const moved = movedSets(before, after, swapped).filter(({ was, is }) => sees(before, was) || sees(after, is));
  const told = { gains: new Map<string, Line>(), loses: new Map<string, Line>() };
  for (const id of new Set([...before.people.keys(), ...after.people.keys()])) {
    const [had, has] = [before.people.get(id), after.people.get(id)];
    const { name } = (has ?? had)!;
    for (const { was, is, places, records } of moved) {
      const [then, now] = [had?.access.on(was).all ?? 0, has?.access.on(is).all ?? 0];
      note(told.gains, id, name, now & ~then, places, records);
      note(told.loses, id, name, then & ~now, places, records);
    }
  }
  const [gains, loses] = [inWords(told.gains), inWords(told.loses)];
  return { ...{ gains: gains.slice(0, mostTold), loses: loses.slice(0, mostTold) }, people: gains.length + loses.length };
}

interface Line {
  readonly name: string;
  readonly rights: RightSet;
  places: number;
  records: number;
}

function note(lines: Map<string, Line>, id: string, name: string, rights: RightSet, places: number, records: number): void {
  if (rights === 0) return;
  const at = `${id} ${rights}`;
  const line = lines.get(at) ?? { name, rights, places: 0, records: 0 };
  line.places += places;
  line.records += records;
  lines.set(at, line);
}

const inWords = (lines: ReadonlyMap<string, Line>): Message[] =>
  [...lines.values()]
    .sort((a, b) => b.records - a.records || b.places - a.places || (a.name < b.name ? -1 : 1))
    .map(({ name, rights, places, records }) =>
      message('access.whoWithRightsOn', { name, rights: describeRights(rights), places, records }),
    );
