import { message } from '@key-cellar/words';
import { describeTrigger } from './explain.js';
import { sumOf, type ScheduleCheck, type ScheduleUnderCheck } from './finding.js';
import { actionOf, caps, partsOf, type SimpleTrigger, type Trigger } from './rule.js';

type CheckedType = ScheduleUnderCheck['types'][number];
const hasDate = (type: CheckedType, fact: string): boolean => type.facts.some((f) => f.code === fact && f.kind === 'date');

/** The date facts that a trigger counts from. */
const factsOf = (trigger: Trigger): Extract<SimpleTrigger, { kind: 'fact' }>[] =>
  partsOf(trigger).flatMap((p) => (p.trigger.kind === 'fact' ? [p.trigger] : []));

/** Rules that govern no record; one that caps is not there to govern. */
export const ruleNeverUsed: ScheduleCheck = (s) => {
  const set = new Set([...s.placeRules, ...s.pairRules, ...s.criteriaRules].map((r) => r.ruleId));
  return s.rules.flatMap(({ id, version, governs }) => {
    if (governs > 0 || (caps(version) && set.has(id))) return [];
    const sentence = set.has(id)
      ? message('schedule.ruleGovernsNothing', { rule: version.code })
      : message('schedule.ruleSetNowhere', { rule: version.code });
    return [{ kind: 'ruleNeverUsed', sentence, mend: { at: 'rule', id }, records: 0 }];
  });
};

/** Rules under which no record can ever come due. */
export const ruleNeverDue: ScheduleCheck = (s) =>
  s.rules.flatMap(({ id, version, governs }) => {
    const { trigger, steps, code } = version;
    if (trigger.kind === 'never' || steps.some((step) => step.kind === 'keepPermanently')) return [];
    // The earliest of several waits only while none is known; everything else needs them all.
    const missing = factsOf(trigger).filter(({ fact }) => !s.types.some((t) => hasDate(t, fact)));
    const nobodyHas = trigger.kind === 'earliest' ? missing.length === trigger.of.length : missing.length > 0;
    // What is reviewed for ever is meant so.
    const ends = actionOf(version) !== null || steps.some((step) => step.kind === 'review');
    if (!nobodyHas && ends) return [];
    const sentence = nobodyHas
      ? message('schedule.neverDueFact', { rule: code, fact: missing[0]!.fact })
      : message('schedule.neverDueSteps', { rule: code });
    return [{ kind: 'ruleNeverDue', sentence, mend: { at: 'rule', id }, records: governs }];
  });

/** Rules that count from a fact which some of the types under them do not have. */
export const factTypeLacks: ScheduleCheck = (s) =>
  s.rules.flatMap(({ id, version: { code, trigger } }) =>
    s.types.flatMap((type) => {
      const lacks = factsOf(trigger).find(({ fact }) => !hasDate(type, fact));
      if (!lacks) return [];
      const records = sumOf(s.waiting.filter((w) => w.ruleId === id && w.recordType === type.code));
      if (records === 0) return [];
      const sentence = message('schedule.factTypeLacks', { rule: code, trigger: describeTrigger(lacks), type: type.title, n: records });
      return [{ kind: 'factTypeLacks', sentence, mend: { at: 'rule', id }, records }];
    }),
  );

/** Rules set on criteria that nothing matches. */
export const criteriaNeverReached: ScheduleCheck = (s) =>
  s.criteriaRules.flatMap(({ id, ruleId, words, matches }) => {
    if (matches > 0) return [];
    const code = s.rules.find((r) => r.id === ruleId)?.version.code ?? '?';
    const sentence = message('schedule.criteriaNeverReached', { criteria: words, rule: code });
    return [{ kind: 'criteriaNeverReached', sentence, mend: { at: 'criteria', id }, records: 0 }];
  });

/** Content that detectors could not read, where rules ask what they found in it. */
export const contentUnread: ScheduleCheck = (s) => {
  const asking = s.criteriaRules.filter((c) => c.detects).map((c) => s.rules.find((r) => r.id === c.ruleId)?.version.code ?? c.words);
  if (s.unread === 0 || asking.length === 0) return [];
  const sentence = message('schedule.contentUnread', {
    n: s.unread,
    rules: { all: [...new Set(asking)].sort() },
    rulesN: new Set(asking).size,
  });
  return [{ kind: 'contentUnread', sentence, mend: { at: 'detectors', id: '' }, records: s.unread }];
};
