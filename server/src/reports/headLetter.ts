import { uuidv7 } from 'uuidv7';
import type { Services } from '../docket/index.js';
import { send } from '../identity/index.js';
import { type Actor, mayAtRepository, withUnitOfWork } from '../kernel/index.js';
import { finalHead } from '../ledger/index.js';
import * as store from './store.js';

/**
 * Tells each auditor of the whole repository the newest head that the witness cosigned: once a day, when something was entered since the
 * last letter. A letter that went out is a head kept elsewhere.
 */
export async function sendHeadLetters(services: Services, actor: Actor): Promise<void> {
  const { pool } = services;
  const head = await finalHead(pool);
  if (!head || !(await store.headIsNews(pool, actor.today, head.size))) return;
  await withUnitOfWork(
    pool,
    actor,
    async (uow) => {
      if (!(await store.tellHead(uow, actor.today, head.size))) return;
      const everyone = await services.access.everyone(actor.today);
      const auditors: string[] = [];
      for (const { id, access } of everyone) if (await mayAtRepository(uow, access, 'audit')) auditors.push(id);
      const subject = `The ledger on ${actor.today}: ${head.size.toLocaleString('en-GB')} entries`;
      const body =
        `Keep these lines outside the repository. With them the verifier shows whether anything up to here was changed or cut off since.\n\n` +
        head.witness!.note;
      const letters = auditors.map((toId) => ({ id: uuidv7(), toId, kind: 'ledger', subject, body, link: '/proof' }));
      await send(uow, letters);
      uow.enterAll(
        letters.map(({ id, toId }) => ({
          act: 'sent a letter',
          subject: { kind: 'message', id, name: subject },
          after: { to: toId, head: head.size, root: head.root },
        })),
      );
    },
    'none',
  );
}
