import type { FactKind } from '../records/index.js';
import {
  codeFields,
  dateFields,
  personFields,
  textFields,
  type CodeField,
  type DateField,
  type PersonField,
  type TextField,
} from './criteria.js';
import { wordsOf } from './words.js';

/** Something that criteria may name. `also` are other ways to write its name, such as a place's bare code. */
export interface Named {
  readonly id: string;
  readonly name: string;
  readonly also?: readonly string[] | undefined;
}

export interface NamedFact {
  readonly code: string;
  readonly title: string;
  readonly kind: FactKind;
  readonly choices?: readonly string[] | undefined;
}

/** What a person's criteria may speak of. */
export interface Vocabulary {
  readonly recordTypes: readonly Named[];
  readonly facts: readonly NamedFact[];
  readonly places: readonly Named[];
  readonly people: readonly Named[];
  readonly parties: readonly Named[];
  readonly objects: readonly Named[];
  readonly holds: readonly Named[];
  readonly detectors: readonly Named[];
}

export const emptyVocabulary: Vocabulary = {
  recordTypes: [],
  facts: [],
  places: [],
  people: [],
  parties: [],
  objects: [],
  holds: [],
  detectors: [],
};

/** What facts that point at something else can be compared with by name. Other records are not named in criteria. */
export function thingsOf(kind: FactKind, vocabulary: Vocabulary): readonly Named[] {
  switch (kind) {
    case 'person':
      return vocabulary.people;
    case 'party':
      return vocabulary.parties;
    case 'object':
      return vocabulary.objects;
    case 'place':
      return vocabulary.places;
    default:
      return [];
  }
}

/** The values of the fields that have few, in words. Record types come from the vocabulary. */
const codeWords: Readonly<Record<Exclude<CodeField, 'recordType'>, readonly Named[]>> = {
  state: [
    { id: 'working', name: 'working' },
    { id: 'declared', name: 'declared' },
    { id: 'disposed', name: 'disposed' },
  ],
  medium: [
    { id: 'electronic', name: 'electronic' },
    { id: 'physical', name: 'physical' },
  ],
  outcome: [
    { id: 'dated', name: 'dated' },
    { id: 'waiting', name: 'waiting for a date', also: ['waiting'] },
    { id: 'permanent', name: 'kept for good', also: ['permanent'] },
    { id: 'unscheduled', name: 'without a rule', also: ['unscheduled'] },
  ],
  docket: [
    { id: 'none', name: 'off', also: ['none'] },
    { id: 'due', name: 'due' },
    { id: 'batch', name: 'in a batch', also: ['batch'] },
  ],
};

export function valuesOf(field: CodeField, vocabulary: Vocabulary): readonly Named[] {
  return field === 'recordType' ? vocabulary.recordTypes : codeWords[field];
}

export type Field =
  | { readonly kind: 'code'; readonly field: CodeField }
  | { readonly kind: 'date'; readonly field: DateField }
  | { readonly kind: 'text'; readonly field: TextField }
  | { readonly kind: 'person'; readonly field: PersonField }
  | { readonly kind: 'fact'; readonly fact: NamedFact };

/** How fields are called. */
export const fieldWords = {
  recordType: 'record type',
  state: 'state',
  medium: 'medium',
  outcome: 'schedule says',
  docket: 'docket',
  title: 'title',
  number: 'number',
  created: 'created',
  received: 'received',
  filed: 'filed',
  modified: 'modified',
  declared: 'declared',
  clockStart: 'clock start',
  due: 'due',
  owner: 'owner',
  depositor: 'depositor',
} as const satisfies Record<CodeField | DateField | TextField | PersonField, string>;

/** The form in which names are compared: their words, so that case, accents and hyphens make no difference. */
export function fold(text: string): string {
  return wordsOf(text).join(' ');
}

const fixedFields: readonly [string, Field][] = [
  ...codeFields.map((field): [string, Field] => [fieldWords[field], { kind: 'code', field }]),
  ...dateFields.map((field): [string, Field] => [fieldWords[field], { kind: 'date', field }]),
  ...textFields.map((field): [string, Field] => [fieldWords[field], { kind: 'text', field }]),
  ...personFields.map((field): [string, Field] => [fieldWords[field], { kind: 'person', field }]),
];
const leadWords = [
  'under',
  'held',
  'held by',
  'in',
  'in conflict',
  'has',
  'has gaps',
  'has word',
  'has words',
  'matches',
  'matches detector',
  'not',
  'and',
  'or',
  'fact',
  'everything',
  'nothing',
];
const taken = new Set([...fixedFields.map(([name]) => fold(name)), ...leadWords]);

/** The name a fact goes by: its title where that is clear, else its code. */
export function factName(code: string, vocabulary: Vocabulary): string {
  const fact = vocabulary.facts.find((f) => f.code === code);
  if (!fact) return code;
  const title = fold(fact.title);
  const clear = title !== '' && vocabulary.facts.every((f) => f.code === code || (fold(f.title) !== title && fold(f.code) !== title));
  return clear ? fact.title : code;
}

/** Whether a fact may be named without the word "fact" before it. */
export function standsAlone(name: string): boolean {
  return (
    /^[\p{L}\p{N} -]+$/u.test(name) && wordsOf(name).length > 0 && !wordsOf(name).some((word) => taken.has(word)) && !taken.has(fold(name))
  );
}

/** Names by their folded form; made once for each list. */
export interface Phrases<T> {
  readonly byForm: ReadonlyMap<string, T>;
  /** Words in the longest form. */
  readonly longest: number;
  readonly names: readonly string[];
}

function phrases<T>(entries: Iterable<readonly [string, T]>): Phrases<T> {
  const byForm = new Map<string, T>();
  const names: string[] = [];
  let longest = 1;
  for (const [name, value] of entries) {
    const form = fold(name);
    if (form === '' || byForm.has(form)) continue;
    byForm.set(form, value);
    names.push(name);
    longest = Math.max(longest, form.split(' ').length);
  }
  return { byForm, longest, names };
}

const kept = new WeakMap<object, Phrases<unknown>>();
function keptFor<T>(key: object, entries: () => Iterable<readonly [string, T]>): Phrases<T> {
  let made = kept.get(key) as Phrases<T> | undefined;
  if (!made) kept.set(key, (made = phrases(entries())));
  return made;
}

export function namePhrases(names: readonly Named[]): Phrases<Named> {
  return keptFor(names, () => [
    ...names.map((n): [string, Named] => [n.name, n]),
    ...names.flatMap((n) => (n.also ?? []).map((also): [string, Named] => [also, n])),
  ]);
}

export function fieldPhrases(vocabulary: Vocabulary): Phrases<Field> {
  return keptFor(vocabulary, () => [
    ...fixedFields,
    ...vocabulary.facts.map((fact): [string, Field] => [factName(fact.code, vocabulary), { kind: 'fact', fact }]),
    ...vocabulary.facts.map((fact): [string, Field] => [fact.code, { kind: 'fact', fact }]),
  ]);
}

export function factPhrases(vocabulary: Vocabulary): Phrases<NamedFact> {
  return keptFor(vocabulary.facts, () => [
    ...vocabulary.facts.map((fact): [string, NamedFact] => [factName(fact.code, vocabulary), fact]),
    ...vocabulary.facts.map((fact): [string, NamedFact] => [fact.code, fact]),
  ]);
}
