import type { criteriaEndpoints } from '@key-cellar/contract';
import { hasRight } from '@key-cellar/core/access';
import type { Vocabulary } from '@key-cellar/core/criteria';
import { mayAtRepository, type Db, type PersonAccess, type ReadsOf, type Services } from '../kernel/index.js';
import { mayNameDetectors } from './namable.js';
import * as store from './store.js';

/** Parties and business objects that criteria can name; of more, others are found on their own pages. */
const mostNamed = 5000;

/** What criteria of a person may speak of: places they may discover, and holds for those who may hold all that these cover. */
export async function vocabularyOf(pool: Db, access: PersonAccess): Promise<Vocabulary> {
  const [types, places, people, entities, holds, detectors] = await Promise.all([
    store.types(pool),
    store.places(pool, access.sets('discover')),
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
    places: places.map((p) => ({ id: p.id, name: `${p.path} ${p.title}`, also: [p.path] })),
    people: people.map((p) => ({ id: p.id, name: p.name })),
    parties: entities.filter((e) => e.kind === 'party').map(({ id, name }) => ({ id, name })),
    objects: entities.filter((e) => e.kind === 'object').map(({ id, name }) => ({ id, name })),
    holds: holds.map((h) => ({ id: h.id, name: h.name })),
    detectors: detectors.map((d) => ({ id: d.id, name: d.title })),
  };
}

export const criteriaReads: ReadsOf<typeof criteriaEndpoints, Services> = {
  vocabulary: async ({ services, person }) => {
    const { recordTypes, facts, places, people, parties, objects, holds, detectors } = await vocabularyOf(
      services.pool,
      await services.access.of(person),
    );
    const names = (list: Vocabulary['places']) => list.map(({ id, name, also }) => ({ id, name, ...(also ? { also: [...also] } : {}) }));
    return {
      recordTypes: names(recordTypes),
      facts: facts.map(({ choices, ...f }) => ({ ...f, ...(choices ? { choices: [...choices] } : {}) })),
      places: names(places),
      people: names(people),
      parties: names(parties),
      objects: names(objects),
      holds: names(holds),
      detectors: names(detectors),
    };
  },
};
