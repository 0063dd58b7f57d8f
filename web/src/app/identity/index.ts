export { Session } from './session';
export { Needs } from './needs';
