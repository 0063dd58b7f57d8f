import { programs, type ProgramLine, type Scope } from '@key-cellar/contract';
import { addPeriod, civilDate } from '@key-cellar/core/calendar';
import { message } from '@key-cellar/words';
import { uuidv7 } from 'uuidv7';
import {
  actsFor,
  changedMeanwhile,
  noRight,
  ofRepository,
  one,
  Problem,
  wrongField,
  type ReadsOf,
  type Services,
  type UnitOfWork,
} from '../kernel/index.js';
import { newToken, tokenHash } from './passwords.js';
import { connecting, requireConnecting } from './person.js';
import { withinOwn } from './withinOwn.js';
import * as store from './programStore.js';
import { addPrincipal } from './store.js';

const { act } = actsFor<Services>();

/** By which people who find one know what it is, and programs that look for secrets find it. */
const beginning = 'cellar_';
const aYear = { years: 1, months: 0, weeks: 0, days: 0 };

const programKind = ofRepository<store.ProgramRow>({
  word: 'program',
  what: message('thing.program'),
  subject: ({ id, name }) => ({ kind: 'program', id, name }),
  find: (db, id, lock) => (lock ? store.lockProgram(db, id) : store.programById(db, id)),
});

const tokenKind = ofRepository<store.TokenRow>({
  word: 'token',
  what: message('thing.token'),
  subject: ({ id, name }) => ({ kind: 'token', id, name }),
  find: (db, id) => store.lockToken(db, id),
});

async function requireFreeName(uow: UnitOfWork, name: string, but: string | null): Promise<void> {
  if (await store.programNameTaken(uow, name, but)) throw wrongField('/name', message('identity.programNameTaken', { name }));
}

export const programActs = {
  make: act(programs.make, {
    name: 'added a program',
    on: connecting,
    repeat: 'refused',
    async write(uow, { services, person, access, body: { name, clearance } }) {
      await withinOwn.clearance({ uow, services, person, access }, null, clearance);
      await requireFreeName(uow, name, null);
      const id = uuidv7();
      await addPrincipal(uow, { id, kind: 'service', name, clearanceLevel: clearance.level, caveats: [...clearance.caveats].sort() });
      return { answer: { id }, entry: { subject: { kind: 'program', id, name }, after: { name, clearance } } };
    },
  }),

  change: act(programs.change, {
    name: 'changed a program',
    on: { ...connecting, program: one(programKind, ({ params }) => params.id, noRight) },
    repeat: 'refused',
    async write(uow, { services, person, access, on: { program }, body: { revision, name, clearance, active } }) {
      const was = { level: program.clearance_level, caveats: program.clearance_caveats };
      await withinOwn.clearance({ uow, services, person, access }, was, clearance);
      if (program.revision !== revision) throw changedMeanwhile();
      await requireFreeName(uow, name, program.id);
      await store.writeProgram(uow, { id: program.id, name, level: clearance.level, caveats: [...clearance.caveats].sort(), active });
      const before = { name: program.name, clearance: was, active: program.active };
      return { answer: { revision: revision + 1 }, entry: { before, after: { name, clearance, active } } };
    },
  }),

  makeToken: act(programs.makeToken, {
    name: 'made a token',
    on: { ...connecting, program: one(programKind, ({ params }) => params.id, noRight) },
    repeat: 'another',
    async write(uow, { services, person, access, on: { program }, body: { name, scopes, until } }) {
      await withinOwn.ofGiven({ uow, services, access }, [program.id]);
      if (!program.active) throw new Problem(409, 'not-in-use', message('identity.programNotInUse', { name: program.name }));
      if (until < person.today) throw wrongField('/until', message('identity.tokenPast'));
      if (civilDate(until) > addPeriod(civilDate(person.today), aYear)) throw wrongField('/until', message('identity.tokenAYear'));
      const [id, token] = [uuidv7(), `${beginning}${newToken()}`];
      await store.addToken(uow, {
        ...{ id, principalId: program.id, name, tokenHash: tokenHash(token), scopes: [...new Set(scopes)].sort(), until },
        ...{ madeBy: person.id, madeOn: person.today },
      });
      return { answer: { id, token }, entry: { after: { token: name, scopes, until } } };
    },
  }),

  endToken: act(programs.endToken, {
    name: 'ended a token',
    on: { ...connecting, token: one(tokenKind, ({ params }) => params.id, noRight) },
    repeat: 'same',
    async write(uow, { person, on: { token } }) {
      if (token.ended_on !== null) return { answer: {}, entry: null };
      await store.endToken(uow, token.id, person.today);
      return { answer: {}, entry: { before: { until: token.until } } };
    },
  }),
};

export const programReads: ReadsOf<typeof programs, Services> = {
  list: async ({ services, access }) => {
    await requireConnecting(services, access);
    const [found, tokens] = await Promise.all([store.programs(services.pool), store.tokens(services.pool)]);
    return {
      programs: found.map((p): ProgramLine => ({
        ...{ id: p.id, name: p.name, active: p.active, revision: p.revision },
        clearance: { level: p.clearance_level, caveats: p.clearance_caveats },
        tokens: tokens
          .filter((t) => t.principal_id === p.id)
          .map((t) => ({
            ...{ id: t.id, name: t.name, scopes: t.scopes as Scope[], until: t.until },
            ...{ madeBy: { id: t.made_by, name: t.made_by_name }, madeOn: t.made_on, endedOn: t.ended_on },
            lastUsed: t.last_used_at && { at: t.last_used_at.toISOString(), from: t.last_used_from ?? '' },
          })),
      })),
    };
  },
};
