import type { plan } from '@key-cellar/contract';
import { Download, entering, type ReadsOf, type Services } from '../kernel/index.js';
import { placeByCode } from './changes.js';
import { foldersOf, outline, placePage, rack } from './places.js';
import { exportPlan } from './planExport.js';

export const planReads: ReadsOf<typeof plan, Services> = {
  outline: async ({ services, person, query }) => ({ places: await outline(services, person, query.folders ?? false) }),
  folders: ({ services, person, params }) => foldersOf(services, person, params.id),
  rack: async ({ services, person }) => ({ cells: await rack(services, person) }),
  place: ({ services, person, params }) => placePage(services, person, params.id),
  placeByCode: ({ services, person, query }) => placeByCode(services, person, query.code),
  exportPlan: entering(
    ['exported the plan'],
    async ({ services, person, speaker, query }) => new Download(await exportPlan(services, person, speaker, query.format)),
  ),
};
