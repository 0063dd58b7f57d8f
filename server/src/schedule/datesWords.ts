import { formatCivilDate } from '@key-cellar/core/calendar';
import type { Governing } from '@key-cellar/core/schedule';
import { message, type Message } from '@key-cellar/words';

/** What a judgement comes to, in a few words. */
export function datesWords(governing: Governing): Message {
  switch (governing.kind) {
    case 'unscheduled':
      return message('schedule.dates.noRule');
    case 'overrideDate':
      return message('schedule.dates.day', { on: { day: formatCivilDate(governing.dueOn) } });
    case 'overrideForGood':
      return message('schedule.dates.forGood');
    case 'rule': {
      const { verdict, rule } = governing.by;
      if (verdict.kind === 'permanent') return message('schedule.dates.forGoodBy', { rule: rule.code });
      if (verdict.kind === 'waiting') return message('schedule.dates.waiting', { rule: rule.code });
      return message('schedule.dates.dayBy', { on: { day: formatCivilDate(verdict.dueOn) }, rule: rule.code });
    }
  }
}
