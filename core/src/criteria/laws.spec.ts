import * as fc from 'fast-check';
import { civilDate, formatCivilDate } from '../calendar/index.js';
import {
  codeFields,
  criteriaToSql,
  dateFields,
  describeCriteria,
  distinctWords,
  matches,
  wordsOf,
  type Criteria,
  type CriteriaRecord,
} from './index.js';

const words = ['ottoline', 'barge', 'café', 'PIL-03', 'größe', '14'];
const days = ['2019-05-07', '2019-05-08', '2020-02-29', '2026-09-14'];
const anyRecord: fc.Arbitrary<CriteriaRecord> = fc.record({
  words: fc.array(fc.constantFrom(...words), { maxLength: 4 }).map((some) => new Set(distinctWords(...some))),
  places: fc.subarray(['root', 'pil', 'pil-03']).map((some) => new Set(some)),
  recordType: fc.constantFrom('statement', 'invoice'),
  state: fc.constantFrom('working' as const, 'declared' as const),
  medium: fc.constantFrom('electronic', 'physical'),
  outcome: fc.constantFrom('dated', 'waiting'),
  dates: fc.record(Object.fromEntries(dateFields.map((f) => [f, fc.constantFrom(...days).map(civilDate)])) as never, { requiredKeys: [] }),
  facts: fc.record(
    { vessel: fc.constantFrom('Ottoline', 'Quill'), tons: fc.nat(2), urgent: fc.boolean() },
    { requiredKeys: [] },
  ) as fc.Arbitrary<CriteriaRecord['facts']>,
  held: fc.boolean(),
});
const anyClause: fc.Arbitrary<Criteria> = fc.oneof(
  fc.record({ op: fc.constant('words' as const), text: fc.array(fc.constantFrom(...words, 'otto', 'bar')).map((w) => w.join(' ')), prefix: fc.boolean() }),
  fc.record({ op: fc.constant('under' as const), placeId: fc.constantFrom('root', 'pil', 'ber'), name: fc.constant('a place') }),
  fc.record({ op: fc.constant('is' as const), field: fc.constantFrom(...codeFields), value: fc.constantFrom('statement', 'declared', 'physical', 'waiting') }),
  fc.record(
    { op: fc.constant('between' as const), field: fc.constantFrom(...dateFields), from: fc.constantFrom(...days), until: fc.constantFrom(...days) },
    { requiredKeys: ['op', 'field'] },
  ) as fc.Arbitrary<Criteria>,
  fc.record({ op: fc.constant('fact' as const), fact: fc.constantFrom('vessel', 'tons', 'urgent'), value: fc.constantFrom<string | number | boolean>('Ottoline', 1, true) }),
  fc.constant<Criteria>({ op: 'held' }),
); // prettier-ignore
const { any: anyCriteria } = fc.letrec<{ any: Criteria }>((tie) => ({
  any: fc.oneof(
    { maxDepth: 4, depthIdentifier: 'criteria' },
    anyClause,
    fc.record({ op: fc.constant('not' as const), of: tie('any') }),
    fc.record({ op: fc.constantFrom('and' as const, 'or' as const), of: fc.array(tie('any'), { maxLength: 3 }) }),
  ),
}));
const not = (of: Criteria): Criteria => ({ op: 'not', of });

describe('criteria obey the laws of logic', () => {
  const agree = (name: string, left: (a: Criteria, b: Criteria) => Criteria, right: (a: Criteria, b: Criteria) => Criteria): void =>
    it(name, () => {
      fc.assert(
        fc.property(anyCriteria, anyCriteria, anyRecord, (a, b, record) => {
          expect(matches(left(a, b), record)).toBe(matches(right(a, b), record));
        }),
        { numRuns: 300 },
      );
    });
  agree('not not', (a) => not(not(a)), (a) => a); // prettier-ignore
  agree('not (a and b) = not a or not b', (a, b) => not({ op: 'and', of: [a, b] }), (a, b) => ({ op: 'or', of: [not(a), not(b)] })); // prettier-ignore
  agree('not (a or b) = not a and not b', (a, b) => not({ op: 'or', of: [a, b] }), (a, b) => ({ op: 'and', of: [not(a), not(b)] })); // prettier-ignore
  agree('order does not matter', (a, b) => ({ op: 'and', of: [a, b] }), (a, b) => ({ op: 'and', of: [b, a] })); // prettier-ignore
  agree('a or (a and b) = a', (a, b) => ({ op: 'or', of: [a, { op: 'and', of: [a, b] }] }), (a) => a); // prettier-ignore
});

describe('criteria as SQL, whatever they are', () => {
  it('bind every value, number their parameters in order, and close every bracket', () => {
    fc.assert(
      fc.property(anyCriteria, (criteria) => {
        const bound: string[] = [];
        const sql = criteriaToSql(criteria, (value, type) => `$${bound.push(value)}::${type}`);
        expect([...sql.matchAll(/\$(\d+)/g)].map((m) => Number(m[1]))).toEqual(bound.map((_, i) => i + 1));
        let depth = 0;
        for (const c of sql) {
          depth += c === '(' ? 1 : c === ')' ? -1 : 0;
          expect(depth).toBeGreaterThanOrEqual(0);
        }
        expect(depth).toBe(0);
      }),
    );
  });
});

describe('criteria in words, whatever they are', () => {
  it('say every value that they ask for', () => {
    fc.assert(
      fc.property(anyCriteria, (criteria) => {
        const text = describeCriteria(criteria);
        const check = (c: Criteria): void => {
          if (c.op === 'and' || c.op === 'or') c.of.forEach(check);
          else if (c.op === 'not') check(c.of);
          else if (c.op === 'is') expect(text).toContain(c.value);
          else if (c.op === 'between') for (const day of [c.from, c.until]) if (day) expect(text).toContain(day);
        };
        check(criteria);
        expect(text).not.toMatch(/undefined|\[object/);
      }),
    );
  });
});

describe('words', () => {
  it('are the same however a text is composed, and found again in what they were cut from', () => {
    fc.assert(
      fc.property(fc.string({ unit: 'grapheme' }), (text) => {
        const cut = wordsOf(text);
        expect(wordsOf(text.normalize('NFD'))).toEqual(wordsOf(text.normalize('NFC')));
        expect(wordsOf(cut.join(' '))).toEqual(cut);
        for (const word of cut) expect(word).toMatch(/^[\p{L}\p{N}]+$/u);
      }),
    );
  });
  it('of many texts are sorted and different', () => {
    fc.assert(
      fc.property(fc.array(fc.string()), (texts) => {
        const all = distinctWords(...texts);
        expect(all).toEqual([...new Set(all)].sort());
      }),
    );
  });
  it('of dates stay together only as their parts', () => {
    expect(wordsOf(formatCivilDate(civilDate('2026-09-14')))).toEqual(['2026', '09', '14']);
  });
});
