import { message, type Message } from '@key-cellar/words';
import { checkingOf, couldPass, type Check } from './checks.js';
import { evenText } from './evenText.js';
import { wordsOf } from './words.js';

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
  readonly sentence: Message;
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
const isLetter = (c: string | undefined): boolean =>
  c !== undefined && (c < '\u0080' ? (c >= 'a' && c <= 'z') || (c >= 'A' && c <= 'Z') : /\p{L}/u.test(c));
const isSign = (c: string | undefined): boolean => isDigit(c) || isLetter(c);
const isBlank = (c: string | undefined): boolean => c === ' ' || c === '\t';
/** Signs that may stand in one gap of a number. */
const longestGap = 12;

/** Where a gap ends that begins at a place: one space, hyphen, dot or slash, or the end of a line with the blanks around it; the place itself where none begins. */
function gapEnd(text: string, from: number): number {
  let at = from;
  while (at - from < longestGap && (isBlank(text[at]) || text[at] === '-')) at++;
  if (text[at] === '\n') {
    at++;
    while (at - from < longestGap && isBlank(text[at])) at++;
    return at;
  }
  return ' -./'.includes(text[from] ?? '!') ? from + 1 : from;
}

/**
 * Why a pattern is none; null when it is one. `#` stands for a digit, `@` for a letter, a space for a space, hyphen, dot,
 * slash or nothing, `*` at the end for up to 34 letters and digits, and everything else for itself, whatever its case.
 */
export function patternProblem(pattern: string): Message | null {
  if (pattern.trim() === '') return message('criteria.patternEmpty');
  if (pattern.length > 100) return message('criteria.patternMoreSigns');
  const rest = pattern.indexOf('*');
  if (rest >= 0 && rest !== pattern.length - 1) return message('criteria.canOnlyStandAt');
  if (!/[^ *]/.test(pattern)) return message('criteria.patternWouldFitAnything');
  return null;
}

/** A found text as it is compared and checked: its letters and digits. */
function plain(text: string): string {
  return text.replace(/[^\p{L}\p{N}]/gu, '').toUpperCase();
}

/**
 * Of the ends that a found text may have, the farthest first, the farthest up to which it passes its check; undefined when there is
 * none. One walk, however many ends there are.
 */
function passingEnd(check: Check, text: string, from: number, ends: readonly number[]): number | undefined {
  if (check === 'none' || ends.length === 0) return ends[0];
  const checking = checkingOf(check);
  let farthest: number | undefined;
  for (let at = from, end = ends.length - 1; end >= 0; at++) {
    for (; at === ends[end]; end--) if (checking.passes()) farthest = at;
    if (isSign(text[at]) && !checking.take(text[at]!.toUpperCase())) break;
  }
  return farthest;
}

/** Where a pattern may end that begins at a place: the farthest first; nothing where it does not fit. */
function endsAt(pattern: string, text: string, from: number): number[] {
  let at = from;
  for (const sign of pattern) {
    if (sign === '*') return restFrom(text, at);
    if (sign === ' ') {
      at = gapEnd(text, at);
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
    } else {
      const next = gapEnd(text, at);
      if (next === at || !isSign(text[next])) break;
      at = next;
    }
  }
  return ends;
}

function findPattern({ pattern, check, atLeast }: Extract<Sign, { kind: 'pattern' }>): (text: string) => SignFinding {
  return (text) => {
    const different = new Set<string>();
    const spans: Span[] = [];
    for (let at = 0; at < text.length; at++) {
      if (at > 0 && isSign(text[at]) && isSign(text[at - 1])) continue;
      const until = passingEnd(check, text, at, endsAt(pattern, text, at));
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

/** Phrases by their words: where one ends, its own text. */
interface Phrases {
  phrase?: string;
  readonly next: Map<string, Phrases>;
}

function findWords({ words, atLeast }: Extract<Sign, { kind: 'words' }>): (text: string, placed: readonly Placed[]) => SignFinding {
  const all: Phrases = { next: new Map() };
  for (const phrase of words.map(wordsOf)) {
    let at = all;
    for (const word of phrase) {
      if (!at.next.has(word)) at.next.set(word, { next: new Map() });
      at = at.next.get(word)!;
    }
    if (at !== all) at.phrase = phrase.join(' ');
  }
  return (_, placed) => {
    const different = new Set<string>();
    const spans: Span[] = [];
    placed.forEach(({ from }, i) => {
      let at: Phrases | undefined = all;
      for (let k = i; (at = at.next.get(placed[k]?.word ?? '')); k++) {
        if (at.phrase === undefined) continue;
        different.add(at.phrase);
        if (spans.length < mostSpans) spans.push({ from, until: placed[k]!.until });
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
 * each sign found; the detector is met when one of them is. Looks at the first {@link longestText} letters, evened out ({@link evenText}).
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
    const { text, at } = evenText(whole.slice(0, longestText));
    const placed = readsWords ? placedWords(text) : [];
    const found = finders.map((find) => {
      const { spans, ...counts } = find(text, placed);
      // The end of a span is where its last unit ends, so that nothing unseen behind it is shown.
      return {
        ...counts,
        spans: spans.map(({ from, until }) => ({ from: at(from), until: until === text.length ? whole.length : at(until) })),
      };
    });
    return { met: found.some((f) => f.met), signs: found };
  };
}

/** Everything that is wrong with the signs of a detector. */
export function detectorProblems(signs: readonly Sign[]): SignProblem[] {
  if (signs.length === 0) return [{ sign: 0, sentence: message('criteria.detectorNeedsAtLeast') }];
  if (signs.length > mostSigns) return [{ sign: mostSigns, sentence: message('criteria.detectorSignsAtMost', { most: mostSigns }) }];
  return signs.flatMap((sign, i) => {
    const sentence = signProblem(sign);
    return sentence === null ? [] : [{ sign: i, sentence }];
  });
}

function signProblem(sign: Sign): Message | null {
  switch (sign.kind) {
    case 'pattern':
      return (
        patternProblem(sign.pattern) ??
        (sign.atLeast < 1 ? message('criteria.atLeastOneMust') : null) ??
        (couldPass(sign.check, sign.pattern) ? null : message('criteria.checkNeverPasses', { pattern: sign.pattern }))
      );
    case 'words': {
      const different = new Set(sign.words.map((w) => wordsOf(w).join(' ')).filter((w) => w !== '')).size;
      if (different === 0) return message('criteria.noWordsGiven');
      if (different > mostWords) return message('criteria.thereMoreWords', { most: mostWords });
      if (sign.atLeast < 1) return message('criteria.atLeastOneMust');
      return sign.atLeast > different ? message('criteria.wordsCanNeverFound', { different, atLeast: sign.atLeast }) : null;
    }
    case 'likeness':
      if (sign.sample.length > longestSample) return message('criteria.sampleMoreLetters', { longest: longestSample });
      if (wordsOf(sign.sample).length < fewestWords) return message('criteria.sampleNeedsWordsLike', { fewest: fewestWords });
      return sign.percent < 1 || sign.percent > 100 ? message('criteria.likenessBetweenPercent') : null;
  }
}

/** A sign in words. */
export function describeSign(sign: Sign): Message {
  switch (sign.kind) {
    case 'pattern':
      return message('criteria.signPattern', { n: sign.atLeast, pattern: sign.pattern, check: sign.check });
    case 'words': {
      const shown = sign.words.slice(0, 4).join(', ') + (sign.words.length > 4 ? ' …' : '');
      return sign.words.length === 1
        ? message('criteria.signWord', { word: shown })
        : message('criteria.signWords', { n: sign.atLeast, words: shown });
    }
    case 'likeness':
      return message('criteria.signLikeness', { percent: sign.percent, n: wordsOf(sign.sample).length });
  }
}
