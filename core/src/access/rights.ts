import { message, type Code, type Message, type Value } from '@key-cellar/words';
/** The verbs of Key Cellar (docs/semantics.md 9.1). Reading never implies copying out. */
export const rights = [
  'discover',
  'read',
  'copyOut',
  'deposit',
  'annotate',
  'edit',
  'move',
  'declare',
  'revoke',
  'link',
  'grant',
  'hold',
  'dispose',
  'approve',
  'audit',
  'setUp',
  'people',
  'connect',
  'arrange',
] as const;
export type Right = (typeof rights)[number];

/** A set of rights as bits, so that unions over thousands of places cost nothing. */
export type RightSet = number;

const bit = new Map<Right, number>(rights.map((right, index) => [right, 1 << index]));

export function rightSet(...some: readonly Right[]): RightSet {
  return some.reduce((set, right) => set | bit.get(right)!, 0);
}

export function hasRight(set: RightSet, right: Right): boolean {
  return (set & bit.get(right)!) !== 0;
}

export function listRights(set: RightSet): Right[] {
  return rights.filter((right) => hasRight(set, right));
}

/** Parts of a right that can be had by themselves: who sets up does all of it, who disposes arranges what records are. Source: docs/semantics.md 9.1. */
const parts: Readonly<Partial<Record<Right, RightSet>>> = {
  setUp: rightSet('people', 'connect'),
  dispose: rightSet('arrange'),
};

const partsOf = (set: RightSet): RightSet => listRights(set).reduce((all, right) => all | (parts[right] ?? 0), 0);

/** Rights with all that are parts of them. */
export const withParts = (set: RightSet): RightSet => set | partsOf(set);

/** Rights in words, in their order: “read, copy out”; parts of one that is there go without saying. */
export function describeRights(set: RightSet): Value {
  return { list: listRights(set & ~partsOf(set)).map((right) => message(`access.right.${right}`)) };
}

/** A named set of rights. `ownOnly`: discover, read and copyOut reach only what the person deposited. */
export interface Profile {
  readonly code: string;
  /** Of a profile of the repository’s own what it is called; null of those that ship, which are called by their code in each language. */
  readonly title: string | null;
  readonly rights: RightSet;
  readonly ownOnly: boolean;
}

const reader = rightSet('discover', 'read');
const borrower = reader | rightSet('copyOut');
const editor = borrower | rightSet('deposit', 'annotate', 'edit');
const steward = editor | rightSet('move', 'declare', 'link', 'grant');
const keeper = rightSet(...rights) & ~withParts(rightSet('setUp'));

const shippedProfile = (code: string, set: RightSet, ownOnly = false): Profile => ({ code, title: null, rights: withParts(set), ownOnly });

/** The profiles that ship with Key Cellar. */
export const shippedProfiles: readonly Profile[] = [
  shippedProfile('reader', reader),
  shippedProfile('borrower', borrower),
  shippedProfile('depositor', rightSet('discover', 'read', 'deposit'), true),
  shippedProfile('editor', editor),
  shippedProfile('steward', steward),
  shippedProfile('keeper', keeper),
  shippedProfile('counsel', borrower | rightSet('hold', 'approve')),
  shippedProfile('approver', borrower | rightSet('approve')),
  shippedProfile('auditor', reader | rightSet('audit')),
  shippedProfile('administrator', rightSet('setUp')),
  shippedProfile('peopleDesk', rightSet('people')),
  shippedProfile('connectionsDesk', rightSet('connect')),
  shippedProfile('formsDesk', rightSet('arrange')),
];

/** All profiles of a repository, by their code. */
export type Profiles = ReadonlyMap<string, Profile>;

/** The profiles that ship, and a repository’s own; none of its own takes the code of one that ships. */
export const profilesWith = (own: readonly Profile[]): Profiles => new Map([...own, ...shippedProfiles].map((p) => [p.code, p]));

/** Finds a profile; throws RangeError for an unknown code. */
export function profileIn(profiles: Profiles, code: string): Profile {
  const found = profiles.get(code);
  if (!found) throw new RangeError(`No such profile: ${code}`);
  return found;
}

/** The title of a profile, in the language of whoever reads it. */
export const profileWords = ({ code, title }: Profile): Message =>
  title === null ? message(`access.profile.${code}` as Code) : message('access.ownProfile', { title });

/** Rights that mean something only together with another: who reads has to find it, who takes copies has to read. */
const takesAlso: Readonly<Partial<Record<Right, Right>>> = {
  read: 'discover',
  copyOut: 'read',
  annotate: 'discover',
  edit: 'read',
  move: 'discover',
  declare: 'discover',
  revoke: 'discover',
  link: 'read',
  grant: 'discover',
  hold: 'discover',
  dispose: 'discover',
  approve: 'discover',
  audit: 'discover',
};
/** Rights that can be had on one’s own deposits alone. */
const ofDepositors = rightSet('discover', 'read', 'copyOut', 'deposit');

/** Why a set of rights is no profile; null when it is one. Source: docs/semantics.md 9.1. */
export function profileRefusal({ rights: set, ownOnly }: Pick<Profile, 'rights' | 'ownOnly'>): Message | null {
  if (set === 0) return message('access.profileEmpty');
  for (const right of listRights(set)) {
    const also = takesAlso[right];
    if (also && !hasRight(set, also))
      return message('access.profileTakes', { right: message(`access.right.${right}`), also: message(`access.right.${also}`) });
  }
  return ownOnly && (set & ~ofDepositors) !== 0 ? message('access.profileOwnOnly', { rights: describeRights(ofDepositors) }) : null;
}
