import { tidyFileName } from '@key-cellar/core/records';
import { hasRight } from '@key-cellar/core/access';
import { uuidv7 } from 'uuidv7';
import { row, withUnitOfWork } from '../db/index.js';
import type { SignedIn } from '../identity/index.js';
import { openPlace } from '../plan/index.js';
import { notAllowed } from '../problem.js';
import { writeContent } from '../records/index.js';
import type { Services } from '../services.js';
import * as store from './store.js';

export interface Upload {
  readonly name: string;
  readonly source: string;
  readonly placeId: string | null;
  readonly idempotencyKey: string | null;
  readonly bytes: AsyncIterable<Uint8Array>;
}

/**
 * Takes in one file in one transaction: whatever breaks on the way leaves nothing behind. A repeated upload with the
 * same idempotency key gives the arrival of the first one.
 */
export async function receive(services: Services, person: SignedIn, upload: Upload): Promise<string> {
  const access = await services.access.of(person);
  if (!hasRight(access.anywhere, 'deposit')) throw notAllowed('deposit');
  if (upload.placeId) {
    const { place } = await openPlace(services, person, upload.placeId);
    if (!hasRight(access.on(place.access_set_id).all, 'deposit')) throw notAllowed('deposit');
  }
  const { name, changed } = tidyFileName(upload.name);
  return withUnitOfWork(
    services.uploadPool,
    person,
    async (uow) => {
      if (upload.idempotencyKey) {
        await row(uow, 'arrival.lockKey', 'select pg_advisory_xact_lock(hashtextextended($1, 13))', [
          `${person.id} ${upload.idempotencyKey}`,
        ]);
        const earlier = await store.arrivalByKey(uow, person.id, upload.idempotencyKey);
        if (earlier) return earlier.id;
      }
      const content = await writeContent(uow, upload.bytes, name);
      const id = uuidv7();
      uow.alongside(
        store.addArrival(uow, {
          id,
          fileName: name,
          changed,
          contentId: content.id,
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
        after: { size: content.size, sha256: content.sha256.toString('hex'), source: upload.source },
        note: changed.length > 0 ? changed.join('; ') : undefined,
      });
      return id;
    },
    'none',
  );
}
