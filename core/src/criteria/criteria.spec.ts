import { speaking } from '@key-cellar/words/testing';
import * as fc from 'fast-check';
import { civilDate } from '../calendar/index.js';
import {
  completeCriteria,
  criteriaToSql,
  describeCriteria,
  distinctWords,
  matches,
  parseCriteria as parseCriteriaSaid,
  printCriteria,
  resolveCriteria,
  wordsOf,
  type AskedCriteria,
  type Criteria,
  type CriteriaRecord,
  type Vocabulary,
} from './index.js';

const parseCriteria = speaking(parseCriteriaSaid);

const record: CriteriaRecord = {
  words: new Set(distinctWords("Pilot's statement, barge Ottoline", 'PIL-03/2019/0047')),
  places: new Set(['root', 'pil', 'pil-03']),
  recordType: 'statement',
  state: 'declared',
  medium: 'electronic',
  outcome: 'dated',
  dates: { created: civilDate('2019-05-08') },
  facts: {
    vessel: 'Ottoline',
    tons: 40,
    expires: '2027-01-31',
    berths: ['A-1', 'B-2'],
    draughts: [2, 7],
    nearly: ['x2027-01-31', '2027-01-31x'],
  },
  title: 'Pilot statement',
  number: 'PIL-03/2019/0047',
  docket: 'none',
  owner: null,
  depositor: 'lune',
  held: false,
  holds: new Set(['h1']),
  detected: new Set(['d1']),
  gaps: 1,
  conflict: true,
};

const foldings: readonly [string, string[]][] = [
  ['STRASSE Straße STRAẞE', ['strasse', 'strasse', 'strasse']],
  ['Łódź Łodz', ['lodz', 'lodz']],
  ['Ærø œuvre Œ', ['aero', 'oeuvre', 'oe']],
  ['Đorđe Þór Ísafjörður', ['dorde', 'thor', 'isafjordur']],
  ['Iğdır İstanbul ısı', ['igdir', 'istanbul', 'isi']],
  ['Ħal Ŋ ĸ ſtraße', ['hal', 'n', 'k', 'strasse']],
  ['ΟΔΟΣ οδος', ['οδοσ', 'οδοσ']],
  ['ﬁle ½ ｆｕｌｌ', ['file', '1', '2', 'full']],
  ['Ελλάδα Україна', ['ελλαδα', 'украіна']],
  // Decomposed and composed are the same.
  ['cafe\u0301 café', ['cafe', 'cafe']],
  ['港 ヶ ガ', ['港', 'ヶ', 'カ']],
];

describe('words', () => {
  it('are cut the same way everywhere', () => {
    expect(wordsOf("Pilot's Bericht, Größe №7 – PIL-03/2019")).toEqual(['pilot', 's', 'bericht', 'grosse', 'no7', 'pil', '03', '2019']);
    expect(wordsOf('Éclair CAFÉ')).toEqual(['eclair', 'cafe']);
    for (const [text, found] of foldings) expect(wordsOf(text)).withContext(text).toEqual(found);
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
    ['held by a hold', { op: 'heldBy', holdId: 'h1', name: 'x' }, true],
    ['matching a detector', { op: 'detected', detectorId: 'd1', name: 'x' }, true],
    ['matching another detector', { op: 'detected', detectorId: 'd2', name: 'x' }, false],
    ['gaps', { op: 'gaps' }, true],
    ['a conflict', { op: 'conflict' }, true],
    ['a title that starts', { op: 'text', field: 'title', how: 'startsWith', value: 'Pilot' }, true],
    ['letter by letter', { op: 'text', field: 'title', how: 'is', value: 'pilot statement' }, false],
    ['somebody who is not there', { op: 'person', field: 'owner' }, false],
    ['who deposited it', { op: 'person', field: 'depositor', personId: 'lune', name: 'Lune' }, true],
    ['a number in a range', { op: 'factBetween', fact: 'tons', from: 40, until: 40 }, true],
    ['a number against dates', { op: 'factBetween', fact: 'tons', from: '2020-01-01' }, false],
    ['a date fact in a range', { op: 'factBetween', fact: 'expires', from: '2027-01-31' }, true],
    ['a text is no date', { op: 'factBetween', fact: 'vessel', from: '0001-01-01' }, false],
    ['a known fact', { op: 'factBetween', fact: 'vessel' }, true],
    ['a fact that is missing', { op: 'factBetween', fact: 'berth' }, false],
    ['a fact that starts', { op: 'factStarts', fact: 'vessel', text: 'Otto' }, true],
    ['a beginning of no word', { op: 'words', text: 'barge dredg', prefix: true }, false],
    ['another code', { op: 'is', field: 'state', value: 'working' }, false],
    ['a title as it is', { op: 'text', field: 'title', how: 'is', value: 'Pilot statement' }, true],
    ['a title that goes on', { op: 'text', field: 'title', how: 'is', value: 'Pilot' }, false],
    ['a title that starts otherwise', { op: 'text', field: 'title', how: 'startsWith', value: 'statement' }, false],
    ['after', { op: 'between', field: 'created', from: '2019-05-09' }, false],
    ['from a day on', { op: 'between', field: 'created', from: '2019-05-08' }, true],
    ['somebody who is there', { op: 'person', field: 'depositor' }, true],
    ['who did not deposit it', { op: 'person', field: 'depositor', personId: 'tomas', name: 'Tomas' }, false],
    ['a fact that starts otherwise', { op: 'factStarts', fact: 'vessel', text: 'toline' }, false],
    ['a number starts with nothing', { op: 'factStarts', fact: 'tons', text: '4' }, false],
    ['one of many that starts', { op: 'factStarts', fact: 'berths', text: 'B' }, true],
    ['none of many that starts', { op: 'factStarts', fact: 'berths', text: 'C' }, false],
    ['a number below', { op: 'factBetween', fact: 'tons', from: 41 }, false],
    ['a number above', { op: 'factBetween', fact: 'tons', until: 39 }, false],
    ['a number up to', { op: 'factBetween', fact: 'tons', until: 40 }, true],
    ['one of many in a range', { op: 'factBetween', fact: 'draughts', from: 3, until: 8 }, true],
    ['none of many in a range', { op: 'factBetween', fact: 'draughts', from: 3, until: 6 }, false],
    ['what is nearly a date', { op: 'factBetween', fact: 'nearly', from: '0001-01-01' }, false],
    ['and of nothing', { op: 'and', of: [] }, true],
    ['or of nothing', { op: 'or', of: [] }, false],
  ];
  for (const [name, criteria, expected] of table) {
    it(name, () => expect(matches(criteria, record)).toBe(expected));
  }
  it('held, and without gaps', () => {
    const other = { ...record, held: true, gaps: 0 };
    expect([matches({ op: 'held' }, other), matches({ op: 'gaps' }, other)]).toEqual([true, false]);
  });
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

const vocabulary: Vocabulary = {
  recordTypes: [
    { id: 'statement', name: 'Witness statement' },
    { id: 'lease', name: 'Berth lease' },
  ],
  facts: [
    { code: 'vessel', title: 'Vessel', kind: 'text' },
    { code: 'tons', title: 'Gross tons', kind: 'whole' },
    { code: 'expires', title: 'Expires', kind: 'date' },
    { code: 'urgent', title: 'Urgent', kind: 'yesNo' },
    { code: 'side', title: 'Side', kind: 'choice', choices: ['Northshore', 'Southshore'] },
  ],
  places: [
    { id: 'pil', name: 'PIL-03 Pilotage logs', also: ['PIL-03'] },
    { id: 'ber', name: 'BER Berths and leases', also: ['BER'] },
  ],
  parties: [{ id: '00000000-0000-4000-8000-0000000000b1', name: 'Fenwick Aggregates' }],
  objects: [{ id: '00000000-0000-4000-8000-0000000000c1', name: 'Barge Ottoline' }],
  people: [{ id: 'lune', name: 'Lune Abara' }],
  holds: [{ id: 'h1', name: 'Grounding of the Ottoline' }],
  detectors: [{ id: 'd1', name: 'Payment cards' }],
};
const between = (field: 'created' | 'due', from?: string, until?: string): AskedCriteria => ({
  op: 'between',
  field,
  ...(from ? { from } : {}),
  ...(until ? { until } : {}),
});

describe('criteria from text', () => {
  const table: [string, AskedCriteria][] = [
    ['', { op: 'and', of: [] }],
    ['everything', { op: 'and', of: [] }],
    ['nothing', { op: 'or', of: [] }],
    ['under pil-03', { op: 'under', placeId: 'pil', name: 'PIL-03 Pilotage logs' }],
    [
      'UNDER BER Berths and Leases AND held',
      { op: 'and', of: [{ op: 'under', placeId: 'ber', name: 'BER Berths and leases' }, { op: 'held' }] },
    ],
    ['held by grounding of the ottoline', { op: 'heldBy', holdId: 'h1', name: 'Grounding of the Ottoline' }],
    ['matches detector payment cards', { op: 'detected', detectorId: 'd1', name: 'Payment cards' }],
    ['has words barge ottoline', { op: 'words', text: 'barge ottoline' }],
    ['has words “this and that”', { op: 'words', text: 'this and that' }],
    ['has gaps', { op: 'gaps' }],
    ['in conflict', { op: 'conflict' }],
    ['clock start in 2019', { op: 'between', field: 'clockStart', from: '2019-01-01', until: '2019-12-31' }],
    ['modified from 1 May 2019', { op: 'between', field: 'modified', from: '2019-05-01' }],
    ['record type is Berth lease', { op: 'is', field: 'recordType', value: 'lease' }],
    [
      'record type is one of berth lease, witness statement',
      {
        op: 'or',
        of: [
          { op: 'is', field: 'recordType', value: 'lease' },
          { op: 'is', field: 'recordType', value: 'statement' },
        ],
      },
    ],
    ['state is not declared', { op: 'not', of: { op: 'is', field: 'state', value: 'declared' } }],
    ['schedule says kept for good', { op: 'is', field: 'outcome', value: 'permanent' }],
    ['created in 2019', between('created', '2019-01-01', '2019-12-31')],
    ['created in February 2024', between('created', '2024-02-01', '2024-02-29')],
    ['created before 2019', between('created', undefined, '2018-12-31')],
    ['created after 28 feb 2024', between('created', '2024-02-29')],
    ['created between 2019-05-01 and 3 June 2019', between('created', '2019-05-01', '2019-06-03')],
    ['due is missing', { op: 'not', of: between('due') }],
    ['due in the next 3 months', { op: 'within', field: 'due', way: 'next', count: 3, unit: 'month' }],
    ['owner is lune abara', { op: 'person', field: 'owner', personId: 'lune', name: 'Lune Abara' }],
    ['owner is missing', { op: 'not', of: { op: 'person', field: 'owner' } }],
    ['vessel is Ottoline', { op: 'fact', fact: 'vessel', value: 'Ottoline' }],
    [
      'fact vessel is one of Ottoline, Quill',
      {
        op: 'or',
        of: [
          { op: 'fact', fact: 'vessel', value: 'Ottoline' },
          { op: 'fact', fact: 'vessel', value: 'Quill' },
        ],
      },
    ],
    ['gross tons between 10 and 40', { op: 'factBetween', fact: 'tons', from: 10, until: 40 }],
    ['expires before 2027', { op: 'factBetween', fact: 'expires', until: '2026-12-31' }],
    ['urgent is yes', { op: 'fact', fact: 'urgent', value: true }],
    ['side is southshore', { op: 'fact', fact: 'side', value: 'Southshore' }],
    ['vessel is known', { op: 'factBetween', fact: 'vessel' }],
    ['title starts with Log', { op: 'text', field: 'title', how: 'startsWith', value: 'Log' }],
    ['not (held or has gaps)', { op: 'not', of: { op: 'or', of: [{ op: 'held' }, { op: 'gaps' }] } }],
    [
      'held and has gaps or urgent is no',
      {
        op: 'or',
        of: [
          { op: 'and', of: [{ op: 'held' }, { op: 'gaps' }] },
          { op: 'fact', fact: 'urgent', value: false },
        ],
      },
    ],
  ];
  for (const [text, criteria] of table) {
    it(text || '(empty)', () => expect(parseCriteria(text, vocabulary)).toEqual({ ok: true, criteria }));
  }
});

describe('wrong criteria text', () => {
  const table: [string, number, RegExp, string[]][] = [
    ['vesel is Ottoline', 0, /“vesel” is not a condition/, ['Vessel']],
    ['titel starts with Log', 0, /“titel” is not a condition/, ['title']],
    ['under PIL-30', 6, /not a place/, ['PIL-03']],
    ['record type is bert lease', 15, /not a value/, ['Berth lease']],
    ['created on 2019', 8, /“in”|“is”/, []],
    ['created in 2019-02-30', 11, /Expected a date/, []],
    ['created is 31 June 2019', 11, /There is no 31 June 2019/, []],
    ['held held', 5, /After a condition/, ['and', 'or']],
    ['(held', 5, /not closed/, [')']],
    ['held)', 4, /closes nothing/, []],
    ['has words “otto', 10, /quotation is not closed/, []],
    ['has', 3, /has words/, ['words', 'gaps']],
    ['due in the next months', 16, /a number/, []],
    ['gross tons is many', 14, /Expected a number/, []],
    ['urgent is maybe', 10, /yes/, ['yes', 'no']],
    ['not', 3, /a condition/, []],
    [`${'('.repeat(40)}held`, 13, /levels deep/, []],
  ];
  for (const [text, from, sentence, suggestions] of table) {
    it(text, () => {
      const parsed = parseCriteria(text, vocabulary);
      if (parsed.ok) return fail('was read');
      expect(parsed.error.from).toBe(from);
      expect(parsed.error.sentence).toMatch(sentence);
      if (suggestions.length > 0) expect(parsed.error.suggestions.slice(0, suggestions.length)).toEqual(suggestions);
    });
  }
});

describe('completion of criteria', () => {
  const options = (text: string): readonly string[] => completeCriteria(text, text.length, vocabulary).options;
  it('offers what may come next', () => {
    expect(options('ves')).toEqual(['Vessel']);
    expect(options('record ty')).toEqual(['record type']);
    expect(options('record type is ')).toContain('Berth lease');
    expect(options('record type is bert')).toEqual(['Berth lease']);
    expect(options('under pilot')).toEqual(['PIL-03 Pilotage logs']);
    expect(options('held ')).toContain('and');
    expect(options('created ')).toContain('in the last');
    expect(options('due in the next 3 ')).toContain('months');
    expect(options('urgent is ')).toContain('yes');
  });
  it('replaces only what was begun', () => {
    const text = 'held and under pil';
    expect(completeCriteria(text, text.length, vocabulary)).toEqual({ from: 15, until: 18, options: ['PIL-03 Pilotage logs'] });
  });
});

describe('relative dates', () => {
  const table: [string, string, string, string][] = [
    ['created in the last 7 days', '2026-09-14', '2026-09-08', '2026-09-14'],
    ['created in the last 1 month', '2026-03-31', '2026-03-01', '2026-03-31'],
    ['created in the next 1 month', '2026-01-31', '2026-01-31', '2026-02-27'],
    ['created in the last 1 year', '2024-02-29', '2023-03-01', '2024-02-29'],
    ['created in the next 1 day', '2026-09-14', '2026-09-14', '2026-09-14'],
  ];
  for (const [text, today, from, until] of table) {
    it(`${text} on ${today}`, () => {
      const parsed = parseCriteria(text, vocabulary);
      if (!parsed.ok) return fail(parsed.error.sentence);
      expect(resolveCriteria(parsed.criteria, civilDate(today))).toEqual(between('created', from, until) as Criteria);
    });
  }
});

describe('criteria in words', () => {
  it('read like a sentence', () => {
    const criteria: AskedCriteria = {
      op: 'and',
      of: [
        { op: 'words', text: 'Ottoline' },
        { op: 'or', of: [between('created', undefined, '2019-12-31'), { op: 'held' }] },
        { op: 'not', of: { op: 'is', field: 'recordType', value: 'statement' } },
      ],
    };
    expect(printCriteria(criteria, vocabulary)).toBe(
      'has words “Ottoline” and (created until 31 December 2019 or held) and record type is not Witness statement',
    );
    expect(describeCriteria({ op: 'and', of: [] })).toBe('every record');
  });
});
