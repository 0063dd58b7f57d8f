import { message } from '@key-cellar/words';
import { epochDay, formatCivilDate, parseCivilDate } from '../calendar/index.js';
import type { FactScalar } from '../records/index.js';
import { spanUnits, type AskedCriteria, type Clause, type CodeField, type DateField, type SpanUnit, type Within } from './criteria.js';
import { Cursor, Wrong, type CriteriaError, type Expected } from './cursor.js';
import { wordsOf } from './words.js';
import { factPhrases, thingsOf, fieldPhrases, valuesOf, type Field, type NamedFact, type Vocabulary } from './vocabulary.js';

export type Parsed = { readonly ok: true; readonly criteria: AskedCriteria } | { readonly ok: false; readonly error: CriteriaError };

const months = ['january', 'february', 'march', 'april', 'may', 'june', 'july', 'august', 'september', 'october', 'november', 'december'];
const deepest = 12;
const everything: AskedCriteria = { op: 'and', of: [] };

/** Reads one text by the grammar of criteria. */
class Reader extends Cursor {
  private depth = 0;

  constructor(
    text: string,
    private readonly vocabulary: Vocabulary,
  ) {
    super(text);
  }

  read(): AskedCriteria {
    if (this.tokens.length === 0) {
      this.expectClause();
      return everything;
    }
    const criteria = this.either();
    const extra = this.tokens[this.at];
    if (extra) {
      if (extra.kind === ')') this.fail(message('criteria.bracketClosesNothing'));
      this.fail(message('criteria.afterConditionComesEnd', { text: extra.text }), ['and', 'or']);
    }
    return criteria;
  }

  private either(): AskedCriteria {
    return this.joined('or', () => this.joined('and', () => this.single()));
  }

  private joined(op: 'and' | 'or', part: () => AskedCriteria): AskedCriteria {
    const parts = [part()];
    while (this.isWord(op)) parts.push(part());
    return parts.length === 1 ? parts[0]! : { op, of: parts };
  }

  private single(): AskedCriteria {
    const first = this.tokens[this.at];
    if (this.isWord('not')) return this.deeper(() => ({ op: 'not', of: this.single() }));
    if (first?.kind === '(') {
      this.at++;
      const inner = this.deeper(() => this.either());
      if (this.tokens[this.at]?.kind !== ')') this.fail(message('criteria.bracketOpenedNotClosed'), [')']);
      this.at++;
      return inner;
    }
    return this.clause();
  }

  private deeper<T>(read: () => T): T {
    if (++this.depth > deepest) this.fail(message('criteria.conditionsMayAtMost', { deepest }));
    const inner = read();
    this.depth--;
    return inner;
  }

  private expectClause(): void {
    const detectors = this.vocabulary.detectors.length > 0 ? ['matches detector'] : [];
    this.expect([
      'under',
      'has words',
      'held',
      'held by',
      'has gaps',
      'in conflict',
      ...detectors,
      'not',
      ...fieldPhrases(this.vocabulary).names,
    ]);
  }

  private clause(): AskedCriteria {
    this.expectClause();
    if (this.isWord('everything')) return everything;
    if (this.isWord('nothing')) return { op: 'or', of: [] };
    if (this.isWord('held')) {
      if (!this.isWord('by')) return { op: 'held' };
      const hold = this.name(this.vocabulary.holds, message('criteria.a.hold'));
      return { op: 'heldBy', holdId: hold.id, name: hold.name };
    }
    if (this.isWord('in', '')) {
      this.need('conflict');
      return { op: 'conflict' };
    }
    if (this.isWord('under')) {
      const place = this.name(this.vocabulary.places, message('criteria.a.place'));
      return { op: 'under', placeId: place.id, name: place.name };
    }
    if (this.isWord('matches')) {
      this.need('detector');
      const detector = this.name(this.vocabulary.detectors, message('criteria.a.detector'));
      return { op: 'detected', detectorId: detector.id, name: detector.name };
    }
    if (this.isWord('has')) {
      if (this.isWord('gaps')) return { op: 'gaps' };
      if (this.isWord('words') || this.isWord('word', '')) {
        const beginning = this.isWord('beginning');
        const at = this.tokens[this.at];
        const text = this.value(message('criteria.a.words'));
        if (wordsOf(text).length === 0) this.failAt(at!.from, at!.until, message('criteria.noWordLookLetters'));
        return { op: 'words', text, ...(beginning ? { prefix: true } : {}) };
      }
      this.fail(message('criteria.sayWordsWordsGaps'), ['words', 'gaps']);
    }
    if (this.isWord('fact')) return this.fact(this.factName());
    const field = this.phrase(fieldPhrases(this.vocabulary));
    if (!field)
      this.failUnknown(message('criteria.a.condition'), [
        ...fieldPhrases(this.vocabulary).names,
        'under',
        'held',
        'has words',
        'has gaps',
        'in conflict',
        'not',
      ]);
    return this.comparison(field);
  }

  private factName(): NamedFact {
    const names = factPhrases(this.vocabulary);
    this.expect(names.names);
    const fact = this.phrase(names);
    if (!fact) this.failUnknown(message('criteria.a.fact'), names.names);
    return fact;
  }

  private comparison(field: Field): AskedCriteria {
    switch (field.kind) {
      case 'code':
        return this.code(field.field);
      case 'date':
        return this.date(field.field);
      case 'fact':
        return this.fact(field.fact);
      case 'text': {
        if (this.isWord('starts', '')) {
          this.need('with');
          return { op: 'text', field: field.field, how: 'startsWith', value: this.beginning() };
        }
        return this.is(['is', 'is not', 'starts with'], () => ({
          op: 'text',
          field: field.field,
          how: 'is',
          value: this.value(message('criteria.a.text')),
        }));
      }
      case 'person':
        return this.is(
          ['is', 'is not'],
          () => {
            const person = this.name(this.vocabulary.people, message('criteria.a.person'));
            return { op: 'person', field: field.field, personId: person.id, name: person.name };
          },
          () => ({ op: 'person', field: field.field }),
        );
    }
  }

  /** `is …` and `is not …`; where a value may be absent, `is known` and `is missing` too. `others` are what might have stood here. */
  private is(
    options: readonly string[],
    affirmed: () => AskedCriteria,
    known?: () => AskedCriteria,
    others: readonly string[] = [],
  ): AskedCriteria {
    const all = [...options, ...(known ? ['is known', 'is missing'] : []), ...others];
    this.expect(all);
    if (!this.isWord('is'))
      this.fail(message('criteria.comes', { what: { any: all.map((o) => message('criteria.quoted', { word: o })) } }), all);
    const not = (of: AskedCriteria): AskedCriteria => ({ op: 'not', of });
    if (known && this.isWord('known')) return known();
    if (known && this.isWord('missing')) return not(known());
    return this.isWord('not') ? not(affirmed()) : affirmed();
  }

  private code(field: CodeField): AskedCriteria {
    const values = valuesOf(field, this.vocabulary);
    const one = (): AskedCriteria => {
      const value = this.name(values, message('criteria.a.value'));
      return { op: 'is', field, value: value.id };
    };
    // “schedule says waiting” reads better than “schedule says is waiting”.
    const verb = field === 'outcome' ? [] : ['is', 'is not', 'is one of'];
    if (verb.length === 0) {
      if (this.isWord('one', 'one of')) return this.oneOf(one);
      return this.isWord('not') ? { op: 'not', of: one() } : one();
    }
    return this.is(verb, () => (this.isWord('one', 'one of') ? this.oneOf(one) : one()));
  }

  private oneOf(one: () => AskedCriteria): AskedCriteria {
    this.need('of');
    const of = [one()];
    while (this.tokens[this.at]?.kind === ',') {
      this.at++;
      of.push(one());
    }
    return of.length === 1 ? of[0]! : { op: 'or', of };
  }

  private date(field: DateField): AskedCriteria {
    return this.dated(
      (span) => ({ op: 'within', field, ...span }),
      (from, until) => ({
        op: 'between',
        field,
        ...(from === undefined ? {} : { from }),
        ...(until === undefined ? {} : { until }),
      }),
    );
  }

  /** How a date compares: with today, or with days. */
  private dated(
    within: (span: Pick<Within, 'way' | 'count' | 'unit'>) => AskedCriteria,
    between: (from?: string, until?: string) => Clause,
  ): AskedCriteria {
    this.expect(['in the last', 'in the next']);
    const isIn = this.isWord('in');
    if (isIn) this.expect(['the last', 'the next']);
    if (isIn && this.isWord('the', '')) {
      const way = this.isWord('last') ? 'last' : this.isWord('next') ? 'next' : null;
      if (!way) this.fail(message('criteria.sayLastNextHow'), ['last', 'next']);
      return within({ way, ...this.span() });
    }
    return this.range(isIn, between);
  }

  private span(): { count: number; unit: SpanUnit } {
    const token = this.tokens[this.at];
    const count = token && /^\d{1,4}$/.test(token.text) ? Number(token.text) : 0;
    if (count < 1) this.fail(message('criteria.howLongNumberSuch'));
    this.at++;
    this.expect(spanUnits.map((u) => `${u}s`));
    for (const unit of spanUnits) if (this.isWord(`${unit}s`, '') || this.isWord(unit, '')) return { count, unit };
    this.fail(
      message('criteria.howLongDaysWeeks'),
      spanUnits.map((u) => `${u}s`),
    );
  }

  /** Comparisons of dates, after the field and, if it stood there, “in”. */
  private range(isIn: boolean, make: (from?: string, until?: string) => Clause): AskedCriteria {
    if (isIn) return make(...this.day());
    if (this.isWord('before')) return make(undefined, shift(this.day()[0], -1));
    if (this.isWord('after')) return make(shift(this.day()[1], 1));
    if (this.isWord('from')) return make(this.day()[0]);
    if (this.isWord('until')) return make(undefined, this.day()[1]);
    if (this.isWord('between')) {
      const [from] = this.day();
      this.need('and');
      return make(from, this.day()[1]);
    }
    return this.is(['is', 'is not'], () => make(...this.day()), make, ['in', 'before', 'after', 'from', 'until', 'between']);
  }

  /** A day, a month (`May 2019`) or a year: its first and last day. */
  private day(): [string, string] {
    this.expect(['2019-05-01', '1 May 2019', 'May 2019', '2019']);
    const [a, b, c] = [0, 1, 2].map((i) => this.tokens[this.at + i]?.text ?? '');
    const day = parseCivilDate(a!);
    if (day !== null) {
      this.at++;
      return [a!, a!];
    }
    const month = (text: string): number =>
      months.findIndex((m) => m === text.toLowerCase() || (text.length >= 3 && m.startsWith(text.toLowerCase()))) + 1;
    const year = (text: string): number | null => (/^\d{4}$/.test(text) && Number(text) > 0 ? Number(text) : null);
    if (/^\d{1,2}$/.test(a!) && month(b!) > 0 && year(c!) !== null) {
      const text = `${c!}-${String(month(b!)).padStart(2, '0')}-${a!.padStart(2, '0')}`;
      if (parseCivilDate(text) !== null) {
        this.at += 3;
        return [text, text];
      }
      this.failAt(this.tokens[this.at]!.from, this.tokens[this.at + 2]!.until, message('criteria.thereNo', { a: a!, b: b!, c: c! }));
    }
    if (month(a!) > 0 && year(b!) !== null) {
      this.at += 2;
      const m = month(a!);
      const y = year(b!)!;
      return [formatCivilDate(epochDay(y, m, 1)), formatCivilDate((m === 12 ? epochDay(y + 1, 1, 1) : epochDay(y, m + 1, 1)) - 1)];
    }
    if (year(a!) !== null) {
      this.at++;
      return [`${a!}-01-01`, `${a!}-12-31`];
    }
    this.fail(message('criteria.comesDateSuchAs'));
  }

  private fact(fact: NamedFact): AskedCriteria {
    const { code, kind } = fact;
    const known = (): AskedCriteria => this.factRange(code);
    switch (kind) {
      case 'date':
        return this.dated(
          (span) => ({ op: 'factWithin', fact: code, ...span }),
          (from, until) => this.factRange(code, from, until),
        );
      case 'whole':
      case 'money':
      case 'decimal': {
        if (this.isWord('from')) return this.factRange(code, this.number());
        if (this.isWord('until')) return this.factRange(code, undefined, this.number());
        if (this.isWord('between')) {
          const from = this.number();
          this.need('and');
          return this.factRange(code, from, this.number());
        }
        return this.is(['is', 'is not'], () => ({ op: 'fact', fact: code, value: this.number() }), known, ['from', 'until', 'between']);
      }
      case 'yesNo':
        return this.is(
          ['is', 'is not'],
          () => {
            this.expect(['yes', 'no']);
            if (this.isWord('yes')) return { op: 'fact', fact: code, value: true };
            if (this.isWord('no')) return { op: 'fact', fact: code, value: false };
            this.fail(message('criteria.comesYesNo'), ['yes', 'no']);
          },
          known,
        );
      case 'person':
      case 'party':
      case 'object':
      case 'place':
      case 'reference': {
        const one = (): AskedCriteria => ({
          op: 'fact',
          fact: code,
          value: this.name(thingsOf(kind, this.vocabulary), message('criteria.a.name')).id,
        });
        return this.is(['is', 'is not', 'is one of'], () => (this.isWord('one', 'one of') ? this.oneOf(one) : one()), known);
      }
      case 'choice':
      case 'text':
      case 'longText': {
        if (this.isWord('starts', '')) {
          this.need('with');
          return { op: 'factStarts', fact: code, text: this.beginning() };
        }
        const one = (): AskedCriteria => ({ op: 'fact', fact: code, value: this.factValue(fact) });
        return this.is(['is', 'is not', 'is one of'], () => (this.isWord('one', 'one of') ? this.oneOf(one) : one()), known, [
          'starts with',
        ]);
      }
    }
  }

  /** What a text is to start with; everything starts with nothing. */
  private beginning(): string {
    const at = this.tokens[this.at];
    const text = this.value(message('criteria.a.text'));
    if (text === '') this.failAt(at!.from, at!.until, message('criteria.everythingStartsNothingSay'));
    return text;
  }

  private factValue(fact: NamedFact): FactScalar {
    if (!fact.choices) return this.value(message('criteria.a.value'));
    return this.name(
      fact.choices.map((choice) => ({ id: choice, name: choice })),
      message('criteria.a.value'),
    ).id;
  }

  private factRange(fact: string, from?: string | number, until?: string | number): Clause {
    return { op: 'factBetween', fact, ...(from === undefined ? {} : { from }), ...(until === undefined ? {} : { until }) };
  }
}

function shift(day: string, by: number): string {
  return formatCivilDate(parseCivilDate(day)! + by);
}

/** Reads as far as the text can be read; `expected` is what might have stood at each place up to there. */
export function attempt(text: string, vocabulary: Vocabulary): { parsed: Parsed; expected: readonly Expected[] } {
  let expected: readonly Expected[] = [];
  try {
    const reader = new Reader(text, vocabulary);
    expected = reader.expected;
    return { parsed: { ok: true, criteria: reader.read() }, expected };
  } catch (error) {
    if (error instanceof Wrong) return { parsed: { ok: false, error: error.error }, expected };
    throw error;
  }
}

/**
 * Reads criteria from their text form, such as
 * `under PIL-03 and (vessel is Ottoline or created before 2019) and not held`.
 * Upper and lower case make no difference but in values; an empty text is everything.
 */
export function parseCriteria(text: string, vocabulary: Vocabulary): Parsed {
  return attempt(text, vocabulary).parsed;
}
