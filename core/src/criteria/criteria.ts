import type { EpochDay } from '../calendar/index.js';
import type { Facts, FactScalar, RecordState } from '../records/index.js';
import { wordsOf } from './words.js';

export const dateFields = ['created', 'received', 'filed', 'modified', 'declared', 'clockStart', 'due'] as const;
export type DateField = (typeof dateFields)[number];
export const codeFields = ['recordType', 'state', 'medium', 'outcome', 'docket'] as const;
export type CodeField = (typeof codeFields)[number];
export const textFields = ['title', 'number'] as const;
export type TextField = (typeof textFields)[number];
export const personFields = ['owner', 'depositor'] as const;
export type PersonField = (typeof personFields)[number];
export const spanUnits = ['day', 'week', 'month', 'year'] as const;
export type SpanUnit = (typeof spanUnits)[number];

/**
 * One condition over a record. Ranges are inclusive; one with neither end asks only that the value is known.
 * Dates are YYYY-MM-DD.
 */
export type Clause =
  /** Every word occurs in title, number or facts; with `prefix`, the last one may be unfinished. */
  | { readonly op: 'words'; readonly text: string; readonly prefix?: boolean | undefined }
  | { readonly op: 'under'; readonly placeId: string; readonly name: string }
  | { readonly op: 'is'; readonly field: CodeField; readonly value: string }
  /** Letter by letter: upper and lower case differ. */
  | { readonly op: 'text'; readonly field: TextField; readonly how: 'is' | 'startsWith'; readonly value: string }
  | { readonly op: 'between'; readonly field: DateField; readonly from?: string | undefined; readonly until?: string | undefined }
  /** Without a person: somebody is known. */
  | { readonly op: 'person'; readonly field: PersonField; readonly personId?: string | undefined; readonly name?: string | undefined }
  | { readonly op: 'fact'; readonly fact: string; readonly value: FactScalar }
  | { readonly op: 'factStarts'; readonly fact: string; readonly text: string }
  /** Both ends numbers, or both dates. */
  | {
      readonly op: 'factBetween';
      readonly fact: string;
      readonly from?: string | number | undefined;
      readonly until?: string | number | undefined;
    }
  | { readonly op: 'held' }
  | { readonly op: 'heldBy'; readonly holdId: string; readonly name: string }
  /** A detector found what it looks for in the title, the facts or the newest version. */
  | { readonly op: 'detected'; readonly detectorId: string; readonly name: string }
  /** A required fact is missing. */
  | { readonly op: 'gaps' }
  /** It must be kept longer than another rule allows. */
  | { readonly op: 'conflict' };

/** A span of days that moves with the calendar; it counts today and is as long as it says. */
interface Span {
  readonly way: 'last' | 'next';
  readonly count: number;
  readonly unit: SpanUnit;
}
/** A date of the record, or a date fact, in such a span. */
export type Within =
  (Span & { readonly op: 'within'; readonly field: DateField }) | (Span & { readonly op: 'factWithin'; readonly fact: string });

type Tree<Leaf> =
  Leaf | { readonly op: 'and' | 'or'; readonly of: readonly Tree<Leaf>[] } | { readonly op: 'not'; readonly of: Tree<Leaf> };

/** A typed condition over records (docs/semantics.md 11) whose truth changes only with the record, never with the calendar. */
export type Criteria = Tree<Clause>;
/** Criteria as people ask: dates may be relative to today. */
export type AskedCriteria = Tree<Clause | Within>;

/** What criteria can see of a record. */
export interface CriteriaRecord {
  readonly words: ReadonlySet<string>;
  readonly title: string;
  readonly number: string;
  /** Ids of all places the record is under, itself excluded. */
  readonly places: ReadonlySet<string>;
  readonly recordType: string;
  readonly state: RecordState;
  readonly medium: string;
  readonly outcome: string;
  readonly docket: string;
  readonly owner: string | null;
  readonly depositor: string;
  readonly dates: Readonly<Partial<Record<DateField, EpochDay>>>;
  readonly facts: Facts;
  readonly held: boolean;
  /** Ids of the holds that cover it. */
  readonly holds: ReadonlySet<string>;
  /** Ids of the detectors that found something in it. */
  readonly detected: ReadonlySet<string>;
  /** How many required facts are missing. */
  readonly gaps: number;
  /** Whether it must be kept longer than another rule allows. */
  readonly conflict: boolean;
}

/** How a words clause is read: whole words and, for an unfinished one, a beginning. */
export function wordQuery(clause: { text: string; prefix?: boolean | undefined }): {
  readonly whole: readonly string[];
  readonly beginning: string | null;
} {
  const words = wordsOf(clause.text);
  if (!clause.prefix || /\s$/.test(clause.text)) return { whole: words, beginning: null };
  return { whole: words.slice(0, -1), beginning: words.at(-1) ?? null };
}

/** All conditions of criteria, in their order. */
export function clausesOf<Leaf extends { readonly op: string }>(criteria: Tree<Leaf>): Leaf[] {
  const tree = criteria as AskedCriteria;
  switch (tree.op) {
    case 'and':
    case 'or':
      return tree.of.flatMap((part) => clausesOf(part as Tree<Leaf>));
    case 'not':
      return clausesOf(tree.of as Tree<Leaf>);
    default:
      return [tree as unknown as Leaf];
  }
}
