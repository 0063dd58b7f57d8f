import type { en } from './en/index.js';

/** What a message is called: its area and what it says. */
export type Code = keyof typeof en;

/** A civil date, YYYY-MM-DD. */
interface DayValue {
  readonly day: string;
}

/** A length of time, ISO 8601 of whole years, months, weeks or days (`P7Y`, `P18M`). */
interface PeriodValue {
  readonly period: string;
}

/** Several things with commas between: “a, b, c”. */
interface ListValue {
  readonly list: readonly Value[];
}

/** Several things one after the other: “a, b and c”. */
interface AllValue {
  readonly all: readonly Value[];
}

/** Several things of which one counts: “a, b or c”. */
interface AnyValue {
  readonly any: readonly Value[];
}

/** A number of bytes, in the unit that reads best. */
interface SizeValue {
  readonly bytes: number;
}

/** A month of the year, 1 to 12, by its name. */
interface MonthValue {
  readonly month: number;
}

/**
 * What goes into a message. A text is data (a name, a code, what somebody wrote) and stays as it is; a number is a count; every
 * other kind is written by the rules of the language. A year is a text: it has no separators.
 */
export type Value = string | number | Message | DayValue | PeriodValue | ListValue | AllValue | AnyValue | SizeValue | MonthValue;

/**
 * What is to be said, as data: which message, and what goes into it. Whoever shows it to a person makes the sentence, in that
 * person’s language ({@link import('./speaker.js').speaker}).
 */
export interface Message {
  readonly say: Code;
  readonly with?: Readonly<Record<string, Value>>;
}

/**
 * A message, to be told in the language of whoever reads it.
 *
 *     message('holds.notOpen')
 *     message('batches.waits', { number: 'D-2026-014', n: 3, until: { day: '2026-12-04' } })
 */
export function message(say: Code, values?: Readonly<Record<string, Value>>): Message {
  return values === undefined ? { say } : { say, with: values };
}

export function isMessage(value: unknown): value is Message {
  return typeof value === 'object' && value !== null && typeof (value as Partial<Message>).say === 'string';
}

/** Several messages, each a sentence or more, one after another. At least one is needed. */
export function sentences(all: readonly Message[]): Message {
  return all.reduce((first, second) => message('shared.oneAfterAnother', { first, second }));
}

/** A value that is told by itself: a message as it is, data as it stands. */
export function told(value: Value): Message {
  return isMessage(value) ? value : message('shared.asIs', { text: value });
}
