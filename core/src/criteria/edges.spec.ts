import { speaking } from '@key-cellar/words/testing';
import { civilDate } from '../calendar/index.js';
import {
  resolveCriteria,
  clausesOf,
  compileDetector,
  completeCriteria,
  detectorProblems as detectorProblemsSaid,
  emptyVocabulary,
  passesCheck,
  patternProblem as patternProblemSaid,
  printCriteria,
  wordQuery,
  type AskedCriteria,
  type Sign,
  type Vocabulary,
} from './index.js';

const patternProblem = speaking(patternProblemSaid);
const detectorProblems = speaking(detectorProblemsSaid);

const vocabulary: Vocabulary = {
  ...emptyVocabulary,
  recordTypes: [
    { id: 'lease', name: 'Lease' },
    { id: 'log', name: 'Log' },
  ],
  facts: [
    { code: 'vessel', title: 'Vessel', kind: 'text' },
    { code: 'tons', title: 'Gross tons', kind: 'whole' },
  ],
};

describe('a span', () => {
  it('that reaches beyond the dates that there are ends with them', () => {
    const asked = (way: 'last' | 'next'): AskedCriteria => ({ op: 'within', field: 'created', way, count: 9999, unit: 'year' });
    const today = civilDate('2026-09-14');
    expect(resolveCriteria(asked('last'), today)).toEqual({ op: 'between', field: 'created', from: '0001-01-01', until: '2026-09-14' });
    expect(resolveCriteria(asked('next'), today)).toEqual({ op: 'between', field: 'created', from: '2026-09-14', until: '9999-12-31' });
  });
});

describe('conditions', () => {
  const held: AskedCriteria = { op: 'held' };
  const gaps: AskedCriteria = { op: 'gaps' };
  const words: AskedCriteria = { op: 'words', text: 'x' };
  const trees: [AskedCriteria, AskedCriteria[]][] = [
    [held, [held]],
    [{ op: 'not', of: held }, [held]],
    [{ op: 'and', of: [held, { op: 'or', of: [gaps, { op: 'not', of: words }] }] }, [held, gaps, words]],
    [{ op: 'or', of: [] }, []],
  ];
  for (const [tree, clauses] of trees) it(`of ${JSON.stringify(tree)}`, () => expect(clausesOf(tree)).toEqual(clauses as never));
});

describe('words that are looked for', () => {
  const queries: [string, boolean, string[], string | null][] = [
    ['black barge', false, ['black', 'barge'], null],
    ['black bar', true, ['black'], 'bar'],
    ['bar', true, [], 'bar'],
    ['black bar ', true, ['black', 'bar'], null],
    ['', true, [], null],
  ];
  for (const [text, prefix, whole, beginning] of queries) {
    it(`“${text}”${prefix ? ', unfinished' : ''}`, () => expect(wordQuery({ text, prefix })).toEqual({ whole, beginning }));
  }
});

describe('several values of one thing', () => {
  const is = (field: 'recordType' | 'outcome', value: string): AskedCriteria => ({ op: 'is', field, value });
  const fact = (name: string, value: string | number): AskedCriteria => ({ op: 'fact', fact: name, value });
  const said: [AskedCriteria[], string][] = [
    [[is('recordType', 'lease'), is('recordType', 'log')], 'record type is one of Lease, Log'],
    [[is('outcome', 'waiting'), is('outcome', 'permanent')], 'schedule says one of waiting for a date, kept for good'],
    [[fact('vessel', 'Quill'), fact('vessel', 'Ottoline')], 'Vessel is one of Quill, Ottoline'],
    [[fact('tons', 1), fact('tons', 2)], 'Gross tons is 1 or Gross tons is 2'],
    [[is('recordType', 'lease'), { op: 'held' }], 'record type is Lease or held'],
    [[is('recordType', 'lease')], 'record type is Lease'],
  ];
  for (const [of, text] of said) it(`is said as “${text}”`, () => expect(printCriteria({ op: 'or', of }, vocabulary)).toBe(text));
});

describe('what may come next', () => {
  const next = (text: string, at = text.length, most?: number) => completeCriteria(text, at, vocabulary, most);
  it('replaces what is typed, up to the place', () => {
    expect(next('record ty')).toEqual({ from: 0, until: 9, options: ['record type'] });
    expect(next('held and record type is lo', 26)).toEqual({ from: 24, until: 26, options: ['Log'] });
    expect(next('record ty is not what it seems', 9).options).toEqual(['record type']);
  });
  it('is found by a later word of its name too, but not by one letter', () => {
    expect(next('ton').options).toContain('Gross tons');
    expect(next('to').options).toContain('Gross tons');
    expect(next('t').options).not.toContain('Gross tons');
  });
  it('is no more than asked for, and nothing where it is complete', () => {
    expect(next('', 0, 3).options.length).toBe(3);
    expect(next('record type is Lo', 17, 1).options).toEqual(['Log']);
    expect(next('not a thing that there is')).toEqual({ from: 25, until: 25, options: [] });
  });
});

describe('patterns and samples at their edges', () => {
  const patterns: [string, string | null][] = [
    ['   ', 'The pattern is empty.'],
    ['#'.repeat(100), null],
    ['#'.repeat(101), 'The pattern has more than 100 signs.'],
    ['*#', 'A * can only stand at the end of a pattern.'],
    ['#*', null],
    [' *', 'The pattern would fit anything.'],
  ];
  for (const [pattern, problem] of patterns) it(`“${pattern.slice(0, 12)}”`, () => expect(patternProblem(pattern)).toBe(problem));

  const luhn: [string, boolean][] = [
    ['', false],
    ['0', false],
    ['00', false],
    ['18', true],
    ['59', true],
    ['91', true],
    ['19', false],
  ];
  for (const [digits, right] of luhn) it(`Luhn of “${digits}”`, () => expect(passesCheck('luhn', digits)).toBe(right));

  for (const account of [
    'de89370400440532013000',
    'XDE89370400440532013000',
    'DE8937040044053201300-',
    'DEX9370400440532013000',
    'DE89370400440532013000DE89370400440532013000',
  ])
    it(`${account} is no account number`, () => expect(passesCheck('mod97', account)).toBeFalse());

  const finds = (sign: Sign, text: string): number => compileDetector([sign])(text).signs[0]!.found;
  const pattern = (text: string, check: 'none' | 'luhn' = 'none'): Sign => ({ kind: 'pattern', pattern: text, check, atLeast: 1 });
  it('a letter is no digit, a digit no letter, and an ending text fits nothing', () => {
    expect(finds(pattern('#'), 'a')).toBe(0);
    expect(finds(pattern('@'), '1')).toBe(0);
    expect(finds(pattern('X'), 'Y')).toBe(0);
    expect(finds(pattern('XY'), 'x')).toBe(0);
    expect(finds(pattern('X#'), 'x1')).toBe(1);
  });
  it('a * reaches over 34 letters and digits', () => {
    expect(finds(pattern('X*'), `x${'1'.repeat(34)}`)).toBe(1);
    expect(finds(pattern('X*'), `x${'1'.repeat(35)}`)).toBe(0);
    expect(finds(pattern('X*'), 'x')).toBe(0);
  });
  it('Luhn is for digits alone', () => {
    expect(finds(pattern('@18', 'luhn'), 'a18')).toBe(0);
    expect(finds(pattern('18@', 'luhn'), '18a')).toBe(0);
    expect(finds(pattern('##', 'luhn'), '18')).toBe(1);
  });

  const sample = Array.from({ length: 20 }, (_, i) => `w${i}`).join(' ');
  const wrong: [Sign, string | null][] = [
    [{ kind: 'likeness', sample, percent: 0 }, 'The likeness is between 1 and 100 percent.'],
    [{ kind: 'likeness', sample, percent: 1 }, null],
    [{ kind: 'likeness', sample, percent: 100 }, null],
    [{ kind: 'likeness', sample, percent: 101 }, 'The likeness is between 1 and 100 percent.'],
    [{ kind: 'likeness', sample: sample.slice(0, -4), percent: 50 }, 'A sample needs 20 words, or it is like too much.'],
    [{ ...(pattern('#') as Extract<Sign, { kind: 'pattern' }>), atLeast: 0 }, 'At least one must be found.'],
    [{ kind: 'words', words: ['a', 'b'], atLeast: 0 }, 'At least one must be found.'],
    [{ kind: 'words', words: ['a', 'b'], atLeast: 2 }, null],
    [{ kind: 'words', words: ['a', 'A'], atLeast: 2 }, '2 different words can never be found: there are 1.'],
  ];
  for (const [sign, sentence] of wrong) {
    it(`${JSON.stringify(sign).slice(0, 90)}: ${sentence}`, () =>
      expect(detectorProblems([sign])).toEqual(sentence === null ? [] : [{ sign: 0, sentence }]));
  }
  it('a detector has thirty signs or fewer', () => {
    const many = (n: number): Sign[] => Array.from({ length: n }, () => pattern('#'));
    const most = detectorProblems(many(1000))[0]!.sign;
    expect(detectorProblems(many(most))).toEqual([]);
    expect(detectorProblems(many(most + 1))).toEqual([{ sign: most, sentence: `A detector has at most ${most} signs.` }]);
  });
});
