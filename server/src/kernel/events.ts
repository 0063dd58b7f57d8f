import type { UnitOfWork } from './unitOfWork.js';

/**
 * What a lower area sets off in a higher one, in the same transaction: each with what is told. Who listens is listed in `listeners.ts`, and nowhere else.
 */
interface Happenings {
  /** Something about places changed that dates follow from: where they are, what rules they have, whether they are open. */
  placesChanged: { readonly placeIds: readonly string[]; readonly because: string };
  /** A place was given a numbering of its own. */
  numberingSet: { readonly numberingId: string };
  /** A folder was closed on a day. */
  folderClosed: { readonly placeId: string };
}

type HappeningName = keyof Happenings;
type Listener<N extends HappeningName> = (uow: UnitOfWork, told: Happenings[N]) => Promise<void>;
export type Listeners = { readonly [N in HappeningName]: readonly Listener<N>[] };

/** Tells whoever listens, one after another in the order of the list. */
export interface Events {
  tell<N extends HappeningName>(uow: UnitOfWork, name: N, told: Happenings[N]): Promise<void>;
}

export function eventsOver(listeners: Listeners): Events {
  return {
    async tell(uow, name, told) {
      for (const listen of listeners[name]) await listen(uow, told as never);
    },
  };
}
