import {
  codeFields,
  dateFields,
  personFields,
  textFields,
  type AskedCriteria,
  type Clause,
  type CodeField,
  type DateField,
  type PersonField,
  type TextField,
  type Within,
} from './criteria.js';
import { thingsOf, valuesOf, type Vocabulary } from './vocabulary.js';

/** A condition that is neither a group nor its contrary. */
export type Single = Clause | Within;

/** Subjects that are no field and no fact. */
export const plainSubjects = ['under', 'words', 'held', 'heldBy', 'detected', 'gaps', 'conflict'] as const;
export type PlainSubject = (typeof plainSubjects)[number];

/** What a condition can be about: `under`, a field such as `created`, or `fact vessel`. */
export function subjectsOf(vocabulary: Vocabulary): string[] {
  const plain = plainSubjects.filter(
    (s) => (s !== 'heldBy' || vocabulary.holds.length > 0) && (s !== 'detected' || vocabulary.detectors.length > 0),
  );
  return [...plain, ...codeFields, ...textFields, ...dateFields, ...personFields, ...vocabulary.facts.map((f) => `fact ${f.code}`)];
}

/** What a condition is about, as {@link subjectsOf} names it. */
export function subjectOf(clause: Single): string {
  switch (clause.op) {
    case 'is':
    case 'text':
    case 'between':
    case 'within':
    case 'person':
      return clause.field;
    case 'fact':
    case 'factStarts':
    case 'factBetween':
    case 'factWithin':
      return `fact ${clause.fact}`;
    default:
      return clause.op;
  }
}

/** Ways to compare. */
export type Verb = 'is' | 'starts' | 'from' | 'until' | 'between' | 'last' | 'next' | 'known';

function kindOf(clause: Single, vocabulary: Vocabulary): string {
  if (clause.op !== 'fact' && clause.op !== 'factStarts' && clause.op !== 'factBetween' && clause.op !== 'factWithin') return clause.op;
  return vocabulary.facts.find((f) => f.code === clause.fact)?.kind ?? 'text';
}

/** How the subject of a condition can be compared; none where there is only one way. */
export function verbsFor(clause: Single, vocabulary: Vocabulary): readonly Verb[] {
  switch (kindOf(clause, vocabulary)) {
    case 'between':
    case 'within':
      return ['between', 'from', 'until', 'last', 'next', 'known'];
    case 'date':
      return ['between', 'from', 'until', 'last', 'next', 'known'];
    case 'whole':
    case 'money':
    case 'decimal':
      return ['is', 'between', 'from', 'until', 'known'];
    case 'text':
      return clause.op === 'text' ? ['is', 'starts'] : ['is', 'starts', 'known'];
    case 'longText':
    case 'choice':
      return ['is', 'starts', 'known'];
    case 'yesNo':
    case 'person':
    case 'party':
    case 'object':
    case 'place':
      return ['is', 'known'];
    case 'reference':
      return ['known'];
    default:
      return [];
  }
}

/** The way in which a condition compares. */
export function verbOf(clause: Single): Verb {
  switch (clause.op) {
    case 'within':
    case 'factWithin':
      return clause.way;
    case 'between':
    case 'factBetween':
      if (clause.from === undefined) return clause.until === undefined ? 'known' : 'until';
      return clause.until === undefined ? 'from' : 'between';
    case 'text':
      return clause.how === 'is' ? 'is' : 'starts';
    case 'factStarts':
      return 'starts';
    case 'person':
      return clause.personId === undefined ? 'known' : 'is';
    default:
      return 'is';
  }
}

/** A first condition about a subject, to be filled in. */
export function clauseAbout(subject: string, vocabulary: Vocabulary, today: string): Single {
  if (subject.startsWith('fact ')) {
    const code = subject.slice(5);
    const fact = vocabulary.facts.find((f) => f.code === code);
    switch (fact?.kind) {
      case 'date':
        return { op: 'factBetween', fact: code, from: today };
      case 'whole':
      case 'money':
      case 'decimal':
        return { op: 'fact', fact: code, value: 0 };
      case 'person':
      case 'party':
      case 'object':
      case 'place':
        return { op: 'fact', fact: code, value: thingsOf(fact.kind, vocabulary)[0]?.id ?? '' };
      case 'reference':
        return { op: 'factBetween', fact: code };
      case 'yesNo':
        return { op: 'fact', fact: code, value: true };
      case 'choice':
        return { op: 'fact', fact: code, value: fact.choices?.[0] ?? '' };
      default:
        return { op: 'fact', fact: code, value: '' };
    }
  }
  switch (subject) {
    case 'under':
      return { op: 'under', placeId: vocabulary.places[0]?.id ?? '', name: vocabulary.places[0]?.name ?? '' };
    case 'words':
      return { op: 'words', text: '' };
    case 'held':
      return { op: 'held' };
    case 'heldBy':
      return { op: 'heldBy', holdId: vocabulary.holds[0]?.id ?? '', name: vocabulary.holds[0]?.name ?? '' };
    case 'detected':
      return { op: 'detected', detectorId: vocabulary.detectors[0]?.id ?? '', name: vocabulary.detectors[0]?.name ?? '' };
    case 'gaps':
      return { op: 'gaps' };
    case 'conflict':
      return { op: 'conflict' };
  }
  if ((codeFields as readonly string[]).includes(subject)) {
    const field = subject as CodeField;
    return { op: 'is', field, value: valuesOf(field, vocabulary)[0]?.id ?? '' };
  }
  if ((textFields as readonly string[]).includes(subject)) return { op: 'text', field: subject as TextField, how: 'startsWith', value: '' };
  if ((personFields as readonly string[]).includes(subject)) return { op: 'person', field: subject as PersonField };
  return { op: 'between', field: subject as DateField, from: `${today.slice(0, 4)}-01-01`, until: `${today.slice(0, 4)}-12-31` };
}

/** The same subject compared another way, keeping what can be kept. */
export function withVerb(clause: Single, verb: Verb, vocabulary: Vocabulary, today: string): Single {
  const range = (from: string | number | undefined, until: string | number | undefined) => ({
    ...(verb === 'from' || verb === 'between' ? { from: from ?? until } : {}),
    ...(verb === 'until' || verb === 'between' ? { until: until ?? from } : {}),
  });
  switch (clause.op) {
    case 'between':
    case 'within': {
      if (verb === 'last' || verb === 'next') {
        return {
          op: 'within',
          field: clause.field,
          way: verb,
          ...(clause.op === 'within' ? { count: clause.count, unit: clause.unit } : { count: 30, unit: 'day' }),
        };
      }
      const { from = today, until = today } = clause.op === 'between' ? clause : {};
      return { op: 'between', field: clause.field, ...(range(from, until) as { from?: string; until?: string }) };
    }
    case 'text':
      return { ...clause, how: verb === 'is' ? 'is' : 'startsWith' };
    case 'person':
      return verb === 'known'
        ? { op: 'person', field: clause.field }
        : { op: 'person', field: clause.field, personId: vocabulary.people[0]?.id ?? '', name: vocabulary.people[0]?.name ?? '' };
    case 'fact':
    case 'factStarts':
    case 'factBetween':
    case 'factWithin': {
      const { fact } = clause;
      const kind = kindOf(clause, vocabulary);
      if (verb === 'last' || verb === 'next') {
        const { count, unit } = clause.op === 'factWithin' ? clause : { count: 30, unit: 'day' as const };
        return { op: 'factWithin', fact, way: verb, count, unit };
      }
      if (verb === 'known') return { op: 'factBetween', fact };
      if (verb === 'is') return clause.op === 'fact' ? clause : (clauseAbout(`fact ${fact}`, vocabulary, today) as Clause);
      if (verb === 'starts') return { op: 'factStarts', fact, text: clause.op === 'fact' ? String(clause.value) : '' };
      const usual = kind === 'date' ? today : 0;
      const had = clause.op === 'factBetween' ? clause : { from: clause.op === 'fact' ? clause.value : undefined, until: undefined };
      const fitting = (v: unknown): string | number => (typeof v === typeof usual ? (v as string | number) : usual);
      return { op: 'factBetween', fact, ...range(fitting(had.from ?? had.until), fitting(had.until ?? had.from)) };
    }
    default:
      return clause;
  }
}

/** Criteria as one group, so that the builder always has a top. */
export function asGroup(criteria: AskedCriteria | null): Extract<AskedCriteria, { op: 'and' | 'or' }> {
  if (criteria && (criteria.op === 'and' || criteria.op === 'or')) return criteria;
  return { op: 'and', of: criteria ? [criteria] : [] };
}
