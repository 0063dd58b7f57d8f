export { Door } from './door';
export { Session } from './session';
