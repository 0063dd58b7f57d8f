import anyAscii from 'any-ascii';
import { canonicalJson } from '../ledger/index.js';
import { filledFacts, type Facts, type FactValue } from '../records/index.js';
import { fillText, isCounter, slots, wordOf } from './readyTitle.js';
import { foldersOf, type StencilDefinition, type StencilFolder, type StencilGrant } from './stencil.js';

/** What a use says: words for texts and codes, the facts themselves, and who has which role. */
export interface Said {
  readonly words: Readonly<Record<string, string>>;
  readonly facts: Facts;
  /** Ids of persons or groups, by the code of the role. */
  readonly roles: Readonly<Record<string, string>>;
}

/**
 * A code with its facts, in capital letters: words in whatever script are spelled in ASCII, and what no code may have becomes a hyphen.
 * A word that cannot be spelled stays as it is, so that it is seen why this is no code.
 */
export function fillCode(code: string, words: Readonly<Record<string, string>>): string {
  const spelled = (word: string): string =>
    anyAscii(word.normalize('NFC'))
      .toUpperCase()
      .replace(/[^A-Z0-9]+/g, '-')
      .replace(/^-+|-+$/g, '') || word.trim();
  return code
    .replace(slots, (slot, name: string) => (isCounter(name) ? slot : spelled(wordOf(words, name))))
    .replace(/-{2,}/g, '-')
    .replace(/-+$/, '');
}

/** Access that was given: to somebody. */
export type PlacedGrant = Pick<StencilGrant, 'profile' | 'from' | 'until'> & { readonly principalId: string };

/** What a folder is now, as far as a stencil could have said it; facts are filled in, and roles are persons and groups. */
export interface FolderState extends Omit<StencilFolder, 'key' | 'inside' | 'grants'> {
  readonly grants: readonly PlacedGrant[];
}

const wholeParts = [
  'code',
  'title',
  'note',
  'message',
  'standAlone',
  'marking',
  'numbering',
  'types',
  'formats',
  'largest',
] as const satisfies readonly (keyof FolderState)[];
const listParts = ['grants', 'rules', 'jurisdictions', 'readyTitles'] as const satisfies readonly (keyof FolderState)[];
export const broughtParts = [...wholeParts, 'facts', ...listParts] as const;
export type BroughtPart = (typeof broughtParts)[number];

export interface Brought {
  /** The folder as it would be. */
  readonly state: FolderState;
  /** What changes. */
  readonly changes: readonly BroughtPart[];
  /** What the new version says otherwise, but people have changed since: it stays theirs. */
  readonly kept: readonly BroughtPart[];
}

/** Whatever the order in which a store gives members back. */
const same = (a: unknown, b: unknown): boolean => canonicalJson(a ?? null) === canonicalJson(b ?? null);

function mergeList<T>(before: readonly T[], after: readonly T[], now: readonly T[]): T[] {
  const has = (list: readonly T[], item: T): boolean => list.some((other) => same(other, item));
  return [
    ...now.filter((item) => !has(before, item) || has(after, item)),
    ...after.filter((item) => !has(before, item) && !has(now, item)),
  ];
}

/**
 * Brings what changed from one version of a stencil to another to a folder that was made from it, and touches nothing that
 * people added or changed: texts, types and marking only where they are still as the old version said; of facts, ready
 * titles, rules and grants only those that came from the stencil.
 */
export function bringChanges(before: FolderState, after: FolderState, now: FolderState): Brought {
  const changes: BroughtPart[] = [];
  const kept: BroughtPart[] = [];
  const whole = (part: (typeof wholeParts)[number]): unknown => {
    if (same(before[part], after[part]) || same(now[part], after[part])) return now[part];
    if (!same(now[part], before[part])) {
      kept.push(part);
      return now[part];
    }
    changes.push(part);
    return after[part];
  };
  const list = (part: (typeof listParts)[number]): unknown => {
    const merged = mergeList<unknown>(before[part], after[part], now[part]);
    if (!same(merged, now[part])) changes.push(part);
    return merged;
  };
  const facts: Record<string, FactValue> = { ...now.facts };
  let [factsChange, factsKept] = [false, false];
  for (const code of new Set([...Object.keys(before.facts), ...Object.keys(after.facts)])) {
    if (same(before.facts[code], after.facts[code]) || same(now.facts[code], after.facts[code])) continue;
    if (!same(now.facts[code], before.facts[code])) {
      factsKept = true;
      continue;
    }
    factsChange = true;
    const value = after.facts[code];
    if (value === undefined) delete facts[code];
    else facts[code] = value;
  }
  const state = {
    ...Object.fromEntries(wholeParts.map((part) => [part, whole(part)])),
    ...Object.fromEntries(listParts.map((part) => [part, list(part)])),
    facts,
  } as unknown as FolderState;
  if (factsChange) changes.push('facts');
  if (factsKept) kept.push('facts');
  return { state, changes: broughtParts.filter((p) => changes.includes(p)), kept: broughtParts.filter((p) => kept.includes(p)) };
}

/** What a stencil says of a folder, with what one use says filled in. Access for a role that nobody has yet is left out. */
export function filledState(folder: StencilFolder, { words, roles }: Said, asked: Facts = {}): FolderState {
  const { key: _key, inside: _inside, ...says } = folder;
  return {
    ...says,
    code: fillCode(folder.code, words),
    title: fillText(folder.title, words),
    note: fillText(folder.note, words),
    message: fillText(folder.message, words),
    grants: folder.grants.flatMap(({ principalId, role, ...how }) => {
      const who = role === null ? principalId : roles[role];
      return who === null || who === undefined ? [] : [{ principalId: who, ...how }];
    }),
    facts: filledFacts({ ...folder.facts, ...asked }),
  };
}

/** What came to be of one folder from one version of a stencil to another. */
export interface FolderDifference {
  readonly key: string;
  readonly what: 'new' | 'gone' | 'moved' | 'changed';
  /** As the older version has it, and the newer. */
  readonly before: StencilFolder | null;
  readonly after: StencilFolder | null;
  /** What it says otherwise. */
  readonly parts: readonly BroughtPart[];
}

/** Two versions of a stencil side by side: folders in the order of the newer one, then those that it lacks. A folder that was moved and changed is told once for each. */
export function compareVersions(older: StencilDefinition, newer: StencilDefinition): FolderDifference[] {
  const [was, is] = [foldersWithParent(older.root), foldersWithParent(newer.root)];
  const differences: FolderDifference[] = [];
  for (const [key, { folder, parent }] of is) {
    const before = was.get(key);
    if (!before) {
      differences.push({ key, what: 'new', before: null, after: folder, parts: [] });
      continue;
    }
    const told = { key, before: before.folder, after: folder };
    if (before.parent !== parent) differences.push({ ...told, what: 'moved', parts: [] });
    const parts = broughtParts.filter((part) => !same(before.folder[part], folder[part]));
    if (parts.length > 0) differences.push({ ...told, what: 'changed', parts });
  }
  for (const [key, { folder }] of was) if (!is.has(key)) differences.push({ key, what: 'gone', before: folder, after: null, parts: [] });
  return differences;
}

/** The folders of a version by their keys, each with the key of the one around it. */
export function foldersWithParent(root: StencilFolder): Map<string, { readonly folder: StencilFolder; readonly parent: string | null }> {
  return new Map(
    foldersOf(root).flatMap(({ folder }) => [
      ...(folder === root ? [[root.key, { folder: root, parent: null }] as const] : []),
      ...folder.inside.map((child) => [child.key, { folder: child, parent: folder.key as string | null }] as const),
    ]),
  );
}
