import type { RuleDefinition } from '@key-cellar/contract';
import { workedExample } from './workedExample';

const rule = (changes: Partial<RuleDefinition>): RuleDefinition => ({
  title: 'T',
  authority: 'A',
  jurisdictions: [],
  trigger: { kind: 'recordDate', date: 'created' },
  cutoff: { kind: 'none' },
  steps: [{ kind: 'destroy', after: 'P1Y', from: 'clockStart', approvals: 1, noticeDays: 0 }],
  ...changes,
});

describe('the worked example', () => {
  const triggers: RuleDefinition['trigger'][] = [
    { kind: 'recordDate', date: 'lastUsed' },
    { kind: 'fact', fact: 'expires' },
    { kind: 'folderClosed' },
    { kind: 'event', eventType: 'lease ended', occurrence: 'first' },
  ];
  for (const trigger of triggers) {
    it(`dates a rule that starts with ${trigger.kind}`, () => {
      const example = workedExample(rule({ trigger, cutoff: { kind: 'calendarYear' } }), '2024-02-29');
      expect(example.clockStart).toBe('2025-01-01');
      expect(example.lines).toEqual([{ words: 'destroyed', on: '2026-01-01' }]);
    });
  }
  it('clamps as the core does', () => expect(workedExample(rule({}), '2024-02-29').lines[0]!.on).toBe('2025-02-28'));
  it('says that a step after another one waits', () => {
    const steps: RuleDefinition['steps'] = [
      { kind: 'review', after: 'P1Y', from: 'clockStart', approvals: 0, noticeDays: 0 },
      { kind: 'destroy', after: 'P1Y', from: 'previousStep', approvals: 1, noticeDays: 0 },
    ];
    expect(workedExample(rule({ steps }), '2024-01-01').lines.map((l) => l.on)).toEqual(['2025-01-01', '']);
  });
  it('knows for good', () => expect(workedExample(rule({ trigger: { kind: 'never' } }), '2024-01-01').permanent).toBeTrue());
});
