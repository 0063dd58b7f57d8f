import type { UnitOfWork } from './unitOfWork.js';

/**
 * What a lower area sets off in a higher one, in the same transaction: each with what is told and what a listener
 * answers. Who listens is listed in `listeners.ts`, and nowhere else.
 */
interface Happenings {
  /** Something about places changed that dates follow from: where they are, what rules they have, whether they are open. Answers how many records are dated anew. */
  placesChanged: { readonly told: { readonly placeIds: readonly string[]; readonly because: string }; readonly answer: number };
  /** A folder was closed on a day. Answers how many records were declared by it. */
  folderClosed: { readonly told: { readonly placeId: string }; readonly answer: number };
}

type HappeningName = keyof Happenings;
type Listener<N extends HappeningName> = (uow: UnitOfWork, told: Happenings[N]['told']) => Promise<Happenings[N]['answer']>;
export type Listeners = { readonly [N in HappeningName]: readonly Listener<N>[] };

/** Tells whoever listens, one after another in the order of the list, and adds up what they answer. */
export interface Events {
  tell<N extends HappeningName>(uow: UnitOfWork, name: N, told: Happenings[N]['told']): Promise<number>;
}

export function eventsOver(listeners: Listeners): Events {
  return {
    async tell(uow, name, told) {
      let sum = 0;
      for (const listen of listeners[name]) sum += await listen(uow, told as never);
      return sum;
    },
  };
}
