import { formatCivilDate } from '@key-cellar/core/calendar';
import type { Governing } from '@key-cellar/core/schedule';

/** What a judgement comes to, in a few words. */
export function datesWords(governing: Governing): string {
  switch (governing.kind) {
    case 'unscheduled':
      return 'no rule';
    case 'overrideDate':
      return formatCivilDate(governing.dueOn);
    case 'overrideForGood':
      return 'kept for good';
    case 'rule': {
      const { verdict, rule } = governing.by;
      if (verdict.kind === 'permanent') return `kept for good (${rule.code})`;
      if (verdict.kind === 'waiting') return `waiting (${rule.code})`;
      return `${formatCivilDate(verdict.dueOn)} (${rule.code})`;
    }
  }
}
