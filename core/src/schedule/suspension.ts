import type { EpochDay } from '../calendar/index.js';
import { sameEvent, type EventOccurrence } from './clockFacts.js';
import type { Suspension } from './rule.js';

/** Days on which a clock stands: from the day it was stopped to the day it goes on; null while it stands. */
export interface Stop {
  readonly from: EpochDay;
  readonly until: EpochDay | null;
}

/**
 * When a rule’s clock stands (docs/semantics.md 2.8), in order. Only the nearest subject counts on which something stopped it.
 * What resumes a clock that goes, or stops one that stands, changes nothing; nor do both on one day.
 */
export function stopsOf(suspension: Suspension | undefined, events: readonly EventOccurrence[]): readonly Stop[] {
  if (!suspension) return [];
  const stopping = events.filter((e) => sameEvent(e.type, suspension.stops));
  if (stopping.length === 0) return [];
  const nearest = Math.min(...stopping.map((e) => e.distance));
  const days = (of: readonly EventOccurrence[]): Set<EpochDay> => new Set(of.filter((e) => e.distance === nearest).map((e) => e.on));
  const stopped = days(stopping);
  const resumed = days(events.filter((e) => sameEvent(e.type, suspension.resumes)));
  const stops: Stop[] = [];
  let since: EpochDay | null = null;
  for (const day of [...new Set([...stopped, ...resumed])].sort((a, b) => a - b)) {
    if (stopped.has(day) && resumed.has(day)) continue;
    if (since === null && stopped.has(day)) since = day;
    else if (since !== null && resumed.has(day)) {
      stops.push({ from: since, until: day });
      since = null;
    }
  }
  if (since !== null) stops.push({ from: since, until: null });
  return stops;
}

/**
 * A date that was counted from `base` without regard to stops, as it is with them: days on which the clock stood do not count.
 * Null while it stands. What stops it on the day itself, or later, does not concern it.
 */
export function withStops(due: EpochDay, base: EpochDay, stops: readonly Stop[]): EpochDay | null {
  let extended = due;
  for (const { from, until } of stops) {
    if (until !== null && until <= base) continue;
    if (from >= extended) break;
    if (until === null) return null;
    extended += until - Math.max(from, base);
  }
  return extended;
}
