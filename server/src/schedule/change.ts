import { message } from '@key-cellar/words';
import type { ScheduleChange } from '@key-cellar/contract';
import { describeCriteria } from '@key-cellar/core/criteria';
import { draftVersionId, withDraft, withEnds } from '@key-cellar/core/schedule';
import { notFound } from '../kernel/index.js';
import { type CriteriaRule, type RuleBookData } from './ruleBook.js';

function reordered(rules: readonly CriteriaRule[]): CriteriaRule[] {
  return rules.map((rule, i) => ({ ...rule, position: i + 1 }));
}

/** The rules as they would be after a change; what does not change stays the same object. */
export function changedBook(data: RuleBookData, change: ScheduleChange, codeOf: (ruleId: string) => string): RuleBookData {
  const toggle = <T>(list: readonly T[], item: T, same: (a: T) => boolean, set: boolean): readonly T[] => {
    const others = list.filter((a) => !same(a));
    return set ? [...others, item] : others;
  };
  const criteriaAt = (id: string): number => {
    const at = data.criteriaRules.findIndex((c) => c.id === id);
    if (at < 0) throw notFound(message('thing.ruleCriteria'));
    return at;
  };
  switch (change.kind) {
    case 'nothing':
    case 'movePlace':
    case 'mergePlace':
    case 'closeFolder':
    case 'placeJurisdictions':
      return data;
    case 'rule': {
      const { ruleId, definition, inForceFrom, takesOver } = change;
      return {
        ...data,
        versions: withDraft(data.versions, ruleId, codeOf(ruleId), { ...withEnds(definition, data.years), inForceFrom, takesOver }),
      };
    }
    case 'setRule':
    case 'setRules': {
      const sets = change.kind === 'setRule' ? [change] : change.sets;
      const placeRules = sets.reduce((rules, { placeId, ruleId, set }) => {
        const same = (a: { placeId: string; ruleId: string }): boolean => a.placeId === placeId && a.ruleId === ruleId;
        return toggle(rules, { placeId, ruleId }, same, set);
      }, data.placeRules);
      return { ...data, placeRules };
    }
    case 'setPair': {
      const { recordType, seriesId, ruleId } = change;
      const same = (a: typeof change | { recordType: string; seriesId: string; ruleId: string }): boolean =>
        a.recordType === recordType && a.seriesId === seriesId && a.ruleId === ruleId;
      return { ...data, pairRules: toggle(data.pairRules, { recordType, seriesId, ruleId }, same, change.set) };
    }
    case 'addCriteriaRule': {
      const { ruleId, criteria } = change;
      const added: CriteriaRule = { id: draftVersionId, ruleId, criteria, position: 0, words: describeCriteria(criteria) };
      return { ...data, criteriaRules: reordered([...data.criteriaRules, added]) };
    }
    case 'changeCriteriaRule': {
      const at = criteriaAt(change.id);
      const changed = { ...data.criteriaRules[at]!, criteria: change.criteria, words: describeCriteria(change.criteria) };
      return { ...data, criteriaRules: data.criteriaRules.with(at, changed) };
    }
    case 'moveCriteriaRule': {
      const rules = [...data.criteriaRules];
      const [moved] = rules.splice(criteriaAt(change.id), 1);
      rules.splice(change.order - 1, 0, moved!);
      return { ...data, criteriaRules: reordered(rules) };
    }
    case 'dropCriteriaRule': {
      const at = criteriaAt(change.id);
      return { ...data, criteriaRules: reordered(data.criteriaRules.filter((_, i) => i !== at)) };
    }
  }
}
