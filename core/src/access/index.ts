export { changeOf, extentOf, sourcesOf, type Change, type Extent } from './compare.js';
export {
  describeRights,
  hasRight,
  listRights,
  profile,
  profiles,
  profileWords,
  rights,
  rightSet,
  type Profile,
  type Right,
  type RightSet,
} from './rights.js';
export {
  dominates,
  effectiveAccess,
  explainAccess,
  profilesThatCount,
  may,
  type AccessPlace,
  type EffectiveAccess,
  type Grant,
  type GrantStatus,
  type Marking,
  type Person,
  type WeighedGrant,
} from './effective.js';
export { closesCircle, principalsOf, type Memberships } from './groups.js';
