export { canonicalJson } from './canonicalJson.js';
export {
  completeSubtrees,
  consistencyPath,
  consistencyProof,
  inclusionPath,
  inclusionProof,
  leafHash,
  MerkleFrontier,
  merkleTreeHash,
  nodeHash,
  verifyConsistency,
  verifyInclusion,
  type RangeHash,
  type Sha256,
} from './merkle.js';
