import type { plan } from '@key-cellar/contract';
import type { ReadsOf, Services } from '../kernel/index.js';
import { placesByCode } from './changes.js';
import { foldersOf, outline, placePage, rack } from './places.js';

export const planReads: Omit<ReadsOf<typeof plan, Services>, 'exportPlan'> = {
  outline: async ({ services, person, query }) => ({ places: await outline(services, person, query.folders ?? false) }),
  folders: ({ services, person, params }) => foldersOf(services, person, params.id),
  rack: ({ services, person }) => rack(services, person),
  place: ({ services, person, params }) => placePage(services, person, params.id),
  placesByCode: ({ services, person, query }) => placesByCode(services, person, query.code),
};
