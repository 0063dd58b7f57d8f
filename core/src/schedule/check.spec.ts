import { speaking } from '@key-cellar/words/testing';
import { checkSchedule as checkScheduleSaid, type RuleVersion, type ScheduleUnderCheck } from './index.js';
import { rule, step } from './testing/index.js';

const checkSchedule = speaking(checkScheduleSaid);

const years = (n: number): RuleVersion['steps'] => [step('destroy', `P${n}Y`)];

/** A schedule with nothing wrong: one rule on a series, which governs. */
function sound(changes: Partial<ScheduleUnderCheck> = {}): ScheduleUnderCheck {
  return {
    rules: [{ id: 'a', version: rule('R-A'), governs: 9 }],
    places: [
      { id: 'fin', kind: 'function', code: 'FIN', path: ['fin'] },
      { id: 'fin-01', kind: 'series', code: 'FIN-01', path: ['fin', 'fin-01'] },
    ],
    placeRules: [{ placeId: 'fin-01', ruleId: 'a' }],
    pairRules: [],
    criteriaRules: [],
    unread: 0,
    types: [{ code: 'invoice', title: 'Service invoice', facts: [{ code: 'expires', kind: 'date' }] }],
    jurisdictions: [],
    unscheduled: [],
    waiting: [],
    conflicts: [],
    calendars: [],
    today: '2026-09-14',
    ...changes,
  };
}
const two = (a: RuleVersion, b: RuleVersion): ScheduleUnderCheck['rules'] => [
  { id: 'a', version: a, governs: 1 },
  { id: 'b', version: b, governs: 1 },
];
const both = [
  { placeId: 'fin-01', ruleId: 'a' },
  { placeId: 'fin-01', ruleId: 'b' },
];
const nested = [
  { placeId: 'fin-01', ruleId: 'a' },
  { placeId: 'fin', ruleId: 'b' },
];

const disagree = (where: string): string =>
  `disagreement, place fin-01, null: Rules R-A and R-B are both set on ${where} and say different things; there the longer period counts.`;
const shorter =
  'nearerKeepsShorter, place fin-01, null: On FIN-01, rule R-A keeps shorter than R-B, which is set farther out on FIN and yields to it.';
const shores = [
  { name: 'Sound', partOf: null },
  { name: 'N', partOf: 'Sound' },
  { name: 'S', partOf: 'Sound' },
];
const allShores = { id: 'all', version: rule('R-ALL', { jurisdictions: ['Sound'] }), governs: 1 };
const setOnFunction = { placeId: 'fin', ruleId: 'all' };

describe('the check of the schedule', () => {
  const table: [string, Partial<ScheduleUnderCheck>, string[]][] = [
    ['finds nothing where nothing is wrong', {}, []],
    ['a series that no rule reaches', { placeRules: [] }, ['seriesWithoutRule, place fin-01, 0: No rule reaches series FIN-01.']],
    ['a rule on the function reaches the series', { placeRules: [{ placeId: 'fin', ruleId: 'a' }] }, []],
    ['a pair is a rule, too', { placeRules: [], pairRules: [{ recordType: 'invoice', seriesId: 'fin-01', ruleId: 'a' }] }, []],
    [
      'a rule for elsewhere leaves a gap',
      { unscheduled: [{ seriesId: 'fin-01', recordType: 'invoice', records: 3 }] },
      [
        'seriesWithoutRule, place fin-01, 3: The rules that reach series FIN-01 apply elsewhere only: 3 records have no date.',
        'typeWithoutRule, records invoice, 3: 3 records of type Service invoice follow no rule, in FIN-01.',
      ],
    ],
    [
      'one record',
      { placeRules: [], unscheduled: [{ seriesId: 'fin-01', recordType: 'invoice', records: 1 }] },
      [
        'seriesWithoutRule, place fin-01, 1: No rule reaches series FIN-01: one record has no date.',
        'typeWithoutRule, records invoice, 1: One record of type Service invoice follows no rule, in FIN-01.',
      ],
    ],
    [
      'a rule that governs nothing',
      { rules: [{ id: 'a', version: rule('R-A'), governs: 0 }] },
      ['ruleNeverUsed, rule a, 0: Rule R-A is set, but governs no record: nothing is filed there, or other rules come first.'],
    ],
    [
      'a rule set nowhere',
      {
        placeRules: [{ placeId: 'fin', ruleId: 'b' }],
        rules: [
          { id: 'a', version: rule('R-A'), governs: 0 },
          { id: 'b', version: rule('R-B'), governs: 1 },
        ],
      },
      ['ruleNeverUsed, rule a, 0: Rule R-A is in force, but set nowhere.'],
    ],
    [
      'a rule without an end',
      { rules: [{ id: 'a', version: rule('R-A', { steps: [step('declare', 'P1Y')] }), governs: 9 }] },
      ['ruleNeverDue, rule a, 9: Rule R-A can never come due: it has no step that destroys, transfers, reviews or keeps for good.'],
    ],
    [
      'a rule that is reviewed for ever',
      { rules: [{ id: 'a', version: rule('R-A', { steps: [step('review', 'P1Y')] }), governs: 9 }] },
      [],
    ],
    [
      'a rule that keeps for good needs no end',
      { rules: [{ id: 'a', version: rule('R-A', { trigger: { kind: 'never' } }), governs: 9 }] },
      [],
    ],
    [
      'a fact that no type has',
      { rules: [{ id: 'a', version: rule('R-A', { trigger: { kind: 'fact', fact: 'signed' } }), governs: 9 }] },
      ['ruleNeverDue, rule a, 9: Rule R-A can never come due: no record type has a date fact “signed”.'],
    ],
    [
      'a fact that one type lacks',
      {
        rules: [{ id: 'a', version: rule('R-A', { trigger: { kind: 'fact', fact: 'expires' } }), governs: 9 }],
        types: [
          { code: 'invoice', title: 'Service invoice', facts: [{ code: 'expires', kind: 'date' }] },
          { code: 'note', title: 'Note', facts: [] },
        ],
        waiting: [
          { ruleId: 'a', recordType: 'note', records: 2 },
          { ruleId: 'a', recordType: 'invoice', records: 5 },
        ],
      },
      ['factTypeLacks, rule a, 2: Rule R-A counts from fact “expires”, which records of type Note do not have: 2 wait for ever.'],
    ],
    ['two that disagree', { placeRules: both, rules: two(rule('R-A'), rule('R-B', { steps: years(9) })) }, [disagree('FIN-01')]],
    ['two that say the same', { placeRules: both, rules: two(rule('R-A'), rule('R-B')) }, []],
    [
      'two for different shores',
      {
        placeRules: both,
        jurisdictions: [
          { name: 'N', partOf: null },
          { name: 'S', partOf: null },
        ],
        rules: two(rule('R-A', { jurisdictions: ['N'] }), rule('R-B', { jurisdictions: ['S'], steps: years(9) })),
      },
      [],
    ],
    [
      'two of which one takes in the other',
      {
        placeRules: both,
        jurisdictions: [
          { name: 'Sound', partOf: null },
          { name: 'N', partOf: 'Sound' },
        ],
        rules: two(rule('R-A', { jurisdictions: ['N'] }), rule('R-B', { jurisdictions: ['Sound'], steps: years(9) })),
      },
      [disagree('FIN-01')],
    ],
    [
      'a pair that disagrees',
      {
        pairRules: [
          { recordType: 'invoice', seriesId: 'fin-01', ruleId: 'a' },
          { recordType: 'invoice', seriesId: 'fin-01', ruleId: 'b' },
        ],
        rules: two(rule('R-A'), rule('R-B', { steps: years(9) })),
      },
      [disagree('invoice in FIN-01')],
    ],
    [
      'a jurisdiction without a rule',
      { jurisdictions: [{ name: 'N', partOf: null }] },
      ['jurisdictionWithoutRule, jurisdiction N, null: No rule is made for N: only rules that apply everywhere count there.'],
    ],
    [
      'a jurisdiction under one with a rule',
      {
        jurisdictions: [
          { name: 'Sound', partOf: null },
          { name: 'N', partOf: 'Sound' },
        ],
        rules: [{ id: 'a', version: rule('R-A', { jurisdictions: ['Sound'] }), governs: 9 }],
      },
      [],
    ],
    ['a nearer one that keeps shorter', { placeRules: nested, rules: two(rule('R-A', { steps: years(2) }), rule('R-B')) }, [shorter]],
    ['a nearer one that keeps longer', { placeRules: nested, rules: two(rule('R-A', { steps: years(20) }), rule('R-B')) }, []],
    [
      'a nearer one against one for good',
      { placeRules: nested, rules: two(rule('R-A'), rule('R-B', { trigger: { kind: 'never' } })) },
      [shorter],
    ],
    [
      'two that count from different things cannot be compared',
      { placeRules: nested, rules: two(rule('R-A', { steps: years(2) }), rule('R-B', { trigger: { kind: 'folderClosed' } })) },
      [],
    ],
    [
      'criteria that nothing matches',
      { criteriaRules: [{ id: 'c', ruleId: 'a', words: 'vessel is Quill', matches: 0, detects: false }] },
      ['criteriaNeverReached, criteria c, 0: Nothing matches “vessel is Quill”, by which rule R-A is set.'],
    ],
    ['a function needs no rule of its own', { places: [{ id: 'fin', kind: 'function', code: 'FIN', path: ['fin'] }], placeRules: [] }, []],
    [
      'a rule of another series reaches nothing here',
      {
        places: [...sound().places, { id: 'fin-02', kind: 'series', code: 'FIN-02', path: ['fin', 'fin-02'] }],
        pairRules: [{ recordType: 'invoice', seriesId: 'fin-01', ruleId: 'a' }],
      },
      ['seriesWithoutRule, place fin-02, 0: No rule reaches series FIN-02.'],
    ],
    [
      'a rule that is not in force yet reaches nothing',
      { placeRules: [{ placeId: 'fin-01', ruleId: 'later' }], pairRules: [{ recordType: 'invoice', seriesId: 'fin-02', ruleId: 'later' }] },
      ['seriesWithoutRule, place fin-01, 0: No rule reaches series FIN-01.'],
    ],
    [
      'a pair leaves a gap where records of other types have no rule',
      {
        placeRules: [],
        pairRules: [{ recordType: 'invoice', seriesId: 'fin-01', ruleId: 'a' }],
        unscheduled: [
          { seriesId: 'fin-01', recordType: 'note', records: 2 },
          { seriesId: 'fin-01', recordType: 'letter', records: 3 },
        ],
      },
      ['seriesWithoutRule, place fin-01, 5: No rule reaches series FIN-01: 5 records have no date.'],
    ],
    [
      'the first five series of a type are named',
      {
        places: ['6', '2', '5', '1', '4', '3'].map((n) => ({ id: `s${n}`, kind: 'class', code: `FIN-0${n}`, path: [`s${n}`] })),
        unscheduled: ['6', '2', '5', '1', '4', '3'].map((n) => ({ seriesId: `s${n}`, recordType: 'invoice', records: 2 })),
      },
      [
        'typeWithoutRule, records invoice, 12: 12 records of type Service invoice follow no rule, in FIN-01, FIN-02, FIN-03, FIN-04, FIN-05 and 1 more series.',
      ],
    ],
    [
      'and no more are counted where there are only five',
      {
        places: ['2', '5', '1', '4', '3'].map((n) => ({ id: `s${n}`, kind: 'class', code: `FIN-0${n}`, path: [`s${n}`] })),
        unscheduled: ['2', '5', '1', '4', '3'].map((n) => ({ seriesId: `s${n}`, recordType: 'invoice', records: 1 })),
      },
      [
        'typeWithoutRule, records invoice, 5: 5 records of type Service invoice follow no rule, in FIN-01, FIN-02, FIN-03, FIN-04 and FIN-05.',
      ],
    ],
    ...(['pairRules', 'criteriaRules'] as const).map((how): [string, Partial<ScheduleUnderCheck>, string[]] => [
      `a rule set by ${how} alone is set`,
      {
        rules: [...sound().rules, { id: 'b', version: rule('R-B'), governs: 0 }],
        pairRules: how === 'pairRules' ? [{ recordType: 'invoice', seriesId: 'fin-01', ruleId: 'b' }] : [],
        criteriaRules: how === 'criteriaRules' ? [{ id: 'c', ruleId: 'b', words: 'type is Note', matches: 1, detects: false }] : [],
      },
      ['ruleNeverUsed, rule b, 0: Rule R-B is set, but governs no record: nothing is filed there, or other rules come first.'],
    ]),
    ...(['transfer', 'keepPermanently'] as const).map((kind): [string, Partial<ScheduleUnderCheck>, string[]] => [
      `a rule that ends with ${kind}`,
      { rules: [{ id: 'a', version: rule('R-A', { steps: [step('review', 'P1Y'), step(kind, 'P2Y')] }), governs: 9 }] },
      [],
    ]),
    [
      'a fact that is no date starts no clock',
      {
        rules: [{ id: 'a', version: rule('R-A', { trigger: { kind: 'fact', fact: 'expires' } }), governs: 9 }],
        types: [{ code: 'invoice', title: 'Service invoice', facts: [{ code: 'expires', kind: 'text' }] }],
        waiting: [
          { ruleId: 'a', recordType: 'invoice', records: 1 },
          { ruleId: 'other', recordType: 'invoice', records: 8 },
        ],
      },
      [
        'ruleNeverDue, rule a, 9: Rule R-A can never come due: no record type has a date fact “expires”.',
        'factTypeLacks, rule a, 1: Rule R-A counts from fact “expires”, which records of type Service invoice do not have: one waits for ever.',
      ],
    ],
    ['what waits under a rule that counts from no fact', { waiting: [{ ruleId: 'a', recordType: 'invoice', records: 4 }] }, []],
    ...(
      [
        ['trigger', rule('R-B', { trigger: { kind: 'recordDate', date: 'filed' } })],
        ['cutoff', rule('R-B', { cutoff: { kind: 'calendarYear' } })],
        ['steps', rule('R-B', { steps: years(8) })],
      ] as const
    ).map(([what, other]): [string, Partial<ScheduleUnderCheck>, string[]] => [
      `two that differ in their ${what}`,
      { placeRules: both, rules: two(rule('R-A'), other) },
      [disagree('FIN-01')],
    ]),
    [
      'equals are named in the order of their codes',
      { placeRules: both, rules: two(rule('R-B'), rule('R-A', { steps: years(9) })) },
      [disagree('FIN-01')],
    ],
    [
      'the wider first',
      {
        placeRules: [...both, setOnFunction],
        jurisdictions: shores,
        rules: [...two(rule('R-A', { jurisdictions: ['Sound'] }), rule('R-B', { jurisdictions: ['N'], steps: years(9) })), allShores],
      },
      [disagree('FIN-01')],
    ],
    [
      'pairs of different types or series are no equals',
      {
        pairRules: [
          { recordType: 'invoice', seriesId: 'fin-01', ruleId: 'a' },
          { recordType: 'note', seriesId: 'fin-01', ruleId: 'b' },
          { recordType: 'invoice', seriesId: 'fin-02', ruleId: 'b' },
        ],
        rules: two(rule('R-A'), rule('R-B', { steps: years(9) })),
      },
      [],
    ],
    [
      'one for everywhere and one for a shore',
      {
        placeRules: [...both, setOnFunction],
        jurisdictions: shores,
        rules: [...two(rule('R-A'), rule('R-B', { jurisdictions: ['N'], steps: years(9) })), allShores],
      },
      [disagree('FIN-01')],
    ],
    [
      'a nearer one for another shore takes nothing away',
      {
        placeRules: [...nested, setOnFunction],
        jurisdictions: shores,
        rules: [
          ...two(rule('R-A', { jurisdictions: ['N'], steps: years(2) }), rule('R-B', { jurisdictions: ['S'] })),
          { ...allShores, version: { ...allShores.version, steps: years(1) } },
        ],
      },
      ['disagreement, place fin, null: Rules R-ALL and R-B are both set on FIN and say different things; there the longer period counts.'],
    ],
    [
      'the nearer one is another version of the same',
      { placeRules: nested, rules: two(rule('R-A', { steps: years(2) }), rule('R-A')) },
      [],
    ],
    ['a nearer one that keeps as long', { placeRules: nested, rules: two(rule('R-A'), rule('R-B')) }, []],
    ...(
      [
        ['a fact', { kind: 'fact', fact: 'expires' }],
        ['a closing', { kind: 'folderClosed' }],
        ['an event', { kind: 'event', eventType: 'ended', occurrence: 'last' }],
        ['another date', { kind: 'recordDate', date: 'lastUsed' }],
      ] as const
    ).map(([what, trigger]): [string, Partial<ScheduleUnderCheck>, string[]] => [
      `two that both count from ${what} are compared`,
      { placeRules: nested, rules: two(rule('R-A', { trigger, steps: years(2) }), rule('R-B', { trigger })) },
      [shorter],
    ]),
    [
      'a nearer one for good',
      { placeRules: nested, rules: two(rule('R-A', { trigger: { kind: 'never' } }), rule('R-B', { trigger: { kind: 'never' } })) },
      [],
    ],
    [
      'criteria whose rule is not in force',
      { criteriaRules: [{ id: 'c', ruleId: 'later', words: 'type is Note', matches: 0, detects: false }] },
      ['criteriaNeverReached, criteria c, 0: Nothing matches “type is Note”, by which rule ? is set.'],
    ],
    [
      'content that nothing asks about',
      { unread: 3, criteriaRules: [{ id: 'c', ruleId: 'a', words: 'type is Note', matches: 1, detects: false }] },
      [],
    ],
    [
      'content that could all be read',
      { unread: 0, criteriaRules: [{ id: 'c', ruleId: 'a', words: 'matches detector Pay', matches: 1, detects: true }] },
      [],
    ],
    [
      'content that could not be read, where a rule asks what is in it',
      { unread: 3, criteriaRules: [{ id: 'c', ruleId: 'a', words: 'matches detector Pay', matches: 1, detects: true }] },
      [
        'contentUnread, detectors , 3: Detectors could not read the content of 3 records, and R-A uses what they find: matches may be missing.',
      ],
    ],
    [
      'criteria that one record matches',
      { criteriaRules: [{ id: 'c', ruleId: 'a', words: 'type is Note', matches: 1, detects: false }] },
      [],
    ],
  ];
  for (const [name, changes, expected] of table) {
    it(name, () => {
      const found = checkSchedule(sound(changes));
      expect(found.map((f) => `${f.kind}, ${f.mend.at} ${f.mend.id}, ${f.records}: ${f.sentence}`)).toEqual(expected);
    });
  }
});
