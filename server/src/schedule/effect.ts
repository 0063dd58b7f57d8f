import { availableParallelism } from 'node:os';
import type { Worker } from 'node:worker_threads';
import type { EffectPage, ScheduleChange } from '@key-cellar/contract';
import { mergeEffects, namedEffect, type Effect } from '@key-cellar/core/schedule';
import { inReadSnapshot, type Db } from '../db/index.js';
import type { SignedIn } from '../identity/index.js';
import { notFound, Problem, wrongField } from '../problem.js';
import type { Services } from '../services.js';
import { startThread } from '../threads.js';
import { changedBook } from './change.js';
import type { EffectPart, EffectPlace, PageRange, PlanChange } from './effectPart.js';
import * as store from './store.js';

export type EffectQuestion =
  | { readonly id: number; readonly kind: 'begin'; readonly part: EffectPart }
  /** The next range; null when there is none any more. */
  | { readonly id: number; readonly kind: 'range'; readonly range: PageRange | null };
export type EffectAnswer =
  | { readonly id: number; readonly kind: 'next' }
  | { readonly id: number; readonly kind: 'progress'; readonly done: number }
  | { readonly id: number; readonly kind: 'effect'; readonly effect: Effect }
  | { readonly id: number; readonly kind: 'failed'; readonly why: string };

/** Threads that work out effects; started when they are first needed, and kept. */
export interface EffectThreads {
  readonly count: number;
  /**
   * Works the ranges off side by side, each thread taking the next one when it is done with one; rejects when a thread fails
   * or when `signal` is given up.
   */
  run(part: EffectPart, ranges: readonly PageRange[], progress: (done: number) => void, signal: AbortSignal): Promise<Effect>;
  stop(): Promise<void>;
}

const mostThreads = 4;
/** Tables with fewer pages are not worth sharing out. */
const leastPages = 500;
/** Ranges for each thread: many are shared out evenly, few cost less. */
const rangesAThread = 8;

export function effectThreads(): EffectThreads {
  const count = Math.max(1, Math.min(mostThreads, availableParallelism()));
  const threads: (Worker | undefined)[] = [];
  let last = 0;

  function thread(i: number): Worker {
    const known = threads[i];
    if (known) return known;
    const started = startThread('effectThread');
    started.on('error', () => undefined);
    started.on('exit', () => {
      if (threads[i] === started) threads[i] = undefined;
    });
    started.setMaxListeners(0);
    // A program that is done may end.
    started.unref();
    threads[i] = started;
    return started;
  }

  function one(
    i: number,
    part: EffectPart,
    take: () => PageRange | null,
    progress: (done: number) => void,
    signal: AbortSignal,
  ): Promise<Effect> {
    return new Promise((resolve, reject) => {
      const id = ++last;
      const worker = thread(i);
      const settleWith = (settle: () => void): void => {
        worker.off('exit', ended);
        signal.removeEventListener('abort', giveUp);
        settle();
      };
      /** The thread is done with the question, also when nobody waited for it. */
      const finish = (settle: () => void): void => {
        worker.off('message', hear);
        settleWith(settle);
      };
      const hear = (answer: EffectAnswer): void => {
        if (answer.id !== id) return;
        if (answer.kind === 'next')
          worker.postMessage({ id, kind: 'range', range: signal.aborted ? null : take() } satisfies EffectQuestion);
        else if (answer.kind === 'progress') progress(answer.done);
        else if (answer.kind === 'effect') finish(() => resolve(answer.effect));
        else finish(() => reject(new Error(answer.why)));
      };
      const ended = (): void => finish(() => reject(new Error('the thread ended')));
      // Nobody waits any more: the thread gets no further range and turns to the next question.
      const giveUp = (): void => settleWith(() => reject(new Error('nobody waits for this effect any more')));
      worker.on('message', hear);
      worker.on('exit', ended);
      signal.addEventListener('abort', giveUp);
      worker.postMessage({ id, kind: 'begin', part } satisfies EffectQuestion);
    });
  }

  return {
    count,
    async run(part, ranges, progress, signal) {
      const left = [...ranges];
      const done = Array.from({ length: Math.min(count, ranges.length) }, () => 0);
      const effects = await Promise.all(
        done.map((_, i) =>
          one(
            i,
            part,
            () => left.shift() ?? null,
            (n) => {
              done[i] = n;
              progress(done.reduce((sum, d) => sum + d, 0));
            },
            signal,
          ),
        ),
      );
      return mergeEffects(effects);
    },
    async stop() {
      await Promise.all(threads.map((t) => t?.terminate()));
    },
  };
}

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
  const rules = new Map((await store.rules(services.pool)).map((r) => [r.id, r]));
  const named = change.kind === 'setRules' ? change.sets.map((s) => s.ruleId) : 'ruleId' in change ? [change.ruleId] : [];
  if (named.some((id) => !rules.has(id))) throw notFound('This rule');
  const after = changedBook(book.data, change, (id) => rules.get(id)!.code);
  return inReadSnapshot(services.pool, async (db, snapshot) => {
    const [places, events, withEvents, extent] = await Promise.all([
      store.effectPlaces(db),
      store.placeEvents(db),
      store.recordsWithEvents(db),
      store.recordExtent(db),
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
  const names = new Map((await store.recordNames(db, effect.most.map((m) => m.id))).map((n) => [n.id, n])); // prettier-ignore
  return namedEffect(effect, (id) => place.get(id), (id) => names.get(id)); // prettier-ignore
}

/** What a change does to the plan; throws a Problem for what cannot be. */
function planChange(places: readonly EffectPlace[], change: ScheduleChange): PlanChange {
  const nothing: PlanChange = { moved: null, merged: null, changed: null };
  const byId = new Map(places.map((p) => [p.id, p]));
  const placeOf = (id: string): EffectPlace => {
    const place = byId.get(id);
    if (!place) throw notFound('This place');
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
      if (!byId.has(parentId)) throw wrongField('/parentId', 'There is no such place.');
      if (liesIn(parentId, placeId)) throw new Problem(409, 'circle', 'A place cannot be moved into itself.');
      return { ...nothing, moved: { placeId, parentId } };
    }
    case 'mergePlace': {
      const { placeId, intoId } = change;
      placeOf(placeId);
      if (!byId.has(intoId)) throw wrongField('/intoId', 'There is no such place.');
      if (liesIn(intoId, placeId)) throw new Problem(409, 'circle', 'A place cannot be merged into itself.');
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
