import { speaking } from '@key-cellar/words/testing';
import * as fc from 'fast-check';
import { civilDate, formatCivilDate } from '../calendar/index.js';
import {
  completeCriteria,
  criteriaToSql,
  distinctWords,
  matches,
  parseCriteria as parseCriteriaSaid,
  printCriteria,
  resolveCriteria,
  wordsOf,
  type AskedCriteria,
  type Criteria,
} from './index.js';
import { anyAsked, anyClause, anyCriteria, anyRecord } from './testing/index.js';
import { material } from './testing/material.js';

const parseCriteria = speaking(parseCriteriaSaid);

const anyOne = anyCriteria(material);
const aRecord = anyRecord(material);
const not = (of: Criteria): Criteria => ({ op: 'not', of });

describe('criteria obey the laws of logic', () => {
  const agree = (name: string, left: (a: Criteria, b: Criteria) => Criteria, right: (a: Criteria, b: Criteria) => Criteria): void =>
    it(name, () => {
      fc.assert(
        fc.property(anyOne, anyOne, aRecord, (a, b, record) => {
          expect(matches(left(a, b), record)).toBe(matches(right(a, b), record));
        }),
        { numRuns: 300 },
      );
    });
  agree(
    'not not',
    (a) => not(not(a)),
    (a) => a,
  );
  agree(
    'not (a and b) = not a or not b',
    (a, b) => not({ op: 'and', of: [a, b] }),
    (a, b) => ({ op: 'or', of: [not(a), not(b)] }),
  );
  agree(
    'not (a or b) = not a and not b',
    (a, b) => not({ op: 'or', of: [a, b] }),
    (a, b) => ({ op: 'and', of: [not(a), not(b)] }),
  );
  agree(
    'order does not matter',
    (a, b) => ({ op: 'and', of: [a, b] }),
    (a, b) => ({ op: 'and', of: [b, a] }),
  );
  agree(
    'a or (a and b) = a',
    (a, b) => ({ op: 'or', of: [a, { op: 'and', of: [a, b] }] }),
    (a) => a,
  );
});

describe('criteria as SQL, whatever they are', () => {
  it('bind every value, number their parameters in order, and close every bracket', () => {
    fc.assert(
      fc.property(anyOne, (criteria) => {
        const bound: string[] = [];
        const sql = criteriaToSql(criteria, (value, type) => `$${bound.push(value)}::${type}`);
        expect([...new Set([...sql.matchAll(/\$(\d+)/g)].map((m) => Number(m[1])))]).toEqual(bound.map((_, i) => i + 1));
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

describe('criteria as text, whatever they are', () => {
  const today = civilDate('2026-09-14');
  const read = (text: string): AskedCriteria => {
    const parsed = parseCriteria(text, material.vocabulary);
    if (!parsed.ok) throw new Error(`${text}: ${parsed.error.sentence}`);
    return parsed.criteria;
  };
  it('mean the same when they are read back, and print the same again', () => {
    fc.assert(
      fc.property(anyAsked(material), aRecord, (criteria, record) => {
        const text = printCriteria(criteria, material.vocabulary);
        const again = read(text);
        expect(matches(resolveCriteria(again, today), record))
          .withContext(text)
          .toBe(matches(resolveCriteria(criteria, today), record));
        expect(printCriteria(again, material.vocabulary)).toBe(text);
      }),
      { numRuns: 1000 },
    );
  });
  it('keep each condition as it was', () => {
    fc.assert(
      fc.property(anyClause(material), (clause) => {
        expect(read(printCriteria(clause, material.vocabulary))).toEqual(clause);
      }),
      { numRuns: 1000 },
    );
  });
  it('never break the parser, and say where they are wrong', () => {
    const piece = fc.constantFrom(
      'under',
      'is',
      'not',
      'and',
      'or',
      '(',
      ')',
      'held',
      'Vessel',
      'has',
      'words',
      '“',
      '"',
      ',',
      'in the last',
      '7',
      '2019',
      'PIL',
      'x',
    );
    fc.assert(
      fc.property(
        fc.oneof(
          fc.string(),
          fc.array(piece).map((p) => p.join(' ')),
        ),
        (text) => {
          const parsed = parseCriteria(text, material.vocabulary);
          if (parsed.ok) return;
          expect(parsed.error.sentence).toMatch(/[.…]$/);
          expect(parsed.error.from).toBeGreaterThanOrEqual(0);
          expect(parsed.error.until).toBeGreaterThanOrEqual(parsed.error.from);
          expect(parsed.error.until).toBeLessThanOrEqual(text.length);
        },
      ),
      { numRuns: 1000 },
    );
  });
  it('complete to what can be read on', () => {
    fc.assert(
      fc.property(anyClause(material), fc.nat(60), (clause, at) => {
        const text = printCriteria(clause, material.vocabulary);
        const cut = text.slice(0, Math.min(at, text.length));
        const { from, until, options } = completeCriteria(cut, cut.length, material.vocabulary);
        expect(until).toBe(cut.length);
        for (const option of options) expect(`${cut.slice(0, from)}${option}`.length).toBeGreaterThan(0);
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
