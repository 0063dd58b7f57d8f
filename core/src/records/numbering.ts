import { message, type Message } from '@key-cellar/words';
/** One part of a number. */
export type NumberPart =
  | { readonly kind: 'text'; readonly text: string }
  | { readonly kind: 'series' | 'place' | 'type' | 'year' | 'month' | 'day' }
  | { readonly kind: 'fact'; readonly fact: string }
  /** The counter, at least as many digits wide. */
  | { readonly kind: 'counter'; readonly width: number };

/** What counters can start anew for. */
export const countScopes = ['series', 'place', 'type', 'year', 'month'] as const;
export type CountScope = (typeof countScopes)[number];

export interface Numbering {
  readonly pattern: string;
  readonly per: readonly CountScope[];
}

/** How records are numbered where no scheme is set. */
export const usualNumbering: Numbering = { pattern: '{series}/{year}/{nnnn}', per: ['series', 'year'] };

/** What a number is made of. */
export interface NumberValues {
  readonly series: string;
  /** The series and the folders in it, such as `BER-01/B-07`. */
  readonly place: string;
  readonly type: string;
  /** The day of filing, YYYY-MM-DD. */
  readonly on: string;
  readonly facts: Readonly<Record<string, string | number | boolean>>;
}

type Read<T> = { readonly ok: true; readonly value: T } | { readonly ok: false; readonly sentence: Message };
const wrong = (sentence: Message): { ok: false; sentence: Message } => ({ ok: false, sentence });
const named = ['series', 'place', 'type', 'year', 'month', 'day'] as const;
/** What a pattern may hold in brackets. */
const numberFields = ['{series}', '{place}', '{type}', '{year}', '{month}', '{day}', '{fact …}', '{nnnn}'];
const longest = 120;
/**
 * What no number may have. A number names a folder in a transfer, where a slash becomes an underscore (RFC 8493 §2.1.3): without
 * these, two numbers never become one name.
 */
const neverIn = /[\u0000-\u001f\u007f\\:*?"<>|%_]/;
const refused = (found: string): { ok: false; sentence: Message } =>
  wrong(
    found > ' ' && found < '\u007f' ? message('records.numberNeverHas', { sign: found }) : message('records.numberNoControlCharacters'),
  );

/** Reads a pattern such as `{series}/{year}/{nnnn}` or `INV-{fact customer}-{nnn}`. */
export function parseNumbering(pattern: string): Read<NumberPart[]> {
  const parts: NumberPart[] = [];
  for (const piece of pattern.split(/(\{[^{}]*\})/).filter(Boolean)) {
    const field = /^\{(.*)\}$/.exec(piece)?.[1]?.trim();
    if (field === undefined) {
      if (/[{}]/.test(piece)) return wrong(message('records.bracketNotClosed'));
      const never = neverIn.exec(piece);
      if (never) return refused(never[0]);
      parts.push({ kind: 'text', text: piece });
    } else if (/^n{1,9}$/.test(field)) {
      parts.push({ kind: 'counter', width: field.length });
    } else if ((named as readonly string[]).includes(field)) {
      parts.push({ kind: field as (typeof named)[number] });
    } else if (/^fact \S+$/.test(field)) {
      parts.push({ kind: 'fact', fact: field.slice(5) });
    } else {
      return wrong(message('records.noNumberField', { field: `{${field}}`, fields: { any: numberFields } }));
    }
  }
  const counters = parts.filter((p) => p.kind === 'counter').length;
  if (counters !== 1)
    return wrong(counters === 0 ? message('records.counterMissing', { counter: '{nnnn}' }) : message('records.oneCounter'));
  return { ok: true, value: parts };
}

/** The field of no fixed length that the count runs into: `BER-01` and 11 would read as `BER-011` and 1. */
function gluedTo(parts: readonly NumberPart[]): Exclude<NumberPart, { kind: 'text' | 'counter' }> | null {
  const at = parts.findIndex((p) => p.kind === 'counter');
  const isOpen = (p: NumberPart | undefined): p is Exclude<NumberPart, { kind: 'text' | 'counter' }> =>
    p !== undefined && (p.kind === 'series' || p.kind === 'place' || p.kind === 'type' || p.kind === 'fact');
  for (const way of [-1, 1]) {
    let k = at + way;
    // Digits that stand between do not separate.
    for (let p = parts[k]; p?.kind === 'text' && /^\d*$/.test(p.text); p = parts[k]) k += way;
    if (isOpen(parts[k])) return parts[k] as Exclude<NumberPart, { kind: 'text' | 'counter' }>;
  }
  return null;
}

/**
 * Why a scheme would give one number twice or cannot be used; null when it is sound. `facts` are the codes of facts that there are. What a counter starts anew for must be
 * said in the number.
 */
export function numberingRefusal({ pattern, per }: Numbering, facts?: ReadonlySet<string>): Message | null {
  const parsed = parseNumbering(pattern);
  if (!parsed.ok) return parsed.sentence;
  const unknown = parsed.value.find((p) => p.kind === 'fact' && facts !== undefined && !facts.has(p.fact));
  if (unknown?.kind === 'fact') return message('records.noSuchFact', { fact: unknown.fact });
  const glued = gluedTo(parsed.value);
  if (glued) return message('records.countRunsInto', { field: `{${glued.kind === 'fact' ? `fact ${glued.fact}` : glued.kind}}` });
  const says = new Set(parsed.value.map((p) => p.kind));
  const unsaid = per.filter((scope) => !says.has(scope) && !(scope === 'series' && says.has('place')));
  if (per.includes('month') && !says.has('year')) unsaid.push('year');
  if (unsaid.length === 0) return null;
  return message('records.countsAnew', { unsaid: { all: unsaid.map((scope) => message(`records.scope.${scope}`)) } });
}

/** The part of the counter that a record belongs to; records with the same scope are counted together. */
export function countingScope(per: readonly CountScope[], ids: { series: string; place: string; type: string }, on: string): string {
  const parts: Record<CountScope, string> = { ...ids, year: on.slice(0, 4), month: on.slice(0, 7) };
  return countScopes
    .filter((scope) => per.includes(scope))
    .map((scope) => parts[scope])
    .join(' ');
}

/** The number of a record; says why when a fact that it needs is missing. */
export function numberFor(parts: readonly NumberPart[], values: NumberValues, counter: number): Read<string> {
  let number = '';
  for (const part of parts) {
    switch (part.kind) {
      case 'text':
        number += part.text;
        break;
      case 'series':
      case 'place':
      case 'type':
        number += values[part.kind];
        break;
      case 'year':
        number += values.on.slice(0, 4);
        break;
      case 'month':
        number += values.on.slice(5, 7);
        break;
      case 'day':
        number += values.on.slice(8, 10);
        break;
      case 'fact': {
        const value = values.facts[part.fact];
        if (value === undefined || value === '') return wrong(message('records.numberNeedsFact', { fact: part.fact }));
        number += String(value).trim();
        break;
      }
      case 'counter':
        number += String(counter).padStart(part.width, '0');
    }
  }
  number = number.normalize('NFC');
  const never = neverIn.exec(number);
  if (never) return refused(never[0]);
  return number.length > longest ? wrong(message('records.numberTooLong', { longest })) : { ok: true, value: number };
}

/** The first three numbers of a lease in folder B-07 of series BER-01, filed on a day (YYYY-MM-DD); none for a broken pattern. */
export function exampleNumbers(pattern: string, on: string): string[] {
  const parsed = parseNumbering(pattern);
  if (!parsed.ok) return [];
  const facts = Object.fromEntries(parsed.value.flatMap((p) => (p.kind === 'fact' ? [[p.fact, p.fact.toUpperCase()]] : [])));
  return [1, 2, 3].flatMap((n) => {
    const number = numberFor(parsed.value, { series: 'BER-01', place: 'BER-01/B-07', type: 'lease', on, facts }, n);
    return number.ok ? [number.value] : [];
  });
}
