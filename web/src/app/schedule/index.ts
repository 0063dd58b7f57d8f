export { JobProgress } from './jobProgress';
