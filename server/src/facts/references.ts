import type { UnitOfWork } from '../kernel/index.js';
import * as store from './referenceStore.js';

const key = ({ fact, targetId }: Pick<store.Reference, 'fact' | 'targetId'>): string => `${fact} ${targetId}`;

/**
 * Notes what a record points at from today on, and that it points at nothing else any more. Gives the records whose clocks may
 * follow from that; whoever calls dates them anew in the same transaction.
 */
export async function settleReferences(uow: UnitOfWork, recordId: string, references: readonly store.Reference[]): Promise<string[]> {
  const open = (await store.openReferences(uow, recordId)).map(({ target_id, ...r }) => ({ ...r, targetId: target_id }));
  const [wanted, known] = [new Set(references.map(key)), new Set(open.map(key))];
  const ended = open.filter((r) => !wanted.has(key(r)));
  const begun = [...new Map(references.filter((r) => !known.has(key(r))).map((r) => [key(r), r])).values()];
  if (ended.length > 0) await store.endReferences(uow, recordId, ended, uow.actor.today);
  if (begun.length > 0) await store.addReferences(uow, recordId, begun, uow.actor.today);
  const changed = [...ended, ...begun];
  const replaced = changed.filter((r) => r.replaces).map((r) => r.targetId);
  if (replaced.length > 0) await store.noteSuperseded(uow, [...new Set(replaced)]);
  return [...new Set(changed.map((r) => r.targetId))];
}

/** Ends what records pointed at that are gone; gives the records whose clocks may follow from that. */
export async function referrersGone(uow: UnitOfWork, recordIds: readonly string[]): Promise<string[]> {
  return store.endReferencesOf(uow, recordIds, uow.actor.today);
}
