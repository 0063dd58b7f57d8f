import { civilDate } from '../calendar/index.js';
import { isPermanent, evaluateRule, type ClockFacts } from './evaluate.js';
import { keepsLonger, rank } from './governing.js';
import { describeTrigger } from './explain.js';
import { widened, type Jurisdiction } from './jurisdiction.js';
import { isDisposing, recordDates, type RuleVersion } from './rule.js';

export type FindingKind =
  | 'seriesWithoutRule'
  | 'typeWithoutRule'
  | 'ruleNeverUsed'
  | 'ruleNeverDue'
  | 'disagreement'
  | 'factTypeLacks'
  | 'jurisdictionWithoutRule'
  | 'nearerKeepsShorter'
  | 'criteriaNeverReached';

/** Something that is not right with a schedule, and the thing whose change mends it. */
export interface ScheduleFinding {
  readonly kind: FindingKind;
  readonly sentence: string;
  readonly mend: { readonly at: 'place' | 'rule' | 'criteria' | 'jurisdiction' | 'records'; readonly id: string };
  /** Records that it concerns; null where that is not a matter of records. */
  readonly records: number | null;
}

/** A schedule as it stands today, with what it governs. */
export interface ScheduleUnderCheck {
  /** Rules with the version in force today; a rule that has none yet is left out. */
  readonly rules: readonly { readonly id: string; readonly version: RuleVersion; readonly governs: number }[];
  /** Places from the repository inwards; `path` ends with the place itself. */
  readonly places: readonly {
    readonly id: string;
    readonly kind: string;
    readonly code: string;
    readonly path: readonly string[];
  }[];
  readonly placeRules: readonly { readonly placeId: string; readonly ruleId: string }[];
  readonly pairRules: readonly { readonly recordType: string; readonly seriesId: string; readonly ruleId: string }[];
  readonly criteriaRules: readonly { readonly id: string; readonly ruleId: string; readonly words: string; readonly matches: number }[];
  readonly types: readonly {
    readonly code: string;
    readonly title: string;
    readonly facts: readonly { readonly code: string; readonly kind: string }[];
  }[];
  readonly jurisdictions: readonly Jurisdiction[];
  /** Records that no rule reaches. */
  readonly unscheduled: readonly { readonly seriesId: string; readonly recordType: string; readonly records: number }[];
  /** Records that wait under a rule, by type. */
  readonly waiting: readonly { readonly ruleId: string; readonly recordType: string; readonly records: number }[];
}

const sum = (items: readonly { readonly records: number }[]): number => items.reduce((n, i) => n + i.records, 0);
const counted = (n: number, one: string, many: string): string => `${n} ${n === 1 ? one : many}`;

/** A record whose every date is known and the same: two rules with like triggers are compared on it. */
function sample(rules: readonly RuleVersion[]): ClockFacts {
  const on = civilDate('2020-03-10');
  return {
    dates: Object.fromEntries(recordDates.map((d) => [d, on])),
    factDates: Object.fromEntries(rules.flatMap(({ trigger }) => (trigger.kind === 'fact' ? [[trigger.fact, on]] : []))),
    folderClosed: { on, subject: '' },
    events: rules.flatMap(({ trigger }) => (trigger.kind === 'event' ? [{ type: trigger.eventType, on, distance: 0, subject: '' }] : [])),
  };
}

function overlap(a: RuleVersion, b: RuleVersion, all: readonly Jurisdiction[]): boolean {
  if (a.jurisdictions.length === 0 || b.jurisdictions.length === 0) return true;
  const [wideA, wideB] = [widened(a.jurisdictions, all), widened(b.jurisdictions, all)];
  return a.jurisdictions.some((j) => wideB.includes(j)) || b.jurisdictions.some((j) => wideA.includes(j));
}

function sayTheSame(a: RuleVersion, b: RuleVersion): boolean {
  return JSON.stringify([a.trigger, a.cutoff, a.steps]) === JSON.stringify([b.trigger, b.cutoff, b.steps]);
}

/** Everything that is not right with a schedule (the check of the schedule), in the order of the kinds. */
export function checkSchedule(s: ScheduleUnderCheck): ScheduleFinding[] {
  const findings: ScheduleFinding[] = [];
  const rule = new Map(s.rules.map((r) => [r.id, r.version]));
  const codeOf = new Map(s.places.map((p) => [p.id, p.code]));
  const setAt = new Map<string, RuleVersion[]>();
  for (const { placeId, ruleId } of s.placeRules) {
    const version = rule.get(ruleId);
    if (version) setAt.set(placeId, [...(setAt.get(placeId) ?? []), version]);
  }

  const gaps = new Map<string, { seriesId: string; recordType: string; records: number }[]>();
  for (const u of s.unscheduled) gaps.set(u.seriesId, [...(gaps.get(u.seriesId) ?? []), u]);
  for (const place of s.places) {
    if (place.kind !== 'series') continue;
    const records = sum(gaps.get(place.id) ?? []);
    const reached = place.path.some((id) => setAt.has(id));
    if (records === 0 && (reached || s.pairRules.some((p) => p.seriesId === place.id))) continue;
    findings.push({
      kind: 'seriesWithoutRule',
      sentence: reached
        ? `The rules that reach series ${place.code} hold elsewhere only: ${counted(records, 'record has', 'records have')} no date.`
        : `No rule reaches series ${place.code}${records > 0 ? `: ${counted(records, 'record has', 'records have')} no date` : ''}.`,
      mend: { at: 'place', id: place.id },
      records,
    });
  }
  for (const type of s.types) {
    const of = s.unscheduled.filter((u) => u.recordType === type.code);
    if (of.length === 0) continue;
    const codes = of.map((u) => codeOf.get(u.seriesId) ?? '?').sort();
    findings.push({
      kind: 'typeWithoutRule',
      sentence: `${counted(sum(of), 'record', 'records')} of type ${type.title} follow no rule, in ${codes.slice(0, 5).join(', ')}${codes.length > 5 ? ` and ${codes.length - 5} more series` : ''}.`,
      mend: { at: 'records', id: type.code },
      records: sum(of),
    });
  }
  for (const { id, version, governs } of s.rules) {
    if (governs > 0) continue;
    const set =
      s.placeRules.some((p) => p.ruleId === id) || s.pairRules.some((p) => p.ruleId === id) || s.criteriaRules.some((c) => c.ruleId === id);
    findings.push({
      kind: 'ruleNeverUsed',
      sentence: set
        ? `Rule ${version.code} is set, but governs no record: nothing is filed there, or other rules count before it.`
        : `Rule ${version.code} is in force, but set nowhere.`,
      mend: { at: 'rule', id },
      records: 0,
    });
  }
  for (const { id, version, governs } of s.rules) {
    if (isPermanent(version)) continue;
    const { trigger } = version;
    const nobodyHas = trigger.kind === 'fact' && !s.types.some((t) => t.facts.some((f) => f.code === trigger.fact && f.kind === 'date'));
    const noEnd = !version.steps.some((step) => isDisposing(step.kind));
    if (!nobodyHas && !noEnd) continue;
    findings.push({
      kind: 'ruleNeverDue',
      sentence: nobodyHas
        ? `Rule ${version.code} can never come due: no record type has a date fact “${trigger.fact}”.`
        : `Rule ${version.code} can never come due: it has no step that destroys, transfers or keeps for good.`,
      mend: { at: 'rule', id },
      records: governs,
    });
  }
  const equals: [string, { at: 'place' | 'rule'; id: string }, RuleVersion[]][] = [...setAt].map(([placeId, rules]) => [
    codeOf.get(placeId) ?? '?',
    { at: 'place', id: placeId },
    rules,
  ]);
  const pairs = new Map<string, { type: string; seriesId: string; rules: RuleVersion[] }>();
  for (const p of s.pairRules) {
    const key = `${p.recordType} ${p.seriesId}`;
    const version = rule.get(p.ruleId);
    if (!version) continue;
    const at = pairs.get(key) ?? { type: p.recordType, seriesId: p.seriesId, rules: [] };
    at.rules.push(version);
    pairs.set(key, at);
  }
  for (const { type, seriesId, rules } of pairs.values()) {
    equals.push([`${type} in ${codeOf.get(seriesId) ?? '?'}`, { at: 'place', id: seriesId }, rules]);
  }
  for (const [where, mend, rules] of equals) {
    for (const [i, a] of rules.entries()) {
      for (const b of rules.slice(i + 1)) {
        if (!overlap(a, b, s.jurisdictions) || sayTheSame(a, b)) continue;
        findings.push({
          kind: 'disagreement',
          sentence: `Rules ${[a.code, b.code].sort().join(' and ')} are both set on ${where} and say different things; there the longer keeps.`,
          mend,
          records: null,
        });
      }
    }
  }
  for (const { id, version } of s.rules) {
    const { trigger } = version;
    if (trigger.kind !== 'fact') continue;
    for (const type of s.types) {
      if (type.facts.some((f) => f.code === trigger.fact && f.kind === 'date')) continue;
      const records = sum(s.waiting.filter((w) => w.ruleId === id && w.recordType === type.code));
      if (records === 0) continue;
      findings.push({
        kind: 'factTypeLacks',
        sentence: `Rule ${version.code} counts from ${describeTrigger(trigger)}, which records of type ${type.title} do not have: ${counted(records, 'waits', 'wait')} for ever.`,
        mend: { at: 'rule', id },
        records,
      });
    }
  }
  for (const { name } of s.jurisdictions) {
    const wider = widened([name], s.jurisdictions);
    if (s.rules.some(({ version }) => version.jurisdictions.some((j) => wider.includes(j)))) continue;
    findings.push({
      kind: 'jurisdictionWithoutRule',
      sentence: `No rule is made for ${name}: only rules that hold everywhere count there.`,
      mend: { at: 'jurisdiction', id: name },
      records: null,
    });
  }
  for (const place of s.places) {
    const near = setAt.get(place.id) ?? [];
    const far = place.path.slice(0, -1).flatMap((id) => (setAt.get(id) ?? []).map((version) => ({ version, at: codeOf.get(id) ?? '?' })));
    for (const a of near) {
      for (const { version: b, at } of far) {
        if (!overlap(a, b, s.jurisdictions) || a.code === b.code) continue;
        const facts = sample([a, b]);
        const [verdictA, verdictB] = [evaluateRule(a, facts), evaluateRule(b, facts)];
        const alike = isPermanent(b) || JSON.stringify(a.trigger) === JSON.stringify(b.trigger);
        const where = { level: 'planNode' as const, distance: 0, setOn: '' };
        if (!alike || rank(verdictA) === rank(verdictB)) continue;
        if (keepsLonger({ ...where, rule: a, verdict: verdictA }, { ...where, rule: b, verdict: verdictB }) > 0) continue;
        findings.push({
          kind: 'nearerKeepsShorter',
          sentence: `On ${place.code}, rule ${a.code} keeps shorter than ${b.code}, which is set farther out on ${at} and yields to it.`,
          mend: { at: 'place', id: place.id },
          records: null,
        });
      }
    }
  }
  for (const c of s.criteriaRules) {
    if (c.matches > 0) continue;
    findings.push({
      kind: 'criteriaNeverReached',
      sentence: `Nothing matches “${c.words}”, on which rule ${rule.get(c.ruleId)?.code ?? '?'} is set.`,
      mend: { at: 'criteria', id: c.id },
      records: 0,
    });
  }
  return findings;
}
