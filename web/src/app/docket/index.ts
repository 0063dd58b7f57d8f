export { RecordSteps } from './recordSteps';
