import { message, type Message } from '@key-cellar/words';
import { canonicalJson } from '../ledger/index.js';
import { filledFacts, type Facts, type FactValue } from '../records/index.js';
import { isCodePattern } from './nextCode.js';
import { codePattern } from './place.js';

/** A prepared document title. Its text may hold facts, `{tenant}`, and a counter, `{n}` or `{nn}`. */
export interface ReadyTitle {
  readonly text: string;
  /** Whether the day of the document stands before or after it. */
  readonly date: 'none' | 'before' | 'after';
  /** The record type that it is for; null: any. */
  readonly recordType: string | null;
}

export interface StencilGrant {
  readonly principalId: string;
  readonly profile: string;
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
  /** Record types that it takes; null: whatever is taken around it. */
  readonly types: readonly string[] | null;
  readonly marking: { readonly level: number; readonly caveats: readonly string[] } | null;
  /** Facts that it gives on. */
  readonly facts: Facts;
  readonly readyTitles: readonly ReadyTitle[];
  readonly inside: readonly StencilFolder[];
}

export interface StencilDefinition {
  /** Codes of the facts that each use says, such as the person whose file it is; the outermost folder gives them on. */
  readonly asks: readonly string[];
  readonly root: StencilFolder;
}

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
    types: null,
    marking: null,
    facts: {},
    readyTitles: [],
    inside: [],
  };
}

const slots = /\{([A-Za-z][A-Za-z0-9]*)\}/g;
const isCounter = (name: string): boolean => /^n+$/.test(name);
export const mostFolders = 200;
const deepest = 6;

/** All folders of a stencil, outermost first, with their depth. */
export function foldersOf(root: StencilFolder, depth = 0): { readonly folder: StencilFolder; readonly depth: number }[] {
  return [{ folder: root, depth }, ...root.inside.flatMap((child) => foldersOf(child, depth + 1))];
}

/** Names of the facts that a text holds. */
export function slotsOf(text: string): string[] {
  return [...text.matchAll(slots)].map((m) => m[1]!).filter((name) => !isCounter(name));
}

/** What is wrong with a stencil, by folder. */
export function stencilProblems({ asks, root }: StencilDefinition): StencilProblem[] {
  const all = foldersOf(root);
  const problems: StencilProblem[] = [];
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
    const codes = folder.inside.map((child) => child.code);
    const twice = codes.find((code, i) => codes.indexOf(code) < i);
    if (twice !== undefined) say(message('plan.twoFolders', { name, twice }));
  }
  return problems;
}

const wordOf = (words: Readonly<Record<string, string>>, name: string): string => (Object.hasOwn(words, name) ? words[name]! : '');

/** Fills the facts into a text; counters stay. A fact that is not known leaves its place empty, and what is doubled by that is mended. */
export function fillText(text: string, words: Readonly<Record<string, string>>): string {
  return text
    .replace(slots, (slot, name: string) => (isCounter(name) ? slot : wordOf(words, name)))
    .replace(/ {2,}/g, ' ')
    .trim();
}

/** A code with its facts: in capital letters, and without what no code may have. */
export function fillCode(code: string, words: Readonly<Record<string, string>>): string {
  return code.replace(slots, (slot, name: string) =>
    isCounter(name)
      ? slot
      : wordOf(words, name)
          .normalize('NFD')
          .replace(/\p{M}+/gu, '')
          .toUpperCase()
          .replace(/[^A-Z0-9]+/g, '-')
          .replace(/^-+|-+$/g, ''),
  );
}

const escaped = (text: string): string => text.replace(/[.*+?^${}()|[\]\\]/g, '\\$&');
const dayShape = '\\d{4}-\\d{2}-\\d{2}';

/** The text of a ready title: its counter goes on from the titles that are there already, whatever their day. */
export function readyText(ready: ReadyTitle, words: Readonly<Record<string, string>>, there: readonly string[]): string {
  const filled = fillText(ready.text, words);
  const counter = /\{(n+)\}/.exec(filled);
  if (!counter) return filled;
  const [before, after] = [filled.slice(0, counter.index), filled.slice(counter.index + counter[0].length)];
  const shape = new RegExp(`^(?:${dayShape} )?${escaped(before)}(\\d{1,9})${escaped(after)}(?: ${dayShape})?$`);
  const last = there.reduce((most, title) => Math.max(most, Number(shape.exec(title)?.[1] ?? 0)), 0);
  return `${before}${String(last + 1).padStart(counter[1]!.length, '0')}${after}`;
}

/** A ready title for a document of a day, YYYY-MM-DD. */
export function datedTitle(text: string, date: ReadyTitle['date'], on: string): string {
  switch (date) {
    case 'none':
      return text;
    case 'before':
      return `${on} ${text}`;
    case 'after':
      return `${text} ${on}`;
  }
}

/** What a folder is now, as far as a stencil could have said it; facts are filled in. */
export type FolderState = Pick<
  StencilFolder,
  'title' | 'note' | 'message' | 'grants' | 'rules' | 'types' | 'marking' | 'facts' | 'readyTitles'
>;
export const broughtParts = ['title', 'note', 'message', 'types', 'marking', 'facts', 'readyTitles', 'rules', 'grants'] as const;
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
  const whole = <K extends 'title' | 'note' | 'message' | 'types' | 'marking'>(part: K): FolderState[K] => {
    if (same(before[part], after[part]) || same(now[part], after[part])) return now[part];
    if (same(now[part], before[part])) {
      changes.push(part);
      return after[part];
    }
    kept.push(part);
    return now[part];
  };
  const list = <K extends 'readyTitles' | 'rules' | 'grants'>(part: K): FolderState[K] => {
    const merged = mergeList<unknown>(before[part], after[part], now[part]) as unknown as FolderState[K];
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
  const state: FolderState = {
    title: whole('title'),
    note: whole('note'),
    message: whole('message'),
    types: whole('types'),
    marking: whole('marking'),
    facts,
    readyTitles: list('readyTitles'),
    rules: list('rules'),
    grants: list('grants'),
  };
  if (factsChange) changes.push('facts');
  if (factsKept) kept.push('facts');
  return { state, changes: broughtParts.filter((p) => changes.includes(p)), kept: broughtParts.filter((p) => kept.includes(p)) };
}

/** What a stencil says of a folder, with the facts of one use filled in. */
export function filledState(folder: StencilFolder, words: Readonly<Record<string, string>>, asked: Facts = {}): FolderState {
  return {
    title: fillText(folder.title, words),
    note: fillText(folder.note, words),
    message: fillText(folder.message, words),
    grants: folder.grants,
    rules: folder.rules,
    types: folder.types,
    marking: folder.marking,
    facts: filledFacts({ ...folder.facts, ...asked }),
    readyTitles: folder.readyTitles,
  };
}
