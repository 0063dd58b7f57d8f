import { checkSchedule, type RuleVersion, type ScheduleUnderCheck } from './index.js';

function rule(code: string, changes: Partial<RuleVersion> = {}): RuleVersion {
  return {
    id: `${code}-1`,
    code,
    version: 1,
    title: code,
    authority: 'Sound Compact',
    jurisdictions: [],
    trigger: { kind: 'recordDate', date: 'created' },
    cutoff: { kind: 'none' },
    steps: [{ kind: 'destroy', after: 'P7Y', from: 'clockStart', approvals: 1, noticeDays: 0 }],
    inForceFrom: '2000-01-01',
    takesOver: 'all',
    ...changes,
  };
}
const years = (n: number): RuleVersion['steps'] => [{ kind: 'destroy', after: `P${n}Y`, from: 'clockStart', approvals: 1, noticeDays: 0 }];

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
    types: [{ code: 'invoice', title: 'Service invoice', facts: [{ code: 'expires', kind: 'date' }] }],
    jurisdictions: [],
    unscheduled: [],
    waiting: [],
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

describe('the check of the schedule', () => {
  const table: [string, Partial<ScheduleUnderCheck>, string[]][] = [
    ['finds nothing where nothing is wrong', {}, []],
    ['a series that no rule reaches', { placeRules: [] }, ['seriesWithoutRule No rule reaches series FIN-01.']],
    ['a rule on the function reaches the series', { placeRules: [{ placeId: 'fin', ruleId: 'a' }] }, []],
    ['a pair is a rule, too', { placeRules: [], pairRules: [{ recordType: 'invoice', seriesId: 'fin-01', ruleId: 'a' }] }, []],
    [
      'a rule for elsewhere leaves a gap',
      { unscheduled: [{ seriesId: 'fin-01', recordType: 'invoice', records: 3 }] },
      [
        'seriesWithoutRule The rules that reach series FIN-01 hold elsewhere only: 3 records have no date.',
        'typeWithoutRule 3 records of type Service invoice follow no rule, in FIN-01.',
      ],
    ],
    [
      'one record',
      { placeRules: [], unscheduled: [{ seriesId: 'fin-01', recordType: 'invoice', records: 1 }] },
      ['seriesWithoutRule No rule reaches series FIN-01: 1 record has no date.', 'typeWithoutRule 1 record of type'],
    ],
    [
      'a rule that governs nothing',
      { rules: [{ id: 'a', version: rule('R-A'), governs: 0 }] },
      ['ruleNeverUsed Rule R-A is set, but governs no record'],
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
      ['ruleNeverUsed Rule R-A is in force, but set nowhere.'],
    ],
    [
      'a rule without an end',
      { rules: [{ id: 'a', version: rule('R-A', { steps: [{ ...years(1)[0]!, kind: 'review' }] }), governs: 9 }] },
      ['ruleNeverDue Rule R-A can never come due: it has no step'],
    ],
    [
      'a rule that keeps for good needs no end',
      { rules: [{ id: 'a', version: rule('R-A', { trigger: { kind: 'never' } }), governs: 9 }] },
      [],
    ],
    [
      'a fact that no type has',
      { rules: [{ id: 'a', version: rule('R-A', { trigger: { kind: 'fact', fact: 'signed' } }), governs: 9 }] },
      ['ruleNeverDue Rule R-A can never come due: no record type has a date fact “signed”.'],
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
      ['factTypeLacks Rule R-A counts from fact “expires”, which records of type Note do not have: 2 wait for ever.'],
    ],
    [
      'two that disagree',
      { placeRules: both, rules: two(rule('R-A'), rule('R-B', { steps: years(9) })) },
      ['disagreement Rules R-A and R-B are both set on FIN-01'],
    ],
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
      ['disagreement'],
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
      ['disagreement Rules R-A and R-B are both set on invoice in FIN-01'],
    ],
    ['a jurisdiction without a rule', { jurisdictions: [{ name: 'N', partOf: null }] }, ['jurisdictionWithoutRule No rule is made for N']],
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
    [
      'a nearer one that keeps shorter',
      { placeRules: nested, rules: two(rule('R-A', { steps: years(2) }), rule('R-B')) },
      ['nearerKeepsShorter On FIN-01, rule R-A keeps shorter than R-B, which is set farther out on FIN'],
    ],
    ['a nearer one that keeps longer', { placeRules: nested, rules: two(rule('R-A', { steps: years(20) }), rule('R-B')) }, []],
    [
      'a nearer one against one for good',
      { placeRules: nested, rules: two(rule('R-A'), rule('R-B', { trigger: { kind: 'never' } })) },
      ['nearerKeepsShorter'],
    ],
    [
      'two that count from different things cannot be compared',
      { placeRules: nested, rules: two(rule('R-A', { steps: years(2) }), rule('R-B', { trigger: { kind: 'folderClosed' } })) },
      [],
    ],
    [
      'criteria that nothing matches',
      { criteriaRules: [{ id: 'c', ruleId: 'a', words: 'vessel is Quill', matches: 0 }] },
      ['criteriaNeverReached Nothing matches “vessel is Quill”, on which rule R-A is set.'],
    ],
  ];
  for (const [name, changes, expected] of table) {
    it(name, () => {
      const found = checkSchedule(sound(changes)).map((f) => `${f.kind} ${f.sentence}`);
      expect(found.length).withContext(found.join('\n')).toBe(expected.length);
      expected.forEach((beginning, i) => expect(found[i]).toContain(beginning));
    });
  }
});
