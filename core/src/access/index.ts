export { changeOf, extentOf, sourcesOf, type Change, type Extent } from './compare.js';
export {
  describeRights,
  hasRight,
  listRights,
  profileIn,
  profileRefusal,
  profilesWith,
  profileWords,
  rights,
  rightSet,
  withParts,
  shippedProfiles,
  type Profile,
  type Profiles,
  type Right,
  type RightSet,
} from './rights.js';
export {
  effectiveAccess,
  explainAccess,
  grantWords,
  profilesThatCount,
  may,
  type AccessPlace,
  type AccessTag,
  type EffectiveAccess,
  type Grant,
  type GrantStatus,
  type Person,
  type WeighedGrant,
} from './effective.js';
export { dominates, joined, markingInside, markingWords, sameMarking, type Marking } from './marking.js';
export { closesCircle, principalsOf, type Memberships } from './groups.js';
