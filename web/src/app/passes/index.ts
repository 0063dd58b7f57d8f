export { PassSheet } from './passSheet';
