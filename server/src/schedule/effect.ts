import { message } from '@key-cellar/words';
import type { EffectPage, ScheduleChange } from '@key-cellar/contract';
import { namedEffect, type Effect } from '@key-cellar/core/schedule';
import { type Db, inReadSnapshot, notFound, Problem, type SignedIn, wrongField } from '../kernel/index.js';
import type { Services } from './services.js';
import { changedBook } from './change.js';
import type { EffectPart, EffectPlace, PageRange, PlanChange } from './effectTypes.js';
import * as effectStore from './effectStore.js';
import * as ruleStore from './ruleStore.js';

/** Tables with fewer pages are not worth sharing out. */
const leastPages = 500;
/** Ranges for each thread: many are shared out evenly, few cost less. */
const rangesAThread = 8;

/** Pages shared out in ranges; the last one is open. */
function rangesOf(pages: number, threads: number): PageRange[] {
  const shares = pages < leastPages ? 1 : threads * rangesAThread;
  const share = Math.ceil(pages / shares);
  return Array.from({ length: shares }, (_, i) => ({ from: i * share, until: i === shares - 1 ? null : (i + 1) * share }));
}

/** A day later than which a change counts: a version that comes into force later is looked at on its first day. */
function dayOf(change: ScheduleChange, today: string): string {
  return change.kind === 'rule' && change.inForceFrom > today ? change.inForceFrom : today;
}

/**
 * What a change would do to all records that the person may discover. All threads read the same snapshot, so that what is
 * written meanwhile is either in all of it or in none.
 */
export async function effectOfChange(
  services: Services,
  person: SignedIn,
  change: ScheduleChange,
  progress: (done: number, total: number) => void,
  signal: AbortSignal,
): Promise<EffectPage> {
  const access = await services.access.of(person);
  const book = await services.rules.current(services.pool);
  const rules = new Map((await ruleStore.rules(services.pool)).map((r) => [r.id, r]));
  const named = change.kind === 'setRules' ? change.sets.map((s) => s.ruleId) : 'ruleId' in change ? [change.ruleId] : [];
  if (named.some((id) => !rules.has(id))) throw notFound(message('thing.rule'));
  const after = changedBook(book.data, change, (id) => rules.get(id)!.code);
  return inReadSnapshot(services.pool, async (db, snapshot) => {
    const [places, events, withEvents, extent] = await Promise.all([
      effectStore.effectPlaces(db),
      effectStore.placeEvents(db),
      effectStore.recordsWithEvents(db),
      effectStore.recordExtent(db),
    ]);
    const plan = planChange(places, change);
    const part: EffectPart = {
      url: services.config.appUrl,
      snapshot,
      today: person.today,
      afterDay: dayOf(change, person.today),
      before: book.data,
      after,
      places,
      plan,
      events: events.map((e) => ({ placeId: e.place_id, type: e.type, on: e.happened_on })),
      withEvents: withEvents.map((r) => r.record_id),
      sets: access.sets('discover'),
      ruleId: change.kind === 'rule' ? change.ruleId : null,
    };
    progress(0, extent.records);
    const effect = await services.effects.run(
      part,
      rangesOf(extent.pages, services.effects.count),
      (done) => progress(Math.min(done, extent.records), extent.records),
      signal,
    );
    return withNames(db, effect, places);
  });
}

/** An effect with the names of its series and of the records that move farthest. */
export async function withNames(
  db: Db,
  effect: Effect,
  places: readonly { id: string; code: string; title: string }[],
): Promise<EffectPage> {
  const place = new Map(places.map((p) => [p.id, p]));
  const names = new Map(
    (
      await effectStore.recordNames(
        db,
        effect.most.map((m) => m.id),
      )
    ).map((n) => [n.id, n]),
  );
  return namedEffect(
    effect,
    (id) => place.get(id),
    (id) => names.get(id),
  );
}

/** What a change does to the plan; throws a Problem for what cannot be. */
function planChange(places: readonly EffectPlace[], change: ScheduleChange): PlanChange {
  const nothing: PlanChange = { moved: null, merged: null, changed: null };
  const byId = new Map(places.map((p) => [p.id, p]));
  const placeOf = (id: string): EffectPlace => {
    const place = byId.get(id);
    if (!place) throw notFound(message('thing.place'));
    return place;
  };
  /** Whether one place is another, or lies in it. */
  const liesIn = (id: string, around: string): boolean => {
    for (let at: string | null = id; at !== null; at = byId.get(at)?.parent_id ?? null) if (at === around) return true;
    return false;
  };
  switch (change.kind) {
    case 'movePlace': {
      const { placeId, parentId } = change;
      placeOf(placeId);
      if (!byId.has(parentId)) throw wrongField('/parentId', message('schedule.thereNoSuchPlace'));
      if (liesIn(parentId, placeId)) throw new Problem(409, 'circle', message('schedule.circle'));
      return { ...nothing, moved: { placeId, parentId } };
    }
    case 'mergePlace': {
      const { placeId, intoId } = change;
      placeOf(placeId);
      if (!byId.has(intoId)) throw wrongField('/intoId', message('schedule.thereNoSuchPlace'));
      if (liesIn(intoId, placeId)) throw new Problem(409, 'circle', message('schedule.placeCannotMergedInto'));
      return { ...nothing, merged: { placeId, intoId } };
    }
    case 'closeFolder':
      return { ...nothing, changed: { ...placeOf(change.placeId), closed_on: change.on } };
    case 'placeJurisdictions':
      return { ...nothing, changed: { ...placeOf(change.placeId), jurisdictions: [...change.jurisdictions] } };
    default:
      return nothing;
  }
}
