/** A prepared document title. Its text may hold facts, `{tenant}`, and a counter, `{n}` or `{nn}`. */
export interface ReadyTitle {
  readonly text: string;
  /** Whether the day of the document stands before or after it. */
  readonly date: 'none' | 'before' | 'after';
  /** The record type that it is for; null: any. */
  readonly recordType: string | null;
}

/** Where texts hold facts, or a counter. */
export const slots = /\{([A-Za-z][A-Za-z0-9]*)\}/g;
export const isCounter = (name: string): boolean => /^n+$/.test(name);

/** Names of the facts that a text holds. */
export function slotsOf(text: string): string[] {
  return [...text.matchAll(slots)].map((m) => m[1]!).filter((name) => !isCounter(name));
}

export const wordOf = (words: Readonly<Record<string, string>>, name: string): string => (Object.hasOwn(words, name) ? words[name]! : '');

/** Fills the facts into a text; counters stay. A fact that is not known leaves its place empty, and what is doubled by that is mended. */
export function fillText(text: string, words: Readonly<Record<string, string>>): string {
  return text
    .replace(slots, (slot, name: string) => (isCounter(name) ? slot : wordOf(words, name)))
    .replace(/ {2,}/g, ' ')
    .trim();
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
