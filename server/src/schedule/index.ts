export { explainJudged, judge, judgeLocked, nextStepOf, recompute, verdictOf, type JudgedLocked, type Judged } from './evaluation.js';
export { effectThreads, effectOfChange, type EffectAnswer, type EffectQuestion, type EffectThreads } from './effect.js';
export { effectOfPart, type PageRange } from './effectPart.js';
export { override } from './override.js';
export { loadRuleBook, ruleBooks, toRuleVersion, type RuleBook, type RuleBooks } from './ruleBook.js';
export { scheduleRoutes } from './routes.js';
export { publish, recomputeAll, recomputeRules, recomputeWithin, runRecompute, saveDraft, setRule } from './service.js';
export {
  addPlaceRule,
  clockColumns,
  removePlaceRule,
  type ClockRow,
  type Reach,
  type StoredOverride,
  type StoredStepAct,
  type StoredVerdict,
} from './store.js';
export { addEntityEvents, entityEvents } from './events.js';
