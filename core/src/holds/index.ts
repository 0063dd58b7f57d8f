export { holdRefusal, holdStates, type HoldAct, type HoldState } from './hold.js';
