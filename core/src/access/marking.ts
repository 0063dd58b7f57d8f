import { message, type Message } from '@key-cellar/words';

/** How sensitive something is, or up to what a person may go. */
export interface Marking {
  readonly level: number;
  readonly caveats: readonly string[];
}

/** Whether a clearance is enough for a marking, or a marking at least as strict as another: level at least as high, caveats a superset. */
export function dominates(clearance: Marking, marking: Marking): boolean {
  return clearance.level >= marking.level && marking.caveats.every((caveat) => clearance.caveats.includes(caveat));
}

/** Whether two markings are the same, in whatever order their caveats stand. */
export const sameMarking = (a: Marking, b: Marking): boolean => dominates(a, b) && dominates(b, a);

/** The least marking that is as strict as both; caveats in order, each once. */
export const joined = (a: Marking, b: Marking): Marking => ({
  level: Math.max(a.level, b.level),
  caveats: [...new Set([...a.caveats, ...b.caveats])].sort(),
});

/**
 * What becomes of a marking inside a place whose own goes from `was` to `is`: what was marked as the place follows it; what was marked otherwise
 * is marked at least as the place. Source: docs/semantics.md 9.5.
 */
export const markingInside = (was: Marking, is: Marking, own: Marking): Marking => joined(sameMarking(own, was) ? is : own, is);

/** A marking in words: “level 2, PILOTS”; “not marked” where it is none. */
export function markingWords({ level, caveats }: Marking): Message {
  if (level === 0 && caveats.length === 0) return message('access.unmarked');
  return message('access.marked', { words: { list: [message('access.markingLevel', { level: String(level) }), ...caveats] } });
}
