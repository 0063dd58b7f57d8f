export { boundCriteria, storedCriteria } from './compile.js';
