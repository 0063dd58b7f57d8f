import { message } from '@key-cellar/words';
import { atRepository, ofRepository, requireAtRepository, type PersonAccess, type Services } from '../kernel/index.js';
import { lockPerson, personById, type PersonRow } from './peopleStore.js';

const administrators = message('identity.whoSetsUp');

/** For acts on people, groups and what brings them: they belong to whoever sets the repository up. */
export const settingUp = { repository: atRepository('setUp', administrators) } as const;

/** The same for what is only read. Throws 403. */
export async function requireSettingUp({ pool }: Pick<Services, 'pool'>, access: () => Promise<PersonAccess>): Promise<void> {
  await requireAtRepository(pool, await access(), 'setUp', administrators);
}

export const personKind = ofRepository<PersonRow>({
  word: 'person',
  what: message('thing.person'),
  subject: (person) => ({ kind: 'person', id: person.id, name: person.name }),
  find: (db, id, lock) => (lock ? lockPerson(db, id) : personById(db, id)),
});
