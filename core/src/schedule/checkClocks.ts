import { message } from '@key-cellar/words';
import type { ScheduleCheck } from './finding.js';
import { widened } from './jurisdiction.js';

/** Rules that must keep longer than another allows, with both authorities. */
export const capConflict: ScheduleCheck = (s) =>
  s.conflicts.flatMap(({ ruleId, capId, records }) => {
    const [keeps, cap] = [ruleId, capId].map((id) => s.rules.find((r) => r.id === id)?.version);
    if (!cap) return [];
    const { code, authority } = cap;
    const sentence = keeps
      ? message('schedule.capAgainstRule', { n: records, rule: keeps.code, by: keeps.authority, cap: code, authority })
      : message('schedule.capAgainstOverride', { n: records, cap: code, authority });
    return [{ kind: 'capConflict', sentence, mend: { at: 'rule', id: capId }, records }];
  });

/** Rules that count working days where nobody said which days are worked. */
export const workdaysUnknown: ScheduleCheck = (s) =>
  s.rules.flatMap(({ version }) => {
    if (!version.steps.some((step) => step.workingDays)) return [];
    const places = version.jurisdictions.length > 0 ? version.jurisdictions : s.jurisdictions.map((j) => j.name);
    const without = places.filter((name) => !widened([name], s.jurisdictions).some((j) => s.calendars.includes(j))).sort();
    if (without.length === 0) return [];
    const sentence = message('schedule.workdaysUnknown', { rule: version.code, jurisdictions: { all: without }, n: without.length });
    return [{ kind: 'workdaysUnknown', sentence, mend: { at: 'jurisdiction', id: without[0]! }, records: null }];
  });

/** Named years that rules roll to and of which no end lies ahead. */
export const namedYearEnds: ScheduleCheck = (s) =>
  s.rules.flatMap(({ id, version: { code, cutoff }, governs }) => {
    if (cutoff.kind !== 'namedYear' || (cutoff.ends ?? []).some((end) => end >= s.today)) return [];
    const sentence = message('schedule.namedYearEnds', { rule: code, year: cutoff.name });
    return [{ kind: 'namedYearEnds', sentence, mend: { at: 'rule', id }, records: governs }];
  });
