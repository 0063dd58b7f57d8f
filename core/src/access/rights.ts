import { message, type Message, type Value } from '@key-cellar/words';
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

/** Rights in words, in their order: “read, copy out”. */
export function describeRights(set: RightSet): Value {
  return { list: listRights(set).map((right) => message(`access.right.${right}`)) };
}

type ProfileCode =
  'reader' | 'borrower' | 'depositor' | 'editor' | 'steward' | 'keeper' | 'counsel' | 'approver' | 'auditor' | 'administrator';

/** A named set of rights. `ownOnly`: discover and read reach only what the person deposited. */
export interface Profile {
  readonly code: ProfileCode;
  readonly title: string;
  readonly rights: RightSet;
  readonly ownOnly: boolean;
}

const reader = rightSet('discover', 'read');
const borrower = reader | rightSet('copyOut');
const editor = borrower | rightSet('deposit', 'annotate', 'edit');
const steward = editor | rightSet('move', 'declare', 'link', 'grant');
const keeper = rightSet(...rights) & ~rightSet('setUp');

/** The profiles that ship with Key Cellar; Counsel, Approver and Auditor are custom ones of the same shape. */
export const profiles: readonly Profile[] = [
  { code: 'reader', title: 'Reader', rights: reader, ownOnly: false },
  { code: 'borrower', title: 'Borrower', rights: borrower, ownOnly: false },
  { code: 'depositor', title: 'Depositor', rights: rightSet('discover', 'read', 'deposit'), ownOnly: true },
  { code: 'editor', title: 'Editor', rights: editor, ownOnly: false },
  { code: 'steward', title: 'Steward', rights: steward, ownOnly: false },
  { code: 'keeper', title: 'Keeper', rights: keeper, ownOnly: false },
  { code: 'counsel', title: 'Counsel', rights: borrower | rightSet('hold', 'approve'), ownOnly: false },
  { code: 'approver', title: 'Approver', rights: borrower | rightSet('approve'), ownOnly: false },
  { code: 'auditor', title: 'Auditor', rights: reader | rightSet('audit'), ownOnly: false },
  { code: 'administrator', title: 'Administrator', rights: rightSet('setUp'), ownOnly: false },
];

const byCode: ReadonlyMap<string, Profile> = new Map(profiles.map((profile) => [profile.code, profile]));

/** Finds a profile; throws RangeError for an unknown code. */
export function profile(code: string): Profile {
  const found = byCode.get(code);
  if (!found) throw new RangeError(`No such profile: ${code}`);
  return found;
}

/** The title of a profile, in the language of whoever reads it. */
export function profileWords(code: string): Message {
  return message(`access.profile.${profile(code).code}`);
}
