import type { Message } from '@key-cellar/words';
import type { UnitOfWork } from '../kernel/index.js';
import { recompute } from './evaluation.js';
import { loadRuleBook } from './ruleBook.js';
import * as clockStore from './clockStore.js';

/** Keeps locked records for good from now on, for a reason, as if somebody had said so by hand. */
export async function keepForGood(uow: UnitOfWork, ids: readonly string[], reason: Message): Promise<void> {
  if (ids.length === 0) return;
  await clockStore.writeOverride(uow, ids, { kind: 'forGood', reason, by: uow.actor.name, on: uow.actor.today });
  await recompute(uow, ids, await loadRuleBook(uow), uow.actor.today);
}
