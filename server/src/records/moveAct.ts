import { records, type DatesLine, type Told } from '@key-cellar/contract';
import { hasRight } from '@key-cellar/core/access';
import { civilDate } from '@key-cellar/core/calendar';
import { takesRecords, kindWords } from '@key-cellar/core/plan';
import { refusalFor, takesRefusal } from '@key-cellar/core/records';
import { effectTally, shortens, standingOf } from '@key-cellar/core/schedule';
import { message, told } from '@key-cellar/words';
import { actsFor, many, one, wrongField, type Entered } from '../kernel/index.js';
import { placeKind, placesByIds, putRecordsIn, shutAround, takesAround } from '../plan/index.js';
import { datesWords, judge, judgeLocked, loadRuleBook, recompute, withNames } from '../schedule/index.js';
import { recordKind } from './kinds.js';
import { takenAs } from './mediaType.js';
import { standingOf as standing } from './recordActs.js';
import type { Services } from './services.js';
import * as store from './store.js';

const { act } = actsFor<Services>();

/**
 * Moves records to another place. Their number stays; rules and access from around them are those of the new place then. Letting go sooner
 * than now needs the right to dispose, as it does by hand: a place is not a way around that.
 */
export const moveRecords = act(records.move, {
  name: 'moved',
  on: {
    place: one(placeKind, ({ body }) => body.placeId, 'deposit', { lock: false }),
    records: many(recordKind, ({ body }) => body.ids, 'move', { who: message('records.stewardKeeperCan') }),
  },
  repeat: 'same',
  async write(uow, { on: { place, records: locked }, left, body, access, person }) {
    if (!takesRecords(place.kind))
      throw wrongField('/placeId', message('records.recordsSeriesFolder', { code: place.code, kind: kindWords(place.kind) }));
    const shut = await shutAround(uow, place, person.today);
    if (shut) throw wrongField('/placeId', shut);
    const ids = locked.map((r) => r.id);
    const chain = await placesByIds(uow, place.ancestors);
    const series = chain.find((p) => p.kind === 'series')!;
    const takes = takesAround(chain, place.ancestors);
    const book = await loadRuleBook(uow);
    const [now, files, from] = await Promise.all([
      judgeLocked(uow, ids, book, person.today, true),
      store.newestFiles(uow, ids),
      placesByIds(uow, [...new Set(locked.flatMap((r) => [r.place_id, r.series_id]))]),
    ]);
    const there = { place_id: place.id, series_id: series.id, places: place.ancestors };
    const moved = await judge(
      uow,
      now.map((n) => ({ ...n.row, ...there })),
      book,
      person.today,
    );
    const judged = new Map(now.map((n, i) => [n.row.id, { now: n, then: moved[i]! }]));
    const places = new Map([...from, ...chain].map((p) => [p.id, p]));
    const done: string[] = [];
    const entries: Entered[] = [];
    const tally = effectTally(civilDate(person.today));
    const lines = locked.map((r): Told<DatesLine> => {
      const line = { id: r.id, name: `${r.number} ${r.title}`, before: told(''), after: told(''), shortens: false };
      const of = judged.get(r.id);
      const refusal = refusalFor({ kind: 'change', part: 'moving' }, standing(r));
      if (refusal || !of) return { ...line, outcome: 'refused', why: refusal?.sentence ?? message('docket.disposedBefore') };
      const [before, after] = [of.now.governing, of.then.governing];
      const dates = { ...line, before: datesWords(before), after: datesWords(after), shortens: shortens(after, before) };
      if (r.place_id === place.id) return { ...dates, outcome: 'skipped', why: message('records.thereAlready') };
      if (r.state === 'declared' && r.series_id !== series.id)
        return { ...dates, outcome: 'refused', why: message('records.declaredRecordNeverLeaves') };
      const notTaken = takesRefusal(takes, { recordType: r.record_type, ...takenAs(files.get(r.id) ?? null), size: r.size });
      if (notTaken) return { ...dates, outcome: 'refused', why: notTaken };
      if (dates.shortens && !hasRight(access.on(r.access_set_id).all, 'dispose'))
        return { ...dates, outcome: 'refused', why: message('records.shortensRetentionKeeperCan') };
      done.push(r.id);
      if (body.dryRun) {
        const { docket } = of.now.row;
        const record = { series: series.id, bytes: r.size, held: r.hold_count > 0, inBatch: docket === 'batch', id: () => r.id };
        tally.add({ ...record, workdays: of.then.facts.workdays }, standingOf(before), standingOf(after));
      }
      entries.push({
        subject: recordKind.subject(r),
        before: { in: places.get(r.place_id)?.code, series: places.get(r.series_id)?.code },
        after: { in: place.code, series: series.code },
        note: body.reason,
      });
      return { ...dates, outcome: 'done', why: dates.shortens ? message('records.shortensRetention') : message('records.moved') };
    });
    const results = [...lines, ...left.map((l) => ({ ...l, before: told(''), after: told(''), shortens: false }))];
    if (body.dryRun)
      return { answer: { results, effect: done.length > 0 ? await withNames(uow, tally.result(), chain) : null }, entry: null };
    if (done.length > 0) {
      await putRecordsIn(uow, done, place);
      await recompute(uow, done, book, person.today);
    }
    return { answer: { results, effect: null }, entry: entries.length === 0 ? null : entries };
  },
});
