import type { people } from '@key-cellar/contract';
import { message } from '@key-cellar/words';
import type { Services } from '../docket/index.js';
import { custodianOf } from '../holds/index.js';
import { members, personById, personLine, sessionsOf } from '../identity/index.js';
import { notFound, requireAtRepository, type ReadsOf } from '../kernel/index.js';
import { grantsOfPerson } from '../access/index.js';
import { ownedBy } from '../records/index.js';

/** A person with what areas above know of them. */
export const personPage: Pick<ReadsOf<typeof people, Services>, 'person'> = {
  person: async ({ services: { pool, config }, person, access, params }) => {
    const known = await access();
    await requireAtRepository(pool, known, 'people', message('identity.whoLooksAfterPeople'));
    const found = await personById(pool, params.id);
    if (!found) throw notFound(message('thing.person'));
    const [groups, grants, sessions, owns, custodian] = await Promise.all([
      members(pool),
      grantsOfPerson(pool, known, found.id, person.timeZone),
      sessionsOf(pool, found.id, config.idleMinutes),
      ownedBy(pool, found.id),
      custodianOf(pool, found.id),
    ]);
    return {
      ...personLine(found, groups),
      grants,
      sessions: sessions.map((s) => ({
        id: s.id,
        since: s.created_at.toISOString(),
        lastSeen: s.last_seen_at.toISOString(),
        from: s.address,
        agent: s.agent,
      })),
      owns,
      custodianOf: custodian,
    };
  },
};
