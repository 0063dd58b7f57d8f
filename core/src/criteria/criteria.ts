import type { EpochDay } from '../calendar/index.js';
import type { Facts, FactValue, RecordState } from '../records/index.js';
import { wordsOf } from './words.js';

export const dateFields = ['created', 'received', 'filed', 'declared', 'due'] as const;
export type DateField = (typeof dateFields)[number];
export const codeFields = ['recordType', 'state', 'medium', 'outcome'] as const;
export type CodeField = (typeof codeFields)[number];

/** A typed condition over records (3-rules 3.11). Dates are YYYY-MM-DD and inclusive. */
export type Criteria =
  | { readonly op: 'and' | 'or'; readonly of: readonly Criteria[] }
  | { readonly op: 'not'; readonly of: Criteria }
  /** Every word occurs in title, number or facts; with `prefix`, the last one may be unfinished. */
  | { readonly op: 'words'; readonly text: string; readonly prefix?: boolean | undefined }
  | { readonly op: 'under'; readonly placeId: string; readonly name: string }
  | { readonly op: 'is'; readonly field: CodeField; readonly value: string }
  | {
      readonly op: 'between';
      readonly field: DateField;
      readonly from?: string | undefined;
      readonly until?: string | undefined;
    }
  | { readonly op: 'fact'; readonly fact: string; readonly value: FactValue }
  | { readonly op: 'held' };

/** What criteria can see of a record. */
export interface CriteriaRecord {
  readonly words: ReadonlySet<string>;
  /** Ids of all places the record is under, itself excluded. */
  readonly places: ReadonlySet<string>;
  readonly recordType: string;
  readonly state: RecordState;
  readonly medium: string;
  readonly outcome: string;
  readonly dates: Readonly<Partial<Record<DateField, EpochDay>>>;
  readonly facts: Facts;
  readonly held: boolean;
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
