import { speaking } from '@key-cellar/words/testing';
import { civilDate } from '../calendar/index.js';
import {
  completeFacts,
  countingScope,
  definitionProblems as definitionProblemsSaid,
  exampleNumbers,
  factKinds,
  factProblems as factProblemsSaid,
  factsOfTypes,
  filledFacts,
  idsIn,
  isId,
  numberFor as numberForSaid,
  numberingRefusal as numberingRefusalSaid,
  parseNumbering as parseNumberingSaid,
  pointsElsewhere,
  takesRefusal as takesRefusalSaid,
  tidyFileName,
  titleFromFileName,
  usualNumbering,
  type FactDefinition,
  type FactValue,
  type NameChange,
  type Takes,
} from './index.js';
import { maskProblem, matchesMask } from './mask.js';

const numberingRefusal = speaking(numberingRefusalSaid);

const factProblems = speaking(factProblemsSaid);
const definitionProblems = speaking(definitionProblemsSaid);
const takesRefusal = speaking(takesRefusalSaid);
const parseNumbering = speaking(parseNumberingSaid);
const numberFor = speaking(numberForSaid);

const fact = (kind: FactDefinition['kind'], more: Partial<FactDefinition> = {}): FactDefinition => ({
  code: 'it',
  title: 'It',
  kind,
  required: false,
  ...more,
});
const id = '0192f0c1-0000-7000-8000-000000000001';
const other = '0192f0c1-0000-7000-8000-000000000002';

describe('the value of a fact at its edges', () => {
  const wrong = (definition: FactDefinition, value: unknown): string =>
    factProblems([definition], { it: value as FactValue })[0]?.sentence ?? '';
  const rows: [string, FactDefinition, unknown, string][] = [
    ['300 letters', fact('text'), 'x'.repeat(300), ''],
    ['4001 letters of a long text', fact('longText'), 'x'.repeat(4001), 'It must have at most 4,000 letters.'],
    ['the largest', fact('whole', { max: 9 }), 9, ''],
    ['the first day', fact('date', { min: '2000-01-01', max: '2000-12-31' }), '2000-01-01', ''],
    ['the last day', fact('date', { min: '2000-01-01', max: '2000-12-31' }), '2000-12-31', ''],
    ['a text for a number', fact('decimal'), '7', 'It must be a number.'],
    ['no end of a number', fact('decimal'), Infinity, 'It must be a number.'],
    ['a text for an amount', fact('money', { currency: 'EUR' }), '7', 'It must be an amount.'],
    ['no end of an amount', fact('money', { currency: 'EUR' }), Infinity, 'It must be an amount.'],
    ['no number for an amount', fact('money', { currency: 'EUR' }), Number.NaN, 'It must be an amount.'],
    ['the largest amount', fact('money', { currency: 'EUR' }), 1e13, ''],
    ['a number for a date', fact('date'), 20260914, 'It must be a date such as 2026-09-14.'],
    ['a choice of none', fact('choice'), 'in', 'It must be one of .'],
    ['an id with something before it', fact('person'), `x${id}`, 'It must name one that exists.'],
    ['an id with something behind it', fact('person'), `${id}x`, 'It must name one that exists.'],
    ['a number for an id', fact('object'), 7, 'It must name one that exists.'],
    ['a hundred values', fact('whole', { many: true }), Array.from({ length: 100 }, (_, i) => i), ''],
    ['one more', fact('whole', { many: true }), Array.from({ length: 101 }, (_, i) => i), 'It must have at most 100 values.'],
  ];
  for (const [name, definition, value, expected] of rows) it(name, () => expect(wrong(definition, value)).toBe(expected));
  it('a condition on a fact that the type does not have is told by its code', () => {
    const definition = fact('text', { onlyWhen: { fact: 'gone', values: [] } });
    expect(factProblems([definition], { it: 'x' })[0]!.sentence).toBe('It is asked only when gone is known.');
  });
});

describe('facts of types and what they point at', () => {
  it('kinds that point are these', () => {
    expect(factKinds.filter(pointsElsewhere).sort()).toEqual(['object', 'party', 'person', 'place', 'reference']);
  });
  it('ids are found once each, in single and many values, and nothing else is', () => {
    expect(idsIn({ a: id, b: 'x', c: 7 }, { d: [other, id], e: true })).toEqual([id, other]);
    expect(idsIn()).toEqual([]);
    expect([id, `${id} `, ` ${id}`, id.toUpperCase(), ''].map(isId)).toEqual([true, false, false, false, false]);
  });
  it('of all types the first of each code counts, never required and never conditional', () => {
    const topic = fact('text', { code: 'topic', required: true, onlyWhen: { fact: 'a', values: [] } });
    const found = factsOfTypes([{ facts: [topic] }, { facts: [fact('whole', { code: 'topic' }), fact('date', { code: 'ended' })] }]);
    expect(found).toEqual([fact('text', { code: 'topic' }), fact('date', { code: 'ended' })]);
  });
  it('what says nothing is left out', () => {
    expect(filledFacts({ a: '', b: [], c: 0, d: false, e: 'x', f: ['y'] })).toEqual({ c: 0, d: false, e: 'x', f: ['y'] });
  });
});

describe('defaults', () => {
  const who = { today: civilDate('2026-09-14'), me: id };
  const filled = (definition: FactDefinition) => completeFacts([definition], {}, [], who)['it'];
  const rows: [string, FactDefinition, FactValue | undefined][] = [
    ['today for a date', fact('date', { default: 'today' }), '2026-09-14'],
    ['me for a person', fact('person', { default: 'me' }), id],
    ['“today” is a word in a text', fact('text', { default: 'today' }), 'today'],
    ['“me” is a word in a text', fact('text', { default: 'me' }), 'me'],
    ['another date', fact('date', { default: '2020-01-01' }), '2020-01-01'],
    ['another person', fact('person', { default: other }), other],
    ['one of many', fact('text', { default: 'a', many: true }), ['a']],
    ['none', fact('text', { many: true }), undefined],
    ['one that does not fit', fact('whole', { default: 'x' }), undefined],
  ];
  for (const [name, definition, expected] of rows) it(name, () => expect(filled(definition)).toEqual(expected));
  it('of the folders around the nearest that fits counts', () => {
    const around = [{ it: '' }, { it: 7 as never }, { it: 'near' }, { it: 'far' }];
    expect(completeFacts([fact('text', { default: 'd' })], {}, around, who)['it']).toBe('near');
    expect(completeFacts([fact('text', { default: 'd' })], { it: 'own' }, around, who)['it']).toBe('own');
  });
});

describe('definitions at their edges', () => {
  const rows: [string, Partial<FactDefinition> & Pick<FactDefinition, 'kind'>, string[]][] = [
    ['a sound choice', { kind: 'choice', choices: ['a', 'a / b'] }, []],
    ['an empty choice', { kind: 'choice', choices: ['a', ' '] }, ['It has an empty choice.']],
    ['an empty branch', { kind: 'choice', choices: ['a', 'a /  / b'] }, ['It has an empty choice.']],
    ['a choice with an empty end', { kind: 'choice', choices: ['a / '] }, ['It has an empty choice.']],
    ['a sound mask', { kind: 'text', mask: '##' }, []],
    ['a mask of a number', { kind: 'whole', mask: '##' }, ['It can have a pattern only if it is text.']],
    ['a range of a text', { kind: 'text', min: 1 }, ['It can have a range only if it is a number, an amount or a date.']],
    ['an upper end of a text', { kind: 'text', max: 1 }, ['It can have a range only if it is a number, an amount or a date.']],
    ['a lower end only', { kind: 'whole', min: 1 }, []],
    ['an upper end only', { kind: 'whole', max: 1 }, []],
    ['a range of one', { kind: 'whole', min: 1, max: 1 }, []],
    ['a range that ends before it begins', { kind: 'whole', min: 2, max: 1 }, ['It has a range that ends before it begins.']],
    ['a range of another kind', { kind: 'date', min: 1 }, ['It has a range of another kind than its own.']],
    ['an amount', { kind: 'money', currency: 'EUR' }, []],
    ['an amount in four letters', { kind: 'money', currency: 'EURO' }, ['It needs a currency of three letters (ISO 4217).']],
    ['an amount in something before', { kind: 'money', currency: 'xEUR' }, ['It needs a currency of three letters (ISO 4217).']],
    ['unique', { kind: 'text', unique: true }, []],
    ['unique of many', { kind: 'text', unique: true, many: true }, ['It cannot be unique.']],
    ['unique yes or no', { kind: 'yesNo', unique: true }, ['It cannot be unique.']],
    ...(['text', 'whole', 'date', 'party'] as const).map((kind): [string, { kind: typeof kind; unique: true }, string[]] => [
      `unique ${kind}`,
      { kind, unique: true },
      [],
    ]),
    ['today for a date', { kind: 'date', default: 'today' }, []],
    ['today for a person', { kind: 'person', default: 'today' }, ['It has a default that does not fit it.']],
    ['me for a person', { kind: 'person', default: 'me' }, []],
    ['me for a date', { kind: 'date', default: 'me' }, ['It has a default that does not fit it.']],
    ['no day at all', { kind: 'date', default: '2026-02-30' }, ['It has a default that does not fit it.']],
  ];
  for (const [name, { kind, ...more }, expected] of rows) {
    it(name, () => expect(definitionProblems([fact(kind, more)]).map((p) => p.sentence)).toEqual(expected));
  }
  it('a code is a small letter, then letters and digits, forty at most', () => {
    const problems = (code: string) => definitionProblems([fact('text', { code })]).length;
    expect(['a', 'aB9', 'a'.repeat(40)].map(problems)).toEqual([0, 0, 0]);
    expect(['', 'A', '9a', 'a-b', 'a ', 'a'.repeat(41)].map(problems)).toEqual([1, 1, 1, 1, 1, 1]);
  });
  it('what has no code or title is named by its position', () => {
    const found = definitionProblems([fact('text'), fact('text', { code: '?', title: '' })]);
    expect(found.map((p) => [p.fact, p.sentence])).toEqual([
      ['2', 'Fact 2 needs a code: a small letter, then letters and digits.'],
      ['2', 'Fact 2 needs a title.'],
    ]);
  });
});

describe('masks', () => {
  it('are letters, one by one', () => {
    expect(['7', '77', 'a7', '7a', ''].map((text) => matchesMask('#', text))).toEqual([true, false, false, false, false]);
    expect(['é', 'éa', '7', ''].map((text) => matchesMask('@', text))).toEqual([true, false, false, false]);
    expect(['-', 'x'].map((text) => matchesMask('-', text))).toEqual([true, false]);
    expect(['AB', 'AxB', 'AxyB', 'A', 'xAB', 'ABx'].map((text) => matchesMask('A*B', text))).toEqual([
      true,
      true,
      true,
      false,
      false,
      false,
    ]);
    expect(matchesMask('@', '𝐀')).toBeTrue();
  });
  it('are not empty, not long, and have one star', () => {
    expect([' ', '', '#'.repeat(101), '*a*'].map((mask) => maskProblem(mask) !== null)).toEqual([true, true, true, true]);
    expect(['#', '#'.repeat(100), '*', 'a*b'].map(maskProblem)).toEqual([null, null, null, null]);
  });
});

describe('names of files', () => {
  const rows: [string, string, readonly NameChange[]][] = [
    ['plain.txt', 'plain.txt', []],
    ['a/b\\c.txt', 'c.txt', ['path']],
    ['a\u0007b\u202E.txt', 'ab.txt', ['controls']],
    ['a\u{1fffe}\ufdd0\ud800b.txt', 'ab.txt', ['controls']],
    [' spaced.txt ', 'spaced.txt', []],
    ['', 'unnamed', ['unnamed']],
    ['.', 'unnamed', ['unnamed']],
    ['..', 'unnamed', ['unnamed']],
    ['x/..', 'unnamed', ['path', 'unnamed']],
    ['x'.repeat(200), 'x'.repeat(200), []],
    ['x'.repeat(201), `${'x'.repeat(199)}…`, ['shortened']],
    [`${'x'.repeat(200)}.txt`, `${'x'.repeat(195)}….txt`, ['shortened']],
    [`${'x'.repeat(200)}.eleven-more`, `${'x'.repeat(187)}….eleven-more`, ['shortened']],
    [`${'x'.repeat(200)}.twelve-more1`, `${'x'.repeat(199)}…`, ['shortened']],
    [`.${'x'.repeat(205)}`, `.${'x'.repeat(198)}…`, ['shortened']],
    [`${'x'.repeat(198)}𝐀yy`, `${'x'.repeat(198)}…`, ['shortened']],
    [`𝐀${'x'.repeat(300)}`, `𝐀${'x'.repeat(197)}…`, ['shortened']],
  ];
  for (const [raw, name, changed] of rows) it(JSON.stringify(raw.slice(0, 30)), () => expect(tidyFileName(raw)).toEqual({ name, changed }));
  it('give titles', () => {
    expect(['a_b__c.pdf', '.profile', 'no ending', '_ .pdf', 'a  b\t c.txt', 'v1.2.txt'].map(titleFromFileName)).toEqual([
      'a b c',
      '.profile',
      'no ending',
      '_ .pdf',
      'a b c',
      'v1.2',
    ]);
  });
});

describe('what a place takes', () => {
  const takes = (more: Partial<Takes>): { name: string; takes: Takes } => ({
    name: 'Here',
    takes: { types: null, formats: null, largest: null, ...more },
  });
  const file = (fileName: string | null, size = 1, endings = fileName === null ? [] : [fileName.split('.').at(-1)!.toLowerCase()]) => ({
    recordType: 'note',
    fileName,
    endings: fileName?.includes('.') ? endings : [],
    size,
  });
  it('endings without regard to capitals', () => {
    const pdf = [takes({ formats: ['pdf'] })];
    expect([takesRefusal(pdf, file('a.PDF')), takesRefusal(pdf, file('a.b.pdf')), takesRefusal(pdf, file(null))]).toEqual([
      null,
      null,
      null,
    ]);
    expect(takesRefusal(pdf, file('a.pdf.exe'))).toBe('Here takes only pdf; this is exe.');
    // What counts is the content.
    expect(takesRefusal(pdf, file('a.pdf', 1, ['exe']))).toBe(
      'Here takes only pdf; this file is called .pdf, and its content is something else.',
    );
    expect(takesRefusal(pdf, file('a.scan', 1, ['pdf']))).toBeNull();
    expect(takesRefusal(pdf, file('pdf'))).toBe('Here takes only pdf; this file has no ending.');
    expect(takesRefusal(pdf, file('a.'))).toBe('Here takes only pdf; this file has no ending.');
  });
  it('sizes to the byte, told in megabytes', () => {
    const small = [takes({ largest: 2_000_000 })];
    expect(takesRefusal(small, file('a', 2_000_000))).toBeNull();
    expect(takesRefusal(small, file('a', 2_500_000))).toBe('Here takes files of at most 2.0 MB; this one has 2.5 MB.');
    expect(takesRefusal([takes({ largest: 9_900_000 })], file('a', 10_000_000))).toBe(
      'Here takes files of at most 9.9 MB; this one has 10.0 MB.',
    );
    expect(takesRefusal([takes({})], file('a', 1e12))).toBeNull();
  });
});

describe('numbers at their edges', () => {
  const values = { series: 'BER-01', place: 'BER-01/B-07', type: 'lease', on: '2026-09-14', facts: { customer: ' ACME ', empty: '' } };
  const made = (pattern: string, counter = 7) => {
    const parts = parseNumbering(pattern);
    if (!parts.ok) return parts.sentence;
    const number = numberFor(parts.value, values, counter);
    return number.ok ? number.value : number.sentence;
  };
  const rows: [string, string][] = [
    ['{series}/{year}/{nnnn}', 'BER-01/2026/0007'],
    ['{place}.{type}.{month}.{day}.{n}', 'BER-01/B-07.lease.09.14.7'],
    ['{ series }-{ nn }', 'BER-01-07'],
    ['{fact customer}-{n}', 'ACME-7'],
    ['{fact gone}-{n}', 'Its number is made with the fact “gone”, which is missing.'],
    ['{fact empty}-{n}', 'Its number is made with the fact “empty”, which is missing.'],
    ['A-{xn}', '{xn} is not {series}, {place}, {type}, {year}, {month}, {day}, {fact …} or {nnnn}.'],
    ['A-{nx}', '{nx} is not {series}, {place}, {type}, {year}, {month}, {day}, {fact …} or {nnnn}.'],
    ['A-{nnnnnnnnnn}', '{nnnnnnnnnn} is not {series}, {place}, {type}, {year}, {month}, {day}, {fact …} or {nnnn}.'],
    ['{my fact a}{n}', '{my fact a} is not {series}, {place}, {type}, {year}, {month}, {day}, {fact …} or {nnnn}.'],
    ['{fact a b}{n}', '{fact a b} is not {series}, {place}, {type}, {year}, {month}, {day}, {fact …} or {nnnn}.'],
    ['A{n', 'A bracket is not closed.'],
    ['A}{n}', 'A bracket is not closed.'],
    ['A', 'A number needs a counter, such as {nnnn}.'],
    ['{n}{n}', 'A number has one counter, not several.'],
    ['A:{n}', 'A number may not have “:” in it.'],
    ['A\u0001{n}', 'A number may not have control characters in it.'],
    ['A\u007f{n}', 'A number may not have control characters in it.'],
    [`${'A'.repeat(119)}{n}`, `${'A'.repeat(119)}7`],
    [`${'A'.repeat(120)}{n}`, 'Its number would be longer than 120 letters.'],
  ];
  for (const [pattern, expected] of rows) it(JSON.stringify(pattern.slice(0, 40)), () => expect(made(pattern)).toBe(expected));
  it('count together what is filed in the same series, year and so on', () => {
    const ids = { series: 's', place: 'p', type: 't' };
    expect(countingScope(['year', 'series'], ids, '2026-09-14')).toBe('s 2026');
    expect(countingScope(['month'], ids, '2026-09-14')).toBe('2026-09');
    expect(countingScope(['type', 'place'], ids, '2026-09-14')).toBe('p t');
    expect(countingScope([], ids, '2026-09-14')).toBe('');
  });
  it('say what they count anew for', () => {
    expect(numberingRefusal(usualNumbering)).toBeNull();
    expect(usualNumbering.per).toEqual(['series', 'year']);
    expect(numberingRefusal({ pattern: '{place}/{n}', per: ['series'] })).toBeNull();
    expect(numberingRefusal({ pattern: '{place}/{n}', per: ['type'] })).toContain(
      'It counts anew for each record type, but the number does not say the record type: two records would get the same number.',
    );
    expect(numberingRefusal({ pattern: '{n}', per: ['series', 'year'] })).toContain('for each series and year');
    expect(numberingRefusal({ pattern: '{month}/{n}', per: ['month'] })).toContain('does not say the year');
    expect(numberingRefusal({ pattern: '{year}/{month}/{n}', per: ['month'] })).toBeNull();
  });
  it('have examples while they are sound', () => {
    expect(exampleNumbers('{series}-{fact who}-{nn}', '2026-09-14')).toEqual(['BER-01-WHO-01', 'BER-01-WHO-02', 'BER-01-WHO-03']);
    expect(exampleNumbers('{series', '2026-09-14')).toEqual([]);
    expect(exampleNumbers(`${'A'.repeat(120)}{n}`, '2026-09-14')).toEqual([]);
  });
});
