import { IntlMessageFormat } from 'intl-messageformat';
import type { Language } from './languages.js';
import type { Code, Message, Value } from './message.js';

/** Sentences by the code of their message, each an ICU message (MessageFormat: `{name}`, `{n, plural, one {…} other {…}}`, `{kind, select, …}`). */
export type Catalogue = Readonly<Record<Code, string>>;

/** Makes sentences of messages in one language. */
export interface Speaker {
  readonly language: Language;
  say(message: Message): string;
  /** One value as it stands in a sentence. */
  word(value: Value): string;
}

const periodParts = ['years', 'months', 'weeks', 'days'] as const;
const byteUnits = ['byte', 'kilobyte', 'megabyte', 'gigabyte', 'terabyte'] as const;

/** A speaker of a language. Throws where the catalogue lacks what is to be said, or a message lacks what goes into it. */
export function speaker(language: Language, catalogue: Catalogue): Speaker {
  const formats = new Map<Code, IntlMessageFormat>();
  const numbers = new Intl.NumberFormat(language);
  const days = new Intl.DateTimeFormat(language === 'en' ? 'en-US' : language, {
    day: 'numeric',
    month: 'short',
    year: 'numeric',
    timeZone: 'UTC',
  });
  /**
   * A civil date; its year may have more than four digits, as at the end of a very long period. What no calendar of the platform reaches
   * stays as it is. English is written with the day before the month, and no “Sept”.
   */
  const dayWords = (date: string): string => {
    const [year, month, dayOfMonth] = date.split('-').map(Number);
    const day = new Date(0);
    day.setUTCFullYear(year!, month! - 1, dayOfMonth);
    if (Number.isNaN(day.getTime())) return date;
    if (language !== 'en') return days.format(day);
    const part = Object.fromEntries(days.formatToParts(day).map((p) => [p.type, p.value]));
    return `${part['day']} ${part['month']} ${part['year']}`;
  };
  const lists = {
    all: new Intl.ListFormat(language, { type: 'conjunction' }),
    any: new Intl.ListFormat(language, { type: 'disjunction' }),
  };
  // English writes no comma before the last of several here.
  const listed = (kind: 'all' | 'any', words: readonly string[]): string => {
    if (language !== 'en' || words.length < 3) return lists[kind].format(words);
    return `${words.slice(0, -1).join(', ')} ${kind === 'all' ? 'and' : 'or'} ${words.at(-1)!}`;
  };
  const unit = (n: number, of: string, digits = 0): string =>
    new Intl.NumberFormat(language, {
      style: 'unit',
      unit: of,
      useGrouping: of.endsWith('byte'),
      unitDisplay: of.endsWith('byte') && of !== 'byte' ? 'short' : 'long',
      minimumFractionDigits: digits,
      maximumFractionDigits: digits,
    }).format(n);

  const periodWords = (iso: string): string => {
    const parts = /^P(?:(\d+)Y)?(?:(\d+)M)?(?:(\d+)W)?(?:(\d+)D)?$/.exec(iso);
    if (!parts) return iso;
    const said = periodParts.flatMap((name, at) => {
      const n = Number(parts[at + 1] ?? 0);
      return n === 0 ? [] : [unit(n, name.slice(0, -1))];
    });
    return said.length === 0 ? say({ say: 'shared.noTime' }) : listed('all', said);
  };

  const sizeWords = (bytes: number): string => {
    const power = bytes < 1000 ? 0 : Math.min(Math.floor(Math.log10(bytes) / 3), byteUnits.length - 1);
    const value = bytes / 1000 ** power;
    return unit(value, byteUnits[power]!, power === 0 || value >= 100 ? 0 : 1);
  };

  const word = (value: Value): string => {
    if (typeof value === 'string') return value;
    if (typeof value === 'number') return numbers.format(value);
    if ('say' in value) return say(value);
    if ('day' in value) return dayWords(value.day);
    if ('period' in value) return periodWords(value.period);
    if ('list' in value) return value.list.map(word).join(', ');
    if ('all' in value) return listed('all', value.all.map(word));
    if ('any' in value) return listed('any', value.any.map(word));
    if ('month' in value)
      return new Intl.DateTimeFormat(language, { month: 'long', timeZone: 'UTC' }).format(new Date(Date.UTC(2025, value.month - 1, 15)));
    return sizeWords(value.bytes);
  };

  function say(message: Message): string {
    let format = formats.get(message.say);
    if (!format) {
      const pattern = catalogue[message.say] as string | undefined;
      if (pattern === undefined) throw new Error(`No message “${message.say}” in ${language}.`);
      // Apostrophes are letters here, not quotes: sentences hold “’”, and nothing needs to be quoted.
      format = new IntlMessageFormat(pattern, language, undefined, { ignoreTag: true });
      formats.set(message.say, format);
    }
    const counted = countedIn(format);
    const values = Object.entries(message.with ?? {}).map(([name, value]) => [
      name,
      typeof value === 'number' && counted.has(name) ? value : word(value),
    ]);
    return String(format.format(Object.fromEntries(values) as Record<string, string | number>));
  }

  return { language, say, word };
}

// The kinds of parts of an ICU message, as the parser numbers them: a plural is 6, a number 2.
const counting = new Set([2, 6]);
const countedNames = new WeakMap<IntlMessageFormat, Set<string>>();

/** Names of what a message counts by: these go in as numbers. */
function countedIn(format: IntlMessageFormat): Set<string> {
  let names = countedNames.get(format);
  if (!names) {
    names = new Set();
    const walk = (parts: readonly { type: number; value?: unknown; options?: Record<string, { value: never[] }> }[]): void => {
      for (const part of parts) {
        if (counting.has(part.type)) names!.add(String(part.value));
        for (const option of Object.values(part.options ?? {})) walk(option.value);
      }
    };
    walk(format.getAst() as never);
    countedNames.set(format, names);
  }
  return names;
}
