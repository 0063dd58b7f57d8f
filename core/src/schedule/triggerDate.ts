import { message, type Value } from '@key-cellar/words';
import { addPeriod, period, type EpochDay } from '../calendar/index.js';
import { sameEvent, type ClockFacts, type EventOccurrence } from './clockFacts.js';
import { partsOf, type SimpleTrigger, type Trigger, type TriggerPart } from './rule.js';

export interface TriggerDate {
  readonly on: EpochDay;
  /** Where the date came from, for the explanation. */
  readonly subject: Value;
}

/** One of several triggers with its date, as it stands; null while that is not known. */
export interface DatedPart {
  readonly part: TriggerPart;
  /** Its own date. */
  readonly found: TriggerDate | null;
  /** Its date with its period added. */
  readonly on: EpochDay | null;
}

function simpleDate(trigger: SimpleTrigger, facts: ClockFacts): TriggerDate | null {
  switch (trigger.kind) {
    case 'recordDate': {
      const on = facts.dates[trigger.date];
      return on === undefined ? null : { on, subject: message('schedule.theRecord') };
    }
    case 'fact': {
      const all = facts.factDates[trigger.fact];
      if (!all) return null;
      return { on: trigger.occurrence === 'first' ? Math.min(...all) : Math.max(...all), subject: message('schedule.theRecord') };
    }
    case 'folderClosed':
      return facts.folderClosed ?? null;
    case 'event': {
      let best: EventOccurrence | null = null;
      for (const event of facts.events) {
        if (!sameEvent(event.type, trigger.eventType)) continue;
        const better =
          best === null ||
          event.distance < best.distance ||
          (event.distance === best.distance && (trigger.occurrence === 'first' ? event.on < best.on : event.on > best.on));
        if (better) best = event;
      }
      return best;
    }
    case 'unreferenced': {
      const on = facts.unreferenced?.[trigger.fact];
      return on === undefined || on === null ? null : { on, subject: message('schedule.whatReferred') };
    }
  }
}

/** What a trigger is made of, each with its date as it stands. */
export function datedParts(trigger: Trigger, facts: ClockFacts): DatedPart[] {
  return partsOf(trigger).map((part) => {
    const found = simpleDate(part.trigger, facts);
    return { part, found, on: found === null ? null : addPeriod(found.on, period(part.after)) };
  });
}

/** Which of several dated parts counts; null while that is not known. On one day the first that is named. */
export function countingPart(kind: Trigger['kind'], parts: readonly DatedPart[]): (DatedPart & { readonly on: EpochDay }) | null {
  let counts: (DatedPart & { readonly on: EpochDay }) | null = null;
  for (const { on, ...part } of parts) {
    if (on === null) {
      if (kind === 'earliest') continue;
      return null;
    }
    if (counts === null || (kind === 'earliest' ? on < counts.on : on > counts.on)) counts = { ...part, on };
  }
  return counts;
}

/**
 * The date of a trigger, or null while it is not known (docs/semantics.md 2). Events: nearest subject first, then first or
 * last. Of several triggers each with its period added: the earliest of those known, or the latest of all.
 */
export function triggerDate(trigger: Trigger, facts: ClockFacts): TriggerDate | null {
  switch (trigger.kind) {
    case 'never':
      return null;
    case 'earliest':
    case 'latest': {
      const counts = countingPart(trigger.kind, datedParts(trigger, facts));
      return counts && { on: counts.on, subject: counts.found!.subject };
    }
    default:
      return simpleDate(trigger, facts);
  }
}
