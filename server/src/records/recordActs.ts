import { message } from '@key-cellar/words';
import { plan, records, type OutcomeLine, type Told } from '@key-cellar/contract';
import { refusalFor, type RecordStanding } from '@key-cellar/core/records';
import { checkFacts, claimUnique, recordType, recordWords, settleReferences } from '../facts/index.js';
import { actsFor, changedMeanwhile, many, one, type Entered, type UnitOfWork } from '../kernel/index.js';
import { placeKind } from '../plan/index.js';
import { loadRuleBook, recompute } from '../schedule/index.js';
import { recordKind } from './kinds.js';
import type { Services } from './services.js';
import * as store from './store.js';

const { act } = actsFor<Services>();

export function standingOf(r: store.RecordRow): RecordStanding {
  return {
    state: r.state,
    holds: r.hold_count,
    freeze: r.frozen_by_hold,
    frozenWhenDeclared: r.frozen as RecordStanding['frozenWhenDeclared'],
  };
}

const nameOf = (r: store.RecordRow): string => `${r.number} ${r.title}`;

/** Declares locked records that may be declared; says of each what came of it, and what the ledger says. */
async function declareLocked(
  uow: UnitOfWork,
  locked: readonly store.RecordRow[],
): Promise<{ results: Told<OutcomeLine>[]; entries: Entered[] }> {
  const results = locked.map((r): Told<OutcomeLine> => {
    const refusal = refusalFor({ kind: 'declare' }, standingOf(r));
    const line = { id: r.id, name: nameOf(r) };
    if (refusal) return { ...line, outcome: refusal.code === 'already-declared' ? 'skipped' : 'refused', why: refusal.sentence };
    return { ...line, outcome: 'done', why: message('records.declared') };
  });
  const done = results.filter((r) => r.outcome === 'done').map((r) => r.id);
  await store.declare(uow, done, uow.actor.today);
  await recompute(uow, done, await loadRuleBook(uow), uow.actor.today);
  const entries = locked
    .filter((r) => done.includes(r.id))
    .map((r) => ({
      act: 'declared',
      subject: recordKind.subject(r),
      before: { state: r.state },
      after: { state: 'declared', on: uow.actor.today },
    }));
  return { results, entries };
}

/** Declares everything still working in a folder that was closed; gives how many records that were. */
export async function declareOnClosing(uow: UnitOfWork, placeId: string): Promise<void> {
  const locked = await store.lockRecords(uow, await store.workingUnder(uow, placeId, null));
  const { entries } = await declareLocked(uow, locked);
  uow.enterAll(entries.map((e) => ({ act: e.act!, subject: e.subject!, before: e.before, after: e.after, note: 'by itself, on closing' })));
}

const orNull = (entries: readonly Entered[]): readonly Entered[] | null => (entries.length === 0 ? null : entries);

export const recordActs = {
  editFacts: act(records.editFacts, {
    name: 'changed facts',
    on: { record: one(recordKind, ({ params }) => params.id, 'edit') },
    repeat: 'refused',
    decide: ({ on: { record } }) => refusalFor({ kind: 'change', part: 'facts' }, standingOf(record)),
    async write(uow, { on: { record }, body, access, person }) {
      if (record.revision !== body.revision) throw changedMeanwhile();
      const type = (await recordType(uow, record.record_type))!;
      const { facts, gaps, names, refers, references } = await checkFacts(uow, access, person, type, body.facts, { before: record.facts });
      const { title, createdOn } = body;
      const revision = await store.writeFacts(uow, record.id, {
        title,
        createdOn,
        facts,
        gaps: gaps.length,
        words: recordWords(title, record.number, facts, names),
        typeVersion: type.version,
        refers,
      });
      await claimUnique(uow, access, type, record.id, facts);
      const pointedAt = await settleReferences(uow, record.id, references);
      await recompute(uow, [record.id, ...pointedAt], await loadRuleBook(uow), person.today);
      return {
        answer: { revision },
        entry: {
          subject: recordKind.subject({ ...record, title }),
          before: { title: record.title, createdOn: record.created_on, facts: record.facts },
          after: { title, createdOn, facts },
        },
      };
    },
  }),

  declare: act(records.declare, {
    name: 'declared',
    on: { records: many(recordKind, ({ body }) => body.ids, 'declare', { who: message('records.stewardKeeperCan') }) },
    repeat: 'same',
    async write(uow, { on, left }) {
      const { results, entries } = await declareLocked(uow, on.records);
      return { answer: { results: [...results, ...left] }, entry: orNull(entries) };
    },
  }),

  /** Declares every working record of a place that the person may know of. */
  declareInside: act(plan.declareInside, {
    name: 'declared',
    on: {
      place: one(placeKind, ({ params }) => params.id, 'declare', { lock: false }),
      records: many(recordKind, ({ params }, { db, access }) => store.workingUnder(db, params.id, access.sets('discover')), 'declare', {
        who: message('records.stewardKeeperCan'),
      }),
    },
    repeat: 'same',
    async write(uow, { on, left }) {
      const { results, entries } = await declareLocked(uow, on.records);
      return { answer: { results: [...results, ...left] }, entry: orNull(entries) };
    },
  }),

  revoke: act(records.revoke, {
    name: 'revoked a declaration',
    on: { records: many(recordKind, ({ body }) => body.ids, 'revoke', { who: message('records.keeperCan') }) },
    repeat: 'same',
    async write(uow, { on, left, body: { reason }, person }) {
      const results: Told<OutcomeLine>[] = [];
      const entries: Entered[] = [];
      for (const r of on.records) {
        const line = { id: r.id, name: nameOf(r) };
        const refusal = refusalFor({ kind: 'revoke', reason }, standingOf(r));
        if (refusal) {
          results.push({ ...line, outcome: refusal.code === 'not-declared' ? 'skipped' : 'refused', why: refusal.sentence });
          continue;
        }
        await store.revoke(uow, r.id, person.id, reason);
        results.push({ ...line, outcome: 'done', why: message('records.declarationRevoked') });
        entries.push({
          subject: recordKind.subject(r),
          before: { state: 'declared', on: r.declared_on },
          after: { state: 'working' },
          note: reason,
        });
      }
      const done = results.filter((r) => r.outcome === 'done').map((r) => r.id);
      await recompute(uow, done, await loadRuleBook(uow), person.today);
      return { answer: { results: [...results, ...left] }, entry: orNull(entries) };
    },
  }),
};
