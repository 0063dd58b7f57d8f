import { canonicalJson } from '../ledger/index.js';

/** Plain JSON by the name of its field. */
export type Fields = Readonly<Record<string, unknown>>;

/**
 * What both sides last had in common: a fingerprint of each field's value then. *Theirs*: nothing is known, and what comes is an
 * instruction. *None*: nothing is known, and what comes is another's word.
 */
export type Common = { readonly known: Readonly<Record<string, string>> } | 'theirs' | 'none';

export interface Merged {
  /** What is here, with what comes where that counts. */
  readonly values: Fields;
  /** Fields that take what comes. */
  readonly taken: readonly string[];
  /** Fields that only this side changed: they stay. */
  readonly kept: readonly string[];
  /** Fields that both sides changed: they stay, until somebody says otherwise. */
  readonly conflicts: readonly string[];
}

const same = (a: unknown, b: unknown): boolean => canonicalJson(a ?? null) === canonicalJson(b ?? null);

/** A history as it came to be; what is no list has none. */
const historyOf = (value: unknown): readonly unknown[] => (Array.isArray(value) ? value : []);

/**
 * Merges what comes into what is here. Fields that `wanted` lacks say nothing. `histories` are fields whose lists only grow: the longer
 * one counts when it begins with the other, whatever was common. `fingerprint` must be the one that the common state was made with.
 *
 *     merge({ title: 'A' }, { title: 'B' }, { known: { title: print('A') } }, print).taken   // ['title']
 */
export function merge(
  now: Fields,
  wanted: Fields,
  common: Common,
  fingerprint: (value: unknown) => string,
  histories: readonly string[] = [],
): Merged {
  const values: Record<string, unknown> = { ...now };
  const [taken, kept, conflicts]: [string[], string[], string[]] = [[], [], []];
  for (const [field, value] of Object.entries(wanted)) {
    if (same(now[field], value)) continue;
    const whose = histories.includes(field) ? longer(now[field], value) : side(now[field], value, field);
    if (whose === 'theirs') {
      values[field] = value;
      taken.push(field);
    } else (whose === 'ours' ? kept : conflicts).push(field);
  }
  return { values, taken, kept, conflicts };

  function side(here: unknown, there: unknown, field: string): 'ours' | 'theirs' | 'both' {
    if (common === 'theirs') return 'theirs';
    const then = common === 'none' ? undefined : common.known[field];
    if (fingerprint(here ?? null) === then) return 'theirs';
    return fingerprint(there ?? null) === then ? 'ours' : 'both';
  }
  function longer(here: unknown, there: unknown): 'ours' | 'theirs' | 'both' {
    const [ours, theirs] = [historyOf(here), historyOf(there)];
    if (same(theirs.slice(0, ours.length), ours)) return 'theirs';
    return same(ours.slice(0, theirs.length), theirs) ? 'ours' : 'both';
  }
}
