import { message, type Message, type Value } from '@key-cellar/words';
import { formatCivilDate, parseCivilDate, type EpochDay } from '../calendar/index.js';
import type { DublinCoreElement } from './dublinCoreElements.js';
import { maskProblem, matchesMask } from './mask.js';

export const factKinds = [
  'text',
  'longText',
  'whole',
  'decimal',
  'money',
  'date',
  'yesNo',
  'choice',
  'person',
  'party',
  'object',
  'place',
  'reference',
] as const;
export type FactKind = (typeof factKinds)[number];

/** Facts whose value is the id of something else: a person here, a party or business object, a place, another record. */
export const pointingKinds = ['person', 'party', 'object', 'place', 'reference'] as const;
export type PointingKind = (typeof pointingKinds)[number];

export function pointsElsewhere(kind: FactKind): kind is PointingKind {
  return (pointingKinds as readonly FactKind[]).includes(kind);
}

export type FactScalar = string | number | boolean;
/** One value, or for a fact that may have many a list of them without repeats. */
export type FactValue = FactScalar | readonly (string | number)[];
export type Facts = Readonly<Record<string, FactValue>>;

/** One fact that a record type asks for. */
export interface FactDefinition {
  readonly code: string;
  readonly title: string;
  readonly kind: FactKind;
  readonly required: boolean;
  /** Said beside the field. */
  readonly help?: string | undefined;
  /** Several values at once. */
  readonly many?: boolean | undefined;
  /** Values of a choice; those of a tree are ways from its root, `Craft / Tug`, their parts separated by {@link choiceStep}. */
  readonly choices?: readonly string[] | undefined;
  /** What it is filled with when nothing is said: a value, `today` for a date, `me` for a person. */
  readonly default?: FactScalar | undefined;
  /** What a text must look like; see {@link matchesMask}. */
  readonly mask?: string | undefined;
  /** Smallest and largest value of a number, an amount or a date. */
  readonly min?: number | string | undefined;
  readonly max?: number | string | undefined;
  /** Currency of amounts, ISO 4217. */
  readonly currency?: string | undefined;
  /** A reference to what the record takes the place of: that is superseded from the day on which this one is filed. */
  readonly replaces?: boolean | undefined;
  /** No two records of the type have the same. */
  readonly unique?: boolean | undefined;
  /** Asked only when another fact, defined before it, has one of these values; with none, when it has any. */
  readonly onlyWhen?: { readonly fact: string; readonly values: readonly FactScalar[] } | undefined;
  /** Dublin Core element (ISO 15836-1), where one fits. */
  readonly dublinCore?: DublinCoreElement | undefined;
}

export interface FactProblem {
  readonly fact: string;
  readonly sentence: Message;
}

/** Separates the parts of a choice in a tree. */
export const choiceStep = ' / ';

const uuidShape = /^[0-9a-f]{8}-[0-9a-f]{4}-[0-9a-f]{4}-[0-9a-f]{4}-[0-9a-f]{12}$/;
const longest = { text: 300, longText: 4000 } as const;
const many = 100;

export function valuesOf(value: FactValue | undefined): readonly FactScalar[] {
  return value === undefined ? [] : Array.isArray(value) ? (value as readonly FactScalar[]) : [value as FactScalar];
}

function rangeProblem({ min, max, kind }: FactDefinition, value: number | string): Message | null {
  const bound = (limit: number | string): { limit: Value } => ({ limit: kind === 'date' ? { day: String(limit) } : String(limit) });
  if (min !== undefined && value < min) return message(kind === 'date' ? 'records.notBefore' : 'records.atLeast', bound(min));
  if (max !== undefined && value > max) return message(kind === 'date' ? 'records.notAfter' : 'records.atMost', bound(max));
  return null;
}

function scalarProblem(definition: FactDefinition, value: FactScalar): Message | null {
  const { kind } = definition;
  switch (kind) {
    case 'text':
    case 'longText':
      if (typeof value !== 'string') return message('records.mustText');
      if (value.length > longest[kind]) return message('records.mustHaveLettersAt', { longest: longest[kind] });
      return definition.mask === undefined || matchesMask(definition.mask, value)
        ? null
        : message('records.mustLookLike', { mask: definition.mask });
    case 'whole':
      if (!Number.isSafeInteger(value)) return message('records.mustWholeNumber');
      return rangeProblem(definition, value as number);
    case 'decimal':
      if (typeof value !== 'number' || !Number.isFinite(value)) return message('records.mustNumber');
      return rangeProblem(definition, value);
    case 'money':
      if (typeof value !== 'number' || !Number.isFinite(value) || Math.abs(value) > 1e13) return message('records.mustAmount');
      if (Number(value.toFixed(2)) !== value) return message('records.mustAmountTwoDecimal');
      return rangeProblem(definition, value);
    case 'date':
      if (typeof value !== 'string' || parseCivilDate(value) === null) return message('records.mustDateSuchAs');
      return rangeProblem(definition, value);
    case 'yesNo':
      return typeof value === 'boolean' ? null : message('records.mustYesNo');
    case 'choice':
      return definition.choices?.includes(String(value))
        ? null
        : message('records.mustOne', { choices: { any: definition.choices ?? [] } });
    case 'person':
    case 'party':
    case 'object':
    case 'place':
    case 'reference':
      return typeof value === 'string' && uuidShape.test(value) ? null : message('records.mustNameOneThere');
  }
}

function valueProblem(definition: FactDefinition, value: FactValue): Message | null {
  if (Array.isArray(value) !== (definition.many === true))
    return definition.many ? message('records.mustList') : message('records.mustOneValue');
  const values = valuesOf(value);
  if (values.length > many) return message('records.mustHaveValuesAt', { many });
  if (new Set(values).size < values.length) return message('records.mustNotHaveSame');
  for (const one of values) {
    const problem = scalarProblem(definition, one);
    if (problem) return problem;
  }
  return null;
}

/** Whether a fact is asked at all, given the others. */
export function factApplies(definition: FactDefinition, facts: Facts): boolean {
  if (!definition.onlyWhen) return true;
  const { fact, values } = definition.onlyWhen;
  const has = valuesOf(facts[fact]);
  return values.length === 0 ? has.length > 0 : has.some((value) => values.includes(value));
}

function conditionWords({ onlyWhen }: FactDefinition, definitions: readonly FactDefinition[]): Message {
  const title = definitions.find((d) => d.code === onlyWhen!.fact)?.title ?? onlyWhen!.fact;
  return onlyWhen!.values.length === 0
    ? message('records.isKnown', { title })
    : message('records.isOneOf', { title, values: { any: onlyWhen!.values.map(String) } });
}

/**
 * Wrong values, by fact. Unknown facts and facts that are not asked now are wrong; missing ones are gaps, not problems.
 * What `before` says already is never wrong: a record stays valid when its type changes.
 */
export function factProblems(definitions: readonly FactDefinition[], facts: Facts, before: Facts = {}): FactProblem[] {
  const problems: FactProblem[] = [];
  for (const [code, value] of Object.entries(facts)) {
    if (code in before && JSON.stringify(before[code]) === JSON.stringify(value)) continue;
    const definition = definitions.find((d) => d.code === code);
    if (!definition) {
      problems.push({ fact: code, sentence: message('records.recordTypeNoFact', { code }) });
      continue;
    }
    if (!factApplies(definition, facts)) {
      problems.push({
        fact: code,
        sentence: message('records.askedOnlyWhen', { title: definition.title, condition: conditionWords(definition, definitions) }),
      });
      continue;
    }
    const problem = valueProblem(definition, value);
    if (problem) problems.push({ fact: code, sentence: message('records.factProblem', { title: definition.title, problem }) });
  }
  return problems;
}

/** All ids among the values of facts: of whatever they point at, by whichever of them. */
export function idsIn(...facts: readonly Facts[]): string[] {
  const values = facts.flatMap((f) => Object.values(f)).flatMap((value) => valuesOf(value).map(String));
  return [...new Set(values.filter(isId))];
}

export function isId(text: string): boolean {
  return uuidShape.test(text);
}

/**
 * All facts that record types ask for, the first of each code; what folders and stencils can say. Whether one is required,
 * and when it is asked, is for the type of what is filed to say.
 */
export function factsOfTypes(types: readonly { readonly facts: readonly FactDefinition[] }[]): FactDefinition[] {
  const known = new Map<string, FactDefinition>();
  for (const { onlyWhen: _onlyWhen, ...fact } of types.flatMap((t) => t.facts)) {
    if (!known.has(fact.code)) known.set(fact.code, { ...fact, required: false });
  }
  return [...known.values()];
}

const isEmpty = (value: FactValue | undefined): boolean =>
  value === undefined || value === '' || (Array.isArray(value) && value.length === 0);

/** Facts without those that say nothing. */
export function filledFacts(facts: Facts): Facts {
  return Object.fromEntries(Object.entries(facts).filter(([, value]) => !isEmpty(value)));
}

/** Titles of the required facts that are asked and missing. */
export function factGaps(definitions: readonly FactDefinition[], facts: Facts): string[] {
  return definitions.filter((d) => d.required && isEmpty(facts[d.code]) && factApplies(d, facts)).map((d) => d.title);
}

/**
 * Fills what nobody said: first from the folders around (nearest first), then by the defaults of the type. What does not fit
 * the definition, or is not asked, is left out. In the order of the definitions, because one fact may be asked because of
 * another.
 */
export function completeFacts(
  definitions: readonly FactDefinition[],
  facts: Facts,
  around: readonly Facts[],
  who: { readonly today: EpochDay; readonly me: string },
): Facts {
  const completed: Record<string, FactValue> = { ...facts };
  for (const definition of definitions) {
    if (!isEmpty(completed[definition.code]) || !factApplies(definition, completed)) continue;
    const candidates = [...around.map((f) => f[definition.code]), defaultOf(definition, who)];
    const given = candidates.find((value) => value !== undefined && !isEmpty(value) && valueProblem(definition, value) === null);
    if (given !== undefined) completed[definition.code] = given;
  }
  return completed;
}

function defaultOf(definition: FactDefinition, who: { readonly today: EpochDay; readonly me: string }): FactValue | undefined {
  const { kind } = definition;
  const value =
    kind === 'date' && definition.default === 'today'
      ? formatCivilDate(who.today)
      : kind === 'person' && definition.default === 'me'
        ? who.me
        : definition.default;
  return value === undefined || !definition.many ? value : [value as string | number];
}

const codeShape = /^[a-z][A-Za-z0-9]{0,39}$/;
const ranged: readonly FactKind[] = ['whole', 'decimal', 'money', 'date'];
const countable: readonly FactKind[] = ['text', 'whole', 'date', 'choice', ...pointingKinds];

/** What is wrong with the definitions of a record type; `fact` is the code, or the position (from 1) where that is wrong. */
export function definitionProblems(definitions: readonly FactDefinition[]): FactProblem[] {
  const problems: FactProblem[] = [];
  const seen = new Set<string>();
  for (const [i, d] of definitions.entries()) {
    const title = d.title || message('records.factNo', { no: String(i + 1) });
    const say = (problem: Message): void =>
      void problems.push({
        fact: codeShape.test(d.code) ? d.code : String(i + 1),
        sentence: message('records.factProblem', { title, problem }),
      });
    if (!codeShape.test(d.code)) say(message('records.needsCodeSmallLetter'));
    if (seen.has(d.code)) say(message('records.codeWhichTaken', { code: d.code }));
    if (d.title.trim() === '') say(message('records.needsTitle'));
    if (d.kind === 'choice') {
      if (!d.choices?.length) say(message('records.needsChoices'));
      else if (new Set(d.choices).size < d.choices.length) say(message('records.sameChoiceTwice'));
      else if (d.choices.some((c) => c.trim() === '' || c.split(choiceStep).some((part) => part.trim() === '')))
        say(message('records.emptyChoice'));
    } else if (d.choices?.length) say(message('records.choicesButOnlyChoice'));
    if (d.mask !== undefined) {
      const problem = d.kind === 'text' ? maskProblem(d.mask) : message('records.patternOnlyText');
      if (problem) say(problem);
    }
    if ((d.min !== undefined || d.max !== undefined) && !ranged.includes(d.kind)) say(message('records.canHaveRangeOnly'));
    else if ([d.min, d.max].some((bound) => bound !== undefined && scalarProblem({ ...d, min: undefined, max: undefined }, bound) !== null))
      say(message('records.rangeNoneKind'));
    else if (d.min !== undefined && d.max !== undefined && d.min > d.max) say(message('records.rangeEndsBeforeBegins'));
    if (d.kind === 'money' && !/^[A-Z]{3}$/.test(d.currency ?? '')) say(message('records.needsCurrencyThreeLetters'));
    if (d.kind === 'yesNo' && d.many) say(message('records.cannotHaveManyValues'));
    if (d.replaces && d.kind !== 'reference') say(message('records.canReplaceSomethingOnly'));
    if (d.unique && (d.many || !countable.includes(d.kind))) say(message('records.cannotUnique'));
    if (d.onlyWhen && !seen.has(d.onlyWhen.fact)) say(message('records.dependsOnFactDoes'));
    const never = neverOf(d, definitions);
    if (never !== undefined) say(message('records.dependsOnValue', { value: String(never) }));
    if (d.default !== undefined && !isWord(d) && scalarProblem(d, d.default) !== null) say(message('records.defaultDoesNotFit'));
    seen.add(d.code);
  }
  return problems;
}

/** A value that a fact is asked with, and that the one it depends on can never have. */
function neverOf({ onlyWhen }: FactDefinition, definitions: readonly FactDefinition[]): FactScalar | undefined {
  const other = definitions.find((d) => d.code === onlyWhen?.fact);
  if (!onlyWhen || !other) return undefined;
  return onlyWhen.values.find((value) =>
    other.kind === 'choice' ? !other.choices?.includes(String(value)) : scalarProblem({ ...other, mask: undefined }, value) !== null,
  );
}

const isWord = (d: FactDefinition): boolean => (d.kind === 'date' && d.default === 'today') || (d.kind === 'person' && d.default === 'me');

/** What a new version of a type may not change: what a fact of that code means. */
export function changeProblems(before: readonly FactDefinition[], after: readonly FactDefinition[]): FactProblem[] {
  return after.flatMap((d): FactProblem[] => {
    const old = before.find((b) => b.code === d.code);
    if (!old || (old.kind === d.kind && (old.many === true) === (d.many === true))) return [];
    return [{ fact: d.code, sentence: message('records.valuesAnotherKindRecords', { title: d.title }) }];
  });
}
