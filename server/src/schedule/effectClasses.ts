import { civilDate, type WorkCalendar } from '@key-cellar/core/calendar';
import { clausesOf } from '@key-cellar/core/criteria';
import { compileGoverning, type DateSlots, type EventOccurrence, type FastVerdict, type RuleCandidate } from '@key-cellar/core/schedule';
import { uuidKey, type KeyParts } from './effectRow.js';
import { bitsAColumn, type CriteriaMasks } from './effectRowStore.js';
import type { EffectPart, EffectPlace } from './effectTypes.js';
import {
  candidateByCriteria,
  candidatesForPair,
  candidatesOnPlaces,
  eventsOnChain,
  folderClosedOn,
  jurisdictionsOf,
} from './evaluation.js';
import { ruleBookOf, type RuleBook } from './ruleBook.js';

/** What is the same for all records of one place, type, jurisdiction and set of matching criteria. */
export interface Class {
  readonly series: string;
  /** The days that are worked where they belong, after the change. */
  readonly workdays: WorkCalendar | undefined;
  /** Each record has to be judged by itself. */
  readonly slow: boolean;
  /** Null: the change does not reach them. */
  readonly after: ((dates: Int32Array, into: FastVerdict) => void) | null;
}

/** The ways outward from places, as they are and as they would be after the change. */
export function waysOf({ places: all, plan: { moved, merged, changed } }: EffectPart) {
  const places = new Map(all.map((p) => [p.id, p]));
  const then = (id: string | null): string | null => (id !== null && id === merged?.placeId ? merged.intoId : id);
  const walk = (from: string | null, placeAt: (id: string) => EffectPlace | undefined, next: (p: EffectPlace) => string | null) => {
    const chain: EffectPlace[] = [];
    for (let at = from; at !== null;) {
      const place = placeAt(at);
      if (!place) break;
      chain.push(place);
      at = next(place);
    }
    return chain;
  };
  const otherWay = new Set([moved?.placeId, merged?.placeId]);
  return {
    now: (id: string): EffectPlace[] =>
      walk(
        id,
        (at) => places.get(at),
        (p) => p.parent_id,
      ),
    then: (id: string): EffectPlace[] =>
      walk(
        then(id),
        (at) => (changed?.id === at ? changed : places.get(at)),
        (p) => then(moved?.placeId === p.id ? moved.parentId : p.parent_id),
      ),
    /** Whether the change takes what is on this way elsewhere. */
    moves: (chain: readonly EffectPlace[]): boolean => chain.some((p) => otherWay.has(p.id)),
  };
}
export type Ways = ReturnType<typeof waysOf>;

/** Makes classes: which rules are asked before and after, compiled once for all records of a class. */
export function classMaker(part: EffectPart, ways: Ways, slots: DateSlots, criteria: CriteriaMasks): (key: KeyParts) => Class {
  const [beforeBook, afterBook] = [ruleBookOf(part.before), ruleBookOf(part.after)];
  const placeByKey = new Map(part.places.map((p) => [uuidKey(p.id), p]));
  const { changed } = part.plan;
  const afterDay = civilDate(part.afterDay);
  /** Criteria that ask for places must see the new way, which SQL does not know. */
  const asksForPlaces = part.after.criteriaRules.some((rule) => clausesOf(rule.criteria).some((c) => c.op === 'under'));
  const eventsBySubject = new Map<string, { type: string; happened_on: string }[]>();
  for (const { placeId, type, on } of part.events) {
    eventsBySubject.set(placeId, [...(eventsBySubject.get(placeId) ?? []), { type, happened_on: on }]);
  }

  function candidates(chain: readonly EffectPlace[], { type, masks }: KeyParts, book: RuleBook, bits: readonly number[]): RuleCandidate[] {
    const series = chain.find((p) => p.kind === 'series');
    return [
      ...candidatesOnPlaces(chain, book),
      ...(series ? candidatesForPair(type, series.id, series.code, book) : []),
      ...book.criteriaRules.flatMap((rule, i) => {
        const bit = bits[i]!;
        const matches = (masks[Math.floor(bit / bitsAColumn)]! >> (bit % bitsAColumn)) & 1;
        return matches ? [candidateByCriteria(rule, i, book)] : [];
      }),
    ];
  }

  const standing = (c: RuleCandidate): string => `${c.level} ${c.distance}`;
  const sameRules = (before: readonly RuleCandidate[], after: readonly RuleCandidate[]): boolean =>
    before.length === after.length && before.every((b, i) => b.versions === after[i]!.versions && standing(b) === standing(after[i]!));

  return (key) => {
    const place = placeByKey.get(key.place);
    if (!place) return { series: '', workdays: undefined, slow: false, after: null };
    const [chain, newChain] = [ways.now(place.id), ways.then(place.id)];
    const after = candidates(newChain, key, afterBook, criteria.after);
    const moves = ways.moves(chain);
    const same =
      !moves && !chain.some((p) => p.id === changed?.id) && sameRules(candidates(chain, key, beforeBook, criteria.before), after);
    const jurisdictions = jurisdictionsOf(key.own, newChain, afterBook);
    const workdays = afterBook.workdays(jurisdictions);
    const events: EventOccurrence[] = eventsOnChain(newChain, eventsBySubject);
    const shared = { folderClosed: folderClosedOn(newChain), events, workdays };
    return {
      workdays,
      series: chain.find((p) => p.kind === 'series')?.id ?? '',
      slow: moves && asksForPlaces,
      after: same ? null : compileGoverning(after, shared, jurisdictions, afterDay, slots),
    };
  };
}
