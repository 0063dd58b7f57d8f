import type { criteriaEndpoints, ToldOf } from '@key-cellar/contract';
import { hasRight } from '@key-cellar/core/access';
import type { Named, Vocabulary } from '@key-cellar/core/criteria';
import { mayAtRepository, whilePlanStays, type Db, type PersonAccess, type ReadsOf, type Services } from '../kernel/index.js';
import { mayNameDetectors } from './namable.js';
import * as store from './store.js';

/** Parties and business objects that criteria can name; of more, others are found on their own pages. */
const mostNamed = 5000;

/** The places that somebody may discover, by name; a folder is named with the codes on the way to it. Outer ones first. */
async function placesNamed(db: Db, access: PersonAccess): Promise<Named[]> {
  const seen = new Set(access.sets('discover'));
  const ways = new Map<string, string>();
  const named: Named[] = [];
  for (const { id, parent_id, kind, code, title, access_set_id } of await store.places(db)) {
    const before = kind === 'folder' && parent_id !== null ? ways.get(parent_id) : undefined;
    const path = before === undefined ? code : `${before}/${code}`;
    if (kind === 'folder' || kind === 'series') ways.set(id, path);
    if (seen.has(access_set_id)) named.push({ id, name: `${path} ${title}`, also: [path] });
  }
  return named;
}

/** What criteria of a person may speak of besides places: holds for those who may hold all that these cover. */
async function othersNamed(pool: Db, access: PersonAccess): Promise<Omit<Vocabulary, 'places'>> {
  const [types, people, entities, holds, detectors] = await Promise.all([
    store.types(pool),
    store.people(pool),
    // A name tells nothing of what it stands for, to whoever may find anything.
    hasRight(access.anywhere, 'discover') ? store.entities(pool, mostNamed) : [],
    hasRight(access.anywhere, 'hold') ? store.openHolds(pool, access.sets('hold'), await mayAtRepository(pool, access, 'hold')) : [],
    mayNameDetectors(access) ? store.detectors(pool) : [],
  ]);
  const facts = new Map(types.flatMap((t) => t.facts.map((f) => [f.code, f])));
  return {
    recordTypes: types.map((t) => ({ id: t.code, name: t.title, also: [t.code] })),
    facts: [...facts.values()].map(({ code, title, kind, choices }) => ({ code, title, kind, ...(choices ? { choices } : {}) })),
    people: people.map((p) => ({ id: p.id, name: p.name })),
    parties: entities.filter((e) => e.kind === 'party').map(({ id, name }) => ({ id, name })),
    objects: entities.filter((e) => e.kind === 'object').map(({ id, name }) => ({ id, name })),
    holds: holds.map((h) => ({ id: h.id, name: h.name })),
    detectors: detectors.map((d) => ({ id: d.id, name: d.title })),
  };
}

/** What criteria of a person may speak of. */
export async function vocabularyOf(db: Db, access: PersonAccess): Promise<Vocabulary> {
  const [places, others] = await Promise.all([placesNamed(db, access), othersNamed(db, access)]);
  return { ...others, places };
}

type Answer = ToldOf<typeof criteriaEndpoints.vocabulary>;
/** The last answer with these places: the same as long as nothing else has changed either, so that it is packed once. */
const answers = new WeakMap<readonly Named[], { readonly others: string; readonly answer: Answer }>();

export const criteriaReads: ReadsOf<typeof criteriaEndpoints, Services> = {
  vocabulary: async ({ services: { pool, access: book }, person }) => {
    const access = await book.of(person);
    const [places, others] = await Promise.all([
      whilePlanStays(pool, 'named', access.sets('discover').join(), () => placesNamed(pool, access)),
      othersNamed(pool, access),
    ]);
    const told = JSON.stringify(others);
    const before = answers.get(places);
    if (before?.others === told) return before.answer;
    const answer = Object.freeze({ ...others, places }) as Answer;
    answers.set(places, { others: told, answer });
    return answer;
  },
};
