import { inOwnTransaction, withUnitOfWork, type Actor } from '../kernel/index.js';
import { DamagedContent } from './content.js';
import * as store from './contentStore.js';
import { mendOne } from './mending.js';
import * as objectStore from './objectStore.js';
import type { Services } from './services.js';

/** Contents, locks and removals that are looked at before anybody else has a turn. */
const perPart = 100;
const bytesPerPart = 64 * 1024 * 1024;
const atOnce = 4;
const dayMs = 86_400_000;

/** Does the same with each, a few at once: an object store is far away. */
async function eachOf<T>(all: readonly T[], work: (one: T) => Promise<void>): Promise<void> {
  const waiting = [...all];
  const worker = async (): Promise<void> => {
    for (let one = waiting.shift(); one !== undefined; one = waiting.shift()) await work(one);
  };
  const workers = Array.from({ length: atOnce }, () =>
    worker().catch((error: unknown) => {
      // The others end what they are at, and begin nothing new.
      waiting.length = 0;
      throw error;
    }),
  );
  const failed = (await Promise.allSettled(workers)).find((ended) => ended.status === 'rejected');
  if (failed) throw failed.reason;
}

/** Copies a content to the object store as it is stored. Throws DamagedContent when it is not what came in. */
async function copyOne({ contents, objects, pool }: Services, id: string): Promise<void> {
  await objectStore.beginObject(pool, id);
  const version = await objects!.put(id, contents.stored(pool, id, 'itself'));
  await inOwnTransaction(pool, async (db) => {
    await objectStore.setVersion(db, id, version);
    // A content that went meanwhile has no copy: what was written is nobody’s, and is removed.
    if (!(await objectStore.setCopied(db, id))) throw new DamagedContent(id, 'missing');
  });
}

async function copyNew(services: Services): Promise<number> {
  const { pool, log } = services;
  let [copied, bytes] = [0, 0];
  await eachOf(await objectStore.withoutCopy(pool, perPart), async ({ id, size }) => {
    if (bytes >= bytesPerPart || services.stopping) return;
    bytes += size;
    try {
      await copyOne(services, id);
      copied++;
    } catch (error) {
      if (!(error instanceof DamagedContent)) throw error;
      log.error({ contentId: id }, 'a content is damaged, and was not copied');
    }
  });
  return copied;
}

/** Reads to the end; what is damaged has been told by then. */
async function readThrough(chunks: AsyncIterable<Buffer>): Promise<boolean> {
  try {
    for await (const chunk of chunks) void chunk;
    return true;
  } catch (error) {
    if (error instanceof DamagedContent) return false;
    throw error;
  }
}

/**
 * Says that what lies in the object store is no copy, or is there no more, and enters that on what has the content. The next round writes it
 * anew from a content that is what it was. False for a content that has no copy, or lies there itself.
 */
function giveUpCopy({ pool }: Services, actor: Actor, id: string): Promise<boolean> {
  return withUnitOfWork(
    pool,
    actor,
    async (uow) => {
      const sha256 = await objectStore.dropCopy(uow, id);
      if (sha256 === undefined) return false;
      const holders = await store.holdersOf(uow, id);
      uow.enterAll(holders.map((subject) => ({ act: 'gave up a damaged copy', subject, after: { sha256: sha256.toString('hex') } })));
      return true;
    },
    'none',
  );
}

/** Locks what is not locked yet, and what would not be for half its time any more. */
async function renewLocks(services: Services, actor: Actor): Promise<number> {
  const { contents, objects, pool, log } = services;
  const now = Date.now();
  const { lockDays } = objects!;
  const due = await objectStore.locksEnding(pool, new Date(now + (lockDays / 2) * dayMs), perPart);
  await eachOf(due, async ({ id, version }) => {
    const until = new Date(now + lockDays * dayMs);
    if (await objects!.lock(id, version, until)) await objectStore.setLocked(pool, id, version, until);
    else {
      log.error({ contentId: id }, 'an object is missing; a copy is written anew, and a content is set apart');
      if (!(await giveUpCopy(services, actor, id))) await readThrough(contents.stored(pool, id, 'itself'));
    }
  });
  return due.length;
}

/** Removes objects whose content is gone and whose lock has ended. One that cannot be removed keeps none of the others. */
async function removeGone({ objects, pool, log }: Services): Promise<number> {
  let removed = 0;
  for (const { id } of await objectStore.objectsToRemove(pool, perPart)) {
    if (await objects!.remove(id)) {
      await objectStore.forgetObject(pool, id);
      removed++;
    } else {
      log.warn({ contentId: id }, 'the object store does not let an object be removed; it is tried again in an hour');
      await objectStore.postponeRemoval(pool, id);
    }
  }
  return removed;
}

/** Mends what is set apart from its copy. A copy that does not have it either is none. */
async function mendFromCopies(services: Services, actor: Actor): Promise<number> {
  const { contents, pool, log } = services;
  const damaged = await objectStore.damagedWithCopy(pool, perPart);
  for (const content of damaged) {
    if (await mendOne(services, actor, content, contents.stored(pool, content.id, 'copy'), 'the copy in the object store')) continue;
    log.error({ contentId: content.id }, 'a damaged content cannot be mended from its copy');
    await giveUpCopy(services, actor, content.id);
  }
  return damaged.length;
}

/** Does what there is to do in the object store, one app server at a time; gives how many objects it came to. */
export async function tendObjects(services: Services, actor: Actor): Promise<number> {
  if (!services.objects) return 0;
  return inOwnTransaction(services.pool, async (db) => {
    if (!(await objectStore.lockTending(db))) return 0;
    let done = 0;
    const failed: unknown[] = [];
    // One that a store refuses, as a bucket without locks does, keeps none of the others.
    for (const step of [mendFromCopies, copyNew, renewLocks, removeGone]) {
      try {
        done += await step(services, actor);
      } catch (error) {
        failed.push(error);
      }
    }
    if (failed.length > 0) throw failed[0];
    return done;
  });
}

/** Reads the copy of a content that is what it was, and gives it up when it is not: another one is written. */
export async function checkCopy(services: Services, actor: Actor, { id }: { readonly id: string }): Promise<void> {
  const { contents, pool, log } = services;
  if (await readThrough(contents.stored(pool, id, 'copy'))) return;
  log.error({ contentId: id }, 'a copy in the object store is damaged; it is written anew');
  await giveUpCopy(services, actor, id);
}
