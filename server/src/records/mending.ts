import { withUnitOfWork, type Actor, type Db } from '../kernel/index.js';
import { DamagedContent } from './content.js';
import * as store from './contentStore.js';
import type { Services } from './services.js';

const mostMended = 100_000;

/** What was to be put back is not what was there: it is taken back. */
class NotMended extends Error {}

/** Mends a content from chunks as they were stored, and enters that on what has it; false when they are not what it was. */
export async function mendOne(
  { contents, pool }: Pick<Services, 'contents' | 'pool'>,
  actor: Actor,
  { id, sha256 }: { readonly id: string; readonly sha256: Buffer },
  chunks: AsyncIterable<Buffer>,
  from: string,
): Promise<boolean> {
  try {
    await withUnitOfWork(
      pool,
      actor,
      async (uow) => {
        // Somebody else may have come first.
        if ((await store.lockContent(uow, id))?.damaged_at === null) return;
        if (!(await contents.mend(uow, id, chunks))) throw new NotMended();
        for (const holder of await store.holdersOf(uow, id)) {
          uow.enter({ act: 'mended damaged content', subject: holder, after: { sha256: sha256.toString('hex'), from } });
        }
      },
      'none',
    );
    return true;
  } catch (error) {
    if (error instanceof NotMended || error instanceof DamagedContent) return false;
    throw error;
  }
}

/**
 * Mends what is set apart from another database of the same repository, such as a backup that was put back beside this one: stored chunks are
 * copied, and the damage is over only where every byte is what it was. Gives how many there were and how many are mended.
 */
export async function mendFrom(
  services: Pick<Services, 'contents' | 'pool'>,
  actor: Actor,
  other: Db,
): Promise<{ damaged: number; mended: number }> {
  const damaged = await store.damagedContents(services.pool, mostMended);
  let mended = 0;
  for (const content of damaged) {
    const stored = async function* (): AsyncGenerator<Buffer> {
      for (let seq = 0; ; seq++) {
        const chunk = await store.chunk(other, content.id, seq);
        if (!chunk) return;
        yield chunk;
      }
    };
    if (await mendOne(services, actor, content, stored(), 'a backup of the database')) mended++;
  }
  return { damaged: damaged.length, mended };
}
