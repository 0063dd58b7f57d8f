import { message } from '@key-cellar/words';
import { createHash } from 'node:crypto';
import { tidyFileName } from '@key-cellar/core/records';
import { uuidv7 } from 'uuidv7';
import { Problem, turns, withUnitOfWork, type SignedIn } from '../kernel/index.js';
import type { Services } from '../records/index.js';
import * as store from './store.js';

export interface Upload {
  readonly name: string;
  readonly source: string;
  readonly placeId: string | null;
  readonly idempotencyKey: string | null;
  readonly bytes: AsyncIterable<Uint8Array>;
}

/** A key stands for one upload: repeated it gives the same arrival, and with other bytes it is a mistake of the sender. */
async function sameAgain(earlier: { id: string; sha256: Buffer }, bytes: AsyncIterable<Uint8Array>): Promise<string> {
  const hash = createHash('sha256');
  for await (const piece of bytes) hash.update(piece);
  if (hash.digest().equals(earlier.sha256)) return earlier.id;
  throw new Problem(409, 'other-bytes', message('receiving.otherBytes'));
}

// An upload holds one of a few connections for as long as it comes: one person takes no more than these.
const atSending = turns({ atOnce: 3, waiting: 60 }, message('receiving.youSendingMoreFiles'));

/**
 * Takes in one file in one transaction: whatever breaks on the way leaves nothing behind. A repeated upload with the
 * same idempotency key gives the arrival of the first one. Whether the person may, the act has found out.
 */
export function receive(services: Services, person: SignedIn, upload: Upload): Promise<string> {
  return atSending(person.id, () => takeIn(services, person, upload));
}

async function takeIn(services: Services, person: SignedIn, upload: Upload): Promise<string> {
  const { name, changed } = tidyFileName(upload.name);
  return withUnitOfWork(
    services.uploadPool,
    person,
    async (uow) => {
      if (upload.idempotencyKey) {
        await store.lockKey(uow, person.id, upload.idempotencyKey);
        const earlier = await store.arrivalByKey(uow, person.id, upload.idempotencyKey);
        if (earlier) return sameAgain(earlier, upload.bytes);
      }
      const content = await services.contents.write(uow, upload.bytes, name);
      const id = uuidv7();
      uow.alongside(
        store.addArrival(uow, {
          id,
          fileName: name,
          changed,
          contentId: content.id,
          mediaType: content.mediaType,
          source: upload.source,
          placeId: upload.placeId,
          by: person.id,
          key: upload.idempotencyKey,
          at: uow.at,
        }),
      );
      uow.enter({
        act: 'received',
        subject: { kind: 'arrival', id, name },
        after: {
          size: content.size,
          sha256: content.sha256.toString('hex'),
          source: upload.source,
          ...(changed.length > 0 ? { changed } : {}),
        },
      });
      return id;
    },
    'none',
  );
}
