export { Door } from './door';
export { mailStates } from './mailWords';
export { Session } from './session';
