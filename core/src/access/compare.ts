import type { EffectiveAccess, WeighedGrant } from './effective.js';
import { hasRight, type Right, type RightSet } from './rights.js';

/** Whether somebody has a right: on everything, on what they deposited themselves, or not at all. */
export type Extent = 'all' | 'own' | 'no';

/** How far a right reaches. */
export function extentOf(access: Pick<EffectiveAccess, 'all' | 'own'>, right: Right): Extent {
  if (hasRight(access.all, right)) return 'all';
  return hasRight(access.own, right) ? 'own' : 'no';
}

/** The grants through which somebody has a right; none where a ceiling takes it. */
export function sourcesOf(access: EffectiveAccess, right: Right): WeighedGrant[] {
  if (extentOf(access, right) === 'no') return [];
  return access.weighed.filter((w) => w.status === 'counts' && hasRight(w.grant.profile.rights, right));
}

export type Change = 'same' | 'more' | 'less' | 'other' | 'new' | 'gone';

/** What became of the rights that somebody had. */
export function changeOf(was: RightSet, is: RightSet): Change {
  if (was === is) return 'same';
  if (was === 0) return 'new';
  if (is === 0) return 'gone';
  if ((is & was) === was) return 'more';
  return (is & was) === is ? 'less' : 'other';
}
