import { type Db, type UnitOfWork } from '../kernel/index.js';
import { recompute } from '../schedule/index.js';
import type { Services } from './services.js';
import * as store from './store.js';

const atOnce = 1000;

/** Records that are kept and that a person owns. */
export const ownedBy = (db: Db, personId: string): Promise<number> => store.ownedCount(db, personId);

/**
 * Gives all that a person owns to another one, or to nobody: questions about it go there from now on, and rules that ask for owners are asked
 * anew. Gives how many records there were.
 */
export async function handOverRecords(
  uow: UnitOfWork,
  { rules }: Services,
  {
    from,
    to,
  }: { readonly from: { readonly id: string; readonly name: string }; readonly to: { readonly id: string; readonly name: string } | null },
): Promise<number> {
  const book = await rules.current(uow);
  let handed = 0;
  for (;;) {
    const some = await store.takeOwned(uow, { from: from.id, to: to?.id ?? null, limit: atOnce });
    if (some.length === 0) return handed;
    for (const record of some) {
      const subject = { kind: 'record', id: record.id, name: `${record.number} ${record.title}` };
      uow.enter({ act: 'became the owner', subject, before: { owner: from.name }, after: { owner: to?.name ?? null } });
    }
    await recompute(
      uow,
      some.map((r) => r.id),
      book,
      uow.actor.today,
    );
    handed += some.length;
  }
}
