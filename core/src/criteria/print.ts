import { monthNames, parseCivilDate, yearMonthDay } from '../calendar/index.js';
import { pointsElsewhere } from '../records/index.js';
import type { AskedCriteria, Clause, Within } from './criteria.js';
import { quoted } from './tokens.js';
import {
  emptyVocabulary,
  factName,
  fieldWords,
  fold,
  namePhrases,
  standsAlone,
  thingsOf,
  valuesOf,
  type Named,
  type Vocabulary,
} from './vocabulary.js';

/** A day in words, "1 May 2019"; years that have not four digits stay in ISO form. */
function dayWords(day: string): string {
  const date = parseCivilDate(day);
  if (date === null) return day;
  const { year, month, day: of } = yearMonthDay(date);
  return `${of} ${monthNames[month - 1]!} ${String(year).padStart(4, '0')}`;
}

/** A range after its field: "in 2019", "between 1 May 2019 and 3 June 2019", "from 1 May 2019", "is known". */
function rangeWords(from: string | undefined, until: string | undefined): string {
  if (from === undefined) return until === undefined ? 'is known' : `until ${dayWords(until)}`;
  if (until === undefined) return `from ${dayWords(from)}`;
  if (from === until) return `is ${dayWords(from)}`;
  const year = from.slice(0, 4);
  if (from === `${year}-01-01` && until === `${year}-12-31`) return `in ${year}`;
  return `between ${dayWords(from)} and ${dayWords(until)}`;
}

/** A value as the parser reads it: bare when it is a plain run of words, else in quotation marks. */
function valueText(value: string): string {
  const plain = /^[\p{L}\p{N}/.-]+( [\p{L}\p{N}/.-]+)*$/u.test(value);
  const reserved = /^(and|or|not|is|one|known|missing|starts|yes|no)$/i;
  return plain && !value.split(' ').some((word) => reserved.test(word)) ? value : quoted(value);
}

/** A name as it is known; quoted where its bare words could be read otherwise. */
function nameText(id: string, name: string, names: readonly Named[]): string {
  const known = names.find((n) => n.id === id)?.name ?? name;
  const clear = names.length === 0 || namePhrases(names).byForm.get(fold(known))?.id === id;
  return clear && valueText(known) === known ? known : quoted(known);
}

function factText(code: string, vocabulary: Vocabulary): string {
  const name = factName(code, vocabulary);
  return standsAlone(name) ? name : `fact ${quoted(name)}`;
}

function factValue({ fact, value }: Extract<Single, { op: 'fact' }>, vocabulary: Vocabulary): string {
  if (typeof value === 'boolean') return value ? 'yes' : 'no';
  if (typeof value === 'number') return String(value);
  const kind = vocabulary.facts.find((f) => f.code === fact)?.kind;
  return kind && pointsElsewhere(kind) ? nameText(value, value, thingsOf(kind, vocabulary)) : valueText(value);
}

type Single = Clause | Within;

function listed(parts: readonly AskedCriteria[], vocabulary: Vocabulary): string | null {
  const [first] = parts;
  if (parts.length < 2) return null;
  if (first?.op === 'is' && parts.every((p) => p.op === 'is' && p.field === first.field)) {
    const values = parts.map((p) => codeValue(p as Extract<Single, { op: 'is' }>, vocabulary));
    return `${fieldWords[first.field]} ${first.field === 'outcome' ? '' : 'is '}one of ${values.join(', ')}`;
  }
  if (first?.op === 'fact' && parts.every((p) => p.op === 'fact' && p.fact === first.fact && typeof p.value === 'string')) {
    const values = parts.map((p) => factValue(p as Extract<Single, { op: 'fact' }>, vocabulary));
    return `${factText(first.fact, vocabulary)} is one of ${values.join(', ')}`;
  }
  return null;
}

function codeValue(clause: Extract<Single, { op: 'is' }>, vocabulary: Vocabulary): string {
  return nameText(clause.value, clause.value, valuesOf(clause.field, vocabulary));
}

/** The condition itself, or its opposite where the text form has one. */
function clauseText(clause: Single, vocabulary: Vocabulary, not: boolean): string {
  const verb = not ? 'is not' : 'is';
  const wrapped = (text: string): string => (not ? `not ${text}` : text);
  switch (clause.op) {
    case 'words':
      return wrapped(`has words ${clause.prefix ? 'beginning ' : ''}${quoted(clause.text)}`);
    case 'under':
      return wrapped(`under ${nameText(clause.placeId, clause.name, vocabulary.places)}`);
    case 'is':
      return clause.field === 'outcome'
        ? `schedule says ${not ? 'not ' : ''}${codeValue(clause, vocabulary)}`
        : `${fieldWords[clause.field]} ${verb} ${codeValue(clause, vocabulary)}`;
    case 'text':
      return clause.how === 'is'
        ? `${clause.field} ${verb} ${valueText(clause.value)}`
        : wrapped(`${clause.field} starts with ${valueText(clause.value)}`);
    case 'between': {
      const words = rangeWords(clause.from, clause.until);
      const field = fieldWords[clause.field];
      if (not && words === 'is known') return `${field} is missing`;
      return not && words.startsWith('is ') ? `${field} is not ${words.slice(3)}` : wrapped(`${field} ${words}`);
    }
    case 'within':
    case 'factWithin': {
      const subject = clause.op === 'within' ? fieldWords[clause.field] : factText(clause.fact, vocabulary);
      return wrapped(`${subject} in the ${clause.way} ${clause.count} ${clause.unit}${clause.count === 1 ? '' : 's'}`);
    }
    case 'person':
      return clause.personId === undefined
        ? `${fieldWords[clause.field]} is ${not ? 'missing' : 'known'}`
        : `${fieldWords[clause.field]} ${verb} ${nameText(clause.personId, clause.name ?? '', vocabulary.people)}`;
    case 'fact':
      return `${factText(clause.fact, vocabulary)} ${verb} ${factValue(clause, vocabulary)}`;
    case 'factStarts':
      return wrapped(`${factText(clause.fact, vocabulary)} starts with ${valueText(clause.text)}`);
    case 'factBetween': {
      const { from, until } = clause;
      const fact = factText(clause.fact, vocabulary);
      if (from === undefined && until === undefined) return `${fact} is ${not ? 'missing' : 'known'}`;
      if (typeof (from ?? until) === 'string') {
        const words = rangeWords(from as string | undefined, until as string | undefined);
        return not && words.startsWith('is ') ? `${fact} is not ${words.slice(3)}` : wrapped(`${fact} ${words}`);
      }
      if (from === undefined) return wrapped(`${fact} until ${until!}`);
      return wrapped(until === undefined ? `${fact} from ${from}` : `${fact} between ${from} and ${until}`);
    }
    case 'held':
      return wrapped('held');
    case 'heldBy':
      return wrapped(`held by ${nameText(clause.holdId, clause.name, vocabulary.holds)}`);
    case 'detected':
      return wrapped(`matches detector ${nameText(clause.detectorId, clause.name, vocabulary.detectors)}`);
    case 'gaps':
      return wrapped('has gaps');
    case 'conflict':
      return wrapped('in conflict');
  }
}

/** Criteria without groups of one. */
function bare(criteria: AskedCriteria): AskedCriteria {
  return (criteria.op === 'and' || criteria.op === 'or') && criteria.of.length === 1 ? bare(criteria.of[0]!) : criteria;
}

function isGroup(criteria: AskedCriteria): criteria is Extract<AskedCriteria, { op: 'and' | 'or' }> {
  return criteria.op === 'and' || criteria.op === 'or';
}

/** The text form of criteria; {@link import('./parse.js').parseCriteria} reads it back. */
export function printCriteria(criteria: AskedCriteria, vocabulary: Vocabulary): string {
  const tree = bare(criteria);
  if (isGroup(tree)) {
    if (tree.of.length === 0) return tree.op === 'and' ? 'everything' : 'nothing';
    const parts = tree.of.map(bare);
    const list = tree.op === 'or' ? listed(parts, vocabulary) : null;
    if (list !== null) return list;
    return parts
      .map((part) => {
        const text = printCriteria(part, vocabulary);
        return isGroup(part) && part.of.length > 0 && listed(part.of.map(bare), vocabulary) === null ? `(${text})` : text;
      })
      .join(` ${tree.op} `);
  }
  if (tree.op !== 'not') return clauseText(tree, vocabulary, false);
  const of = bare(tree.of);
  return isGroup(of) || of.op === 'not' ? `not (${printCriteria(of, vocabulary)})` : clauseText(of, vocabulary, true);
}

/** Criteria in words; names of facts and values are told where a vocabulary is given. */
export function describeCriteria(criteria: AskedCriteria, vocabulary: Vocabulary = emptyVocabulary): string {
  if (isGroup(criteria) && criteria.of.length === 0) {
    return criteria.op === 'and' ? 'every record' : 'no record';
  }
  return printCriteria(criteria, vocabulary);
}
