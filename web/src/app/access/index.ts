export { AccessNav } from './accessNav';
export { ReachedBy } from './reachedBy';
