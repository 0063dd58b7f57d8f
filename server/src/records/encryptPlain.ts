import type pg from 'pg';
import { withUnitOfWork, type Actor } from '../kernel/index.js';
import { DamagedContent } from './content.js';
import * as store from './contentStore.js';
import type { Services } from './services.js';

/** Contents that are looked up at once. */
const perPart = 200;

/**
 * Encrypts what came in before contents were, as the owner of the database, each content in a transaction of its own. Gives how many were
 * encrypted, and how many are damaged and stayed as they are.
 */
export async function encryptPlain(
  { contents }: Pick<Services, 'contents'>,
  actor: Actor,
  owner: pg.Pool,
): Promise<{ encrypted: number; damaged: number }> {
  const count = { encrypted: 0, damaged: 0 };
  for (let after: string | null = null; ;) {
    const part = await store.plainContents(owner, after, perPart);
    for (const content of part) {
      try {
        await withUnitOfWork(
          owner,
          actor,
          async (uow) => {
            await contents.encrypt(uow, content);
            const holders = await store.holdersOf(uow, content.id);
            uow.enterAll(
              holders.map((subject) => ({ act: 'encrypted content', subject, after: { sha256: content.sha256.toString('hex') } })),
            );
          },
          'none',
        );
        count.encrypted++;
      } catch (error) {
        if (!(error instanceof DamagedContent)) throw error;
        count.damaged++;
      }
    }
    if (part.length < perPart) return count;
    after = part.at(-1)!.id;
  }
}
