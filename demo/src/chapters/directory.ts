import { providerActs, type IdentityProvider } from '@key-cellar/server';
import { people, type GroupCode } from '../people.js';
import { demoToday } from '../records.js';
import { on, perform, type Loaded } from './scene.js';

/** Somebody who began this morning: the directory knows them, and nobody here has heard of them. */
const newcomer = { login: 'wenna', name: 'Wenna Sorrell', groups: ['pilots', 'staff'] };
/** Whose groups the directory knows; who keeps, and who counsels, is said here alone. */
const brought: readonly GroupCode[] = ['pilots', 'works', 'finance', 'staff'];

/** The Authority’s own directory, by which people sign in. */
export async function addDirectory(loaded: Loaded, directory: IdentityProvider): Promise<void> {
  await directory.knows(
    [...people.filter((p) => p.active !== false), newcomer].map(({ login, name, groups: codes }) => ({
      ...{ sub: `${login}-7c1`, name, preferred_username: login, email: `${login}@marrowick.example`, email_verified: true },
      groups: codes.filter((code) => brought.includes(code as GroupCode)),
    })),
  );
  await on(loaded, demoToday, async (person) => {
    await perform(loaded, await person('ines'), providerActs.addProvider, {
      body: {
        ...{ name: 'Marrowick directory', issuer: directory.url, clientId: directory.clientId, clientSecret: directory.clientSecret },
        ...{ groupsClaim: 'groups', groups: brought.map((code) => ({ value: code, groupId: loaded.groupId.get(code)! })) },
        ...{ newcomers: true, byEmail: true, bringsFactor: true, active: true },
      },
    });
  });
}
