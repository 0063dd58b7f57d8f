import { access as endpoints } from '@key-cellar/contract';
import { listRights, profileRefusal, rightSet, shippedProfiles, withParts, type Right } from '@key-cellar/core/access';
import { message } from '@key-cellar/words';
import {
  actsFor,
  atRepository,
  changedMeanwhile,
  ofRepository,
  one,
  wrongField,
  type ReadsOf,
  type Services,
  type UnitOfWork,
} from '../kernel/index.js';
import { withShift } from './giving.js';
import * as store from './profileStore.js';

const { act } = actsFor<Services>();

const profileKind = ofRepository<store.OwnProfileRow>({
  word: 'profile',
  what: message('thing.profile'),
  subject: (profile) => ({ kind: 'profile', id: null, name: profile.title }),
  find: (db, code) => store.lockProfile(db, code),
});

interface Wanted {
  readonly title: string;
  readonly rights: readonly Right[];
  readonly ownOnly: boolean;
}

/** Rights with their parts, in their order, each once. */
const inOrder = (rights: readonly Right[]): Right[] => listRights(withParts(rightSet(...rights)));

/** Throws 422 for a set of rights that is no profile, and for a title that another has. */
export async function requireSoundProfile(uow: UnitOfWork, { title, rights, ownOnly }: Wanted, code: string): Promise<void> {
  const refusal = profileRefusal({ rights: rightSet(...rights), ownOnly });
  if (refusal) throw wrongField('/rights', refusal);
  if (await store.titleTaken(uow, title, code)) throw wrongField('/title', message('access.profileTitleTaken', { title }));
}

/** A code that no profile has: the title in small letters, or a number with it. */
async function freeCode(uow: UnitOfWork, title: string): Promise<string> {
  const plain = title
    .normalize('NFKD')
    .toLowerCase()
    .replace(/[^a-z0-9]+/g, '-')
    .replace(/^-+|-+$/g, '')
    .slice(0, 30);
  const taken = new Set([...shippedProfiles, ...(await store.ownProfiles(uow))].map((p) => p.code));
  for (let n = 1; ; n++) {
    const code = n === 1 && plain !== '' ? plain : `${plain === '' ? 'profile' : plain}-${n}`;
    if (!taken.has(code)) return code;
  }
}

const said = ({ title, rights, own_only: ownOnly, active }: store.OwnProfileRow) => ({ title, rights, ownOnly, active });

export const profileActs = {
  makeProfile: act(endpoints.makeProfile, {
    name: 'made a profile',
    on: { repository: atRepository('setUp') },
    repeat: 'refused',
    async write(uow, { body }) {
      const code = await freeCode(uow, body.title);
      await requireSoundProfile(uow, body, code);
      const { title, ownOnly } = body;
      const after = { title, rights: inOrder(body.rights), ownOnly, active: true };
      await store.writeProfile(uow, { ...after, code });
      return { answer: { code }, entry: { subject: { kind: 'profile', id: null, name: title }, after } };
    },
  }),

  changeProfile: act(endpoints.changeProfile, {
    name: 'changed a profile',
    on: { profile: one(profileKind, ({ params }) => params.id, 'setUp') },
    repeat: 'refused',
    tries: ({ body }) => body.dryRun,
    async write(uow, { person, trial, on: { profile }, body }) {
      if (profile.revision !== body.revision) throw changedMeanwhile();
      await requireSoundProfile(uow, body, profile.code);
      const { title, ownOnly, active } = body;
      const after = { title, rights: inOrder(body.rights), ownOnly, active };
      const { access } = await withShift(uow, { person, trial, scope: 'everything' }, () =>
        store.writeProfile(uow, { ...after, code: profile.code }),
      );
      return {
        answer: { revision: profile.revision + 1, access },
        entry: { subject: { kind: 'profile', id: null, name: title }, before: said(profile), after },
      };
    },
  }),
};

export const profileReads: Pick<ReadsOf<typeof endpoints, Services>, 'profiles'> = {
  profiles: async ({ services: { pool } }) => {
    const grants = await store.grantsByProfile(pool);
    const shipped = shippedProfiles.map((p) => ({
      ...{ code: p.code, title: message(`access.profile.${p.code as 'reader'}`), own: false, revision: null, active: true },
      ...{ rights: listRights(p.rights), ownOnly: p.ownOnly, grants: grants.get(p.code) ?? 0 },
    }));
    const own = (await store.ownProfiles(pool)).map((p) => ({
      ...{ code: p.code, title: message('access.ownProfile', { title: p.title }), own: true, revision: p.revision, active: p.active },
      ...{ rights: p.rights, ownOnly: p.own_only, grants: grants.get(p.code) ?? 0 },
    }));
    return { profiles: [...shipped, ...own] };
  },
};
