import { speaking } from '@key-cellar/words/testing';
import * as fc from 'fast-check';
import {
  compileDetector,
  describeSign as describeSignSaid,
  detectorProblems as detectorProblemsSaid,
  passesCheck,
  patternProblem,
  type Sign,
} from './index.js';

const detectorProblems = speaking(detectorProblemsSaid);

const describeSign = speaking(describeSignSaid);

const card: Sign = { kind: 'pattern', pattern: '#### #### #### ####', check: 'luhn', atLeast: 1 };
const account: Sign = { kind: 'pattern', pattern: '@@## *', check: 'mod97', atLeast: 1 };
const words = (list: string[], atLeast = 1): Sign => ({ kind: 'words', words: list, atLeast });
const found = (sign: Sign, text: string): string[] => {
  const [finding] = compileDetector([sign])(text).signs;
  return finding!.spans.map(({ from, until }) => text.slice(from, until));
};

describe('a pattern', () => {
  // Numbers made for testing: check digits are right, nobody has them.
  const cases: [string, Sign, string, string[]][] = [
    ['groups with spaces', card, 'Card 4111 1111 1111 1111, thanks', ['4111 1111 1111 1111']],
    ['groups with hyphens', card, '4111-1111-1111-1111', ['4111-1111-1111-1111']],
    ['no groups', card, '(4111111111111111)', ['4111111111111111']],
    ['a wrong check digit', card, '4111 1111 1111 1112', []],
    ['a longer number', card, '41111111111111111', []],
    ['a number within a longer one', card, '9994111111111111111', []],
    ['two of them', card, '4111111111111111 5500 0000 0000 0004', ['4111111111111111', '5500 0000 0000 0004']],
    ['an account and the words after it', account, 'Pay to GB29 NWBK 6016 1331 9268 19 by Friday', ['GB29 NWBK 6016 1331 9268 19']],
    ['an account in small letters', account, 'gb29nwbk60161331926819', ['gb29nwbk60161331926819']],
    ['an account with one digit changed', account, 'GB29 NWBK 6016 1331 9268 18', []],
    ['at the end of the text', account, 'DE89370400440532013000', ['DE89370400440532013000']],
    ['letters of its own', { ...card, pattern: 'PN-### ##', check: 'none' }, 'pn-123 45 and PN-12345', ['pn-123 45', 'PN-12345']],
    ['letters of any script', { ...card, pattern: '@@-#', check: 'none' }, 'Ωж-7', ['Ωж-7']],
  ];
  for (const [what, sign, text, expected] of cases) it(`finds ${what}`, () => expect(found(sign, text)).toEqual(expected));

  it('counts different ones, however they are written', () => {
    const two: Sign = { ...card, atLeast: 2 } as Sign;
    expect(compileDetector([two])('4111 1111 1111 1111 and 4111-1111-1111-1111').met).toBeFalse();
    expect(compileDetector([two])('4111 1111 1111 1111 and 5500 0000 0000 0004').met).toBeTrue();
  });

  it('is refused when it would fit anything or has its * in the middle', () => {
    for (const bad of ['', '   ', '*', ' *', 'A*B', '#'.repeat(101)]) expect(patternProblem(bad)).withContext(bad).not.toBeNull();
    expect(patternProblem('@@## *')).toBeNull();
  });

  it('is done with a long text that nearly fits everywhere', () => {
    const look = compileDetector([account, { ...account, pattern: '@*' } as Sign, card]);
    expect(look('AA11 '.repeat(150_000)).met).toBeFalse();
    expect(look('4111 1111 1111 111 '.repeat(40_000)).met).toBeFalse();
  });

  it('takes the farthest end up to which a text passes, as looking at each would', () => {
    const texts = fc.string({ unit: fc.constantFrom('4', '1', '0', '9', ' ', '-', 'A', 'Z'), maxLength: 60 });
    const remainder = (text: string): bigint =>
      BigInt([...(text.slice(4) + text.slice(0, 4))].map((c) => parseInt(c, 36)).join('') || '0') % 97n;
    const luhnSum = (text: string): number =>
      [...text].reverse().reduce((sum, c, i) => sum + (i % 2 === 0 ? Number(c) : [0, 2, 4, 6, 8, 1, 3, 5, 7, 9][Number(c)]!), 0);
    fc.assert(
      fc.property(texts, (text) => {
        const plain = text.replace(/[ -]/g, '');
        expect(passesCheck('luhn', plain)).toBe(/^\d{2,}$/.test(plain) && /[1-9]/.test(plain) && luhnSum(plain) % 10 === 0);
        expect(passesCheck('mod97', plain)).toBe(/^[A-Z]{2}\d{2}[A-Z0-9]{11,30}$/.test(plain) && remainder(plain) === 1n);
        const [found] = compileDetector([{ kind: 'pattern', pattern: '#*', check: 'luhn', atLeast: 1 }])(text).signs;
        for (const { from, until } of found!.spans) {
          expect(passesCheck('luhn', text.slice(from, until).replace(/[ -]/g, '')))
            .withContext(text)
            .toBeTrue();
          // No end farther on would do: within 34 signs, and at the end of a word.
          for (let end = until + 1; end <= text.length; end++) {
            const longer = text.slice(from, end).replace(/[ -]/g, '');
            if (!/[\dA-Z]/.test(text[end - 1]!) || /[\dA-Z]/.test(text[end] ?? ' ') || longer.length > 35) continue;
            if (/[ -]{2}/.test(text.slice(from, end))) continue;
            expect(passesCheck('luhn', longer)).withContext(`${text} ${from}-${end}`).toBeFalse();
          }
        }
      }),
      { numRuns: 500 },
    );
  });

  it('finds phrases that begin alike, one within the other', () => {
    const look = compileDetector([words(['sick', 'sick leave', 'sick leave note'], 3)]);
    expect(look('A sick leave note.').met).toBeTrue();
    expect(look('A sick leave.').signs[0]).toEqual({ met: false, found: 2, spans: [jasmine.any(Object), jasmine.any(Object)] });
    expect(look('A leave note.').signs[0]!.found).toBe(0);
    const alike = Array.from({ length: 500 }, (_, i) => `${'a '.repeat(49)}b${i}`);
    expect(compileDetector([words(alike)])('a '.repeat(100_000)).met).toBeFalse();
  });
});

describe('check digits', () => {
  it('by Luhn find every single wrong digit and its like', () => {
    const digits = fc.array(fc.integer({ min: 0, max: 9 }), { minLength: 8, maxLength: 18 });
    fc.assert(
      fc.property(digits, fc.nat(), fc.integer({ min: 1, max: 9 }), (body, at, by) => {
        const right = Array.from({ length: 10 }, (_, last) => [...body, last].join('')).filter((digits) => passesCheck('luhn', digits));
        expect(right.length).toBe(1);
        const wrong = [...right[0]!];
        const i = at % wrong.length;
        wrong[i] = String((Number(wrong[i]) + by) % 10);
        expect(passesCheck('luhn', wrong.join(''))).toBeFalse();
      }),
    );
  });
  it('by MOD 97 find every single wrong digit', () => {
    fc.assert(
      fc.property(fc.integer({ min: 4, max: 21 }), fc.integer({ min: 1, max: 9 }), (at, by) => {
        const wrong = [...'DE89370400440532013000'];
        wrong[at] = String((Number(wrong[at]) + by) % 10);
        expect(passesCheck('mod97', wrong.join(''))).toBeFalse();
      }),
    );
    expect(passesCheck('mod97', 'DE89370400440532013000')).toBeTrue();
    expect(passesCheck('mod97', 'DE8937')).toBeFalse();
  });
});

describe('words', () => {
  it('are found whole, whatever their case and accents, and phrases in their order', () => {
    expect(found(words(['diagnosis', 'sick leave']), 'The DIAGNOSIS followed a sick  leave.')).toEqual(['DIAGNOSIS', 'sick  leave']);
    expect(found(words(['crâne']), 'crane, CRANE, cranes')).toEqual(['crane', 'CRANE']);
    expect(found(words(['sick leave']), 'leave sick')).toEqual([]);
  });
  it('must be as many different ones as asked', () => {
    const two = compileDetector([words(['diagnosis', 'therapy', 'sick leave'], 2)]);
    expect(two('diagnosis, diagnosis').met).toBeFalse();
    expect(two('therapy after sick leave').signs[0]).toEqual(jasmine.objectContaining({ met: true, found: 2 }));
  });
});

describe('likeness', () => {
  const sample = Array.from({ length: 40 }, (_, i) => `word${i}`).join(' ');
  const like: Sign = { kind: 'likeness', sample, percent: 60 };
  const share = (text: string): number => compileDetector([like])(text).signs[0]!.found;
  it('is all of the sample, part of it, or nothing', () => {
    expect(share(`Before ${sample.toUpperCase()} after`)).toBe(100);
    expect(share(sample.split(' ').slice(0, 20).join(' '))).toBe(45);
    expect(share(sample.split(' ').reverse().join(' '))).toBe(0);
    expect(compileDetector([like])(sample).met).toBeTrue();
    expect(found(like, `Before ${sample} after`)).toEqual([sample]);
  });
});

describe('a detector', () => {
  it('is met when one of its signs is, and tells what each found', () => {
    const look = compileDetector([card, words(['ledger'])]);
    expect(look('nothing').met).toBeFalse();
    expect(look('the ledger').signs.map((s) => s.met)).toEqual([false, true]);
    expect(look('the ledger').met).toBeTrue();
  });
  it('never fails, and never reports what is not in the text', () => {
    const signs: Sign[] = [card, account, words(['a b', 'é']), { kind: 'likeness', sample: 'x '.repeat(30), percent: 1 }];
    const look = compileDetector(signs);
    const piece = fc.oneof(
      fc.string({ unit: 'grapheme', maxLength: 20 }),
      fc.constantFrom('4111 1111 1111 1111', 'DE89370400440532013000', 'a b', 'é', 'x x x x', ' ', '-'),
    );
    fc.assert(
      fc.property(fc.array(piece, { maxLength: 12 }), (pieces) => {
        const text = pieces.join('');
        for (const { spans } of look(text).signs) {
          for (const { from, until } of spans) expect(from >= 0 && from < until && until <= text.length).toBeTrue();
        }
      }),
    );
  });
  it('says what is wrong with its signs', () => {
    const wrong: Sign[] = [
      { ...card, pattern: '*' } as Sign,
      words(['--', ' ']),
      words(['one'], 2),
      { kind: 'likeness', sample: 'too short', percent: 50 },
      words(['fine']),
    ];
    expect(detectorProblems(wrong).map((p) => p.sign)).toEqual([0, 1, 2, 3]);
    expect(detectorProblems([])[0]!.sentence).toContain('at least one sign');
    expect(
      [card, words(['a', 'b', 'c', 'd', 'e'], 2), { kind: 'likeness', sample: 'x '.repeat(30), percent: 40 } as Sign].map(describeSign),
    ).toEqual(['“#### #### #### ####” with a valid check digit', '2 of a, b, c, d …', '40 % of a sample of 30 words']);
  });
});
