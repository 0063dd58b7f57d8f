export { actOnHold, type CoverOutcome, type HoldAct, type HoldState } from './hold.js';
