import { wordsOf } from './words.js';

/** How a text that fits a pattern is checked: digits by Luhn (ISO/IEC 7812-1 annex B), account numbers by MOD 97 (ISO 13616). */
export const checks = ['none', 'luhn', 'mod97'] as const;
export type Check = (typeof checks)[number];

/** One way to tell that a text is of a kind. */
export type Sign =
  /** So many different texts that fit the pattern and pass its check; see {@link patternProblem}. */
  | { readonly kind: 'pattern'; readonly pattern: string; readonly check: Check; readonly atLeast: number }
  /** So many different ones of these words or phrases. */
  | { readonly kind: 'words'; readonly words: readonly string[]; readonly atLeast: number }
  /** So many percent of the sample's passages occur (containment of shingles: Broder 1997). */
  | { readonly kind: 'likeness'; readonly sample: string; readonly percent: number };

/** A part of a text, in UTF-16 units. */
export interface Span {
  readonly from: number;
  readonly until: number;
}

export interface SignFinding {
  readonly met: boolean;
  /** Different texts or words, or percent of the sample. */
  readonly found: number;
  /** Where, at most a hundred. */
  readonly spans: readonly Span[];
}

export interface SignProblem {
  readonly sign: number;
  readonly sentence: string;
}

/** Letters of a text that are looked at; what follows is not. */
export const longestText = 1_000_000;
const mostSpans = 100;
const mostSigns = 20;
const mostWords = 500;
const longestSample = 20_000;
/** Words in a passage that is compared with a sample. */
const passage = 4;
const fewestWords = 20;
/** Letters and digits that a `*` may stand for. */
const longestRest = 34;

const isDigit = (c: string | undefined): boolean => c !== undefined && c >= '0' && c <= '9';
const isLetter = (c: string | undefined): boolean => c !== undefined && /\p{L}/u.test(c);
const isSign = (c: string | undefined): boolean => isDigit(c) || isLetter(c);
const isGap = (c: string | undefined): boolean => c !== undefined && ' -./\u00a0'.includes(c);

/**
 * Why a pattern is none; null when it is one. `#` stands for a digit, `@` for a letter, a space for a space, hyphen, dot,
 * slash or nothing, `*` at the end for up to 34 letters and digits, and everything else for itself, whatever its case.
 */
export function patternProblem(pattern: string): string | null {
  if (pattern.trim() === '') return 'The pattern is empty.';
  if (pattern.length > 100) return 'The pattern has more than 100 signs.';
  const rest = pattern.indexOf('*');
  if (rest >= 0 && rest !== pattern.length - 1) return 'A * can only stand at the end of a pattern.';
  if (!/[^ *]/.test(pattern)) return 'The pattern would fit anything.';
  return null;
}

/** Luhn's check: every second digit from the right doubled, the digit sum a multiple of ten. */
export function passesLuhn(digits: string): boolean {
  let sum = 0;
  for (let i = 0; i < digits.length; i++) {
    const digit = Number(digits[digits.length - 1 - i]);
    const part = i % 2 === 0 ? digit : digit * 2;
    sum += part > 9 ? part - 9 : part;
  }
  return digits.length > 1 && sum % 10 === 0;
}

/** MOD 97 of an account number: its first four signs at the end, letters as numbers from 10, the remainder 1. */
export function passesMod97(account: string): boolean {
  if (!/^[A-Z]{2}\d{2}[A-Z0-9]{11,30}$/.test(account)) return false;
  let remainder = 0;
  for (const sign of account.slice(4) + account.slice(0, 4)) {
    const n = isDigit(sign) ? sign : String(sign.charCodeAt(0) - 55);
    for (const digit of n) remainder = (remainder * 10 + Number(digit)) % 97;
  }
  return remainder === 1;
}

/** A found text as it is compared and checked: its letters and digits. */
function plain(text: string): string {
  return text.replace(/[^\p{L}\p{N}]/gu, '').toUpperCase();
}

function passes(check: Check, text: string): boolean {
  switch (check) {
    case 'none':
      return true;
    case 'luhn': {
      const digits = plain(text);
      return /^\d+$/.test(digits) && passesLuhn(digits);
    }
    case 'mod97':
      return passesMod97(plain(text));
  }
}

/** Where a pattern may end that begins at a place: the farthest first; nothing where it does not fit. */
function endsAt(pattern: string, text: string, from: number): number[] {
  let at = from;
  for (const sign of pattern) {
    if (sign === '*') return restFrom(text, at);
    if (sign === ' ') {
      if (isGap(text[at])) at++;
      continue;
    }
    const c = text[at];
    const fits = sign === '#' ? isDigit(c) : sign === '@' ? isLetter(c) : c !== undefined && c.toUpperCase() === sign.toUpperCase();
    if (!fits) return [];
    at++;
  }
  return isSign(text[at]) ? [] : [at];
}

/** Ends of words after a place, within the reach of a `*`. */
function restFrom(text: string, from: number): number[] {
  const ends: number[] = [];
  let at = from;
  for (let signs = 0; signs < longestRest;) {
    if (isSign(text[at])) {
      signs++;
      at++;
      if (!isSign(text[at])) ends.unshift(at);
    } else if (isGap(text[at]) && isSign(text[at + 1])) at++;
    else break;
  }
  return ends;
}

function findPattern({ pattern, check, atLeast }: Extract<Sign, { kind: 'pattern' }>): (text: string) => SignFinding {
  return (text) => {
    const different = new Set<string>();
    const spans: Span[] = [];
    for (let at = 0; at < text.length; at++) {
      if (at > 0 && isSign(text[at]) && isSign(text[at - 1])) continue;
      const until = endsAt(pattern, text, at).find((end) => passes(check, text.slice(at, end)));
      if (until === undefined || until === at) continue;
      different.add(plain(text.slice(at, until)));
      if (spans.length < mostSpans) spans.push({ from: at, until });
      at = until - 1;
    }
    return { met: different.size >= atLeast, found: different.size, spans };
  };
}

interface Placed extends Span {
  readonly word: string;
}

/** The words of a text, each with its place. */
function placedWords(text: string): Placed[] {
  const placed: Placed[] = [];
  for (const { 0: run, index } of text.matchAll(/[\p{L}\p{N}\p{M}]+/gu)) {
    for (const word of wordsOf(run)) placed.push({ word, from: index, until: index + run.length });
  }
  return placed;
}

function findWords({ words, atLeast }: Extract<Sign, { kind: 'words' }>): (text: string, placed: readonly Placed[]) => SignFinding {
  const byFirst = new Map<string, string[][]>();
  for (const phrase of words.map(wordsOf).filter((p) => p.length > 0))
    byFirst.set(phrase[0]!, [...(byFirst.get(phrase[0]!) ?? []), phrase]);
  return (_, placed) => {
    const different = new Set<string>();
    const spans: Span[] = [];
    placed.forEach(({ word, from }, i) => {
      for (const phrase of byFirst.get(word) ?? []) {
        if (!phrase.every((part, k) => placed[i + k]?.word === part)) continue;
        different.add(phrase.join(' '));
        if (spans.length < mostSpans) spans.push({ from, until: placed[i + phrase.length - 1]!.until });
      }
    });
    return { met: different.size >= atLeast, found: different.size, spans };
  };
}

function findLikeness({ sample, percent }: Extract<Sign, { kind: 'likeness' }>): (text: string, placed: readonly Placed[]) => SignFinding {
  const passageAt = (words: readonly string[], i: number): string => words.slice(i, i + passage).join(' ');
  const ofSample = wordsOf(sample);
  const wanted = new Set<string>();
  for (let i = 0; i + passage <= ofSample.length; i++) wanted.add(passageAt(ofSample, i));
  return (_, placed) => {
    const words = placed.map((p) => p.word);
    const has = new Set<string>();
    const spans: Span[] = [];
    for (let i = 0; i + passage <= words.length; i++) {
      const here = passageAt(words, i);
      if (!wanted.has(here)) continue;
      has.add(here);
      const until = placed[i + passage - 1]!.until;
      const before = spans.at(-1);
      if (before && before.until >= placed[i]!.from) spans[spans.length - 1] = { from: before.from, until };
      else if (spans.length < mostSpans) spans.push({ from: placed[i]!.from, until });
    }
    const found = wanted.size === 0 ? 0 : Math.floor((has.size * 100) / wanted.size);
    return { met: wanted.size > 0 && found >= percent, found, spans };
  };
}

/**
 * Makes a detector ready to look at many texts. Each look takes time in proportion to the text, whatever the signs. Gives what
 * each sign found; the detector is met when one of them is. Looks at the first {@link longestText} letters.
 */
export function compileDetector(signs: readonly Sign[]): (text: string) => { met: boolean; signs: SignFinding[] } {
  const finders = signs.map((sign) => {
    switch (sign.kind) {
      case 'pattern':
        return findPattern(sign);
      case 'words':
        return findWords(sign);
      case 'likeness':
        return findLikeness(sign);
    }
  });
  const readsWords = signs.some((s) => s.kind !== 'pattern');
  return (whole) => {
    const text = whole.slice(0, longestText);
    const placed = readsWords ? placedWords(text) : [];
    const found = finders.map((find) => find(text, placed));
    return { met: found.some((f) => f.met), signs: found };
  };
}

/** Everything that is wrong with the signs of a detector. */
export function detectorProblems(signs: readonly Sign[]): SignProblem[] {
  if (signs.length === 0) return [{ sign: 0, sentence: 'A detector needs at least one sign.' }];
  if (signs.length > mostSigns) return [{ sign: mostSigns, sentence: `A detector has ${mostSigns} signs at most.` }];
  return signs.flatMap((sign, i) => {
    const sentence = signProblem(sign);
    return sentence === null ? [] : [{ sign: i, sentence }];
  });
}

function signProblem(sign: Sign): string | null {
  switch (sign.kind) {
    case 'pattern':
      return patternProblem(sign.pattern) ?? (sign.atLeast < 1 ? 'At least one must be found.' : null);
    case 'words': {
      const different = new Set(sign.words.map((w) => wordsOf(w).join(' ')).filter((w) => w !== '')).size;
      if (different === 0) return 'No words are given.';
      if (different > mostWords) return `There are more than ${mostWords} words.`;
      if (sign.atLeast < 1) return 'At least one must be found.';
      return sign.atLeast > different ? `Of ${different} words ${sign.atLeast} can never be found.` : null;
    }
    case 'likeness':
      if (sign.sample.length > longestSample) return `The sample has more than ${longestSample} letters.`;
      if (wordsOf(sign.sample).length < fewestWords) return `A sample needs ${fewestWords} words, or it is like too much.`;
      return sign.percent < 1 || sign.percent > 100 ? 'The likeness is between 1 and 100 percent.' : null;
  }
}

const checkWords: Record<Check, string> = { none: '', luhn: ' with a right check digit', mod97: ' that is a valid account number' };

/** A sign in words. */
export function describeSign(sign: Sign): string {
  switch (sign.kind) {
    case 'pattern':
      return `${sign.atLeast === 1 ? '' : `${sign.atLeast} different `}“${sign.pattern}”${checkWords[sign.check]}`;
    case 'words': {
      const shown = sign.words.slice(0, 4).join(', ') + (sign.words.length > 4 ? ' …' : '');
      return sign.words.length === 1 ? `the word ${shown}` : `${sign.atLeast === 1 ? 'one' : sign.atLeast} of ${shown}`;
    }
    case 'likeness':
      return `${sign.percent} % of a sample of ${wordsOf(sign.sample).length} words`;
  }
}
