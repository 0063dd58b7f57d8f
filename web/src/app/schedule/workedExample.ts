import { civilDate, formatCivilDate } from '@key-cellar/core/calendar';
import { describeStep, evaluateRule, partsOf, withEnds, type ClockFacts, type RuleVersion } from '@key-cellar/core/schedule';
import type { RuleDefinition } from '@key-cellar/contract';
import { say } from '../../words/say';

export interface ExampleLine {
  readonly words: string;
  readonly on: string;
}

/** A record on which everything that a rule counts from falls on one day, and nothing stops its clock. */
function factsOn(on: number, parts: ReturnType<typeof partsOf>): ClockFacts {
  const of = parts.map((p) => p.trigger);
  return {
    dates: Object.fromEntries(of.flatMap((t) => (t.kind === 'recordDate' ? [[t.date, on]] : []))),
    factDates: Object.fromEntries(of.flatMap((t) => (t.kind === 'fact' ? [[t.fact, [on]]] : []))),
    folderClosed: { on, subject: 'its folder' },
    events: of.flatMap((t) => (t.kind === 'event' ? [{ type: t.eventType, on, distance: 0, subject: 'the record' }] : [])),
    unreferenced: Object.fromEntries(of.flatMap((t) => (t.kind === 'unreferenced' ? [[t.fact, on]] : []))),
  };
}

/** What a draft would say of a record whose trigger falls on a day: computed by the core, as the server does. */
export function workedExample(
  definition: RuleDefinition,
  triggerOn: string,
  years: Readonly<Record<string, readonly string[]>> = {},
): { clockStart: string | null; lines: ExampleLine[]; permanent: boolean } {
  const rule: RuleVersion = {
    ...withEnds(definition, years),
    id: 'example',
    code: 'example',
    version: 1,
    inForceFrom: triggerOn,
    takesOver: 'all',
  };
  const verdict = evaluateRule(rule, factsOn(civilDate(triggerOn), partsOf(definition.trigger)));
  return {
    permanent: verdict.kind === 'permanent',
    clockStart: verdict.clockStart === null ? null : formatCivilDate(verdict.clockStart),
    lines: verdict.steps.map((s) => ({
      words: say(describeStep(s.step.kind)),
      on: s.dueOn === null ? '' : formatCivilDate(s.dueOn),
    })),
  };
}
