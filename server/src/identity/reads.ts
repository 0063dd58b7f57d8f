import { type identity } from '@key-cellar/contract';
import type { ReadsOf, Services } from '../kernel/index.js';
import { demoAccounts, readSettings } from './settingStore.js';
import * as store from './store.js';

/** What needs a person (`me`, `messages`) gathers from the areas above and is answered there. */
export const identityReads: Pick<ReadsOf<typeof identity, Services>, 'entrance' | 'people'> = {
  entrance: async ({ services: { pool } }) => {
    const settings = await readSettings(pool);
    return {
      repository: settings.repository,
      needsFirstKeeper: !(await store.anybodyExists(pool)),
      demoAccounts: settings.demo ? await demoAccounts(pool) : [],
    };
  },
  people: async ({ services: { pool } }) => ({
    people: (await store.people(pool)).map(({ id, name, kind }) => ({ id, name, kind })),
  }),
};
