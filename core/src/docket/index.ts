export {
  actOnBatch,
  approvalsNeeded,
  mayApprove,
  batchStates,
  countingApprovals,
  executionVerdict,
  itemOutcomes,
  type Approval,
  type BatchAct,
  type BatchStanding,
  type BatchState,
  type ExecutionCheck,
  type ExecutionVerdict,
  type ItemOutcome,
} from './batch.js';
export { answersTo, stepVerdict, type StepCheck, type StepVerdict } from './stepVerdict.js';
