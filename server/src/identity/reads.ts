import { type identity } from '@key-cellar/contract';
import type { ReadsOf, Services } from '../kernel/index.js';
import { mailSetting } from '../mail/index.js';
import { demoAccounts, readSettings, sessionLimits } from './settingStore.js';
import * as store from './store.js';

/** What needs a person (`me`, `messages`) gathers from the areas above and is answered there. */
export const identityReads: Pick<ReadsOf<typeof identity, Services>, 'entrance' | 'people' | 'sessions'> = {
  entrance: async ({ services: { pool } }) => {
    const settings = await readSettings(pool);
    return {
      repository: settings.repository,
      needsFirstKeeper: !(await store.anybodyExists(pool)),
      mail: (await mailSetting(pool)).on,
      demoAccounts: settings.demo ? await demoAccounts(pool) : [],
    };
  },
  sessions: async ({ services: { pool, config }, person }) => ({
    ...(await sessionLimits(pool, config.idleMinutes)),
    sessions: (await store.sessionsOf(pool, person.id, config.idleMinutes)).map((s) => ({
      id: s.id,
      since: s.created_at.toISOString(),
      lastSeen: s.last_seen_at.toISOString(),
      from: s.address,
      agent: s.agent,
      here: s.token_hash.equals(person.sessionHash),
    })),
  }),
  people: async ({ services: { pool } }) => ({
    people: (await store.people(pool)).map(({ id, name, kind }) => ({ id, name, kind })),
  }),
};
