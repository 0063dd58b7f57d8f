import { capConflict, namedYearEnds, workdaysUnknown } from './checkClocks.js';
import { disagreement, nearerKeepsShorter } from './checkConflicts.js';
import { jurisdictionWithoutRule, seriesWithoutRule, typeWithoutRule } from './checkGaps.js';
import { contentUnread, criteriaNeverReached, factTypeLacks, ruleNeverDue, ruleNeverUsed } from './checkRules.js';
import type { ScheduleCheck, ScheduleFinding, ScheduleUnderCheck } from './finding.js';

const checks: readonly ScheduleCheck[] = [
  seriesWithoutRule,
  typeWithoutRule,
  ruleNeverUsed,
  ruleNeverDue,
  disagreement,
  factTypeLacks,
  jurisdictionWithoutRule,
  nearerKeepsShorter,
  criteriaNeverReached,
  capConflict,
  workdaysUnknown,
  namedYearEnds,
  contentUnread,
];

/** Everything that is not right with a schedule (the check of the schedule), in the order of the kinds. */
export const checkSchedule: ScheduleCheck = (s: ScheduleUnderCheck): ScheduleFinding[] => checks.flatMap((look) => look(s));
