export { ReachedBy } from './reachedBy';
