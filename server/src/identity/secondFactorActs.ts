import { identity, people } from '@key-cellar/contract';
import { message } from '@key-cellar/words';
import {
  actsFor,
  noRight,
  notSignedIn,
  one,
  Problem,
  withUnitOfWork,
  wrongField,
  type ReadsOf,
  type Services,
  type SignedIn,
} from '../kernel/index.js';
import { isRight } from './passwords.js';
import * as arranged from './peopleStore.js';
import { newCodes, newFactor, takeAnyCode, takeAppCode } from './secondFactor.js';
import { lookingAfterPeople, personKind } from './person.js';
import { withinOwn } from './withinOwn.js';
import * as factors from './secondFactorStore.js';
import { countTry } from './signIn.js';
import * as store from './store.js';

const { act, freeAct } = actsFor<Services>();
const because = 'everybody may change their own';
const subjectOf = (person: Pick<SignedIn, 'id' | 'name'>) => ({ kind: 'person', id: person.id, name: person.name });

/**
 * Whoever sits before an open session proves who they are: with the password, counted like any other try. Whoever has none, since they sign in
 * by a provider, did so just now.
 */
async function requirePassword({ pool }: Services, person: SignedIn, password: string): Promise<void> {
  await countTry(pool, `second factor of ${person.login}`, { address: person.from, today: person.today });
  const principal = await store.principalByLogin(pool, person.login);
  if (principal?.password_hash === null) {
    if (await store.sessionIsFresh(pool, person.sessionHash, store.freshMinutes)) return;
    throw new Problem(409, 'not-fresh', message('identity.notFresh'));
  }
  if (!(await isRight(principal?.password_hash, password))) throw wrongField('/password', message('identity.wrongOld'));
}

const wrongCode = (): Problem => wrongField('/code', message('identity.wrongCode'));

export const secondFactorActs = {
  beginSecond: freeAct(identity.beginSecond, {
    name: 'began a second factor',
    because,
    gate: 'none',
    repeat: 'another',
    async free({ services, person, body }) {
      if (!person) throw notSignedIn();
      await requirePassword(services, person, body.password);
      const { sealed, secret, uri } = await newFactor(services.config.keysDir, person, person.repository);
      return withUnitOfWork(
        services.pool,
        person,
        async (uow) => {
          if (!(await factors.beginFactor(uow, person.id, sealed))) throw new Problem(409, 'has-one', message('identity.hasSecond'));
          uow.enter({ act: 'began a second factor', subject: subjectOf(person) });
          return { secret, uri };
        },
        'none',
      );
    },
  }),

  confirmSecond: freeAct(identity.confirmSecond, {
    name: 'set up a second factor',
    because,
    gate: 'none',
    repeat: 'refused',
    async free({ services, person, body }) {
      if (!person) throw notSignedIn();
      await countTry(services.pool, `second factor of ${person.login}`, { address: person.from, today: person.today });
      return withUnitOfWork(
        services.pool,
        person,
        async (uow) => {
          const factor = await factors.factorOf(uow, person.id);
          if (!factor || factor.confirmed) throw new Problem(409, 'has-one', message('identity.hasSecond'));
          if (!(await takeAppCode(uow, services.config.keysDir, person.id, body.code))) throw wrongCode();
          await factors.confirmFactor(uow, person.id);
          const { shown, hashes } = newCodes();
          await factors.writeCodes(uow, person.id, hashes);
          await store.endOtherSessions(uow, person.id, person.sessionHash);
          uow.enter({ act: 'set up a second factor', subject: subjectOf(person) });
          return { codes: shown };
        },
        'none',
      );
    },
  }),

  newCodes: freeAct(identity.newCodes, {
    name: 'made new recovery codes',
    because,
    gate: 'none',
    repeat: 'refused',
    async free({ services, person, body }) {
      if (!person) throw notSignedIn();
      await requirePassword(services, person, body.password);
      return withUnitOfWork(
        services.pool,
        person,
        async (uow) => {
          if (!(await takeAnyCode(uow, services.config.keysDir, person.id, body.code))) throw wrongCode();
          const { shown, hashes } = newCodes();
          await factors.writeCodes(uow, person.id, hashes);
          uow.enter({ act: 'made new recovery codes', subject: subjectOf(person) });
          return { codes: shown };
        },
        'none',
      );
    },
  }),

  endSecond: freeAct(identity.endSecond, {
    name: 'ended a second factor',
    because,
    gate: 'none',
    repeat: 'refused',
    async free({ services, person, body }) {
      if (!person) throw notSignedIn();
      await requirePassword(services, person, body.password);
      await withUnitOfWork(
        services.pool,
        person,
        async (uow) => {
          if (await factors.factorAsked(uow, person.id)) throw new Problem(409, 'asked-for', message('identity.secondAsked'));
          if (!(await takeAnyCode(uow, services.config.keysDir, person.id, body.code))) throw wrongCode();
          await factors.dropFactor(uow, person.id);
          uow.enter({ act: 'ended a second factor', subject: subjectOf(person) });
        },
        'none',
      );
      return {};
    },
  }),

  resetSecond: act(people.resetSecond, {
    name: 'reset a second factor',
    on: { ...lookingAfterPeople, person: one(personKind, ({ params }) => params.id, noRight) },
    repeat: 'refused',
    async write(uow, { services, person: asker, access, on: { person }, body }) {
      await withinOwn.ofPerson({ uow, services, person: asker, access }, person);
      if (!(await factors.dropFactor(uow, person.id))) throw new Problem(409, 'has-none', message('identity.noSecond'));
      const ended = await arranged.endSessionsOf(uow, person.id);
      return { answer: {}, entry: { subject: subjectOf(person), before: { sessions: ended }, note: body.reason } };
    },
  }),
};

export const secondFactorReads: Pick<ReadsOf<typeof identity, Services>, 'secondFactor'> = {
  secondFactor: async ({ services: { pool }, person }) => {
    const factor = await factors.factorOf(pool, person.id);
    return { on: factor?.confirmed ?? false, asked: await factors.factorAsked(pool, person.id), codesLeft: factor?.codes ?? 0 };
  },
};
