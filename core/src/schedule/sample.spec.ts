import { emptyVocabulary, type Vocabulary } from '../criteria/index.js';
import { speaking } from '@key-cellar/words/testing';
import { describeSample as describeSampleSaid, isSampled, parseSample as parseSampleSaid, printSample, type Sample } from './index.js';

const parseSample = speaking(parseSampleSaid);
const describeSample = speaking(describeSampleSaid);

const everyNth = (n: number): Sample => ({ kind: 'everyNth', n });
const share = (n: number): Sample => ({ kind: 'share', n });
const vocabulary: Vocabulary = {
  ...emptyVocabulary,
  facts: [{ code: 'finding', title: 'Finding', kind: 'choice', choices: ['safe', 'unsafe'] }],
};
const byCriteria: Sample = { kind: 'criteria', criteria: { op: 'fact', fact: 'finding', value: 'unsafe' } };
const of = (sample: Sample, number: string, id = 'x', matches = false): boolean => isSampled(sample, { id, number }, matches);

describe('a sample', () => {
  const numbers: [string, number, boolean][] = [
    ['PIL-03/2019/0040', 20, true],
    ['PIL-03/2019/0041', 20, false],
    ['20', 20, true],
    ['0', 20, true],
    ['no digits', 20, false],
    ['20/7', 20, false],
    ['7/20 b', 20, true],
    ['123456789012345678901234567890', 10, true],
  ];
  for (const [number, n, taken] of numbers) {
    it(`of every ${n}th has ${taken ? '' : 'not '}${number}`, () => expect(of(everyNth(n), number)).toBe(taken));
  }

  it('by lot has its share, the same whenever it is asked, whatever the number', () => {
    const ids = Array.from({ length: 20_000 }, (_, i) => `0197-${i}`);
    const taken = ids.filter((id) => of(share(20), '20', id));
    expect(taken.length).toBeGreaterThan(900);
    expect(taken.length).toBeLessThan(1100);
    expect(ids.filter((id) => of(share(20), '7', id))).toEqual(taken);
    // SHA-256 of "abc" begins with ba7816bf (FIPS 180-4).
    expect([of(share(0xba7816bf), 'x', 'abc'), of(share(0xba7816be), 'x', 'abc')]).toEqual([true, false]);
  });

  it('by criteria has what they match', () => expect([of(byCriteria, '1', 'x', true), of(byCriteria, '1')]).toEqual([true, false]));

  const words: [Sample, string][] = [
    [everyNth(20), 'every 20th by number'],
    [everyNth(21), 'every 21st by number'],
    [everyNth(2), 'every 2nd by number'],
    [everyNth(3), 'every 3rd by number'],
    [everyNth(11), 'every 11th by number'],
    [everyNth(112), 'every 112th by number'],
    [share(50), '1 in 50 by lot'],
    [byCriteria, 'those where finding is unsafe'],
  ];
  for (const [sample, said] of words) it(`is ${said}`, () => expect(describeSample(sample)).toBe(said));

  it('goes through a table', () => {
    for (const sample of [everyNth(20), share(7), byCriteria, undefined]) {
      expect(parseSample(printSample(sample, vocabulary), vocabulary)).toEqual({ ok: true, value: sample });
    }
    expect(printSample(byCriteria, vocabulary)).toBe('those where Finding is unsafe');
    expect(parseSample(' Every 21st  by Number ', vocabulary)).toEqual({ ok: true, value: everyNth(21) });
    for (const text of ['some', '1 of 20', 'every 20', 'those where', '1 in many'])
      expect(parseSample(text, vocabulary)).toEqual({
        ok: false,
        sentence: 'This is no sample. Possible are every 20 by number, 1 in 20 or those where ….',
      });
    expect(parseSample('those where created in the last 3 months', vocabulary)).toEqual({
      ok: false,
      sentence: 'Dates against today choose other records every day. Give a date instead.',
    });
    expect(parseSample('those where xyzzy is 3', vocabulary).ok).toBeFalse();
  });
});
