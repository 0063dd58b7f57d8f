import { message } from '@key-cellar/words';
import { inEnglish, speaking } from '@key-cellar/words/testing';
import * as fc from 'fast-check';
import { civilDate, formatCivilDate } from '../calendar/index.js';
import {
  clockStart,
  evaluateRule,
  explain as explainSaid,
  governingRule,
  keepsLonger,
  versionInForce,
  vintageIn,
  vintageOf,
  type ClockFacts,
  type Cutoff,
  type RuleCandidate,
  type RuleVersion,
  type Trigger,
} from './index.js';
import { afterPrevious, rule, step } from './testing/index.js';

const explain = speaking(explainSaid);

const d = civilDate;
const today = d('2026-09-14');
const fiscal = (firstMonth: number, firstDay = 1): Cutoff => ({ kind: 'fiscalYear', firstMonth, firstDay });

const facts = (changes: Partial<ClockFacts> = {}): ClockFacts => ({
  dates: { created: d('2020-03-10') },
  factDates: {},
  events: [],
  ...changes,
});
const on = (level: RuleCandidate['level'], distance: number, ...versions: RuleVersion[]): RuleCandidate => ({
  level,
  distance,
  setOn: `${level} ${distance}`,
  versions,
});

describe('due dates', () => {
  const table: [string, Cutoff, string, string][] = [
    ['2020-03-10', { kind: 'none' }, 'P7Y', '2027-03-10'],
    ['2020-03-10', { kind: 'calendarYear' }, 'P10Y', '2031-01-01'],
    ['2020-03-10', fiscal(10), 'P6Y', '2026-10-01'],
    ['2020-10-01', fiscal(10), 'P6Y', '2027-10-01'],
    ['2024-02-29', { kind: 'none' }, 'P1Y', '2025-02-28'],
    ['2024-01-31', { kind: 'month' }, 'P1M', '2024-03-01'],
    ['2024-12-31', { kind: 'month' }, 'P0D', '2025-01-01'],
    ['2024-03-31', { kind: 'quarter' }, 'P0D', '2024-04-01'],
    ['2024-04-01', { kind: 'quarter' }, 'P0D', '2024-07-01'],
    ['2024-11-15', { kind: 'quarter' }, 'P1Y', '2026-01-01'],
    ['2024-12-31', { kind: 'calendarYear' }, 'P0D', '2025-01-01'],
    ['2025-01-01', { kind: 'calendarYear' }, 'P0D', '2026-01-01'],
    ['2024-09-30', fiscal(10), 'P0D', '2024-10-01'],
    ['2024-04-05', fiscal(4, 6), 'P6Y', '2030-04-06'],
    ['2024-04-06', fiscal(4, 6), 'P6Y', '2031-04-06'],
    ['2023-02-28', { kind: 'month' }, 'P1Y', '2024-03-01'],
    ['2000-02-29', { kind: 'none' }, 'P100Y', '2100-02-28'],
    ['2024-06-30', { kind: 'halfYear' }, 'P0D', '2024-07-01'],
    ['2024-07-01', { kind: 'halfYear' }, 'P1Y', '2026-01-01'],
    ['2024-01-01', { kind: 'halfYear' }, 'P0D', '2024-07-01'],
    ['2025-02-27', fiscal(2, 29), 'P0D', '2025-02-28'],
    ['2025-02-28', fiscal(2, 29), 'P0D', '2026-02-28'],
    ['2027-02-28', fiscal(2, 31), 'P0D', '2028-02-29'],
  ];
  for (const [trigger, cutoff, after, due] of table) {
    it(`${trigger}, cutoff ${cutoff.kind}, ${after} → ${due}`, () => {
      const version = rule('R-1', { cutoff, steps: [step('destroy', after)] });
      const verdict = evaluateRule(version, facts({ dates: { created: d(trigger) } }));
      expect(verdict.kind === 'dated' && formatCivilDate(verdict.dueOn)).toBe(due);
    });
  }

  it('roll to the first day after the period, never back and never more than a year on', () => {
    const cutoffs: Cutoff[] = [{ kind: 'month' }, { kind: 'quarter' }, { kind: 'calendarYear' }, fiscal(4, 6)];
    fc.assert(
      fc.property(fc.integer({ min: d('1900-01-01'), max: d('2100-12-31') }), fc.constantFrom(...cutoffs), (day, cutoff) => {
        const start = clockStart(day, cutoff)!;
        expect(start).toBeGreaterThan(day);
        expect(start - day).toBeLessThanOrEqual(366);
        // The last day of the period rolls to the same start: the start is the period's boundary.
        expect(clockStart(start - 1, cutoff)).toBe(start);
        expect(clockStart(start, cutoff)).toBeGreaterThan(start);
      }),
    );
  });

  it('belong to the year in which the cutoff period ended', () => {
    expect(vintageOf(d('2021-01-01'), { kind: 'calendarYear' })).toBe(2020);
    expect(vintageOf(d('2020-03-10'), { kind: 'none' })).toBe(2020);
    expect(vintageOf(d('2026-10-01'), fiscal(10))).toBe(2026);
  });

  it('of a step after another wait for it', () => {
    const version = rule('R-1', { steps: [step('review', 'P5Y'), step('destroy', 'P1Y', afterPrevious)] });
    const waiting = evaluateRule(version, facts());
    expect([waiting.kind, waiting.clockStart, waiting.steps[1]!.dueOn]).toEqual(['waiting', d('2020-03-10'), null]);
    const done = evaluateRule(
      version,
      facts({ taken: { [version.code]: { completed: [{ index: 0, kind: version.steps[0]!.kind, on: d('2025-06-01') }] } } }),
    );
    expect(done.kind === 'dated' && done.dueOn && formatCivilDate(done.dueOn)).toBe('2026-06-01');
  });
});

describe('triggers', () => {
  const ended = (occurrence: 'first' | 'last'): Trigger => ({ kind: 'event', eventType: 'lease ended', occurrence });
  const event = (date: string, distance: number, type = 'lease ended') => ({
    type,
    on: d(date),
    distance,
    subject: `subject ${distance}`,
  });

  it('wait while the event has not happened', () => {
    const verdict = evaluateRule(rule('R-1', { trigger: ended('last') }), facts({ events: [event('2020-01-01', 0, 'other')] }));
    expect(verdict.kind).toBe('waiting');
  });

  it('take the nearest subject, then the first or the last occurrence', () => {
    const events = [event('2019-01-01', 1), event('2021-05-05', 0), event('2022-05-05', 0)];
    const last = evaluateRule(rule('R-1', { trigger: ended('last') }), facts({ events }));
    const first = evaluateRule(rule('R-1', { trigger: ended('first') }), facts({ events }));
    expect(last.kind === 'dated' && formatCivilDate(last.trigger.on)).toBe('2022-05-05');
    expect(first.kind === 'dated' && formatCivilDate(first.trigger.on)).toBe('2021-05-05');
  });

  it('read a date fact, the folder’s closing and every date of the record', () => {
    const fact = evaluateRule(
      rule('R-1', { trigger: { kind: 'fact', fact: 'expires' } }),
      facts({ factDates: { expires: [d('2022-01-01')] } }),
    );
    expect(fact.kind === 'dated' && formatCivilDate(fact.trigger.on)).toBe('2022-01-01');
    const closing = rule('R-1', { trigger: { kind: 'folderClosed' } });
    expect(evaluateRule(closing, facts()).kind).toBe('waiting');
    const closed = evaluateRule(closing, facts({ folderClosed: { on: d('2021-12-31'), subject: 'folder 2021' } }));
    expect(closed.kind === 'dated' && closed.trigger.subject).toBe('folder 2021');
  });

  it('never: permanent', () => {
    expect(evaluateRule(rule('R-1', { trigger: { kind: 'never' } }), facts()).kind).toBe('permanent');
    expect(evaluateRule(rule('R-1', { steps: [step('keepPermanently', 'P0D')] }), facts()).kind).toBe('permanent');
  });
});

describe('the governing rule', () => {
  const short = rule('R-A', { steps: [step('destroy', 'P2Y')] });
  const long = rule('R-B', { steps: [step('destroy', 'P10Y')] });
  const never = rule('R-C', { trigger: { kind: 'never' } });
  const waits = rule('R-D', { trigger: { kind: 'event', eventType: 'x', occurrence: 'last' } });
  const codeOf = (candidates: RuleCandidate[], jurisdictions: string[] = [], override: Parameters<typeof governingRule>[1] = null) => {
    const result = governingRule(candidates, override, facts(), jurisdictions, today);
    return result.kind === 'rule' ? result.by.rule.code : result.kind;
  };

  const cases: [string, RuleCandidate[], string][] = [
    ['nothing → unscheduled', [], 'unscheduled'],
    ['the nearer folder, though it keeps shorter', [on('planNode', 0, long), on('folder', 0, short)], 'R-A'],
    ['the nearest of nested folders', [on('folder', 1, long), on('folder', 0, short)], 'R-A'],
    ['record type and series before criteria', [on('criteria', 0, long), on('typeAndSeries', 0, short)], 'R-A'],
    ['criteria before the folder', [on('folder', 0, long), on('criteria', 3, short)], 'R-A'],
    ['criteria in their order', [on('criteria', 2, long), on('criteria', 1, short)], 'R-A'],
    ['the longest at one level', [on('planNode', 0, short), on('planNode', 0, long)], 'R-B'],
    ['waiting beats a date', [on('planNode', 0, long), on('planNode', 0, waits)], 'R-D'],
    ['permanent beats waiting', [on('planNode', 0, waits), on('planNode', 0, never)], 'R-C'],
    ['a tie goes to the first code', [on('planNode', 0, rule('R-Z')), on('planNode', 0, rule('R-Y'))], 'R-Y'],
  ];
  for (const [name, candidates, expected] of cases) {
    it(name, () => {
      expect(codeOf(candidates)).toBe(expected);
      expect(codeOf([...candidates].reverse())).toBe(expected);
    });
  }

  it('a nearer rule for another jurisdiction lets the farther one govern', () => {
    const north = rule('R-N', { jurisdictions: ['Northshore'] });
    const candidates = [on('folder', 0, north), on('planNode', 0, long)];
    expect(codeOf(candidates, ['Southshore'])).toBe('R-B');
    expect(codeOf(candidates, ['Northshore', 'Southshore'])).toBe('R-N');
  });

  it('a version that is not in force yet leaves the one before it', () => {
    const next = rule('R-A', { version: 2, inForceFrom: '2027-01-01' });
    const result = governingRule([on('planNode', 0, short, next)], null, facts(), [], today);
    expect(result.kind === 'rule' && result.by.rule.version).toBe(1);
  });

  it('a version for later clocks leaves earlier clocks alone', () => {
    const next = rule('R-A', { version: 2, inForceFrom: '2021-01-01', takesOver: 'laterClocks' });
    const at = (date: string) => {
      const result = governingRule([on('planNode', 0, short, next)], null, facts({ dates: { created: d(date) } }), [], today);
      return result.kind === 'rule' && result.by.rule.version;
    };
    expect(at('2020-12-31')).toBe(1);
    expect(at('2021-01-01')).toBe(2);
  });

  it('the version in force from the latest day counts, whichever was published later', () => {
    const versionOn = (today: string, ...versions: [number, string][]): number | undefined => {
      const all = versions.map(([version, inForceFrom]) => ({ ...short, version, inForceFrom }));
      return versionInForce(all, facts(), d(today))?.rule.version;
    };
    const announced: [number, string][] = [
      [1, '2020-01-01'],
      [2, '2027-01-01'],
      [3, '2026-09-01'],
    ];
    expect(['2026-08-31', '2026-09-14', '2026-12-31', '2027-01-01'].map((day) => versionOn(day, ...announced))).toEqual([1, 3, 3, 2]);
    expect(versionOn('2026-09-14', [1, '2024-01-01'], [2, '2022-01-01'])).toBe(1);
    expect(versionOn('2026-09-14', [1, '2024-01-01'], [2, '2024-01-01'])).toBe(2);
  });

  it('on one day a transfer keeps longer than destruction', () => {
    const transfer = rule('R-Z', { steps: [step('transfer', 'P7Y')] });
    const destroy = rule('R-A', { steps: [step('destroy', 'P7Y')] });
    const result = governingRule([on('folder', 0, destroy), on('folder', 0, transfer)], null, facts(), [], today);
    expect([result.kind === 'rule' && result.by.rule.code, result.yielded.map((y) => y.reason)]).toEqual(['R-Z', ['tie, destroys']]);
  });

  it('a rule that is set twice is one candidate, where it is nearest', () => {
    const result = governingRule([on('planNode', 1, short), on('folder', 0, short), on('planNode', 0, long)], null, facts(), [], today);
    expect([result.kind === 'rule' && result.by.level, result.yielded.map((y) => y.rule.code)]).toEqual(['folder', ['R-B']]);
  });

  const vintages: [string, RuleVersion | null, Partial<ClockFacts>, number | null][] = [
    [
      'by its clock',
      rule('R', { cutoff: { kind: 'calendarYear' }, trigger: { kind: 'recordDate', date: 'received' } }),
      { dates: { created: d('2019-01-01'), received: d('2021-05-05') } },
      2021,
    ],
    ['of the document without a rule', null, { dates: { created: d('2019-01-01') } }, 2019],
    [
      'of the document when it never starts',
      rule('R', { trigger: { kind: 'never' }, steps: [step('keepPermanently', 'P0D')] }),
      { dates: { created: d('2019-01-01') } },
      2019,
    ],
    [
      'by its clock when kept for good',
      rule('R', { cutoff: { kind: 'calendarYear' }, steps: [step('keepPermanently', 'P0D')] }),
      { dates: { created: d('2019-01-01') } },
      2019,
    ],
    ['none while it waits', rule('R', { trigger: { kind: 'folderClosed' } }), { dates: { created: d('2019-01-01') } }, null],
    [
      'by the day of a clock that was started anew',
      rule('R', { cutoff: { kind: 'calendarYear' } }),
      { dates: { created: d('2019-01-01') }, taken: { R: { completed: [], restartedOn: d('2024-01-01') } } },
      2024,
    ],
  ];
  for (const [name, of, known, expected] of vintages) {
    it(`a vintage is ${name}`, () => {
      const found = governingRule(of ? [on('folder', 0, of)] : [], null, facts(known), [], today);
      expect(vintageIn(found, d('2019-01-01'))).toBe(expected);
    });
  }

  it('an override wins and the rules are listed as yielded', () => {
    const result = governingRule(
      [on('planNode', 0, long)],
      { kind: 'date', dueOn: '2040-01-01', action: 'destroy', reason: 'board decision', by: 'Ines', on: '2026-09-01' },
      facts(),
      [],
      today,
    );
    expect(result.kind).toBe('overrideDate');
    expect(result.yielded.map((y) => [y.rule.code, y.reason])).toEqual([['R-B', 'farther away']]);
    expect(codeOf([on('planNode', 0, long)], [], { kind: 'rule', versions: [short], reason: 'x', by: 'Ines', on: '2026-09-01' })).toBe(
      'R-A',
    );
  });

  it('does not depend on the order of candidates, and loses none', () => {
    const pool = [short, long, never, waits, rule('R-N', { jurisdictions: ['Northshore'] })];
    const candidate = fc.record({
      level: fc.constantFrom('typeAndSeries', 'criteria', 'folder', 'planNode'),
      distance: fc.integer({ min: 0, max: 3 }),
      rule: fc.constantFrom(...pool),
    });
    fc.assert(
      fc.property(fc.array(candidate, { maxLength: 8 }), (list) => {
        const candidates = list.map((c) => on(c.level as 'folder', c.distance, c.rule));
        const a = governingRule(candidates, null, facts(), [], today);
        const b = governingRule([...candidates].reverse(), null, facts(), [], today);
        const code = (g: typeof a) => (g.kind === 'rule' ? g.by.rule.code : g.kind);
        expect(code(a)).toBe(code(b));
        // A rule that is set twice is one candidate.
        expect(a.yielded.length + (a.kind === 'rule' ? 1 : 0)).toBe(new Set(list.map((c) => c.rule.code)).size);
        if (a.kind === 'rule') {
          for (const other of a.yielded.filter(
            (y) => y.level === a.by.level && y.distance === a.by.distance && y.reason !== 'other jurisdiction',
          )) {
            expect(keepsLonger(a.by, other)).toBeGreaterThanOrEqual(0);
          }
        }
      }),
    );
  });
});

describe('the explanation', () => {
  it('says rule, clock, cutoff, steps, losers and holds', () => {
    const winner = rule('R-SAF-4', {
      version: 3,
      trigger: { kind: 'event', eventType: 'inquiry closed', occurrence: 'last' },
      cutoff: { kind: 'calendarYear' },
      steps: [{ ...step('askOwner', 'P7Y'), repeatEvery: 'P30D' }, step('destroy', 'P10Y')],
    });
    const clock = facts({ events: [{ type: 'inquiry closed', on: d('2019-12-02'), distance: 1, subject: 'folder 2019' }] });
    const governing = governingRule(
      [on('planNode', 0, winner), on('planNode', 0, rule('R-SAF-2', { steps: [step('destroy', 'P6Y')] }))],
      null,
      clock,
      [],
      today,
    );
    const hold = {
      since: '2024-03-12',
      hold: { id: 'h', name: 'Grounding', matter: 'Ottoline', because: message('holds.because.listed') },
    };
    const why = explain({ governing, facts: clock, holds: [hold], missing: [] });
    expect(why.summary).toBe('Kept until 31 Dec 2029, then destroyed. Nothing happens while it is held.');
    expect(why.clock).toEqual({ trigger: 'event “inquiry closed”', date: '2019-12-02', source: 'folder 2019', parts: [] });
    expect(why.cutoff).toEqual({ words: 'rolled to end of year', clockStart: '2020-01-01' });
    expect(why.steps.map((s) => [s.kind, s.dueOn, s.repeat])).toEqual([
      ['askOwner', '2027-01-01', 'again every 30 days'],
      ['destroy', '2030-01-01', null],
    ]);
    expect(why.vintage).toBe(2019);
    expect(why.yielded[0]!.words).toBe('10 Mar 2026 is earlier; the longest period counts');
    expect(why.holds).toEqual(inEnglish([hold]));
  });

  it('says what an unscheduled and a waiting record miss', () => {
    const none = governingRule([], null, facts(), [], today);
    expect(explain({ governing: none, facts: facts(), holds: [], missing: ['Berth'] }).missing).toEqual(['a rule', 'Berth']);
    const waits = governingRule([on('folder', 0, rule('R', { trigger: { kind: 'fact', fact: 'expires' } }))], null, facts(), [], today);
    const why = explain({ governing: waits, facts: facts(), holds: [], missing: [] });
    expect(why.outcome).toBe('waiting');
    expect(why.missing).toEqual(['fact “expires”']);
  });
});
