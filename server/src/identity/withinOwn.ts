import { dominates, rightSet, withParts, type Marking } from '@key-cellar/core/access';
import { message } from '@key-cellar/words';
import { mayAtRepository, Problem, rootSet, type PersonAccess, type Services, type SignedIn, type UnitOfWork } from '../kernel/index.js';
import type { PersonRow } from './peopleStore.js';

/** Who looks after people. */
interface Desk {
  readonly uow: UnitOfWork;
  readonly services: Services;
  readonly person: SignedIn;
  readonly access: PersonAccess;
}

/** What anybody’s work takes; who has no more than this on the whole repository commands nothing. */
const work = rightSet('discover', 'read', 'copyOut', 'deposit', 'annotate', 'edit');

/**
 * How far looking after people goes for somebody who does not set up the repository, so that it is never a way to what they do not have
 * themselves. Source: docs/semantics.md 9.18. Each throws 403 where it would be one.
 */
export const withinOwn = {
  /** Nobody looks after somebody who commands more on the whole repository than they do. */
  async ofPerson({ uow, services, person: asker, access }: Desk, target: PersonRow): Promise<void> {
    const root = await rootSet(uow);
    if (root === null || target.id === asker.id || (await mayAtRepository(uow, access, 'setUp'))) return;
    const theirs = await services.access.of({
      ...{ id: target.id, today: asker.today, accessEpoch: asker.accessEpoch },
      clearance: { level: target.clearance_level, caveats: target.clearance_caveats },
    });
    const more = theirs.on(root).all & ~withParts(access.on(root).all) & ~work;
    if (more !== 0) throw new Problem(403, 'not-allowed', message('identity.commandsMore', { name: target.name }));
  },

  /**
   * Nor becomes somebody who was given more, or puts anybody into a group that was: by a mail address, a link that is shown, a token, a
   * membership.
   */
  async ofGiven({ uow, services, access }: Omit<Desk, 'person'>, principalIds: readonly string[]): Promise<void> {
    const beyond = await services.events.ask(uow, 'givenBeyond', { access, principalIds });
    if (beyond) throw new Problem(403, 'not-allowed', beyond);
  },

  /** Nor gives a clearance that they do not have. */
  async clearance({ uow, person, access }: Desk, was: Marking | null, is: Marking): Promise<void> {
    if (dominates(person.clearance, is) || (was && dominates(was, is))) return;
    if (!(await mayAtRepository(uow, access, 'setUp'))) throw new Problem(403, 'not-allowed', message('identity.clearanceBeyondYou'));
  },

  /** Nor does what weakens how everybody, or the members of a group, sign in. */
  async setsUp({ uow, access }: Desk): Promise<void> {
    if (!(await mayAtRepository(uow, access, 'setUp'))) throw new Problem(403, 'not-allowed', message('identity.onlySetsUp'));
  },
};
