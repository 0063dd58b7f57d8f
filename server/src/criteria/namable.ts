import { message } from '@key-cellar/words';
import { hasRight } from '@key-cellar/core/access';
import { clausesOf, type AskedCriteria } from '@key-cellar/core/criteria';
import { notAllowed, type PersonAccess } from '../kernel/index.js';

/** What detectors find tells what is in content, so only those who keep, hold or audit may ask for it. */
export function mayNameDetectors(access: PersonAccess): boolean {
  return (['dispose', 'hold', 'audit'] as const).some((right) => hasRight(access.anywhere, right));
}

/** Refuses criteria that ask what detectors found, from those who may not. */
export function requireNamable(access: PersonAccess, criteria: AskedCriteria): void {
  if (clausesOf(criteria).some((c) => c.op === 'detected') && !mayNameDetectors(access)) {
    throw notAllowed('audit', message('criteria.whatDetectorsFoundThose'));
  }
}
