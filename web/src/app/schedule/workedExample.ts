import { civilDate, formatCivilDate } from '@key-cellar/core/calendar';
import { describeStep, evaluateRule, type RuleVersion } from '@key-cellar/core/schedule';
import type { RuleDefinition } from '@key-cellar/contract';

export interface ExampleLine {
  readonly words: string;
  readonly on: string;
}

/** What a draft would say of a record whose trigger falls on a day: computed by the core, as the server does. */
export function workedExample(
  definition: RuleDefinition,
  triggerOn: string,
): { clockStart: string | null; lines: ExampleLine[]; permanent: boolean } {
  const on = civilDate(triggerOn);
  const rule: RuleVersion = { ...definition, id: 'example', code: 'example', version: 1, inForceFrom: triggerOn, takesOver: 'all' };
  const { trigger } = definition;
  const verdict = evaluateRule(rule, {
    dates: trigger.kind === 'recordDate' ? { [trigger.date]: on } : {},
    factDates: trigger.kind === 'fact' ? { [trigger.fact]: [on] } : {},
    folderClosed: { on, subject: 'its folder' },
    events: trigger.kind === 'event' ? [{ type: trigger.eventType, on, distance: 0, subject: 'the record' }] : [],
  });
  return {
    permanent: verdict.kind === 'permanent',
    clockStart: verdict.clockStart === null ? null : formatCivilDate(verdict.clockStart),
    lines: verdict.steps.map((s) => ({
      words: describeStep(s.step.kind),
      on: s.dueOn === null ? '' : formatCivilDate(s.dueOn),
    })),
  };
}
