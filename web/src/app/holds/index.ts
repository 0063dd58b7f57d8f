export { HoldSheet } from './holdSheet';
