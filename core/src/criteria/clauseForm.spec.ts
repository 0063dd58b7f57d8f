import * as fc from 'fast-check';
import {
  asGroup,
  clauseAbout,
  emptyVocabulary,
  parseCriteria,
  printCriteria,
  subjectOf,
  subjectsOf,
  verbOf,
  verbsFor,
  withVerb,
  type Single,
  type Verb,
  type Vocabulary,
} from './index.js';

const vocabulary: Vocabulary = {
  recordTypes: [
    { id: 'lease', name: 'Lease' },
    { id: 'log', name: 'Log' },
  ],
  facts: [
    { code: 'vessel', title: 'Vessel', kind: 'text' },
    { code: 'remarks', title: 'Remarks', kind: 'longText' },
    { code: 'tons', title: 'Gross tons', kind: 'whole' },
    { code: 'draught', title: 'Draught', kind: 'decimal' },
    { code: 'dues', title: 'Dues', kind: 'money' },
    { code: 'expires', title: 'Expires', kind: 'date' },
    { code: 'urgent', title: 'Urgent', kind: 'yesNo' },
    { code: 'side', title: 'Side', kind: 'choice', choices: ['Northshore', 'Southshore'] },
    { code: 'master', title: 'Master', kind: 'person' },
    { code: 'lessee', title: 'Lessee', kind: 'party' },
    { code: 'craft', title: 'Craft', kind: 'object' },
    { code: 'berth', title: 'Berth', kind: 'place' },
    { code: 'replaces', title: 'Replaces', kind: 'reference' },
  ],
  places: [{ id: 'pil', name: 'PIL Pilotage', also: ['PIL'] }],
  parties: [{ id: 'p', name: 'Sound Ferries' }],
  objects: [{ id: 'o', name: 'Quill' }],
  people: [{ id: 'lune', name: 'Lune Abara' }],
  holds: [{ id: 'h', name: 'Grounding' }],
  detectors: [{ id: 'd', name: 'Payment cards' }],
};
const today = '2026-09-14';
const about = (subject: string): Single => clauseAbout(subject, vocabulary, today);

/** What each subject begins with, and in which ways it can be compared. */
const subjects: [string, Single, Verb[]][] = [
  ['under', { op: 'under', placeId: 'pil', name: 'PIL Pilotage' }, []],
  ['words', { op: 'words', text: '' }, []],
  ['held', { op: 'held' }, []],
  ['heldBy', { op: 'heldBy', holdId: 'h', name: 'Grounding' }, []],
  ['detected', { op: 'detected', detectorId: 'd', name: 'Payment cards' }, []],
  ['gaps', { op: 'gaps' }, []],
  ['conflict', { op: 'conflict' }, []],
  ['recordType', { op: 'is', field: 'recordType', value: 'lease' }, []],
  ['state', { op: 'is', field: 'state', value: 'working' }, []],
  ['medium', { op: 'is', field: 'medium', value: 'electronic' }, []],
  ['outcome', { op: 'is', field: 'outcome', value: 'dated' }, []],
  ['docket', { op: 'is', field: 'docket', value: 'none' }, []],
  ...(['title', 'number'] as const).map((field): [string, Single, Verb[]] => [
    field,
    { op: 'text', field, how: 'startsWith', value: '' },
    ['is', 'starts'],
  ]),
  ...(['created', 'received', 'filed', 'modified', 'declared', 'clockStart', 'due'] as const).map((field): [string, Single, Verb[]] => [
    field,
    { op: 'between', field, from: '2026-01-01', until: '2026-12-31' },
    ['between', 'from', 'until', 'last', 'next', 'known'],
  ]),
  ...(['owner', 'depositor'] as const).map((field): [string, Single, Verb[]] => [field, { op: 'person', field }, ['is', 'known']]),
  ['fact vessel', { op: 'fact', fact: 'vessel', value: '' }, ['is', 'starts', 'known']],
  ['fact remarks', { op: 'fact', fact: 'remarks', value: '' }, ['is', 'starts', 'known']],
  ...['tons', 'draught', 'dues'].map((fact): [string, Single, Verb[]] => [
    `fact ${fact}`,
    { op: 'fact', fact, value: 0 },
    ['is', 'between', 'from', 'until', 'known'],
  ]),
  ['fact expires', { op: 'factBetween', fact: 'expires', from: today }, ['between', 'from', 'until', 'last', 'next', 'known']],
  ['fact urgent', { op: 'fact', fact: 'urgent', value: true }, ['is', 'known']],
  ['fact side', { op: 'fact', fact: 'side', value: 'Northshore' }, ['is', 'starts', 'known']],
  ['fact master', { op: 'fact', fact: 'master', value: 'lune' }, ['is', 'known']],
  ['fact lessee', { op: 'fact', fact: 'lessee', value: 'p' }, ['is', 'known']],
  ['fact craft', { op: 'fact', fact: 'craft', value: 'o' }, ['is', 'known']],
  ['fact berth', { op: 'fact', fact: 'berth', value: 'pil' }, ['is', 'known']],
  ['fact replaces', { op: 'factBetween', fact: 'replaces' }, ['known']],
];

describe('a condition put together by hand', () => {
  it('can be about each of these, in this order', () => expect(subjectsOf(vocabulary)).toEqual(subjects.map(([subject]) => subject)));
  for (const [subject, clause, verbs] of subjects) {
    it(`about ${subject} says so in every way that there is to compare it`, () => {
      expect(about(subject)).toEqual(clause);
      expect(subjectOf(clause)).toBe(subject);
      expect(verbsFor(clause, vocabulary)).toEqual(verbs);
      for (const verb of verbs) {
        const said = withVerb(clause, verb, vocabulary, today);
        expect(subjectOf(said)).toBe(subject);
        expect(verbOf(said)).toBe(verb);
      }
    });
  }
  it('is about no hold and no detector where there is none', () => {
    expect(subjectsOf({ ...vocabulary, holds: [] })).not.toContain('heldBy');
    expect(subjectsOf({ ...vocabulary, detectors: [] })).not.toContain('detected');
    expect(subjectsOf({ ...vocabulary, holds: [] })).toContain('detected');
    expect(subjectsOf(emptyVocabulary).slice(0, 5)).toEqual(['under', 'words', 'held', 'gaps', 'conflict']);
  });
  it('begins empty where there is nothing to choose', () => {
    const bare = { ...emptyVocabulary, facts: vocabulary.facts.map(({ code, title, kind }) => ({ code, title, kind })) };
    expect(['under', 'heldBy', 'detected', 'recordType', 'fact side', 'fact master'].map((s) => clauseAbout(s, bare, today))).toEqual([
      { op: 'under', placeId: '', name: '' },
      { op: 'heldBy', holdId: '', name: '' },
      { op: 'detected', detectorId: '', name: '' },
      { op: 'is', field: 'recordType', value: '' },
      { op: 'fact', fact: 'side', value: '' },
      { op: 'fact', fact: 'master', value: '' },
    ]);
    expect(withVerb({ op: 'person', field: 'owner' }, 'is', bare, today)).toEqual({ op: 'person', field: 'owner', personId: '', name: '' });
  });
  it('about a fact that is not known any more is taken for text', () => {
    expect(verbsFor({ op: 'fact', fact: 'gone', value: 'x' }, vocabulary)).toEqual(['is', 'starts', 'known']);
    expect(about('fact gone')).toEqual({ op: 'fact', fact: 'gone', value: '' });
  });

  const year = { from: '2026-01-01', until: '2026-12-31' };
  const changed: [Single, Verb, Single][] = [
    [{ op: 'between', field: 'created', ...year }, 'from', { op: 'between', field: 'created', from: year.from }],
    [{ op: 'between', field: 'created', ...year }, 'until', { op: 'between', field: 'created', until: year.until }],
    [{ op: 'between', field: 'created', ...year }, 'known', { op: 'between', field: 'created' }],
    [{ op: 'between', field: 'due', from: '2025-01-01' }, 'between', { op: 'between', field: 'due', from: '2025-01-01', until: today }],
    [{ op: 'between', field: 'due' }, 'from', { op: 'between', field: 'due', from: today }],
    [{ op: 'between', field: 'due' }, 'until', { op: 'between', field: 'due', until: today }],
    [{ op: 'between', field: 'due' }, 'last', { op: 'within', field: 'due', way: 'last', count: 30, unit: 'day' }],
    [
      { op: 'within', field: 'due', way: 'last', count: 2, unit: 'week' },
      'next',
      { op: 'within', field: 'due', way: 'next', count: 2, unit: 'week' },
    ],
    [
      { op: 'within', field: 'due', way: 'last', count: 2, unit: 'week' },
      'between',
      { op: 'between', field: 'due', from: today, until: today },
    ],
    [{ op: 'text', field: 'title', how: 'is', value: 'Log' }, 'starts', { op: 'text', field: 'title', how: 'startsWith', value: 'Log' }],
    [{ op: 'text', field: 'title', how: 'startsWith', value: 'Log' }, 'is', { op: 'text', field: 'title', how: 'is', value: 'Log' }],
    [{ op: 'person', field: 'owner' }, 'is', { op: 'person', field: 'owner', personId: 'lune', name: 'Lune Abara' }],
    [{ op: 'person', field: 'owner', personId: 'lune', name: 'Lune Abara' }, 'known', { op: 'person', field: 'owner' }],
    [{ op: 'fact', fact: 'vessel', value: 'Quill' }, 'starts', { op: 'factStarts', fact: 'vessel', text: 'Quill' }],
    [{ op: 'fact', fact: 'vessel', value: 'Quill' }, 'is', { op: 'fact', fact: 'vessel', value: 'Quill' }],
    [{ op: 'factStarts', fact: 'vessel', text: 'Qu' }, 'is', { op: 'fact', fact: 'vessel', value: '' }],
    [{ op: 'factBetween', fact: 'vessel' }, 'starts', { op: 'factStarts', fact: 'vessel', text: '' }],
    [{ op: 'factStarts', fact: 'vessel', text: 'Qu' }, 'known', { op: 'factBetween', fact: 'vessel' }],
    [{ op: 'fact', fact: 'tons', value: 12 }, 'between', { op: 'factBetween', fact: 'tons', from: 12, until: 12 }],
    [{ op: 'fact', fact: 'tons', value: 12 }, 'from', { op: 'factBetween', fact: 'tons', from: 12 }],
    [{ op: 'factBetween', fact: 'tons', from: 3, until: 9 }, 'until', { op: 'factBetween', fact: 'tons', until: 9 }],
    [{ op: 'factBetween', fact: 'tons', until: 9 }, 'from', { op: 'factBetween', fact: 'tons', from: 9 }],
    [{ op: 'factBetween', fact: 'tons', from: 3 }, 'until', { op: 'factBetween', fact: 'tons', until: 3 }],
    [{ op: 'factBetween', fact: 'tons' }, 'from', { op: 'factBetween', fact: 'tons', from: 0 }],
    [{ op: 'factBetween', fact: 'tons', from: 3 }, 'is', { op: 'fact', fact: 'tons', value: 0 }],
    [{ op: 'factBetween', fact: 'expires' }, 'from', { op: 'factBetween', fact: 'expires', from: today }],
    [{ op: 'factBetween', fact: 'expires' }, 'last', { op: 'factWithin', fact: 'expires', way: 'last', count: 30, unit: 'day' }],
    [
      { op: 'factWithin', fact: 'expires', way: 'last', count: 2, unit: 'week' },
      'next',
      { op: 'factWithin', fact: 'expires', way: 'next', count: 2, unit: 'week' },
    ],
    [{ op: 'factWithin', fact: 'expires', way: 'last', count: 2, unit: 'week' }, 'known', { op: 'factBetween', fact: 'expires' }],
    [
      { op: 'factWithin', fact: 'expires', way: 'last', count: 2, unit: 'week' },
      'until',
      { op: 'factBetween', fact: 'expires', until: today },
    ],
    [{ op: 'held' }, 'is', { op: 'held' }],
  ];
  for (const [clause, verb, wanted] of changed) {
    it(`${printCriteria(clause, vocabulary)} → ${verb}`, () => expect(withVerb(clause, verb, vocabulary, today)).toEqual(wanted));
  }

  const ways: [Single, Verb][] = [
    [{ op: 'factBetween', fact: 'tons' }, 'known'],
    [{ op: 'factBetween', fact: 'tons', from: 1 }, 'from'],
    [{ op: 'factBetween', fact: 'tons', until: 1 }, 'until'],
    [{ op: 'factBetween', fact: 'tons', from: 1, until: 2 }, 'between'],
    [{ op: 'held' }, 'is'],
  ];
  for (const [clause, verb] of ways) it(`${JSON.stringify(clause)} compares by “${verb}”`, () => expect(verbOf(clause)).toBe(verb));

  it('stands in a group, which is made where there is none', () => {
    const held: Single = { op: 'held' };
    expect(asGroup(null)).toEqual({ op: 'and', of: [] });
    expect(asGroup(held)).toEqual({ op: 'and', of: [held] });
    expect(asGroup({ op: 'not', of: held })).toEqual({ op: 'and', of: [{ op: 'not', of: held }] });
    expect(asGroup({ op: 'or', of: [held] })).toEqual({ op: 'or', of: [held] });
    expect(asGroup({ op: 'and', of: [held] })).toEqual({ op: 'and', of: [held] });
  });

  it('says of words that were not typed yet that they are missing', () => {
    for (const text of ['has words “”', 'has words ???', 'title starts with “”'])
      expect(parseCriteria(text, vocabulary).ok).withContext(text).toBeFalse();
  });

  it('can always be written, and read again as it was', () => {
    const step = fc.record({ subject: fc.constantFrom(...subjectsOf(vocabulary)), verb: fc.nat(5) });
    fc.assert(
      fc.property(fc.array(step, { minLength: 1, maxLength: 4 }), (steps) => {
        let clause: Single = about(steps[0]!.subject);
        for (const { subject, verb } of steps) {
          clause = subjectOf(clause) === subject ? clause : about(subject);
          const verbs = verbsFor(clause, vocabulary);
          if (verbs.length > 0) clause = withVerb(clause, verbs[verb % verbs.length]!, vocabulary, today);
        }
        // What is to be looked for is typed first.
        clause = clause.op === 'words' ? { ...clause, text: 'barge' } : clause;
        if ((clause.op === 'factStarts' && clause.text === '') || (clause.op === 'text' && clause.value === '')) return;
        const text = printCriteria(clause, vocabulary);
        expect(parseCriteria(text, vocabulary)).withContext(text).toEqual({ ok: true, criteria: clause });
      }),
    );
  });
});
