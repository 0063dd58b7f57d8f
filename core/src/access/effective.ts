import { message, type Message, type Value } from '@key-cellar/words';
import type { EpochDay } from '../calendar/index.js';
import { dominates, type Marking } from './marking.js';
import { hasRight, describeRights, profileWords, rightSet, type Profile, type Right, type RightSet } from './rights.js';

/** A grant: principal × place × profile, with its first and last day (both inclusive; null = open). */
export interface Grant {
  readonly id: string;
  readonly principalId: string;
  readonly profile: Profile;
  readonly from: EpochDay | null;
  readonly until: EpochDay | null;
}

/** A word that places and records carry, with the grants made on it. */
export interface AccessTag {
  readonly id: string;
  readonly name: string;
  readonly grants: readonly Grant[];
}

/** One place on the way from the repository down to a record, with the grants made right there and the tags that it carries. */
export interface AccessPlace {
  readonly id: string;
  readonly name: string;
  readonly standAlone: boolean;
  readonly grants: readonly Grant[];
  readonly tags: readonly AccessTag[];
}

/** A person with all principals that they are: themselves and every group above them. */
export interface Person {
  readonly id: string;
  readonly principals: ReadonlySet<string>;
  readonly clearance: Marking;
}

export type GrantStatus = 'counts' | 'superseded by a nearer place' | 'stopped by a place that stands alone' | 'not begun' | 'ended';

export interface WeighedGrant {
  readonly grant: Grant;
  /** Where it was given, or where the tag is carried through which it reaches here. */
  readonly place: string;
  /** The name of the tag that it was given on. */
  readonly tag: string | null;
  readonly status: GrantStatus;
}

/** What a person may do at a place, and why. `own` holds for what they deposited themselves. */
export interface EffectiveAccess {
  readonly all: RightSet;
  readonly own: RightSet;
  readonly weighed: readonly WeighedGrant[];
  readonly ceilings: readonly Message[];
}

const none: RightSet = 0;
/** Keepers and auditors reach into places that stand alone. */
const reachesEverywhere = rightSet('audit');

/**
 * Effective access of a person at the last place of a chain (repository first).
 * For each principal the nearest place with a grant in force counts; what was given on tags that are carried on the way adds to it. The
 * person’s rights are the union; then the marking ceiling. Source: docs/semantics.md 9.2–9.4, 9.20.
 */
export function effectiveAccess(person: Person, chain: readonly AccessPlace[], marking: Marking, today: EpochDay): EffectiveAccess {
  const weighed: WeighedGrant[] = [];
  const settled = new Set<string>();
  const seenTags = new Set<string>();
  let all = none;
  let own = none;
  let walled = false;
  const weigh = (grant: Grant, place: AccessPlace, tag: AccessTag | null): void => {
    const named = grant.profile;
    let status: GrantStatus = 'counts';
    if (grant.from !== null && today < grant.from) status = 'not begun';
    else if (grant.until !== null && today > grant.until) status = 'ended';
    else if (walled && (named.rights & reachesEverywhere) === 0) status = 'stopped by a place that stands alone';
    else if (tag === null && settled.has(grant.principalId)) status = 'superseded by a nearer place';
    if (status === 'counts') {
      if (named.ownOnly) {
        own |= named.rights;
        all |= named.rights & ~rightSet('discover', 'read', 'copyOut');
      } else all |= named.rights;
    }
    weighed.push({ grant, place: place.name, tag: tag?.name ?? null, status });
  };
  const theirs = (grants: readonly Grant[]): Grant[] => grants.filter((g) => person.principals.has(g.principalId));
  for (let i = chain.length - 1; i >= 0; i--) {
    const place = chain[i]!;
    const from = weighed.length;
    for (const grant of theirs(place.grants)) weigh(grant, place, null);
    for (const { grant, status } of weighed.slice(from)) if (status === 'counts') settled.add(grant.principalId);
    for (const tag of place.tags) {
      // Farther out the same tag can give no more than it does here.
      if (seenTags.has(tag.id)) continue;
      seenTags.add(tag.id);
      for (const grant of theirs(tag.grants)) weigh(grant, place, tag);
    }
    if (place.standAlone) walled = true;
  }
  if (!dominates(person.clearance, marking)) {
    const words: Value[] = [message('access.markingLevel', { level: String(marking.level) }), ...marking.caveats];
    return { all: none, own: none, weighed, ceilings: [message('access.clearanceTooLow', { words: { list: words } })] };
  }
  return { all, own: own | all, weighed, ceilings: [] };
}

/** Whether a person may do something here; `isOwn`: they deposited it. */
export function may(access: Pick<EffectiveAccess, 'all' | 'own'>, right: Right, isOwn = false): boolean {
  return hasRight(access.all, right) || (isOwn && hasRight(access.own, right));
}

/** Titles of the profiles that count at a place, each once; none where a ceiling takes everything. */
export function profilesThatCount(access: EffectiveAccess): Message[] {
  if (access.ceilings.length > 0) return [];
  return [...new Map(access.weighed.filter((w) => w.status === 'counts').map((w) => [w.grant.profile.code, w.grant.profile])).values()].map(
    profileWords,
  );
}

/** What a grant gives through what: “Editor on PIL”, or “Editor by the tag ‘Inquiry’”. */
export const grantWords = ({ grant, place, tag }: WeighedGrant): Message =>
  tag === null
    ? message('access.profileOn', { profile: profileWords(grant.profile), place })
    : message('access.profileByTag', { profile: profileWords(grant.profile), tag });

/** One sentence on what a person may do and through which grants. */
export function explainAccess(access: EffectiveAccess): Message {
  if (access.ceilings.length > 0) return access.ceilings[0]!;
  const counting = access.weighed.filter((w) => w.status === 'counts');
  if (counting.length === 0) return message('access.noGrant');
  return message('access.mayThrough', { rights: describeRights(access.all | access.own), through: { list: counting.map(grantWords) } });
}
