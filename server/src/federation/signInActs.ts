import { message, type Message } from '@key-cellar/words';
import { federation } from '@key-cellar/contract';
import { uuidv7 } from 'uuidv7';
import {
  addPrincipal,
  beginSession,
  countTry,
  factorOf,
  freeLogin,
  lockMemberships,
  newToken,
  personById,
  freshMinutes,
  readSettings,
  sessionIsFresh,
  takeAnyCode,
  tokenHash,
} from '../identity/index.js';
import {
  actsFor,
  notFound,
  notSignedIn,
  Problem,
  programActor,
  SessionChange,
  withUnitOfWork,
  type Services,
  type UnitOfWork,
} from '../kernel/index.js';
import { NotBelieved, wayBack, wayOut, type Claimed, type Spoken } from './provider.js';
import { redirectUriOf, secretOf } from './providers.js';
import * as store from './store.js';

const { freeAct } = actsFor<Services>();

/** How long somebody may take at a provider, and to type a code afterwards. */
const underWayMinutes = 10;
const codeMinutes = 5;
/** So many sign-ins from one address may be under way. */
const mostUnderWay = 100;
const because = 'it finds out who somebody is';
const [longestName, longestLogin] = [200, 60];

async function activeProvider({ pool, config }: Services, id: string): Promise<store.ProviderRow & { spoken: Spoken }> {
  const found = await store.providerById(pool, id);
  if (!found?.active) throw notFound(message('thing.provider'));
  const { name, issuer, client_id: clientId, revision, groups_claim: groupsClaim } = found;
  return { ...found, spoken: { id, name, issuer, clientId, secret: await secretOf(config, found), revision, groupsClaim } };
}

const refusal = (why: Message): Problem => new Problem(401, 'provider-refused', why);

/** Puts somebody into the groups that the provider’s word brings, and out of those that it brings others into. */
async function settleGroups(
  uow: UnitOfWork,
  services: Services,
  provider: store.ProviderRow,
  personId: string,
  claimed: Claimed,
): Promise<void> {
  if (provider.groups_claim === null) return;
  const mapped = await store.providerGroups(uow, provider.id);
  const ids = [...new Set(mapped.map((m) => m.group_id))];
  if (ids.length === 0) return;
  await lockMemberships(uow);
  const wanted = new Set(mapped.filter((m) => claimed.groups.includes(m.value)).map((m) => m.group_id));
  const had = await store.groupsOf(uow, personId, ids);
  const joins = ids.filter((id) => wanted.has(id) && !had.has(id));
  const leaves = ids.filter((id) => !wanted.has(id) && had.has(id));
  if (joins.length + leaves.length === 0) return;
  await store.join(uow, personId, joins);
  await store.leave(uow, personId, leaves);
  if (!(await services.events.ask(uow, 'somebodySetsUp', {})))
    throw new Problem(409, 'last-administrator', message('identity.lastAdministrator'));
  const named = (of: readonly string[]): string[] => [...new Set(mapped.filter((m) => of.includes(m.group_id)).map((m) => m.name))];
  const { name } = (await personById(uow, personId))!;
  uow.enter({
    act: 'was put into groups by a provider',
    subject: { kind: 'person', id: personId, name },
    before: { leaves: named(leaves) },
    after: { joins: named(joins), by: provider.name },
  });
}

/** Adds somebody who is not known here yet, by what the provider says of them; they get no grant by it. */
async function addNewcomer(uow: UnitOfWork, provider: store.ProviderRow, claimed: Claimed): Promise<string> {
  const id = uuidv7();
  const wished = (claimed.login ?? claimed.email ?? claimed.subject).replace(/\s+/g, '').slice(0, longestLogin);
  const login = await freeLogin(uow, wished || 'newcomer');
  const name = (claimed.name ?? claimed.login ?? login).replace(/\s+/g, ' ').trim().slice(0, longestName) || login;
  await addPrincipal(uow, { id, kind: 'person', name, login, ...(claimed.email === null ? {} : { email: claimed.email }) });
  uow.enter({
    act: 'added a person',
    subject: { kind: 'person', id, name },
    after: { name, login, email: claimed.email, by: provider.name },
  });
  return id;
}

/** Who somebody of a provider is here: linked before, recognised by a verified address, or new; null for nobody. */
async function whoIs(uow: UnitOfWork, provider: store.ProviderRow, claimed: Claimed): Promise<string | null> {
  const before = await store.linked(uow, provider.id, claimed.subject);
  if (before) return before.principal_id;
  // Twice at once for the first time is one person all the same.
  await lockMemberships(uow);
  const meanwhile = await store.linked(uow, provider.id, claimed.subject);
  if (meanwhile) return meanwhile.principal_id;
  const alike =
    provider.by_email && claimed.emailVerified && claimed.email !== null ? await store.withAddress(uow, provider.id, claimed.email) : [];
  const id =
    alike.length === 1 ? alike[0]!.id : provider.newcomers && alike.length === 0 ? await addNewcomer(uow, provider, claimed) : null;
  if (id !== null) await link(uow, provider, claimed, id);
  return id;
}

async function link(uow: UnitOfWork, provider: store.ProviderRow, claimed: Claimed, personId: string): Promise<void> {
  if (!(await store.addLink(uow, provider.id, claimed.subject, personId)))
    throw new Problem(409, 'linked-elsewhere', message('federation.linkedElsewhere', { provider: provider.name }));
  const { name } = (await personById(uow, personId))!;
  uow.enter({ act: 'linked a provider', subject: { kind: 'person', id: personId, name }, after: { provider: provider.name } });
}

export const federationActs = {
  begin: freeAct(federation.begin, {
    name: 'signed in',
    because,
    gate: 'none',
    repeat: 'another',
    async free({ services, person, params: { id }, body, address }) {
      if (body.link && !person) throw notSignedIn();
      const provider = await activeProvider(services, id);
      // Whoever finds an open session does not come back by it for ever.
      if (body.link && !(await sessionIsFresh(services.pool, person!.sessionHash, freshMinutes)))
        throw new Problem(409, 'not-fresh', message('federation.notFresh'));
      const token = newToken();
      const { today } = await readSettings(services.pool);
      const linkingId = body.link ? person!.id : null;
      // Counted before anybody is asked, whatever comes of it.
      await withUnitOfWork(
        services.pool,
        { ...programActor(address, today), name: 'somebody' },
        async (uow) => {
          if ((await store.underWay(uow, address)) >= mostUnderWay)
            throw new Problem(429, 'too-many-tries', message('identity.tooManyTries'));
          const begun = { tokenHash: tokenHash(token), providerId: id, address, linkingId, provedId: null };
          await store.addBegun(uow, { ...begun, minutes: underWayMinutes });
        },
        'none',
      );
      const url = await wayOut(provider.spoken, token, redirectUriOf(services.config, id)).catch((error: unknown) => {
        if (!(error instanceof NotBelieved)) throw error;
        services.log.warn({ err: error, provider: provider.name }, 'a provider of identities is not believed');
        throw refusal(message('federation.notBelieved', { provider: provider.name }));
      });
      return new SessionChange({ token, maxAgeSeconds: underWayMinutes * 60 }, 'leaving', { url: url.href });
    },
  }),

  /**
   * Used up before anything is asked of the provider, so that the same answer never counts twice. 401 where it does not belong to this
   * browser, this provider, or nobody here is meant by it.
   */
  finish: freeAct(federation.finish, {
    name: 'signed in',
    also: ['sign-in failed', 'linked a provider', 'added a person', 'was put into groups by a provider'],
    because,
    gate: 'none',
    repeat: 'refused',
    async free({ services, person, params: { id }, body, address, agent, leaving }) {
      const { pool } = services;
      const provider = await activeProvider(services, id);
      const begun = leaving === null ? undefined : await store.takeBegun(pool, tokenHash(leaving), false);
      if (leaving === null || begun?.provider_id !== id) throw refusal(message('federation.notBegun', { provider: provider.name }));
      const { today } = await readSettings(pool);
      const failed = async (why: string, problem: Problem): Promise<never> => {
        const somebody = { ...programActor(address, today), name: 'somebody' };
        const subject = { kind: 'person', id: null, name: `somebody of ${provider.name}` };
        await withUnitOfWork(pool, somebody, (uow) => uow.enter({ act: 'sign-in failed', subject, after: { why } }), 'none');
        throw problem;
      };
      const claimed = await wayBack(provider.spoken, leaving, redirectUriOf(services.config, id), body.sent).catch((error: unknown) => {
        if (!(error instanceof NotBelieved)) throw error;
        services.log.warn({ err: error, provider: provider.name }, 'a provider of identities is not believed');
        return failed(error.because, refusal(message('federation.notBelieved', { provider: provider.name })));
      });
      if (begun.linking_id !== null) {
        // Whoever links themselves is still who began it.
        if (person?.id !== begun.linking_id) throw refusal(message('federation.notBegun', { provider: provider.name }));
        return withUnitOfWork(
          pool,
          person,
          async (uow) => {
            const before = await store.linked(uow, id, claimed.subject);
            if (before?.principal_id !== person.id) await link(uow, provider, claimed, person.id);
            return { came: 'linked' } as const;
          },
          'none',
        );
      }
      const known = await withUnitOfWork(
        pool,
        { ...programActor(address, today), name: provider.name },
        async (uow) => {
          const personId = await whoIs(uow, provider, claimed);
          const found = personId === null ? undefined : await personById(uow, personId);
          if (!found?.active) return null;
          await settleGroups(uow, services, provider, found.id, claimed);
          await store.noteLinkUsed(uow, id, claimed.subject);
          const factorProved = provider.brings_factor && claimed.factor;
          const codeMissing = !factorProved && ((await factorOf(uow, found.id))?.confirmed ?? false);
          const proved = { tokenHash: tokenHash(leaving), providerId: id, address, linkingId: null, provedId: found.id };
          if (codeMissing) await store.addBegun(uow, { ...proved, minutes: codeMinutes });
          return { id: found.id, name: found.name, factorProved, codeMissing };
        },
        'none',
      );
      if (!known) return failed('nobody here', refusal(message('federation.nobodyHere', { provider: provider.name })));
      if (known.codeMissing) return { came: 'code' } as const;
      const how = { by: provider.name, factorProved: known.factorProved, answer: { came: 'in' } };
      const who = { id: known.id, name: known.name, from: address, today };
      return withUnitOfWork(pool, who, (uow) => beginSession(uow, who, { address, agent }, how), 'none');
    },
  }),

  giveCode: freeAct(federation.giveCode, {
    name: 'signed in',
    also: ['sign-in failed', 'used a recovery code'],
    because,
    gate: 'none',
    repeat: 'refused',
    async free({ services: { pool, config }, body, address, agent, leaving }) {
      const begun = leaving === null ? undefined : await store.proved(pool, tokenHash(leaving));
      const who = begun && (await personById(pool, begun.proved_id!));
      if (leaving === null || !begun || !who?.active) throw refusal(message('federation.noCodeAsked'));
      const { today } = await readSettings(pool);
      // Counted with those of the password: codes are not guessed at twice the pace by two ways.
      await countTry(pool, who.login, { address, today });
      const subject = { kind: 'person', id: who.id, name: who.name };
      const came = await withUnitOfWork(
        pool,
        { id: who.id, name: who.name, from: address, today },
        async (uow) => {
          const taken = await takeAnyCode(uow, config.keysDir, who.id, body.code);
          if (taken === null) return null;
          if (!(await store.takeBegun(uow, tokenHash(leaving), true))) throw refusal(message('federation.noCodeAsked'));
          if (taken === 'recovery') uow.enter({ act: 'used a recovery code', subject });
          const provider = await store.providerById(uow, begun.provider_id);
          return beginSession(uow, who, { address, agent }, { by: provider?.name ?? null });
        },
        'none',
      );
      if (came) return came;
      const somebody = { ...programActor(address, today), name: 'somebody' };
      await withUnitOfWork(pool, somebody, (uow) => uow.enter({ act: 'sign-in failed', subject }), 'none');
      throw new Problem(401, 'wrong-code', message('identity.wrongCode'));
    },
  }),
};
