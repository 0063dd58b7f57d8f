import type { RuleBookData } from './ruleBook.js';
import type { ChainPlace } from './clockStore.js';

/** A place as the effect needs it. */
export interface EffectPlace extends ChainPlace {
  readonly parent_id: string | null;
}

/** What a change does to the plan: where things would stand, and what places would say. */
export interface PlanChange {
  /** A place under another. */
  readonly moved: { readonly placeId: string; readonly parentId: string } | null;
  /** All that is in one place in another. */
  readonly merged: { readonly placeId: string; readonly intoId: string } | null;
  /** A place as it would be. */
  readonly changed: EffectPlace | null;
}

/** Pages of the table of records, from one up to another; null: to the end, however long the table has become. */
export interface PageRange {
  readonly from: number;
  readonly until: number | null;
}

/** All that decides what becomes of records; each thread gets it once, and then one range of pages after another. */
export interface EffectPart {
  readonly url: string;
  /** The snapshot that all threads read, so that together they see each record once. */
  readonly snapshot: string;
  readonly today: string;
  /** The day on which the change counts. */
  readonly afterDay: string;
  readonly before: RuleBookData;
  readonly after: RuleBookData;
  readonly places: readonly EffectPlace[];
  readonly plan: PlanChange;
  readonly events: readonly { readonly placeId: string; readonly type: string; readonly on: string }[];
  /** Records with events of their own. */
  readonly withEvents: readonly string[];
  readonly sets: readonly number[];
  /** A rule whose next version is tried; records that follow it by hand are judged one by one. */
  readonly ruleId: string | null;
}
