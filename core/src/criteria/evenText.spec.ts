import * as fc from 'fast-check';
import { compileDetector, evenText, passesCheck, type Check, type Sign } from './index.js';
import { couldPass } from './checks.js';

describe('a text, evened out', () => {
  const rows: [string, string, string][] = [
    ['plain text stays', 'Card 4111, 5 %', 'Card 4111, 5 %'],
    ['wide digits and letters', '４１１１ ＤＥ', '4111 DE'],
    ['digits of other scripts', '٤١ ۴۱ ४१ ໔໑ 𝟒𝟏', '41 41 41 41 41'],
    ['spaces of every width', 'a\u00a0b\u202fc\u2009d\u3000e', 'a b c d e'],
    ['dashes', '1‐2‑3–4—5−6', '1-2-3-4-5-6'],
    ['what cannot be seen', '41\u200b11\u00ad22\u2060', '411122'],
    ['line ends', 'a\r\nb\rc\nd', 'a\nb\nc\nd'],
    ['letters with their marks', 'Größe naïve', 'Größe naïve'],
  ];
  for (const [name, given, even] of rows) it(name, () => expect(evenText(given).text).toBe(even));
  it('knows where each of its signs came from', () => {
    const given = 'x\u200b４１\r\n5';
    const { text, at } = evenText(given);
    expect([text, [...text, ''].map((_, i) => at(i))]).toEqual(['x41\n5', [0, 2, 3, 5, 6, 7]]);
  });
  it('is never longer than four times the given, and even already', () => {
    fc.assert(
      fc.property(fc.string({ unit: 'binary' }), (given) => {
        const { text, at } = evenText(given);
        for (let i = 1; i <= text.length; i++) expect(at(i)).toBeGreaterThanOrEqual(at(i - 1));
        expect(at(text.length)).toBe(given.length);
        expect(/[\p{Zs}]/u.test(text.replaceAll(' ', ''))).toBeFalse();
      }),
    );
  });
});

describe('numbers however they are written', () => {
  const cards: Sign = { kind: 'pattern', pattern: '#### #### #### ####', check: 'luhn', atLeast: 1 };
  const accounts: Sign = { kind: 'pattern', pattern: '@@## *', check: 'mod97', atLeast: 1 };
  const met = (sign: Sign, text: string): boolean => compileDetector([sign])(text).met;
  const found: [string, Sign, string][] = [
    ['over a line end', cards, 'No. 4111 1111\n1111 1111.'],
    ['over a line end with blanks around it', cards, '4111 1111 1111  \r\n\t 1111'],
    ['over a line end with a hyphen before it', cards, '4111-1111-\n1111-1111'],
    ['with narrow spaces', cards, '4111\u202f1111\u202f1111\u202f1111'],
    ['in Arabic digits', cards, '٤١١١ ١١١١ ١١١١ ١١١١'],
    ['in wide digits', cards, '４１１１１１１１１１１１１１１１'],
    ['with what cannot be seen between', cards, '4\u200b111\u00ad1111 11\u206011 1111'],
    ['with dashes', cards, '4111–1111–1111–1111'],
    ['an account over a line end', accounts, 'DE89 3704 0044\n0532 0130 00'],
    ['an account in wide letters', accounts, 'ＤＥ８９３７０４００４４０５３２０１３０００'],
  ];
  for (const [name, sign, text] of found) it(`are found ${name}`, () => expect(met(sign, text)).toBeTrue());
  const none: [string, Sign, string][] = [
    ['nothing but zeros', cards, '0000 0000 0000 0000'],
    ['two empty lines between', cards, '4111 1111\n\n1111 1111'],
    ['too wide a gap', cards, `4111 1111${' '.repeat(20)}1111 1111`],
    ['a wrong check digit', cards, '٤١١١ ١١١١ ١١١١ ١١١٢'],
  ];
  for (const [name, sign, text] of none) it(`are none with ${name}`, () => expect(met(sign, text)).toBeFalse());
  it('are shown where they stand in what was given', () => {
    const text = 'No. ４１１１\u202f1111\u200b 1111\r\n1111!';
    const [span] = compileDetector([cards])(text).signs[0]!.spans;
    expect(text.slice(span!.from, span!.until)).toBe('４１１１\u202f1111\u200b 1111\r\n1111');
  });
  it('take time in proportion to the text, whatever stands in it', () => {
    const signs: Sign[] = [cards, accounts, { kind: 'pattern', pattern: ' ## ## *', check: 'none', atLeast: 1 }];
    for (const piece of [' ', '- ', '1 \n', '\u200b', 'DE89 ', '4111 1111\n']) {
      const text = piece.repeat(Math.floor(900_000 / piece.length));
      const began = Date.now();
      compileDetector(signs)(text);
      expect(Date.now() - began)
        .withContext(JSON.stringify(piece))
        .toBeLessThan(6000);
    }
  });
});

describe('checks', () => {
  /** Numbers made for testing; those of ISO/IEC 7064 are its own examples. */
  const right: [Check, string][] = [
    ['luhn', '4111111111111111'],
    ['luhn', '79927398713'],
    ['mod97', 'DE89370400440532013000'],
    ['mod97of10', '79444'],
    ['mod11', '123456789X'],
    ['mod11', '0306406152'],
    ['mod11of2', '07940'],
    ['mod11of10', '07945'],
    ['verhoeff', '2363'],
    ['verhoeff', '123451'],
  ];
  for (const [check, text] of right) {
    it(`${check} takes ${text}, and none of its neighbours with one other digit`, () => {
      expect(passesCheck(check, text)).toBeTrue();
      for (let i = 0; i < text.length; i++) {
        for (let digit = 0; digit < 10; digit++) {
          if (!/\d/.test(text[i]!) || String(digit) === text[i]) continue;
          expect(passesCheck(check, text.slice(0, i) + String(digit) + text.slice(i + 1)))
            .withContext(`${text} ${i} ${digit}`)
            .toBeFalse();
        }
      }
    });
  }
  for (const check of ['luhn', 'mod97of10', 'mod11', 'mod11of2', 'mod11of10', 'verhoeff'] as const) {
    it(`${check} takes no zeros alone, nothing and no other sign`, () => {
      for (const text of ['', '0', '0000000000', '00000000000000000000', '12 4'])
        expect(passesCheck(check, text)).withContext(text).toBeFalse();
      if (check !== 'mod97of10') expect(passesCheck(check, '1A34567890')).toBeFalse();
    });
    if (check === 'mod97of10') continue;
    it(`${check} has exactly one right last sign for any number`, () => {
      fc.assert(
        fc.property(fc.array(fc.integer({ min: 0, max: 9 }), { minLength: 4, maxLength: 18 }), (body) => {
          if (body.every((d) => d === 0)) return;
          const last = [...'0123456789', ...(check.startsWith('mod11') && check !== 'mod11of10' ? ['X'] : [])];
          expect(last.filter((sign) => passesCheck(check, body.join('') + sign)).length).toBe(1);
        }),
      );
    });
  }
  const fits: [Check, string, boolean][] = [
    ['none', '@@', true],
    ['luhn', '#### ####', true],
    ['luhn', '##@#', false],
    ['luhn', '#', false],
    ['luhn', 'AB ##*', false],
    ['luhn', '## *', true],
    ['mod97', '@@## *', true],
    ['mod97', '#### #### #### ####', false],
    ['mod97', '@@## ####', false],
    ['mod97', 'NO## #### #### ###', true],
    ['mod11', '###-###-###@', true],
    ['mod11', '#@########', false],
    ['mod11of2', '#### #### #### ###X', true],
    ['mod11of10', '#########X', false],
    ['verhoeff', '####@', false],
    ['mod97of10', '@@## #### ##', true],
  ];
  for (const [check, pattern, could] of fits)
    it(`${pattern} ${could ? 'could pass' : 'never passes'} ${check}`, () => expect(couldPass(check, pattern)).toBe(could));
});
