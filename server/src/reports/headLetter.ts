import { uuidv7 } from 'uuidv7';
import { message } from '@key-cellar/words';
import type { Services } from '../docket/index.js';
import { send } from '../identity/index.js';
import { type Actor, inEnglish, mayAtRepository, withUnitOfWork } from '../kernel/index.js';
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
      const subject = message('ledger.letter.head', { on: { day: actor.today }, n: head.size });
      const body = message('ledger.letter.headBody', { note: head.witness!.note });
      const letters = auditors.map((toId) => ({ id: uuidv7(), toId, kind: 'ledger', subject, body, link: '/proof' }));
      await send(uow, letters);
      uow.enterAll(
        letters.map(({ id, toId }) => ({
          act: 'sent a letter',
          subject: { kind: 'message', id, name: inEnglish(subject) },
          after: { to: toId, head: head.size, root: head.root },
        })),
      );
    },
    'none',
  );
}
