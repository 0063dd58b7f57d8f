export { merge, type Common, type Fields, type Merged } from './merge.js';
