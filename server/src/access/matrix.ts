import type { access, AccessMark, MatrixRow, Told, ToldOf } from '@key-cellar/contract';
import { profileWords, type EffectiveAccess } from '@key-cellar/core/access';
import type { Message } from '@key-cellar/words';
import type { Db } from '../kernel/index.js';
import * as area from './areaStore.js';
import { loadSnapshot } from './book.js';
import { accessKnownFrom } from './pictureStore.js';
import * as store from './store.js';

const rowsAtOnce = 100;

interface Wanted {
  readonly by: 'person' | 'group';
  readonly all: boolean;
  readonly place?: string | undefined;
  readonly name?: string | undefined;
  readonly from: number;
  /** Sets of the places that may be looked at. */
  readonly sets: readonly number[];
  readonly today: string;
}

/** Different marks, each once; the first is nothing at all. */
class Marks {
  readonly list: Told<AccessMark>[] = [{ profiles: [], ceiling: false }];
  private readonly numbers = new Map([[JSON.stringify(this.list[0]), 0]]);

  numberOf(mark: Told<AccessMark>): number {
    const key = JSON.stringify(mark);
    const number = this.numbers.get(key) ?? this.list.push(mark) - 1;
    this.numbers.set(key, number);
    return number;
  }
}

/** The profiles that count, those that were given right here first. */
function markOf({ weighed, ceilings }: EffectiveAccess, here: ReadonlySet<string>): Told<AccessMark> {
  const found = new Map<string, { readonly title: Message; readonly here: boolean }>();
  for (const { grant, status } of weighed)
    if (status === 'counts')
      found.set(grant.profile.code, {
        title: profileWords(grant.profile),
        here: (found.get(grant.profile.code)?.here ?? false) || here.has(grant.id),
      });
  const profiles = [...found].map(([code, one]) => ({ code, ...one }));
  profiles.sort((a, b) => Number(b.here) - Number(a.here) || (a.code < b.code ? -1 : 1));
  return { profiles, ceiling: ceilings.length > 0 && profiles.length > 0 };
}

/** Grants by the place or tag that they were made on. */
async function grantsByWhat(
  db: Db,
): Promise<(place: { readonly id: string; readonly access_tags: readonly string[] }) => ReadonlySet<string>> {
  const on = new Map<string, string[]>();
  for (const { id, place_id: place, tag_id: tag } of await store.grants(db)) {
    const what = place ?? tag;
    if (what !== null) on.set(what, [...(on.get(what) ?? []), id]);
  }
  return ({ id, access_tags: tags }) => new Set([id, ...tags].flatMap((what) => on.get(what) ?? []));
}

/** People, or groups; a group has no clearance of its own, so that no marking stops it. */
async function columnsOf(db: Db, by: Wanted['by']) {
  if (by === 'group') return (await area.groups(db)).map(({ id, name }) => ({ id, name, clearance: null }));
  return (await store.people(db)).map(({ id, name, clearance_level: level, clearance_caveats: caveats }) => ({
    ...{ id, name },
    clearance: { level, caveats },
  }));
}

/** Places × people, or groups: which profiles count where. A hundred places at once. */
export async function matrixOf(
  db: Db,
  { by, all, place = '', name = '', from, sets, today }: Wanted,
): Promise<ToldOf<(typeof access)['matrix']>> {
  const snapshot = await loadSnapshot(db);
  const places = await area.matrixPlaces(db, { sets, all, words: place.trim(), from, limit: rowsAtOnce });
  const wanted = name.trim().toLowerCase();
  const columns = (await columnsOf(db, by))
    .filter((c) => c.name.toLowerCase().includes(wanted))
    .map((c) => ({ ...c, principals: snapshot.principalsOf(c.id) }));
  const grantsHere = await grantsByWhat(db);
  const marks = new Marks();
  // Places with the same set give the same; only what was given right there is drawn otherwise.
  const bySet = new Map<number, readonly EffectiveAccess[]>();
  const weighedOn = (set: number): readonly EffectiveAccess[] => {
    const known =
      bySet.get(set) ??
      columns.map(({ id, principals, clearance }) =>
        snapshot.weigh({ id, principals, clearance: clearance ?? snapshot.markingOf(set) }, set, today),
      );
    bySet.set(set, known);
    return known;
  };
  const rows = places.map((p): Told<MatrixRow> => ({
    ...{ id: p.id, kind: p.kind, code: p.code, title: p.title, depth: p.depth, inside: p.inside, standAlone: p.stand_alone },
    marking: { level: p.marking_level, caveats: p.marking_caveats },
    cells: weighedOn(p.access_set_id).map((one) => marks.numberOf(markOf(one, grantsHere(p)))),
  }));
  return {
    columns: columns.map(({ id, name: title }) => ({ id, name: title })),
    rows,
    marks: marks.list,
    total: places[0]?.total ?? 0,
    knownFrom: await accessKnownFrom(db),
  };
}
