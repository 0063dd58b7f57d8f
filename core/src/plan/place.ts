import { message, type Message } from '@key-cellar/words';
/** Kinds of places, outermost first. A repository has functions, those activities, those series, those folders. */
export const placeKinds = ['repository', 'function', 'activity', 'series', 'folder'] as const;
export type PlaceKind = (typeof placeKinds)[number];

const inside: Readonly<Record<PlaceKind, readonly Exclude<PlaceKind, 'repository'>[]>> = {
  repository: ['function'],
  function: ['activity', 'series'],
  activity: ['series'],
  series: ['folder'],
  folder: ['folder'],
};

/** Kinds of places that may be made right under a place of this kind. */
export function kindsInside(kind: PlaceKind): readonly Exclude<PlaceKind, 'repository'>[] {
  return inside[kind];
}

/** Whether records are filed right under a place of this kind. */
export function takesRecords(kind: PlaceKind): boolean {
  return kind === 'series' || kind === 'folder';
}

/** A code such as `PIL` or `PIL-03`: capital letters, digits, hyphens, dots and slashes; starts with a letter or digit. */
export const codePattern = /^[A-Z0-9][A-Z0-9./-]{0,39}$/;

/** A kind with its article: “a series”, “an activity”. */
export function kindWords(kind: PlaceKind): Message {
  return message('plan.aKind', { kind });
}
