import { message } from '@key-cellar/words';
import { identity } from '@key-cellar/contract';
import { uuidv7 } from 'uuidv7';
import { getOrMakeSet, placeGrant } from '../access/index.js';
import { addPrincipal, anybodyExists, hashPassword, readSettings, writeSetting } from '../identity/index.js';
import { actsFor, Problem, programActor, withUnitOfWork, type Services } from '../kernel/index.js';
import * as codeStore from './codeStore.js';
import * as placeStore from './placeStore.js';

const { freeAct } = actsFor<Services>();

/** Makes the repository and its first keeper. 409 once anybody exists. */
export const makeFirstKeeper = freeAct(identity.makeFirstKeeper, {
  name: 'made the repository',
  also: ['granted'],
  because: 'there is nobody yet who could have a right',
  repeat: 'refused',
  async free({ services: { pool }, body, address }) {
    const notAgain = (): Problem => new Problem(409, 'has-keepers', message('plan.hasKeepers'));
    // Asked before any work is done for a stranger, and again under the lock.
    if (await anybodyExists(pool)) throw notAgain();
    const passwordHash = await hashPassword(body.password);
    const settings = await readSettings(pool);
    await withUnitOfWork(pool, programActor(address, settings.today), async (uow) => {
      await codeStore.lockFounding(uow);
      if (await anybodyExists(uow)) throw notAgain();
      const timeZone = Intl.DateTimeFormat().resolvedOptions().timeZone || 'UTC';
      await writeSetting(uow, 'repository', { name: body.repository, timeZone });
      for (const past of ['pastFrom', 'accessPastFrom']) await writeSetting(uow, past, { on: settings.today });
      const [keeperId, placeId] = [uuidv7(), uuidv7()];
      await addPrincipal(uow, { id: keeperId, kind: 'person', name: body.name, login: body.login, passwordHash, clearanceLevel: 9 });
      const setId = await getOrMakeSet(uow, { anchorPlace: placeId, recordId: null, level: 0, caveats: [], tags: [] });
      await placeStore.addRepository(uow, { id: placeId, title: body.repository, accessSetId: setId, openedOn: settings.today });
      for (const profile of ['keeper', 'administrator']) {
        await placeGrant(uow, { principalId: keeperId, placeId, profile, reason: 'first keeper' });
      }
      const subject = { kind: 'place', id: placeId, name: body.repository };
      uow.enter({ act: 'made the repository', subject, after: { keeper: body.name } });
    });
    return {};
  },
});
