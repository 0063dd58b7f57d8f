import { message } from '@key-cellar/words';
import { hasRight } from '@key-cellar/core/access';
import { ledger, type LedgerEntry, type VerifyLine, type Told, type Problem as ProblemDocument } from '@key-cellar/contract';
import {
  actsFor,
  atRepository,
  guardedRecords,
  Download,
  entering,
  Lines,
  mayOn,
  notFound,
  Problem,
  tellProblem,
  requireAtRepository,
  requireRight,
  streamFrom,
  turns,
  withUnitOfWork,
  type Db,
  type PersonAccess,
  type ReadsOf,
  type SignedIn,
} from '../kernel/index.js';
import { ledgerState, settledSize } from './heads.js';
import { changeKey } from './keys.js';
import * as service from './service.js';
import type { Services } from './services.js';
import * as store from './store.js';
import type { LedgerQuestion } from './thread.js';

const { act, actInParts } = actsFor<Services>();
/** Each of these reads the whole ledger in a thread of its own. */
const inTurn = turns({ atOnce: 1, waiting: 2 }, message('ledger.ledgerBeingReadYou'));

/** What the thread answers, once it has begun: whoever has to wait, or is refused, finds out before anything is sent. */
async function inThread<M>(person: SignedIn, question: LedgerQuestion, gone?: AbortSignal): Promise<AsyncGenerator<M>> {
  let over = (): void => undefined;
  const ended = new Promise<void>((resolve) => (over = resolve));
  await new Promise<void>((begin, refuse) => {
    const turn = inTurn(person.id, () => {
      begin();
      return ended;
    });
    turn.catch(refuse);
  });
  const parts = (async function* (): AsyncGenerator<M> {
    try {
      yield undefined as M;
      yield* streamFrom<LedgerQuestion, M>('ledgerThread', question, gone);
    } finally {
      over();
    }
  })();
  // Begun, so that the turn ends also for somebody who goes away before the first part.
  await parts.next();
  return parts;
}

const auditors = message('ledger.keepersAuditorsWholeRepository');
const subject = { kind: 'ledger', id: null, name: 'ledger' };

export const ledgerActs = {
  seal: actInParts(ledger.seal, {
    name: 'sealed the ledger',
    on: { repository: atRepository('audit', auditors) },
    gate: 'none',
    repeat: 'another',
    async perform({ services }, work) {
      await work((uow) => uow.enter({ act: 'sealed the ledger', subject }));
      return { size: await services.sealer.sealNow() };
    },
  }),

  changeKey: act(ledger.changeKey, {
    name: 'changed the signing key',
    on: { repository: atRepository('dispose', message('ledger.keepersWholeRepositoryChange')) },
    gate: 'none',
    repeat: 'another',
    async write(uow, { services, body }) {
      const { id, ...after } = await changeKey(uow, services.config.keysDir, services.log);
      return { answer: { keyId: id }, entry: { subject, after: { key: id, ...after }, note: body.why } };
    },
  }),
};

/** What holds did to a record; which hold it was is for those who hold or audit the record. */
const ofHolds = new Set(['held', 'let out of a hold', 'released from a hold']);
const withoutHold = (entry: Told<LedgerEntry>): Told<LedgerEntry> =>
  ofHolds.has(entry.act) ? { ...entry, before: null, after: null, note: null } : entry;

/**
 * Entries on what somebody may not know of say that something was done, when, and by whom, and not on what: a marking is a ceiling for
 * auditors, too. Source: docs/semantics.md 9.11.
 */
async function withheld<P extends { readonly entries: Told<LedgerEntry>[] }>(db: Db, rights: PersonAccess, page: P): Promise<P> {
  const sets = await store.setsOfSubjects(
    db,
    page.entries.flatMap((e) => (e.subjectId === null ? [] : [e.subjectId])),
  );
  const known = (e: Told<LedgerEntry>): boolean => {
    const of = e.subjectId === null ? undefined : sets.get(e.subjectId);
    return !of || of.some((set) => hasRight(rights.on(set).all, 'discover'));
  };
  const without = { subjectId: null, subject: '', before: null, after: null, note: message('ledger.withheld') };
  return { ...page, entries: page.entries.map((e) => (known(e) ? e : { ...e, ...without })) };
}

/** The acts that there are come from the table of acts, and are listed where that is put together. */
export const ledgerReads: Omit<ReadsOf<typeof ledger, Services>, 'acts'> = {
  /** A record's own history is for everybody who may read the record; the whole trail for those who audit all. */
  entries: async ({ services: { pool }, person, query, access }) => {
    const { before, after, limit, folded, ...filter } = query;
    const part = { before, after, limit, folded };
    if (filter.subject && filter.subjectKind === 'record') {
      const rights = await access();
      const record = requireRight(rights, person, (await guardedRecords(pool, [filter.subject]))[0], 'read');
      const page = await service.listEntries(pool, person, filter, part);
      const knowsHolds = mayOn(rights, person, record, 'hold') || mayOn(rights, person, record, 'audit');
      return knowsHolds ? page : { ...page, entries: page.entries.map(withoutHold) };
    }
    const rights = await access();
    await requireAtRepository(pool, rights, 'audit', auditors);
    return withheld(pool, rights, await service.listEntries(pool, person, filter, part));
  },

  state: async ({ services: { pool, sealer }, access }) => {
    await requireAtRepository(pool, await access(), 'audit', auditors);
    return ledgerState(pool, sealer);
  },

  head: async ({ services: { pool }, params, access }) => {
    await requireAtRepository(pool, await access(), 'audit', auditors);
    const note = await store.noteOf(pool, Number(params.size));
    if (note === null) throw notFound(message('ledger.cosignedTreeHeadSize'));
    return new Download({ bytes: Buffer.from(note), type: 'text/plain; charset=utf-8', name: `ledger-head-${params.size}.txt` });
  },

  export: entering(['exported ledger entries'], async ({ services, person, query, access }) => {
    const { pool, config } = services;
    await requireAtRepository(pool, await access(), 'audit', auditors);
    const { since = [], ...filter } = query;
    const size = await settledSize(pool);
    if (size === 0) throw new Problem(409, 'nothing-sealed', message('ledger.nothingSealed'));
    const question = { size, filter, timeZone: person.timeZone, since, ledgerName: config.ledgerName };
    await withUnitOfWork(
      pool,
      person,
      (uow) => uow.enter({ act: 'exported ledger entries', subject, after: { head: size, ...filter } }),
      'none',
    );
    const parts = await inThread<Uint8Array>(person, { kind: 'export', appUrl: config.appUrl, question });
    return new Download({ parts, type: 'application/jsonl', name: `ledger-${size}.jsonl` });
  }),

  verify: entering(['verified the ledger'], async ({ services, person, speaker, access }) => {
    const { pool, config, outside, sealer } = services;
    await requireAtRepository(pool, await access(), 'audit', auditors);
    return new Lines(async (say: (line: Told<VerifyLine> | { problem: ProblemDocument }) => void, gone) => {
      try {
        // What cannot be sealed is found below; the rest is looked at all the same.
        await sealer.sealNow().catch(() => undefined);
        for await (const line of await inThread<Told<VerifyLine>>(person, { kind: 'verify', appUrl: config.appUrl, outside }, gone)) {
          if ('report' in line) {
            const { ok, size, findings, unchecked } = line.report;
            const after = { ok, size, findings: findings.length, unchecked: unchecked.length };
            await withUnitOfWork(pool, person, (uow) => uow.enter({ act: 'verified the ledger', subject, after }), 'none');
          }
          say(line);
        }
      } catch (error) {
        if (gone.aborted) return;
        say({ problem: tellProblem(services.log, error, 'the ledger could not be verified').document(speaker) });
      }
    });
  }),
};
