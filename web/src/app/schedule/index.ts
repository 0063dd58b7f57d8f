export { EffectView } from './effectView';
export { EventList } from './eventList';
export { JurisdictionsField } from './jurisdictionsField';
export { OverrideSheet } from './overrideSheet';
export { RuleOnDay } from './ruleOnDay';
export { TrialFound } from './trialFound';
