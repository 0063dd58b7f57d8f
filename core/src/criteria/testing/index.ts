import * as fc from 'fast-check';
import { civilDate } from '../../calendar/index.js';
import type { FactScalar, FactValue } from '../../records/index.js';
import {
  codeFields,
  dateFields,
  distinctWords,
  personFields,
  spanUnits,
  textFields,
  thingsOf,
  valuesOf,
  type AskedCriteria,
  type Clause,
  type Criteria,
  type CriteriaRecord,
  type NamedFact,
  type Vocabulary,
} from '../index.js';

/** What random criteria and records are made of. */
export interface Material {
  readonly vocabulary: Vocabulary;
  readonly words: readonly string[];
  readonly days: readonly string[];
  readonly titles: readonly string[];
  readonly numbers: readonly string[];
  readonly texts: readonly string[];
}

const some = <T>(values: readonly T[]): fc.Arbitrary<T> => fc.constantFrom(...values);

/** Any single condition over the material; names come with their ids, so that the text form can carry them. */
export function anyClause(material: Material): fc.Arbitrary<Clause> {
  const { vocabulary, words, days } = material;
  const maybe = <T>(of: fc.Arbitrary<T>): fc.Arbitrary<T | undefined> => fc.option(of, { nil: undefined });
  const tidy = <T extends object>(value: T): T =>
    Object.fromEntries(Object.entries(value).filter(([, v]) => v !== undefined && v !== false)) as T;
  const facts = vocabulary.facts;
  return fc
    .oneof(
      fc.record({
        op: fc.constant('words' as const),
        text: fc.array(some(words), { minLength: 1, maxLength: 3 }).map((w) => w.join(' ')),
        prefix: maybe(fc.boolean()),
      }),
      some(vocabulary.places).map(({ id, name }): Clause => ({ op: 'under', placeId: id, name })),
      some(codeFields).chain((field) => some(valuesOf(field, vocabulary)).map(({ id }): Clause => ({ op: 'is', field, value: id }))),
      some(textFields).chain((field) =>
        fc.record({
          op: fc.constant('text' as const),
          field: fc.constant(field),
          how: some(['is', 'startsWith'] as const),
          value: some(field === 'title' ? material.titles : material.numbers).chain((v) => some([v, v.slice(0, 3) || v])),
        }),
      ),
      fc.record({ op: fc.constant('between' as const), field: some(dateFields), from: maybe(some(days)), until: maybe(some(days)) }),
      some(personFields).chain((field) =>
        maybe(some(vocabulary.people)).map((p): Clause =>
          p ? { op: 'person', field, personId: p.id, name: p.name } : { op: 'person', field },
        ),
      ),
      some(facts).chain(({ code, kind, choices }): fc.Arbitrary<Clause> => {
        const fact = fc.constant(code);
        const known = fc.record({ op: fc.constant('factBetween' as const), fact });
        switch (kind) {
          case 'date':
            return fc.record({ op: fc.constant('factBetween' as const), fact, from: maybe(some(days)), until: maybe(some(days)) });
          case 'person':
          case 'party':
          case 'object':
          case 'place':
            return fc.oneof(
              known,
              some(thingsOf(kind, vocabulary)).map(({ id }): Clause => ({ op: 'fact', fact: code, value: id })),
            );
          case 'reference':
            return known;
          case 'whole':
          case 'money':
          case 'decimal': {
            const number = some([-1, 0, 1, 2.5, 40]);
            return fc.oneof(
              fc.record({ op: fc.constant('factBetween' as const), fact, from: maybe(number), until: maybe(number) }),
              fc.record({ op: fc.constant('fact' as const), fact, value: number }),
            );
          }
          case 'yesNo':
            return fc.oneof(known, fc.record({ op: fc.constant('fact' as const), fact, value: fc.boolean() }));
          case 'choice':
            return fc.oneof(known, fc.record({ op: fc.constant('fact' as const), fact, value: some(choices ?? ['']) }));
          case 'text':
          case 'longText':
            return fc.oneof(
              known,
              fc.record({ op: fc.constant('fact' as const), fact, value: some(material.texts) }),
              fc.record({ op: fc.constant('factStarts' as const), fact, text: some(material.texts) }),
            );
        }
      }),
      fc.constant<Clause>({ op: 'held' }),
      fc.constant<Clause>({ op: 'gaps' }),
      fc.constant<Clause>({ op: 'conflict' }),
      ...(vocabulary.detectors.length > 0
        ? [some(vocabulary.detectors).map(({ id, name }): Clause => ({ op: 'detected', detectorId: id, name }))]
        : []),
      ...(vocabulary.holds.length > 0 ? [some(vocabulary.holds).map(({ id, name }): Clause => ({ op: 'heldBy', holdId: id, name }))] : []),
    )
    .map((clause) => (clause.op === 'fact' ? clause : tidy(clause)));
}

function treeOf(leaf: fc.Arbitrary<AskedCriteria>): fc.Arbitrary<AskedCriteria> {
  return fc.letrec<{ any: AskedCriteria }>((tie) => ({
    any: fc.oneof(
      { maxDepth: 4, depthIdentifier: 'criteria' },
      leaf,
      fc.record({ op: fc.constant('not' as const), of: tie('any') }),
      fc.record({ op: some(['and', 'or'] as const), of: fc.array(tie('any'), { maxLength: 3 }) }),
    ),
  })).any;
}

/** Any criteria over the material, dates fixed. */
export function anyCriteria(material: Material): fc.Arbitrary<Criteria> {
  return treeOf(anyClause(material)) as fc.Arbitrary<Criteria>;
}

/** Any criteria as people ask them: relative dates too. */
export function anyAsked(material: Material): fc.Arbitrary<AskedCriteria> {
  const span = { way: some(['last', 'next'] as const), count: fc.integer({ min: 1, max: 40 }), unit: some(spanUnits) };
  return treeOf(
    fc.oneof(
      anyClause(material),
      fc.record({ op: fc.constant('within' as const), field: some(dateFields), ...span }),
      fc.record({
        op: fc.constant('factWithin' as const),
        fact: some(material.vocabulary.facts.filter((f) => f.kind === 'date').map((f) => f.code)),
        ...span,
      }),
    ),
  );
}

/** Any record over the material. */
export function anyRecord(material: Material): fc.Arbitrary<CriteriaRecord> {
  const { vocabulary, words, days } = material;
  const ids = (names: readonly { id: string }[]): string[] => names.map((n) => n.id);
  const code = (field: (typeof codeFields)[number]): fc.Arbitrary<string> => some(ids(valuesOf(field, vocabulary)));
  const one = ({ kind, choices }: NamedFact): fc.Arbitrary<FactScalar> => {
    if (kind === 'date') return some(days);
    if (kind === 'yesNo') return fc.boolean();
    if (kind === 'whole' || kind === 'money' || kind === 'decimal') return some([0, 1, 2.5, 40]);
    const things = ids(thingsOf(kind, vocabulary));
    return things.length > 0 ? some(things) : some(choices ?? material.texts);
  };
  const facts = Object.fromEntries(
    vocabulary.facts.map((fact) => [
      fact.code,
      fc.oneof(one(fact), fc.uniqueArray(one(fact) as fc.Arbitrary<string | number>, { maxLength: 3 })) as fc.Arbitrary<FactValue>,
    ]),
  );
  return fc.record({
    words: fc.subarray([...words]).map((w) => new Set(distinctWords(...w))),
    title: some(material.titles),
    number: some(material.numbers),
    places: fc.subarray(ids(vocabulary.places)).map((p) => new Set(p)),
    recordType: code('recordType'),
    state: code('state') as fc.Arbitrary<CriteriaRecord['state']>,
    medium: code('medium'),
    outcome: code('outcome'),
    docket: code('docket'),
    owner: fc.option(some(ids(vocabulary.people))),
    depositor: some(ids(vocabulary.people)),
    dates: fc.record(Object.fromEntries(dateFields.map((f) => [f, some(days).map(civilDate)])) as never, { requiredKeys: [] }),
    facts: fc.record(facts, { requiredKeys: [] }) as fc.Arbitrary<CriteriaRecord['facts']>,
    held: fc.boolean(),
    holds: fc.subarray(ids(vocabulary.holds)).map((h) => new Set(h)),
    detected: fc.subarray(ids(vocabulary.detectors)).map((d) => new Set(d)),
    gaps: fc.nat(2),
    conflict: fc.boolean(),
  });
}
