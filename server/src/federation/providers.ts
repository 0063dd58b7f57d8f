import { federation, type BodyOf } from '@key-cellar/contract';
import { message, type Message } from '@key-cellar/words';
import { uuidv7 } from 'uuidv7';
import { endSessionsOf, personById, personKind, principalsOfKind, requireSettingUp, settingUp } from '../identity/index.js';
import {
  actsFor,
  changedMeanwhile,
  noRight,
  notFound,
  notSignedIn,
  ofRepository,
  one,
  Problem,
  seal,
  unseal,
  withUnitOfWork,
  wrongField,
  type Config,
  type ReadsOf,
  type SealedBy,
  type Services,
  type UnitOfWork,
} from '../kernel/index.js';
import { describeProvider, isGuarded, NotBelieved } from './provider.js';
import * as store from './store.js';

const { act, freeAct } = actsFor<Services>();

const sealedBy = ({ keysDir }: Config): SealedBy => ({ keysDir, keyId: 'provider-secrets' });

/** The secret that a provider knows us by; null where it knows us by none. */
export async function secretOf(config: Config, provider: Pick<store.ProviderRow, 'id' | 'client_secret'>): Promise<string | null> {
  return provider.client_secret && (await unseal(sealedBy(config), provider.id, provider.client_secret)).toString();
}

/** Where a provider sends people back. One of its own for each: an answer of another does not get there (RFC 9700 §4.4.2). */
export const redirectUriOf = ({ publicUrl }: Pick<Config, 'publicUrl'>, id: string): string => `${publicUrl}/sign-in/from/${id}`;

const providerKind = ofRepository<store.ProviderRow>({
  word: 'provider',
  what: message('thing.provider'),
  subject: ({ id, name }) => ({ kind: 'provider', id, name }),
  find: (db, id, lock) => (lock ? store.lockProvider(db, id) : store.providerById(db, id)),
});

type Details = BodyOf<typeof federation.addProvider>;

/** Keeps what is wanted of a provider. Throws 422 for what cannot be. */
async function write(uow: UnitOfWork, { config }: Services, id: string, wanted: Details, before: store.ProviderRow | null): Promise<void> {
  if (!isGuarded(wanted.issuer)) throw wrongField('/issuer', message('federation.guarded'));
  const taken = await store.takenBy(uow, { id, ...wanted });
  if (taken) throw wrongField(`/${taken}`, message('federation.taken'));
  const groupIds = wanted.groups.map((g) => g.groupId);
  const groups = await principalsOfKind(uow, groupIds, ['group']);
  if (groupIds.some((group) => !groups.has(group))) throw wrongField('/groups', message('identity.noGroup'));
  if (wanted.groups.length > 0 && wanted.groupsClaim === null) throw wrongField('/groupsClaim', message('federation.claimMissing'));
  // Whose people somebody is linked with does not change behind their back.
  if (before && before.issuer !== wanted.issuer && (await store.providers(uow)).some((p) => p.id === id && p.people > 0))
    throw wrongField('/issuer', message('federation.issuerStays'));
  await store.writeProvider(uow, {
    ...{ id, name: wanted.name, issuer: wanted.issuer, client_id: wanted.clientId, groups_claim: wanted.groupsClaim },
    ...{ newcomers: wanted.newcomers, by_email: wanted.byEmail, brings_factor: wanted.bringsFactor, active: wanted.active },
    client_secret:
      wanted.clientSecret === null
        ? // What one issuer was told is told to no other.
          before?.issuer === wanted.issuer
          ? before.client_secret
          : null
        : wanted.clientSecret === ''
          ? null
          : await seal(sealedBy(config), id, Buffer.from(wanted.clientSecret)),
  });
  await store.writeProviderGroups(uow, id, wanted.groups);
}

/** What of a provider the ledger says; of its secret only that there is another. */
const told = ({ clientSecret, ...wanted }: Details): object => ({
  ...wanted,
  ...(clientSecret === null ? {} : { clientSecret: 'another' }),
});

const before = (p: store.ProviderRow, groups: readonly store.ProviderGroupRow[]): object => ({
  ...{ name: p.name, issuer: p.issuer, clientId: p.client_id, groupsClaim: p.groups_claim },
  groups: groups.map(({ value, group_id: groupId }) => ({ value, groupId })),
  ...{ newcomers: p.newcomers, byEmail: p.by_email, bringsFactor: p.brings_factor, active: p.active },
});

export const providerActs = {
  addProvider: act(federation.addProvider, {
    name: 'added a provider of identities',
    on: settingUp,
    repeat: 'refused',
    async write(uow, { services, body }) {
      const id = uuidv7();
      await write(uow, services, id, body, null);
      return {
        answer: { id, redirectUri: redirectUriOf(services.config, id) },
        entry: { subject: { kind: 'provider', id, name: body.name }, after: told(body) },
      };
    },
  }),

  changeProvider: act(federation.changeProvider, {
    name: 'changed a provider of identities',
    on: { ...settingUp, provider: one(providerKind, ({ params }) => params.id, noRight) },
    repeat: 'refused',
    async write(uow, { services, on: { provider }, body: { revision, ...wanted } }) {
      if (provider.revision !== revision) throw changedMeanwhile();
      const was = before(provider, await store.providerGroups(uow, provider.id));
      await write(uow, services, provider.id, wanted, provider);
      const subject = { kind: 'provider', id: provider.id, name: wanted.name };
      return { answer: { revision: revision + 1 }, entry: { subject, before: was, after: told(wanted) } };
    },
  }),

  unlinkPerson: act(federation.unlinkPerson, {
    name: 'unlinked a provider',
    on: {
      ...settingUp,
      person: one(personKind, ({ params }) => params.id, noRight),
      provider: one(providerKind, ({ params }) => params.providerId, noRight, { lock: false }),
    },
    repeat: 'refused',
    async write(uow, { on: { person, provider } }) {
      if (!(await store.dropLink(uow, provider.id, person.id))) throw notFound(message('thing.link'));
      const sessions = await endSessionsOf(uow, person.id);
      const subject = { kind: 'person', id: person.id, name: person.name };
      return { answer: {}, entry: { subject, before: { provider: provider.name }, after: { sessionsEnded: sessions } } };
    },
  }),

  unlink: freeAct(federation.unlink, {
    name: 'unlinked a provider',
    because: 'everybody may change their own',
    gate: 'none',
    repeat: 'refused',
    async free({ services: { pool }, person, params: { id } }) {
      if (!person) throw notSignedIn();
      return withUnitOfWork(
        pool,
        person,
        async (uow) => {
          const own = await store.linksOf(uow, person.id);
          const link = own.find((l) => l.provider_id === id);
          if (!link) throw notFound(message('thing.link'));
          if (own.length === 1 && !(await personById(uow, person.id))!.has_password)
            throw new Problem(409, 'only-way-in', message('federation.onlyWayIn'));
          await store.dropLink(uow, id, person.id);
          uow.enter({
            act: 'unlinked a provider',
            subject: { kind: 'person', id: person.id, name: person.name },
            before: { provider: link.provider },
          });
          return {};
        },
        'none',
      );
    },
  }),
};

const linkLine = (l: store.LinkRow) => ({
  provider: { id: l.provider_id, name: l.provider },
  since: l.linked_at.toISOString(),
  last: l.last_at?.toISOString() ?? null,
});

export const federationReads: ReadsOf<typeof federation, Services> = {
  ways: async ({ services: { pool } }) => ({
    providers: await store.providersInUse(pool),
  }),
  links: async ({ services: { pool }, person }) => {
    const [all, links, found] = await Promise.all([
      store.providersInUse(pool),
      store.linksOf(pool, person.id),
      personById(pool, person.id),
    ]);
    return {
      providers: all,
      links: links.map(linkLine),
      hasPassword: found?.has_password ?? false,
    };
  },
  providers: async ({ services, access }) => {
    await requireSettingUp(services, access);
    const [all, groups] = await Promise.all([store.providers(services.pool), store.providerGroups(services.pool, null)]);
    return {
      providers: all.map((p) => ({
        ...{ id: p.id, name: p.name, issuer: p.issuer, clientId: p.client_id, hasSecret: p.client_secret !== null },
        groupsClaim: p.groups_claim,
        groups: groups.filter((g) => g.provider_id === p.id).map((g) => ({ value: g.value, group: { id: g.group_id, name: g.name } })),
        ...{ newcomers: p.newcomers, byEmail: p.by_email, bringsFactor: p.brings_factor, active: p.active },
        ...{ people: p.people, redirectUri: redirectUriOf(services.config, p.id), revision: p.revision },
      })),
    };
  },
  tryProvider: async ({ services, access, body: { issuer } }) => {
    await requireSettingUp(services, access);
    const wrong = (problem: Message) => ({ reached: false, facts: [], problems: [problem] });
    if (!isGuarded(issuer)) return wrong(message('federation.issuerGuarded'));
    try {
      const { authorization, token, pkce, namesItself } = await describeProvider(issuer);
      return {
        reached: true,
        facts: [
          { what: message('federation.authorization'), said: authorization ?? '' },
          { what: message('federation.token'), said: token ?? '' },
        ],
        problems: [
          ...(authorization && token ? [] : [message('federation.noEndpoints')]),
          ...(pkce ? [] : [message('federation.noPkce')]),
          ...(namesItself ? [] : [message('federation.noIss')]),
        ],
      };
    } catch (error) {
      if (error instanceof NotBelieved) return wrong(message('federation.notAProvider', { because: error.because }));
      if (error instanceof Problem) return wrong(message('federation.away', { provider: issuer }));
      throw error;
    }
  },
};
