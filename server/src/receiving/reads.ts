import type { receiving } from '@key-cellar/contract';
import { hasRight } from '@key-cellar/core/access';
import { notAllowed, type ReadsOf } from '../kernel/index.js';
import { extentOf, type Services } from '../records/index.js';
import { arrivalFor, listArrivals } from './arrivals.js';
import { preview } from './preview.js';
import * as store from './store.js';

export const receivingReads: ReadsOf<typeof receiving, Services> = {
  list: async ({ services, person }) => ({ arrivals: await listArrivals(services, person) }),
  preview: async ({ services, person, body }) => ({ previews: await preview(services, person, body.filings) }),
  pages: async ({ services, person, params }) => extentOf(services, await arrivalFor(services, person, params.id)),
  /** For describing what sits in one: where nobody may deposit, nobody needs to know what shelves there are. */
  containers: async ({ services, access }) => {
    const rights = await access();
    if (!hasRight(rights.anywhere, 'deposit')) throw notAllowed('deposit');
    return { containers: await store.containers(services.pool, rights.sets('discover')) };
  },
};
