import type { LedgerEntry, Told } from '@key-cellar/contract';
import { hasRight } from '@key-cellar/core/access';
import { newestOf } from '../ledger/index.js';
import { mayAtRepository, type Db, type PersonAccess } from '../kernel/index.js';

/**
 * Acts that undo a protection, dispose of records, or change what does: an auditor asks of each whether it was allowed. What a ledger of before
 * called otherwise is among them by that name.
 */
const watched = [
  'revoked a declaration',
  'undeclared',
  'set an override',
  'set by hand',
  'lifted an override',
  'released a hold',
  'let out of a hold',
  'executed a batch',
  'withdrew a batch',
  'published a rule',
  'withdrew a rule version',
  'changed the signing key',
  'said how contents are checked',
  'found damaged content',
  'granted',
  'changed access tags',
];

/** Whether somebody audits the whole repository and does not keep it: these watch what others do. */
export async function isAuditor(db: Db, access: PersonAccess): Promise<boolean> {
  return hasRight(access.anywhere, 'audit') && !hasRight(access.anywhere, 'dispose') && (await mayAtRepository(db, access, 'audit'));
}

export const watchedActs = (db: Db): Promise<Told<LedgerEntry>[]> => newestOf(db, watched, { ofEach: 4, most: 15 });
