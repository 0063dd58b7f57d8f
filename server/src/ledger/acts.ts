import { ledger, type LedgerEntry } from '@key-cellar/contract';
import {
  actsFor,
  atRepository,
  guardedRecords,
  Download,
  entering,
  mayOn,
  requireAtRepository,
  requireRight,
  withUnitOfWork,
  type ReadsOf,
} from '../kernel/index.js';
import * as service from './service.js';
import type { Services } from './services.js';

const { actInParts } = actsFor<Services>();
const auditors = 'Keepers and auditors of the whole repository look at the whole ledger.';
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

  verify: actInParts(ledger.verify, {
    name: 'verified the ledger',
    on: { repository: atRepository('audit', auditors) },
    gate: 'none',
    repeat: 'another',
    async perform({ services }, work) {
      const result = await service.verifyLedger(services.pool);
      await work((uow) => uow.enter({ act: 'verified the ledger', subject, after: { ok: result.ok, size: result.size } }));
      return result;
    },
  }),
};

/** What holds did to a record; which hold it was is for those who hold or audit the record. */
const ofHolds = new Set(['held', 'let out of a hold', 'released from a hold']);
const withoutHold = (entry: LedgerEntry): LedgerEntry =>
  ofHolds.has(entry.act) ? { ...entry, before: null, after: null, note: null } : entry;

/** The acts that there are come from the table of acts, and are listed where that is put together. */
export const ledgerReads: Omit<ReadsOf<typeof ledger, Services>, 'acts'> = {
  /** A record's own history is for everybody who may read the record; the whole trail for those who audit all. */
  entries: async ({ services: { pool }, person, query, access }) => {
    const { before, limit, ...filter } = query;
    if (filter.subject && filter.subjectKind === 'record') {
      const rights = await access();
      const record = requireRight(rights, person, (await guardedRecords(pool, [filter.subject]))[0], 'read');
      const page = await service.listEntries(pool, person, filter, before, limit);
      const knowsHolds = mayOn(rights, person, record, 'hold') || mayOn(rights, person, record, 'audit');
      return knowsHolds ? page : { ...page, entries: page.entries.map(withoutHold) };
    }
    await requireAtRepository(pool, await access(), 'audit', auditors);
    return service.listEntries(pool, person, filter, before, limit);
  },

  heads: async ({ services: { pool }, access }) => {
    await requireAtRepository(pool, await access(), 'audit', auditors);
    return service.listHeads(pool);
  },

  export: entering(['exported ledger entries'], async ({ services: { pool }, person, query, access }) => {
    await requireAtRepository(pool, await access(), 'audit', auditors);
    const { since, ...filter } = query;
    const file = await service.exportEntries(pool, person.timeZone, filter, since);
    const after = { entries: file.entries.length, head: file.head.size };
    await withUnitOfWork(pool, person, (uow) => uow.enter({ act: 'exported ledger entries', subject, after }), 'none');
    return new Download({ bytes: Buffer.from(JSON.stringify(file)), type: 'application/json', name: `ledger-${file.head.size}.json` });
  }),
};
