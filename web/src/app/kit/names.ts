import type { MatterLine, RecordLine } from '@key-cellar/contract';
import type { PlaceKind } from '@key-cellar/core/plan';

/** What kinds of places are called. */
export const placeKindNames: Readonly<Record<PlaceKind, string>> = {
  repository: $localize`repository`,
  function: $localize`function`,
  activity: $localize`activity`,
  series: $localize`series`,
  folder: $localize`folder`,
};

/** What kinds of matters are called. */
export const matterKindNames: Readonly<Record<MatterLine['kind'], string>> = {
  case: $localize`case`,
  audit: $localize`audit`,
  inquiry: $localize`inquiry`,
};

/** What is said of a record that has no due date. */
export const outcomeNames: Readonly<Record<RecordLine['outcome'], string>> = {
  permanent: $localize`kept for good`,
  waiting: $localize`waiting for a date`,
  unscheduled: $localize`without a rule`,
  dated: $localize`no date`,
};
