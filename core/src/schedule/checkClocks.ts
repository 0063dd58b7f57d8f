import { counted, type ScheduleCheck } from './finding.js';
import { widened } from './jurisdiction.js';

/** Rules that must keep longer than another allows, with both authorities. */
export const capConflict: ScheduleCheck = (s) =>
  s.conflicts.flatMap(({ ruleId, capId, records }) => {
    const [keeps, cap] = [ruleId, capId].map((id) => s.rules.find((r) => r.id === id)?.version);
    if (!cap) return [];
    const limit = `${cap.code} (${cap.authority}) allows at most`;
    const sentence = keeps
      ? `${counted(records, 'record', 'records')} must be kept under ${keeps.code} (${keeps.authority}) longer than ${limit}.`
      : `${counted(records, 'record is', 'records are')} kept by override longer than ${limit}.`;
    return [{ kind: 'capConflict', sentence, mend: { at: 'rule', id: capId }, records }];
  });

/** Rules that count working days where nobody said which days are worked. */
export const workdaysUnknown: ScheduleCheck = (s) =>
  s.rules.flatMap(({ version }) => {
    if (!version.steps.some((step) => step.workingDays)) return [];
    const places = version.jurisdictions.length > 0 ? version.jurisdictions : s.jurisdictions.map((j) => j.name);
    const without = places.filter((name) => !widened([name], s.jurisdictions).some((j) => s.calendars.includes(j))).sort();
    if (without.length === 0) return [];
    const sentence = `Rule ${version.code} counts working days, but ${without.join(', ')} ${without.length === 1 ? 'has' : 'have'} no calendar: Monday to Friday count, without holidays.`;
    return [{ kind: 'workdaysUnknown', sentence, mend: { at: 'jurisdiction', id: without[0]! }, records: null }];
  });

/** Named years that rules roll to and of which no end lies ahead. */
export const namedYearEnds: ScheduleCheck = (s) =>
  s.rules.flatMap(({ id, version: { code, cutoff }, governs }) => {
    if (cutoff.kind !== 'namedYear' || (cutoff.ends ?? []).some((end) => end >= s.today)) return [];
    const sentence = `Rule ${code} rolls to the end of ${cutoff.name}, of which no end is listed from today on: what starts now waits.`;
    return [{ kind: 'namedYearEnds', sentence, mend: { at: 'rule', id }, records: governs }];
  });
