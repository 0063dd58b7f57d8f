import { message, type Message } from '@key-cellar/words';
import { kindsInside, type PlaceKind } from './place.js';

/** What a change of the plan needs to know of a place. */
export interface PlaceStanding {
  readonly id: string;
  readonly kind: PlaceKind;
  readonly code: string;
  /** Days as ISO text; each may lie ahead. */
  readonly openedOn: string;
  readonly closedOn: string | null;
  readonly retiredOn: string | null;
  /** From the repository down to the place itself. */
  readonly ancestors: readonly string[];
}

export const shutStates = ['retired', 'closed', 'notYet'] as const;
/** Why a place takes nothing on a day: it was retired, it was closed, or it opens later. */
export type Shut = (typeof shutStates)[number];

/** Whether something new may come into a place on a day (ISO text); null when it may. */
export function shutOn(place: Pick<PlaceStanding, 'openedOn' | 'closedOn' | 'retiredOn'>, today: string): Shut | null {
  if (place.retiredOn !== null) return 'retired';
  if (place.closedOn !== null && place.closedOn <= today) return 'closed';
  return place.openedOn > today ? 'notYet' : null;
}

/** The same in a sentence. */
export function refusesInside(place: PlaceStanding, today: string): Message | null {
  switch (shutOn(place, today)) {
    case 'retired':
      return message('plan.retiredOn', { code: place.code, on: { day: place.retiredOn! } });
    case 'closed':
      return message('plan.closedOn', { code: place.code, on: { day: place.closedOn! } });
    case 'notYet':
      return message('plan.opensOn', { code: place.code, on: { day: place.openedOn } });
    case null:
      return null;
  }
}

/** Why a place cannot be moved under another; null when it can. Records follow their place, so they are asked elsewhere. */
export function moveRefusal(place: PlaceStanding, parent: PlaceStanding, today: string): Message | null {
  if (place.kind === 'repository') return message('plan.repositoryItselfCannotMoved');
  if (parent.ancestors.includes(place.id)) return message('plan.placeCannotMovedInto');
  if (place.ancestors.at(-2) === parent.id) return message('plan.isInsideAlready', { code: place.code, parent: parent.code });
  if (!kindsInside(parent.kind).includes(place.kind)) return message('plan.cannotBeInside', { kind: place.kind, parent: parent.kind });
  return refusesInside(parent, today);
}

/** Why a place cannot be merged into another; null when it can. */
export function mergeRefusal(place: PlaceStanding, into: PlaceStanding, today: string): Message | null {
  if (place.kind === 'repository') return message('plan.repositoryItselfCannotMerged');
  if (place.id === into.id) return message('plan.placeCannotMergedInto');
  if (place.kind !== into.kind) return message('plan.mergedWithItsKind', { kind: place.kind });
  if (into.ancestors.includes(place.id)) return message('plan.isInside', { code: into.code, place: place.code });
  if (place.retiredOn !== null) return message('plan.retiredOn', { code: place.code, on: { day: place.retiredOn! } });
  return refusesInside(into, today);
}
