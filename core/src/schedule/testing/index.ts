import type { RuleVersion, Step } from '../rule.js';

/** A step with two weeks of notice and one approval. */
export const step = (kind: Step['kind'], after: string, more: Partial<Step> = {}): Step => ({
  kind,
  after,
  from: 'clockStart',
  approvals: 1,
  noticeDays: 14,
  ...more,
});

/** A version of a rule that destroys seven years after a record was made, everywhere and since 2000. */
export const rule = (code: string, more: Partial<RuleVersion> = {}): RuleVersion => ({
  id: `${code}-${more.version ?? 1}`,
  code,
  version: 1,
  title: `Title of ${code}`,
  authority: 'Sound Compact, art. 22',
  jurisdictions: [],
  trigger: { kind: 'recordDate', date: 'created' },
  cutoff: { kind: 'none' },
  steps: [step('destroy', 'P7Y')],
  inForceFrom: '2000-01-01',
  takesOver: 'all',
  ...more,
});

/** For a step that counts from the one before it. */
export const afterPrevious = { from: 'previousStep' } as const;
