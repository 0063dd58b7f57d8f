import { message, type Value } from '@key-cellar/words';
import { civilDate } from '../calendar/index.js';
import type { ClockFacts } from './clockFacts.js';
import { evaluateRule, isPermanent } from './evaluate.js';
import { codesOf, rulesByPlace, type ScheduleCheck, type ScheduleUnderCheck } from './finding.js';
import { rank } from './governing.js';
import { widened, type Jurisdiction } from './jurisdiction.js';
import { caps, partsOf, recordDates, type RuleVersion } from './rule.js';

/** Whether there is a jurisdiction in which both rules hold. */
function overlap(a: RuleVersion, b: RuleVersion, all: readonly Jurisdiction[]): boolean {
  if (a.jurisdictions.length === 0 || b.jurisdictions.length === 0) return true;
  const [wideA, wideB] = [widened(a.jurisdictions, all), widened(b.jurisdictions, all)];
  return a.jurisdictions.some((j) => wideB.includes(j)) || b.jurisdictions.some((j) => wideA.includes(j));
}

const same = (a: unknown, b: unknown): boolean => JSON.stringify(a) === JSON.stringify(b);
const saysWhen = ({ trigger, cutoff, suspension, steps }: RuleVersion): unknown => [trigger, cutoff, suspension, steps];
const sayTheSame = (a: RuleVersion, b: RuleVersion): boolean => same(saysWhen(a), saysWhen(b));

/** Rules that are set at one place, or for one type in one series, as equals. */
function equals(s: ScheduleUnderCheck): { where: Value; placeId: string; rules: readonly RuleVersion[] }[] {
  const version = new Map(s.rules.map((r) => [r.id, r.version]));
  const codes = codesOf(s);
  const pairs = new Map<string, { where: Value; placeId: string; rules: RuleVersion[] }>();
  for (const { recordType, seriesId, ruleId } of s.pairRules) {
    const rule = version.get(ruleId);
    if (!rule) continue;
    const key = JSON.stringify([recordType, seriesId]);
    const pair = pairs.get(key) ?? {
      where: message('schedule.typeInSeries', { type: recordType, series: codes.get(seriesId)! }),
      placeId: seriesId,
      rules: [],
    };
    pair.rules.push(rule);
    pairs.set(key, pair);
  }
  const places = [...rulesByPlace(s)].map(([placeId, rules]) => ({ where: codes.get(placeId)!, placeId, rules }));
  return [...places, ...pairs.values()];
}

/** Rules set as equals that say different things. */
export const disagreement: ScheduleCheck = (s) =>
  equals(s).flatMap(({ where, placeId, rules }) =>
    rules.flatMap((a, i) =>
      rules
        .slice(i + 1)
        // One that caps is not an equal of one that keeps.
        .filter((b) => caps(a) === caps(b) && overlap(a, b, s.jurisdictions) && !sayTheSame(a, b))
        .map((b) => ({
          kind: 'disagreement',
          sentence: message('schedule.disagreement', { rules: { all: [a.code, b.code].sort() }, where }),
          mend: { at: 'place', id: placeId },
          records: null,
        })),
    ),
  );

/** A record whose every date is known and the same: two rules with like triggers are compared on it. */
function sample(rules: readonly RuleVersion[]): ClockFacts {
  const on = civilDate('2020-03-10');
  const parts = rules.flatMap((r) => partsOf(r.trigger).map((p) => p.trigger));
  return {
    dates: Object.fromEntries(recordDates.map((d) => [d, on])),
    factDates: Object.fromEntries(parts.flatMap((t) => (t.kind === 'fact' ? [[t.fact, [on]]] : []))),
    folderClosed: { on, subject: '' },
    events: parts.flatMap((t) => (t.kind === 'event' ? [{ type: t.eventType, on, distance: 0, subject: '' }] : [])),
    unreferenced: Object.fromEntries(parts.flatMap((t) => (t.kind === 'unreferenced' ? [[t.fact, on]] : []))),
  };
}

/** Whether a rule keeps shorter than another, where the two can be compared at all: counted from the same, or against one for good. */
function keepsShorter(near: RuleVersion, far: RuleVersion): boolean {
  if (!isPermanent(far) && !same(near.trigger, far.trigger)) return false;
  const facts = sample([near, far]);
  return rank(evaluateRule(near, facts)) < rank(evaluateRule(far, facts));
}

/** Rules that count before one set farther out, and keep shorter. */
export const nearerKeepsShorter: ScheduleCheck = (s) => {
  const setAt = rulesByPlace(s);
  const codes = codesOf(s);
  return s.places.flatMap((place) => {
    const outward = place.path.slice(0, -1);
    const far = outward.flatMap((id) => (setAt.get(id) ?? []).map((rule) => ({ rule, at: codes.get(id) })));
    return (setAt.get(place.id) ?? []).flatMap((near) =>
      far
        .filter(
          ({ rule }) =>
            rule.code !== near.code && !caps(near) && !caps(rule) && overlap(near, rule, s.jurisdictions) && keepsShorter(near, rule),
        )
        .map(({ rule, at }) => ({
          kind: 'nearerKeepsShorter',
          sentence: message('schedule.nearerKeepsShorter', { place: place.code, rule: near.code, far: rule.code, at: at! }),
          mend: { at: 'place', id: place.id },
          records: null,
        })),
    );
  });
};
