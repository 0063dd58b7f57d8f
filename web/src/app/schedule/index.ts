export { EffectView } from './effectView';
export { EventList } from './eventList';
export { JobProgress } from './jobProgress';
export { JurisdictionsField } from './jurisdictionsField';
export { OverrideSheet } from './overrideSheet';
