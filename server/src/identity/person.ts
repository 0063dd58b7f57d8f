import { message } from '@key-cellar/words';
import { atRepository, ofRepository, requireAtRepository, type PersonAccess, type Services } from '../kernel/index.js';
import { lockPerson, personById, type PersonRow } from './peopleStore.js';

const administrators = message('identity.whoSetsUp');

const desks = message('identity.whoLooksAfterPeople');
const connections = message('identity.whoConnects');

/** For what decides who may sign in as whom, and for how long: it belongs to whoever sets the repository up. */
export const settingUp = { repository: atRepository('setUp', administrators) } as const;

/** For acts on people and groups, which can be given away as a part of setting up; `withinOwn` says how far they go then. */
export const lookingAfterPeople = { repository: atRepository('people', desks) } as const;

/** For acts on programs and mail, the other part. */
export const connecting = { repository: atRepository('connect', connections) } as const;

type Reading = [services: Pick<Services, 'pool'>, access: () => Promise<PersonAccess>];

/** The same for what is only read. Each throws 403. */
export const requireSettingUp = async (...[{ pool }, access]: Reading): Promise<void> =>
  requireAtRepository(pool, await access(), 'setUp', administrators);
export const requireLookingAfterPeople = async (...[{ pool }, access]: Reading): Promise<void> =>
  requireAtRepository(pool, await access(), 'people', desks);
export const requireConnecting = async (...[{ pool }, access]: Reading): Promise<void> =>
  requireAtRepository(pool, await access(), 'connect', connections);

export const personKind = ofRepository<PersonRow>({
  word: 'person',
  what: message('thing.person'),
  subject: (person) => ({ kind: 'person', id: person.id, name: person.name }),
  find: (db, id, lock) => (lock ? lockPerson(db, id) : personById(db, id)),
});
