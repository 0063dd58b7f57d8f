import type { SectionName } from '@key-cellar/contract';
import { accessTags } from './accessTags.js';
import { detectors, entities, groups, numberings, people, profiles, recordTypes, rules, stencils } from './arranged.js';
import type { Section } from './bringing.js';
import { criteriaRules, eventTypes, jurisdictions, namedYears } from './lists.js';
import { places } from './places.js';

/** Everything that a package holds. One that is missing does not compile. */
export const sections: { readonly [N in SectionName]: Section<N> } = {
  jurisdictions,
  eventTypes,
  namedYears,
  profiles,
  people,
  groups,
  accessTags,
  recordTypes,
  numberings,
  detectors,
  entities,
  rules,
  stencils,
  places,
  criteriaRules,
};
