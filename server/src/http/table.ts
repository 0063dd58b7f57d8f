import { message } from '@key-cellar/words';
import * as contract from '@key-cellar/contract';
import type { Endpoint } from '@key-cellar/contract';
import { accessReads, grantActs, loadProfiles, profileActs, profileReads, tagActs, tagReads } from '../access/index.js';
import { criteriaReads } from '../criteria/index.js';
import {
  batchActs,
  docketReads,
  executing,
  stepReads,
  sweepActs,
  sweeping,
  takingSteps,
  taskActs,
  type Services,
} from '../docket/index.js';
import { exchangeActs, exchangeReads, planTableActs, planTableReads } from '../exchange/index.js';
import { factActs, setupReads, typeReads } from '../facts/index.js';
import { federationActs, federationReads, providerActs } from '../federation/index.js';
import { holdActs, holdEnds, holdReads } from '../holds/index.js';
import {
  identityActs,
  identityReads,
  mailActs,
  mailReads,
  secondFactorActs,
  secondFactorReads,
  peopleActs,
  programActs,
  programReads,
  peopleReads,
} from '../identity/index.js';
import { namesOf, requireAtRepository, type ActOf, type AnyAct, type Read } from '../kernel/index.js';
import { actWords, ledgerActs, ledgerReads } from '../ledger/index.js';
import { passActs, passReads } from '../passes/index.js';
import {
  grantReads,
  makeFirstKeeper,
  placeAccessActs,
  placeTagActs,
  placeActs,
  planReads,
  raiseActs,
  raiseReads,
  stencilActs,
  stencilReads,
} from '../plan/index.js';
import { receivingActs, receivingReads } from '../receiving/index.js';
import {
  detectorActs,
  fixityActs,
  fixityReads,
  moveRecords,
  numberingActs,
  splitSeries,
  recordAccessActs,
  recordAccessReads,
  recordTagActs,
  recordActs,
  recordReads,
  recordSetupReads,
  tending,
} from '../records/index.js';
import { dossierReads, personPage, personReads, reportReads } from '../reports/index.js';
import { reviewActs, reviewReads } from '../reviews/index.js';
import { eventActs, levelActs, listActs, override, ruleActs, scheduleReads } from '../schedule/index.js';
import { whoCan } from './whoCan.js';

/** The areas of the contract, as the wire names them. */
const areas = {
  identity: contract.identity,
  federation: contract.federation,
  programs: contract.programs,
  plan: contract.plan,
  stencils: contract.stencils,
  schedule: contract.schedule,
  criteria: contract.criteriaEndpoints,
  receiving: contract.receiving,
  records: contract.records,
  setup: contract.setup,
  holds: contract.holds,
  docket: contract.docket,
  steps: contract.steps,
  ledger: contract.ledger,
  fixity: contract.fixity,
  reports: contract.reports,
  access: contract.access,
  tags: contract.tags,
  people: contract.people,
  passes: contract.passes,
  exchange: contract.exchange,
} as const;
type Areas = typeof areas;

/** What answers one endpoint: an act when it changes something, a reading when it does not. */
// The things an act is on differ from act to act.
// eslint-disable-next-line @typescript-eslint/no-explicit-any
type AnswerTo<E> = E extends Endpoint ? (E extends { readonly changes: true } ? ActOf<E, Services, any> : Read<E, Services>) : never;

/** Every endpoint of the contract with what answers it. One that is missing, or a change that is no act, does not compile. */
const table: { readonly [A in keyof Areas]: { readonly [K in keyof Areas[A]]: AnswerTo<Areas[A][K]> } } = {
  identity: {
    ...identityReads,
    ...personReads,
    mailChoices: mailReads.mailChoices,
    ...identityActs,
    ...pick(mailActs, ['chooseMail', 'forgot']),
    ...secondFactorReads,
    ...pick(secondFactorActs, ['beginSecond', 'confirmSecond', 'newCodes', 'endSecond']),
    makeFirstKeeper,
    moveClock: sweepActs.moveClock,
  },
  federation: { ...federationReads, ...federationActs, ...providerActs },
  programs: { ...programReads, ...programActs },
  plan: {
    ...planReads,
    ...pick(placeActs, ['makePlace', 'editPlace', 'movePlace', 'mergePlace', 'closeFolder', 'reopenFolder', 'retirePlace']),
    ...planTableActs,
    ...planTableReads,
    ...pick(ruleActs, ['setRule', 'unsetRule']),
    recordEvent: eventActs.recordEvent,
    declareInside: recordActs.declareInside,
  },
  stencils: { ...stencilReads, ...stencilActs },
  schedule: {
    ...scheduleReads,
    ...pick(ruleActs, ['makeRule', 'saveDraft', 'dropDraft', 'publish', 'withdrawVersion', 'importSchedule', 'cancelJob']),
    ...levelActs,
    ...listActs,
    ...pick(eventActs, ['addRecordEvent', 'withdrawEvent', 'importEvents']),
    override,
  },
  criteria: criteriaReads,
  receiving: { ...receivingReads, ...pick(receivingActs, ['upload', 'file', 'describePhysical', 'discard']) },
  records: {
    ...typeReads,
    ...recordReads,
    ...dossierReads,
    ...numberingActs,
    ...pick(recordActs, ['editFacts', 'declare', 'revoke']),
    move: moveRecords,
    splitSeries,
    addVersion: receivingActs.addVersion,
  },
  setup: {
    ...setupReads,
    ...recordSetupReads,
    ...factActs,
    ...detectorActs,
    ...pick(placeActs, ['placeFacts', 'placeTakes']),
    addEntityEvent: eventActs.addEntityEvent,
  },
  holds: { ...holdReads, ...holdActs },
  docket: { ...docketReads, ...batchActs },
  steps: { ...stepReads, ...taskActs, sweep: sweepActs.sweep, recompute: ruleActs.recompute },
  ledger: {
    ...ledgerReads,
    ...ledgerActs,
    acts: async ({ services, access }) => {
      await requireAtRepository(services.pool, await access(), 'audit', message('http.keepersAuditorsLookAt'));
      return {
        acts: namesOfAll().map((act) => ({
          act,
          words: ofBefore.includes(act) ? message('ledger.calledBefore', { words: actWords(act), act }) : actWords(act),
        })),
      };
    },
  },
  fixity: { ...fixityReads, ...fixityActs },
  reports: reportReads,
  access: {
    ...accessReads,
    ...recordAccessReads,
    ...recordAccessActs,
    markPlace: placeAccessActs.markPlace,
    acts: async ({ services: { pool } }) => ({ acts: whoCan(acts(), await loadProfiles(pool)) }),
    ...profileReads,
    ...profileActs,
    ...raiseReads,
    ...raiseActs,
    ...reviewReads,
    ...reviewActs,
  },
  tags: { ...tagReads, ...tagActs, ...placeTagActs, ...recordTagActs },
  exchange: { ...exchangeReads, ...exchangeActs },
  passes: { ...passReads, ...passActs },
  people: {
    ...peopleReads,
    mail: mailReads.mail,
    ...pick(mailActs, ['mailAgain', 'mailTest']),
    resetSecond: secondFactorActs.resetSecond,
    ...personPage,
    ...grantReads,
    ...peopleActs,
    ...grantActs,
    ...pick(placeAccessActs, ['giveGrant', 'setStandAlone', 'nameReader']),
  },
};

function pick<T, K extends keyof T>(from: T, keys: readonly K[]): Pick<T, K> {
  return Object.fromEntries(keys.map((key) => [key, from[key]])) as Pick<T, K>;
}

export interface Bound {
  /** Such as `holds.release`. */
  readonly name: string;
  readonly endpoint: Endpoint;
  readonly answer: AnyAct<Services> | Read<Endpoint, Services>;
}

/** The table row by row. */
export function bound(): Bound[] {
  return Object.entries(areas).flatMap(([area, endpoints]) =>
    Object.entries(endpoints as Record<string, Endpoint>).map(([key, endpoint]) => ({
      name: `${area}.${key}`,
      endpoint,
      answer: (table[area as keyof Areas] as unknown as Record<string, Bound['answer']>)[key]!,
    })),
  );
}

export interface NamedAct {
  readonly name: string;
  readonly act: AnyAct<Services>;
}

/** All acts, in the order of the contract. */
export function acts(): NamedAct[] {
  return bound().flatMap(({ name, answer }) => (typeof answer === 'function' ? [] : [{ name, act: answer }]));
}

/** What the program enters by itself: the sweep, and the jobs behind acts. */
export const ofTheProgram: readonly string[] = [
  ...sweeping,
  ...takingSteps,
  ...executing,
  ...Object.values(holdEnds),
  ...tending,
  'recomputed due dates',
  'counted gaps',
  'found signs',
  'could not look into',
  'a mail came back',
  'a mail was refused',
];

/** What acts were called before: ledgers keep the names. */
const ofBefore: readonly string[] = ['undeclared', 'set by hand', 'let the rules decide', 'put off'];

/** Everything that the ledger can say was done. */
export function namesOfAll(): string[] {
  const ofActs = acts().flatMap(({ act }) => namesOf(act));
  const ofReading = bound().flatMap(({ answer }) => (typeof answer === 'function' ? (answer.enters ?? []) : []));
  return [...new Set([...ofActs, ...ofReading, ...ofTheProgram, ...ofBefore])].sort();
}
