import { speaking } from '@key-cellar/words/testing';
import * as fc from 'fast-check';
import { civilDate } from '../calendar/index.js';
import {
  changeProblems,
  completeFacts,
  definitionProblems as definitionProblemsSaid,
  factApplies,
  factGaps,
  factProblems as factProblemsSaid,
  filledFacts,
  takesRefusal as takesRefusalSaid,
  type FactDefinition,
  type Facts,
  type FactValue,
  type Takes,
} from './index.js';
import { matchesMask } from './mask.js';

const takesRefusal = speaking(takesRefusalSaid);

const definitionProblems = speaking(definitionProblemsSaid);

const factProblems = speaking(factProblemsSaid);

const fact = (kind: FactDefinition['kind'], more: Partial<FactDefinition> = {}): FactDefinition => ({
  code: 'it',
  title: 'It',
  kind,
  required: false,
  ...more,
});
const id = '0192f0c1-0000-7000-8000-000000000001';
const sentence = (definition: FactDefinition, value: FactValue): string => factProblems([definition], { it: value })[0]?.sentence ?? '';

describe('the value of a fact', () => {
  const rows: [string, FactDefinition, FactValue, string][] = [
    ['a text', fact('text'), 'Ottoline', ''],
    ['a number for a text', fact('text'), 7, 'It must be text.'],
    ['a long text', fact('text'), 'x'.repeat(301), 'It must have at most 300 letters.'],
    ['a longer one where it may be', fact('longText'), 'x'.repeat(4000), ''],
    ['one that looks as it must', fact('text', { mask: '@@-####' }), 'ML-2041', ''],
    ['one that does not', fact('text', { mask: '@@-####' }), 'ML-204', 'It must look like @@-####.'],
    ['a whole number', fact('whole'), 40, ''],
    ['a broken one', fact('whole'), 2.5, 'It must be a whole number.'],
    ['a text of digits', fact('whole'), '40', 'It must be a whole number.'],
    ['the smallest', fact('whole', { min: 3, max: 9 }), 3, ''],
    ['below it', fact('whole', { min: 3, max: 9 }), 2, 'It must be 3 or more.'],
    ['above the largest', fact('decimal', { max: 9.5 }), 9.51, 'It must be 9.5 or less.'],
    ['no number at all', fact('decimal'), Number.NaN, 'It must be a number.'],
    ['an amount', fact('money', { currency: 'EUR' }), 6000.05, ''],
    ['a third decimal place', fact('money', { currency: 'EUR' }), 0.005, 'It must be an amount with at most two decimal places.'],
    ['more than can be counted', fact('money', { currency: 'EUR' }), 1e14, 'It must be an amount.'],
    ['a date', fact('date'), '2024-02-29', ''],
    ['a day that never was', fact('date'), '2023-02-29', 'It must be a date such as 2026-09-14.'],
    ['a date too early', fact('date', { min: '2000-01-01' }), '1999-12-31', 'It must be 1 Jan 2000 or later.'],
    ['a date too late', fact('date', { max: '2000-01-01' }), '2000-01-02', 'It must be 1 Jan 2000 or earlier.'],
    ['no', fact('yesNo'), false, ''],
    ['a word for it', fact('yesNo'), 'no', 'It must be yes or no.'],
    ['a choice', fact('choice', { choices: ['in', 'out'] }), 'in', ''],
    ['none of them', fact('choice', { choices: ['in', 'out'] }), 'on', 'It must be one of in or out.'],
    ['a choice in a tree', fact('choice', { choices: ['Craft', 'Craft / Tug'] }), 'Craft / Tug', ''],
    ['a person', fact('person'), id, ''],
    ['a name instead', fact('party'), 'Fenwick', 'It must name one that exists.'],
    ['many', fact('text', { many: true }), ['a', 'b'], ''],
    ['one where many may be', fact('text', { many: true }), 'a', 'It must be a list.'],
    ['many where one may be', fact('text'), ['a'], 'It must be a single value.'],
    ['one of many wrong', fact('whole', { many: true, max: 3 }), [1, 4], 'It must be 3 or less.'],
    ['the same twice', fact('text', { many: true }), ['a', 'a'], 'It must not have the same value twice.'],
    ['too many', fact('whole', { many: true }), Array.from({ length: 101 }, (_, i) => i), 'It must have at most 100 values.'],
  ];
  for (const [name, definition, value, expected] of rows) {
    it(`${definition.kind}: ${name}`, () => expect(sentence(definition, value)).toBe(expected));
  }

  it('is not wrong when it was so before, whatever the type says now', () => {
    const before: Facts = { gone: 'old', it: 'on', list: ['a'] };
    const now = [fact('choice', { choices: ['in', 'out'] })];
    expect(factProblems(now, before, before)).toEqual([]);
    expect(factProblems(now, { ...before, it: 'off' }, before).map((p) => p.fact)).toEqual(['it']);
    expect(factProblems(now, { ...before, gone: 'new' }, before).map((p) => p.fact)).toEqual(['gone']);
    expect(factProblems(now, { ...before, list: ['a', 'b'] }, before).map((p) => p.fact)).toEqual(['list']);
  });
});

describe('facts that are asked only when', () => {
  const definitions: FactDefinition[] = [
    { code: 'direction', title: 'Direction', kind: 'choice', choices: ['in', 'out'], required: true },
    { code: 'sent', title: 'Sent', kind: 'date', required: true, onlyWhen: { fact: 'direction', values: ['out'] } },
    { code: 'receipt', title: 'Receipt', kind: 'text', required: true, onlyWhen: { fact: 'sent', values: [] } },
  ];
  it('another has a value', () => {
    expect(factGaps(definitions, {})).toEqual(['Direction']);
    expect(factGaps(definitions, { direction: 'in' })).toEqual([]);
    expect(factGaps(definitions, { direction: 'out' })).toEqual(['Sent']);
    expect(factGaps(definitions, { direction: 'out', sent: '2026-01-01' })).toEqual(['Receipt']);
    expect(factProblems(definitions, { direction: 'in', sent: '2026-01-01' }).map((p) => p.sentence)).toEqual([
      'Sent is asked only when Direction is out.',
    ]);
    expect(factProblems(definitions, { receipt: 'x' })[0]!.sentence).toBe('Receipt is asked only when Sent is known.');
  });
  it('any of many values is the one', () => {
    expect(factApplies(definitions[1]!, { direction: ['in', 'out'] })).toBeTrue();
    expect(factApplies(definitions[1]!, { direction: [] })).toBeFalse();
  });
});

describe('what nobody said', () => {
  const definitions: FactDefinition[] = [
    { code: 'berth', title: 'Berth', kind: 'text', required: true },
    { code: 'on', title: 'On', kind: 'date', required: true, default: 'today' },
    { code: 'by', title: 'By', kind: 'person', required: true, default: 'me' },
    { code: 'side', title: 'Side', kind: 'choice', required: false, choices: ['north', 'south'], default: 'north' },
    { code: 'why', title: 'Why north', kind: 'text', required: false, onlyWhen: { fact: 'side', values: ['north'] }, default: 'as ever' },
    { code: 'tags', title: 'Tags', kind: 'text', required: false, many: true, default: 'new' },
  ];
  const who = { today: civilDate('2026-09-14'), me: id };
  it('comes from the nearest folder, then from the defaults', () => {
    expect(completeFacts(definitions, {}, [{ berth: '' }, { berth: 'B-04', side: 'south' }, { berth: 'B-99' }], who)).toEqual({
      berth: 'B-04',
      on: '2026-09-14',
      by: id,
      side: 'south',
      tags: ['new'],
    });
    expect(completeFacts(definitions, { side: 'north', tags: ['a'] }, [], who)['why']).toBe('as ever');
  });
  it('is left out where what is around does not fit', () => {
    expect(completeFacts(definitions, {}, [{ side: 'east', on: 'soon', other: 1 }], who)).toEqual({
      on: '2026-09-14',
      by: id,
      side: 'north',
      why: 'as ever',
      tags: ['new'],
    });
  });
  it('never replaces what somebody said, and fits', () => {
    const some = fc.dictionary(
      fc.constantFrom('berth', 'on', 'side', 'why', 'tags', 'x'),
      fc.oneof(fc.string(), fc.integer(), fc.constantFrom('south', '2020-01-01')),
      { maxKeys: 4 },
    );
    fc.assert(
      fc.property(some, fc.array(some, { maxLength: 3 }), (given, around) => {
        const completed = completeFacts(definitions, given, around, who);
        for (const [code, value] of Object.entries(filledFacts(given))) expect(completed[code]).toBe(value);
        const added = Object.fromEntries(Object.entries(completed).filter(([code]) => !(code in filledFacts(given))));
        expect(factProblems(definitions, { ...filledFacts(given), ...filledFacts(added) }, given)).toEqual([]);
      }),
    );
  });
});

describe('the definitions of a type', () => {
  const rows: [string, Partial<FactDefinition>[], string][] = [
    [
      'nothing wrong',
      [
        { kind: 'money', currency: 'EUR', min: 0, unique: false },
        { code: 'b', kind: 'date', default: 'today', min: '2000-01-01', max: '2030-01-01' },
      ],
      '',
    ],
    ['a bad code', [{ code: 'Not One' }], 'It needs a code: a small letter, then letters and digits.'],
    ['two of one code', [{}, {}], 'It has the code “it”, which is taken.'],
    ['no title', [{ title: ' ' }], '  needs a title.'],
    ['no choices', [{ kind: 'choice' }], 'It needs choices.'],
    ['a choice twice', [{ kind: 'choice', choices: ['a', 'a'] }], 'It has the same choice twice.'],
    ['an empty branch', [{ kind: 'choice', choices: ['Craft / '] }], 'It has an empty choice.'],
    ['choices of a text', [{ choices: ['a'] }], 'It has choices, which only a choice can have.'],
    ['a pattern of a number', [{ kind: 'whole', mask: '##' }], 'It can have a pattern only if it is text.'],
    ['two stars', [{ mask: '*-*' }], 'It has more than one * in its pattern.'],
    ['a range of a text', [{ min: 1 }], 'It can have a range only if it is a number, an amount or a date.'],
    ['a range of another kind', [{ kind: 'date', min: 3 }], 'It has a range of another kind than its own.'],
    ['a range backwards', [{ kind: 'whole', min: 3, max: 2 }], 'It has a range that ends before it begins.'],
    ['an amount of nothing', [{ kind: 'money' }], 'It needs a currency of three letters (ISO 4217).'],
    ['many truths', [{ kind: 'yesNo', many: true }], 'It cannot have several values.'],
    ['unique and many', [{ unique: true, many: true }], 'It cannot be unique.'],
    ['unique long text', [{ kind: 'longText', unique: true }], 'It cannot be unique.'],
    [
      'depending on what comes later',
      [{ onlyWhen: { fact: 'b', values: [] } }, { code: 'b' }],
      'It depends on a fact that does not come before it.',
    ],
    ['depending on itself', [{ onlyWhen: { fact: 'it', values: [] } }], 'It depends on a fact that does not come before it.'],
    [
      'depending on a choice that is none',
      [
        { kind: 'choice', choices: ['in', 'out'] },
        { code: 'b', onlyWhen: { fact: 'it', values: ['in', 'sideways'] } },
      ],
      'It depends on “sideways”, which that fact never has.',
    ],
    [
      'depending on a choice',
      [
        { kind: 'choice', choices: ['in'] },
        { code: 'b', onlyWhen: { fact: 'it', values: ['in'] } },
      ],
      '',
    ],
    [
      'depending on a text of a number',
      [{ kind: 'whole' }, { code: 'b', onlyWhen: { fact: 'it', values: ['seven'] } }],
      'It depends on “seven”, which that fact never has.',
    ],
    ['depending on yes', [{ kind: 'yesNo' }, { code: 'b', onlyWhen: { fact: 'it', values: [true] } }], ''],
    ['a default that does not fit', [{ kind: 'whole', default: 'x' }], 'It has a default that does not fit it.'],
    ['today as a text', [{ default: 'today' }], ''],
  ];
  for (const [name, changes, expected] of rows) {
    it(name, () => expect(definitionProblems(changes.map((c) => fact('text', c)))[0]?.sentence ?? '').toBe(expected));
  }
  it('keep the meaning of a code', () => {
    const before = [fact('text'), fact('whole', { code: 'n' })];
    expect(
      changeProblems(before, [fact('longText'), fact('whole', { code: 'n', max: 3 }), fact('date', { code: 'new' })]).map((p) => p.fact),
    ).toEqual(['it']);
    expect(changeProblems(before, [fact('text', { many: true })]).length).toBe(1);
  });
});

describe('a pattern', () => {
  const rows: [string, string, boolean][] = [
    ['##/@@', '14/ab', true],
    ['##/@@', '14/a1', false],
    ['##/@@', '14/abc', false],
    ['@#', 'é1', true],
    ['T-*', 'T-', true],
    ['T-*', 'T-20/7', true],
    ['T-*-##', 'T-x-07', true],
    ['T-*-##', 'T-07', false],
    ['?*?', 'ab', true],
    ['?*?', 'a', false],
    ['(a+)+$', '(a+)+$', true],
    ['', '', true],
  ];
  for (const [mask, text, fits] of rows)
    it(`${mask} ${fits ? 'fits' : 'does not fit'} ${text}`, () => expect(matchesMask(mask, text)).toBe(fits));
  it('is read once, however long the text', () => {
    expect(matchesMask('*##', 'a'.repeat(1_000_000))).toBeFalse();
  });
});

describe('what a place takes', () => {
  const anything: Takes = { types: null, formats: null, largest: null };
  const at = (name: string, takes: Partial<Takes>) => ({ name, takes: { ...anything, ...takes } });
  const file = { recordType: 'lease', fileName: 'Lease.PDF', endings: ['pdf'], size: 2_000_000 };
  const rows: [string, ReturnType<typeof at>[], Partial<typeof file> | { fileName: null }, string][] = [
    ['anything where nobody says', [at('B-04', {}), at('BER-01', {})], {}, ''],
    ['its types', [at('BER-01', { types: ['lease'] })], {}, ''],
    ['no others', [at('BER-01', { types: ['invoice'] })], {}, 'BER-01 does not take this record type. A keeper decides what it takes.'],
    ['what the nearest says', [at('B-04', { types: ['lease'] }), at('BER-01', { types: ['invoice'] })], {}, ''],
    [
      'each of the three by its own nearest',
      [at('B-04', { types: ['lease'] }), at('BER-01', { formats: ['docx'] })],
      {},
      'BER-01 takes only docx; this is pdf.',
    ],
    [
      'a file without an ending',
      [at('BER-01', { formats: ['pdf', 'docx'] })],
      { fileName: 'Lease', endings: [] },
      'BER-01 takes only pdf, docx; this file has no ending.',
    ],
    ['a file that is too large', [at('BER-01', { largest: 1_500_000 })], {}, 'BER-01 takes files of at most 1.5 MB; this one has 2.0 MB.'],
    ['items on a shelf whatever their format', [at('BER-01', { formats: ['pdf'], largest: 1 })], { fileName: null }, ''],
    ['no type at all', [at('BER-01', { types: [] })], {}, 'BER-01 does not take this record type. A keeper decides what it takes.'],
  ];
  for (const [name, around, changes, expected] of rows)
    it(name, () => expect(takesRefusal(around, { ...file, ...changes }) ?? '').toBe(expected));
});
