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
export function refusesInside(place: PlaceStanding, today: string): string | null {
  switch (shutOn(place, today)) {
    case 'retired':
      return `${place.code} was retired on ${place.retiredOn}.`;
    case 'closed':
      return `${place.code} was closed on ${place.closedOn}.`;
    case 'notYet':
      return `${place.code} opens on ${place.openedOn}.`;
    case null:
      return null;
  }
}

/** Why a place cannot be moved under another; null when it can. Records follow their place, so they are asked elsewhere. */
export function moveRefusal(place: PlaceStanding, parent: PlaceStanding, today: string): string | null {
  if (place.kind === 'repository') return 'The repository itself cannot be moved.';
  if (parent.ancestors.includes(place.id)) return 'A place cannot be moved into itself.';
  if (place.ancestors.at(-2) === parent.id) return `${place.code} is in ${parent.code} already.`;
  if (!kindsInside(parent.kind).includes(place.kind)) return `A ${place.kind} cannot be inside a ${parent.kind}.`;
  return refusesInside(parent, today);
}

/** Why a place cannot be merged into another; null when it can. */
export function mergeRefusal(place: PlaceStanding, into: PlaceStanding, today: string): string | null {
  if (place.kind === 'repository') return 'The repository itself cannot be merged.';
  if (place.id === into.id) return 'A place cannot be merged into itself.';
  if (place.kind !== into.kind) return `A ${place.kind} can only be merged into another ${place.kind}.`;
  if (into.ancestors.includes(place.id)) return `${into.code} is inside ${place.code}.`;
  if (place.retiredOn !== null) return `${place.code} was retired on ${place.retiredOn}.`;
  return refusesInside(into, today);
}
