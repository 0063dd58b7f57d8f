import { message, type Message } from '@key-cellar/words';
import type { Facts } from '../records/index.js';
import { isCodePattern } from './nextCode.js';
import { codePattern } from './place.js';
import { isCounter, slots, slotsOf, type ReadyTitle } from './readyTitle.js';

/** Access that a folder gives, to a person or group, or to whoever has a role in the use. */
export interface StencilGrant {
  readonly principalId: string | null;
  /** Code of the role; null where a person or group is named. */
  readonly role: string | null;
  readonly profile: string;
  /** First and last day, YYYY-MM-DD; null: from the start, without an end. */
  readonly from: string | null;
  readonly until: string | null;
}

/** Who has a part in a use, such as the owner of a case: each use says which person or group that is. */
export interface StencilRole {
  readonly code: string;
  readonly title: string;
}

/** What a stencil says of one folder. Code, title, note and message may hold facts. */
export interface StencilFolder {
  /** Stays the same through all versions: by it a folder is known again. */
  readonly key: string;
  /** A code, or a pattern such as `P-{nn}`. */
  readonly code: string;
  readonly title: string;
  readonly note: string;
  readonly message: string;
  readonly grants: readonly StencilGrant[];
  /** Ids of rules set on it. */
  readonly rules: readonly string[];
  /** Names of the jurisdictions that it lies in; none: those around it. */
  readonly jurisdictions: readonly string[];
  /** Id of the numbering of what is filed in it; null: the one around it. */
  readonly numbering: string | null;
  /** Whether access from around does not reach in. */
  readonly standAlone: boolean;
  /** Record types that it takes, media types, and bytes at most; null: whatever is taken around it. */
  readonly types: readonly string[] | null;
  readonly formats: readonly string[] | null;
  readonly largest: number | null;
  readonly marking: { readonly level: number; readonly caveats: readonly string[] } | null;
  /** Facts that it gives on. */
  readonly facts: Facts;
  readonly readyTitles: readonly ReadyTitle[];
  readonly inside: readonly StencilFolder[];
}

export interface StencilDefinition {
  /** Codes of the facts that each use says, such as the person whose file it is; the outermost folder gives them on. */
  readonly asks: readonly string[];
  readonly roles: readonly StencilRole[];
  readonly root: StencilFolder;
}

/** A definition as it may have been kept: what stencils could not say at first is missing in it. */
export type KeptDefinition = Pick<StencilDefinition, 'asks'> & { readonly roles?: readonly StencilRole[]; readonly root: KeptFolder };
type KeptFolder = Partial<Omit<StencilFolder, 'key' | 'code' | 'title' | 'inside' | 'grants'>> &
  Pick<StencilFolder, 'key' | 'code' | 'title'> & {
    readonly grants?: readonly (Pick<StencilGrant, 'principalId' | 'profile'> & Partial<StencilGrant>)[];
    readonly inside?: readonly KeptFolder[];
  };

export interface StencilProblem {
  /** Key of the folder. */
  readonly key: string;
  readonly sentence: Message;
}

/** A folder of a stencil as it begins: it says nothing but what it is called. */
export function bareFolder(key: string, code: string, title: string): StencilFolder {
  return {
    key,
    code,
    title,
    note: '',
    message: '',
    grants: [],
    rules: [],
    jurisdictions: [],
    numbering: null,
    standAlone: false,
    types: null,
    formats: null,
    largest: null,
    marking: null,
    facts: {},
    readyTitles: [],
    inside: [],
  };
}

/** A definition with all that it may say, whenever it was kept. */
export function wholeDefinition({ asks, roles = [], root }: KeptDefinition): StencilDefinition {
  const whole = ({ grants = [], inside = [], ...folder }: KeptFolder): StencilFolder => ({
    ...bareFolder(folder.key, folder.code, folder.title),
    ...folder,
    grants: grants.map((grant) => ({ role: null, from: null, until: null, ...grant })),
    inside: inside.map(whole),
  });
  return { asks, roles, root: whole(root) };
}

export const mostFolders = 200;
const deepest = 6;

/** All folders of a stencil, outermost first, with their depth. */
export function foldersOf(root: StencilFolder, depth = 0): { readonly folder: StencilFolder; readonly depth: number }[] {
  return [{ folder: root, depth }, ...root.inside.flatMap((child) => foldersOf(child, depth + 1))];
}

/** What is wrong with a stencil, by folder. */
export function stencilProblems({ asks, roles, root }: StencilDefinition): StencilProblem[] {
  const all = foldersOf(root);
  const problems: StencilProblem[] = [];
  if (roles.some((role) => role.title.trim() === '')) problems.push({ key: root.key, sentence: message('plan.roleNeedsName') });
  const titles = roles.map((role) => role.title.trim().toLowerCase());
  const again = roles.find((role, i) => role.title.trim() !== '' && titles.indexOf(titles[i]!) < i);
  if (again) problems.push({ key: root.key, sentence: message('plan.roleTwice', { role: again.title.trim() }) });
  const keys = new Set<string>();
  if (all.length > mostFolders)
    problems.push({ key: root.key, sentence: message('plan.stencilFoldersAtMost', { most: mostFolders, n: all.length }) });
  for (const { folder, depth } of all) {
    const say = (sentence: Message): void => void problems.push({ key: folder.key, sentence });
    const name = folder.title || folder.code || message('plan.aFolder');
    if (keys.has(folder.key)) say(message('plan.keyAnotherFolder', { name }));
    keys.add(folder.key);
    if (depth > deepest) say(message('plan.liesDeeperFolders', { name, deepest }));
    if (folder.title.trim() === '') say(message('plan.folderNeedsTitle'));
    if (!codePattern.test(folder.code.replace(slots, (_, slot: string) => (isCounter(slot) ? '1' : 'A')))) {
      say(message('plan.needsCodeCapitalLetters', { name, counter: '{nn}' }));
    }
    if (depth > 0 && isCodePattern(folder.code)) say(message('plan.liesInsideCodeCounted', { name }));
    for (const text of [folder.code, folder.title, folder.note, folder.message, ...folder.readyTitles.map((t) => t.text)]) {
      const unknown = slotsOf(text).find((slot) => !asks.includes(slot) && !all.some((f) => Object.hasOwn(f.folder.facts, slot)));
      if (unknown !== undefined) say(message('plan.holdsWhichNoUse', { name, slot: `{${unknown}}` }));
    }
    if (folder.readyTitles.some((t) => t.text.trim() === '')) say(message('plan.readyTitleWithoutText', { name }));
    if (folder.grants.some((g) => (g.role === null) === (g.principalId === null) || !knowsRole(roles, g.role)))
      say(message('plan.grantToNobody', { name }));
    if (folder.grants.some((g) => g.from !== null && g.until !== null && g.until < g.from)) say(message('plan.grantEndsBefore', { name }));
    const codes = folder.inside.map((child) => child.code);
    const twice = codes.find((code, i) => codes.indexOf(code) < i);
    if (twice !== undefined) say(message('plan.twoFolders', { name, twice }));
  }
  return problems;
}

const knowsRole = (roles: readonly StencilRole[], code: string | null): boolean =>
  code === null || roles.some((role) => role.code === code);
