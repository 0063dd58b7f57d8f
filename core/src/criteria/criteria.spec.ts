import * as fc from 'fast-check';
import { civilDate } from '../calendar/index.js';
import { criteriaToSql, describeCriteria, distinctWords, matches, wordsOf, type Criteria, type CriteriaRecord } from './index.js';

const record: CriteriaRecord = {
  words: new Set(distinctWords("Pilot's statement, barge Ottoline", 'PIL-03/2019/0047')),
  places: new Set(['root', 'pil', 'pil-03']),
  recordType: 'statement',
  state: 'declared',
  medium: 'electronic',
  outcome: 'dated',
  dates: { created: civilDate('2019-05-08') },
  facts: { vessel: 'Ottoline', tons: 40 },
  held: false,
};

describe('words', () => {
  it('are cut the same way everywhere', () => {
    expect(wordsOf("Pilot's Bericht, Größe №7 – PIL-03/2019")).toEqual(['pilot', 's', 'bericht', 'große', 'no7', 'pil', '03', '2019']);
    expect(wordsOf('Éclair CAFÉ')).toEqual(['eclair', 'cafe']);
    expect(wordsOf(' \t–…')).toEqual([]);
  });
});

describe('criteria in memory', () => {
  const table: [string, Criteria, boolean][] = [
    ['all words', { op: 'words', text: 'ottoline barge' }, true],
    ['a word that is missing', { op: 'words', text: 'ottoline dredger' }, false],
    ['a beginning only when asked', { op: 'words', text: 'otto' }, false],
    ['a beginning', { op: 'words', text: 'barge otto', prefix: true }, true],
    ['a finished word is whole', { op: 'words', text: 'otto ', prefix: true }, false],
    ['no words: everything', { op: 'words', text: '' }, true],
    ['under a place', { op: 'under', placeId: 'pil', name: 'PIL' }, true],
    ['under another', { op: 'under', placeId: 'ber', name: 'BER' }, false],
    ['a code', { op: 'is', field: 'state', value: 'declared' }, true],
    ['between, inclusive', { op: 'between', field: 'created', from: '2019-05-08', until: '2019-05-08' }, true],
    ['before', { op: 'between', field: 'created', until: '2019-05-07' }, false],
    ['a missing date is false', { op: 'between', field: 'due', from: '0001-01-01' }, false],
    ['not a missing date is true', { op: 'not', of: { op: 'between', field: 'due' } }, true],
    ['a fact', { op: 'fact', fact: 'tons', value: 40 }, true],
    ['a fact of another kind', { op: 'fact', fact: 'tons', value: '40' }, false],
    ['held', { op: 'held' }, false],
    ['and of nothing', { op: 'and', of: [] }, true],
    ['or of nothing', { op: 'or', of: [] }, false],
  ];
  for (const [name, criteria, expected] of table) {
    it(name, () => expect(matches(criteria, record)).toBe(expected));
  }
});

describe('criteria as SQL', () => {
  it('never contain a value', () => {
    fc.assert(
      fc.property(fc.string({ minLength: 1 }), (value) => {
        const bound: string[] = [];
        const sql = criteriaToSql(
          {
            op: 'or',
            of: [
              { op: 'words', text: value, prefix: true },
              { op: 'is', field: 'recordType', value },
              { op: 'fact', fact: value, value },
              { op: 'under', placeId: value, name: value },
            ],
          },
          (v, type) => `$${bound.push(v)}::${type}`,
        );
        expect(sql.replace(/\$\d::\w+/g, '')).toMatch(/^[a-z_@>=&.()[\]\s]*$/);
      }),
    );
  });
  it('words become letters and digits only', () => {
    const bound: string[] = [];
    criteriaToSql({ op: 'words', text: "a' | !b:* \\ c & (d)" }, (v) => `$${bound.push(v)}`);
    expect(bound).toEqual(["'a' & 'b' & 'c' & 'd'"]);
  });
});

describe('criteria in words', () => {
  it('read like a sentence', () => {
    expect(
      describeCriteria({
        op: 'and',
        of: [
          { op: 'words', text: 'Ottoline' },
          { op: 'or', of: [{ op: 'between', field: 'created', until: '2019-12-31' }, { op: 'held' }] },
          { op: 'not', of: { op: 'is', field: 'recordType', value: 'invoice' } },
        ],
      }),
    ).toBe('has word “Ottoline” and (created by 2019-12-31 or is held) and not (record type is invoice)');
  });
});
