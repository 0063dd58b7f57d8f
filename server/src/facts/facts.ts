import { hasRight } from '@key-cellar/core/access';
import { civilDate } from '@key-cellar/core/calendar';
import { distinctWords } from '@key-cellar/core/criteria';
import {
  completeFacts,
  factGaps,
  factProblems,
  filledFacts,
  idsIn,
  isId,
  pointsElsewhere,
  valuesOf,
  type FactDefinition,
  type Facts,
  type FactScalar,
  type FactProblem,
} from '@key-cellar/core/records';
import { message, sentences } from '@key-cellar/words';
import { type Db, type PersonAccess, Problem } from '../kernel/index.js';
import type { Reference } from './referenceStore.js';
import * as store from './store.js';

/** Facts as they may be stored, with what follows from them. */
export interface CheckedFacts {
  readonly facts: Facts;
  /** Titles of required facts that are missing. */
  readonly gaps: readonly string[];
  /** Parties and business objects that they point at. */
  readonly refers: readonly string[];
  /** Other records that they point at. */
  readonly references: readonly Reference[];
  /** Names of people, parties and objects: the record is found by them. */
  readonly names: readonly string[];
  /** Each fact in words, for numbers and packages. */
  readonly worded: Readonly<Record<string, FactScalar>>;
}

interface Asker {
  readonly id: string;
  readonly today: string;
}

/** The words a record is found by; places and other records that it points at are not told to whom may not know them. */
export function recordWords(title: string, number: string, facts: Facts, names: readonly string[] = []): string[] {
  const texts = Object.values(facts).flatMap((value) => valuesOf(value).map(String));
  return distinctWords(title, number, ...texts.filter((text) => !isId(text)), ...names);
}

function pointsOf(definitions: readonly FactDefinition[], facts: Facts): { definition: FactDefinition; id: string }[] {
  return definitions.flatMap((definition) =>
    pointsElsewhere(definition.kind) ? valuesOf(facts[definition.code]).map((id) => ({ definition, id: String(id) })) : [],
  );
}

const findable = (things: readonly store.ThingRow[]): string[] =>
  things.filter((t) => t.kind !== 'place' && t.kind !== 'reference').map((t) => t.name);

/** Whether somebody may know what parties and business objects there are: a name tells nothing of what it stands for, to whoever may find anything. */
export const knowsEntities = (access: PersonAccess): boolean => hasRight(access.anywhere, 'discover');

const mayKnow = (access: PersonAccess, thing: store.ThingRow): boolean => {
  if (thing.access_set_id !== null) return hasRight(access.on(thing.access_set_id).all, 'discover');
  return (thing.kind !== 'party' && thing.kind !== 'object') || knowsEntities(access);
};

/** What things are called that facts point at, as far as the person may know. */
export async function namesOf(db: Db, access: PersonAccess, ids: readonly string[]): Promise<Record<string, string>> {
  const things = ids.length === 0 ? [] : await store.thingsById(db, [...new Set(ids)]);
  return Object.fromEntries(things.filter((t) => mayKnow(access, t)).map((t) => [t.id, t.name]));
}

/**
 * Names that a record is found by: of people, parties and objects that its facts point at, whoever asks. What places and records are
 * called is for those who may know of them, so nobody finds a record by it.
 */
export async function foundBy(db: Db, facts: Facts): Promise<string[]> {
  const ids = idsIn(facts);
  return ids.length === 0 ? [] : findable(await store.thingsById(db, ids));
}

/** What things are called that facts point at, whoever asks: for what leaves with its record. */
export async function factNames(db: Db, facts: Facts): Promise<ReadonlyMap<string, string>> {
  const ids = idsIn(facts);
  return new Map((ids.length === 0 ? [] : await store.thingsById(db, ids)).map((t) => [t.id, t.name]));
}

function refuse(problems: readonly FactProblem[]): void {
  if (problems.length === 0) return;
  throw new Problem(
    422,
    'wrong-facts',
    sentences(problems.map((p) => p.sentence)),
    problems.map((p) => ({ pointer: `/facts/${p.fact}`, sentence: p.sentence })),
  );
}

/**
 * Facts as they may be stored: empty ones left out, what nobody said filled from the folders around and by the defaults of
 * the type, wrong ones refused by field. What a record says `before` stays valid. A fact may point only at what the person
 * may know of.
 */
export async function checkFacts(
  db: Db,
  access: PersonAccess,
  person: Asker,
  type: { readonly facts: readonly FactDefinition[] },
  given: Facts,
  { before, around }: { readonly before?: Facts; readonly around?: readonly Facts[] } = {},
): Promise<CheckedFacts> {
  const said = filledFacts(given);
  const facts = around ? completeFacts(type.facts, said, around, { today: civilDate(person.today), me: person.id }) : said;
  refuse(factProblems(type.facts, facts, before));
  const points = pointsOf(type.facts, facts);
  const things = new Map(
    (points.length === 0
      ? []
      : await store.thingsById(
          db,
          points.map((p) => p.id),
        )
    ).map((t) => [t.id, t]),
  );
  const known = new Set(before ? pointsOf(type.facts, before).map((p) => p.id) : []);
  refuse(
    points.flatMap(({ definition, id }) => {
      const thing = things.get(id);
      if (known.has(id) || (thing?.kind === definition.kind && !thing.gone && mayKnow(access, thing))) return [];
      return [{ fact: definition.code, sentence: message('facts.mustNameOneThere', { title: definition.title }) }];
    }),
  );
  // Who says that something is replaced starts its clock, and has to have a say on it.
  refuse(
    points.flatMap(({ definition, id }) => {
      const thing = things.get(id);
      if (!definition.replaces || !thing || known.has(id) || hasRight(access.on(thing.access_set_id!).all, 'annotate')) return [];
      return [
        {
          fact: definition.code,
          sentence: message('facts.mustNameOneYou', { title: definition.title }),
        },
      ];
    }),
  );
  const named = [...things.values()];
  const word = (value: FactScalar): FactScalar => things.get(String(value))?.name ?? value;
  return {
    facts,
    gaps: factGaps(type.facts, facts),
    refers: named.filter((t) => t.kind === 'party' || t.kind === 'object').map((t) => t.id),
    references: points.flatMap(({ definition: { code, kind, replaces = false }, id }) =>
      kind === 'reference' && things.has(id) ? [{ fact: code, targetId: id, replaces }] : [],
    ),
    names: findable(named),
    worded: Object.fromEntries(
      Object.entries(facts).map(([code, value]) => {
        const words = valuesOf(value).map(word);
        return [code, words.length === 1 ? words[0]! : words.join(', ')];
      }),
    ),
  };
}

/** Takes the values of a record that no other of its type may have; throws 422 when one is taken. */
export async function claimUnique(
  db: Db,
  access: PersonAccess,
  type: { readonly code: string; readonly facts: readonly FactDefinition[] },
  recordId: string,
  facts: Facts,
): Promise<void> {
  const unique = type.facts.filter((d) => d.unique && facts[d.code] !== undefined);
  const taken = await store.claimValues(
    db,
    type.code,
    recordId,
    unique.map((d) => ({ fact: d.code, value: String(facts[d.code] as FactScalar) })),
  );
  const titleOf = (fact: string): string => type.facts.find((d) => d.code === fact)!.title;
  refuse(
    taken.map((t) => ({
      fact: t.fact,
      // That another has it is told to those who may know of that other.
      sentence: hasRight(access.on(t.access_set_id).all, 'discover')
        ? message('facts.taken', { fact: titleOf(t.fact), value: t.value, number: t.number })
        : message('facts.cannotChooseAnotherAsk', { fact: titleOf(t.fact), value: t.value }),
    })),
  );
}
