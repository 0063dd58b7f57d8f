export { explainJudged, judge, recompute, verdictOf } from './evaluation.js';
export { loadRuleBook, ruleBooks, toRuleVersion, type RuleBook, type RuleBooks } from './ruleBook.js';
export { scheduleRoutes } from './routes.js';
export { recomputeUnder, runRecompute, setRule } from './service.js';
export { clockColumns, type ClockRow, type StoredVerdict } from './store.js';
