import { access as accessEndpoints, tags, type OutcomeLine, type Told } from '@key-cellar/contract';
import { dominates, hasRight, joined, markingWords, sameMarking, type Marking } from '@key-cellar/core/access';
import { message } from '@key-cellar/words';
import {
  beyondTags,
  changeOfTags,
  give,
  grantLines,
  grantsAroundRecord,
  markingsAround,
  markingsOfRecords,
  remarkRecords,
  requireMarking,
  tagged,
  tagRecords,
  tagsById,
  tagsOfRecords,
  tagsOnRecord,
  withShift,
} from '../access/index.js';
import { actsFor, many, mayOn, notAllowed, notFound, one, type Entered, type ReadsOf } from '../kernel/index.js';
import { recordKind } from './kinds.js';
import type { Services } from './services.js';
import * as store from './store.js';

const { act } = actsFor<Services>();

/** So many access tags a record carries at most. */
const mostTags = 20;

/** Who may do what on single records: what is given there, and how they are marked. */
export const recordAccessActs = {
  giveOnRecord: act(accessEndpoints.giveOnRecord, {
    name: 'granted',
    on: { record: one(recordKind, ({ params }) => params.id, 'grant') },
    repeat: 'another',
    tries: ({ body }) => body.dryRun,
    write: (uow, given) => {
      const { record } = given.on;
      return give(uow, given, { sets: [record.access_set_id], scope: { recordIds: [record.id] }, on: { record } });
    },
  }),

  markRecords: act(accessEndpoints.markRecords, {
    name: 'marked a record',
    on: { records: many(recordKind, ({ body }) => body.recordIds, 'grant') },
    repeat: 'same',
    tries: ({ body }) => body.dryRun,
    async write(uow, { person, trial, on: { records }, left, body: { level, caveats, reason } }) {
      const marking = joined({ level, caveats }, { level, caveats });
      requireMarking(person, marking, null);
      const ids = records.map((r) => r.id);
      const [around, own] = [await markingsAround(uow, ids), await markingsOfRecords(uow, ids)];
      const entries: Entered[] = [];
      const results = records.map((r): Told<OutcomeLine> => {
        const line = { id: r.id, name: `${r.number} ${r.title}` };
        const [was, least] = [own.get(r.id)!, around.get(r.id)!];
        if (!dominates(marking, least))
          return { ...line, outcome: 'refused', why: message('access.markedAround', { marking: markingWords(least) }) };
        if (sameMarking(was, marking)) return { ...line, outcome: 'skipped', why: message('access.markedSo') };
        entries.push({ subject: recordKind.subject(r), before: was, after: marking, note: reason });
        return { ...line, outcome: 'done', why: markingWords(marking) };
      });
      const done = results.filter((r) => r.outcome === 'done').map((r) => r.id);
      const { access } = await withShift(uow, { person, trial, scope: { recordIds: done } }, () =>
        remarkRecords(uow, done, (): Marking => marking),
      );
      return { answer: { results: [...results, ...left], access }, entry: entries.length === 0 ? null : entries };
    },
  }),
};

/** Which access tags records carry. */
export const recordTagActs = {
  ofRecords: act(tags.ofRecords, {
    name: 'changed access tags',
    on: { records: many(recordKind, ({ body }) => body.recordIds, 'grant') },
    repeat: 'same',
    tries: ({ body }) => body.dryRun,
    async write(uow, { person, access, trial, on: { records }, left, body: { put, take, reason } }) {
      const change = await changeOfTags(uow, put, take);
      const [carried, against] = [
        await tagsOfRecords(
          uow,
          records.map((r) => r.id),
        ),
        await beyondTags(uow, access, change),
      ];
      const all = await tagsById(uow, [...new Set([...carried.values(), put].flat())]);
      const names = (ids: readonly string[]): string[] =>
        all
          .filter((t) => ids.includes(t.id))
          .map((t) => t.name)
          .sort();
      const entries: Entered[] = [];
      const results = records.map((r): Told<OutcomeLine> => {
        const line = { id: r.id, name: `${r.number} ${r.title}` };
        const was = carried.get(r.id)!;
        const is = tagged(was, change);
        if (is.join() === was.join()) return { ...line, outcome: 'skipped', why: message('access.taggedSo') };
        const refused = against(r.access_set_id);
        if (refused) return { ...line, outcome: 'refused', why: refused };
        if (is.length > mostTags) return { ...line, outcome: 'refused', why: message('access.tooManyTags', { most: mostTags }) };
        entries.push({ subject: recordKind.subject(r), before: { tags: names(was) }, after: { tags: names(is) }, note: reason });
        const carries = is.length === 0 ? message('access.carriesNone') : message('access.carries', { tags: { list: names(is) } });
        return { ...line, outcome: 'done', why: carries };
      });
      const done = results.filter((r) => r.outcome === 'done').map((r) => r.id);
      const { access: shift } = await withShift(
        uow,
        { person, trial, scope: { recordIds: done } },
        () => tagRecords(uow, done, change),
        (swapped) => swapped,
      );
      return { answer: { results: [...results, ...left], access: shift }, entry: entries.length === 0 ? null : entries };
    },
  }),
};

export const recordAccessReads: Pick<ReadsOf<typeof accessEndpoints, Services>, 'grantsOnRecord'> = {
  grantsOnRecord: async ({ services: { pool }, access, person, params }) => {
    const known = await access();
    const record = await store.recordById(pool, params.id);
    if (!record || !mayOn(known, person, record, 'discover')) throw notFound(message('thing.record'));
    const may = (right: 'grant' | 'audit' | 'dispose'): boolean => hasRight(known.on(record.access_set_id).all, right);
    if (!may('grant') && !may('audit') && !may('dispose')) throw notAllowed('grant');
    const [own, around] = [await markingsOfRecords(pool, [record.id]), await markingsAround(pool, [record.id])];
    return {
      grants: await grantLines(pool, await grantsAroundRecord(pool, record.id), person.timeZone),
      tags: await tagsOnRecord(pool, record.id),
      marking: own.get(record.id)!,
      around: around.get(record.id)!,
      mayGrant: may('grant'),
    };
  },
};
