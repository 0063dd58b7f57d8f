import type { AccessShift, DateShift, Told } from '@key-cellar/contract';
import type { Message } from '@key-cellar/words';
import type { SignedIn } from './actor.js';
import type { PersonAccess } from './authority.js';
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

/** What a lower area asks of a higher one, in the same transaction; who answers stands in `listeners.ts`. */
interface Questions {
  /** How due dates move by what this transaction did to places; for a trial, which keeps nothing. */
  dateShift: { readonly asks: { readonly placeIds: readonly string[]; readonly access: PersonAccess }; readonly answer: DateShift };
  /** Whose access changes by some work in this transaction, as a person may know it. */
  accessShift: { readonly asks: { readonly person: SignedIn; work(): Promise<unknown> }; readonly answer: Told<AccessShift> };
  /**
   * What some people, groups or programs were given, by themselves or by groups that they are in, that goes beyond what a person has there, in a
   * sentence; null where nothing does, or where the person sets up the repository.
   */
  givenBeyond: {
    readonly asks: { readonly access: PersonAccess; readonly principalIds: readonly string[] };
    readonly answer: Message | null;
  };
  /** Whether anybody who can sign in may set up the repository after what this transaction did. */
  somebodySetsUp: { readonly asks: object; readonly answer: boolean };
  /** Hands over what somebody who leaves has: what they own, and grants if asked; gives how much went over. */
  handOver: {
    readonly asks: {
      readonly from: { readonly id: string; readonly name: string };
      readonly to: { readonly id: string; readonly name: string } | null;
      readonly grantsToo: boolean;
    };
    readonly answer: { readonly records: number; readonly grants: number };
  };
}

type QuestionName = keyof Questions;
type Answerer<N extends QuestionName> = (uow: UnitOfWork, asked: Questions[N]['asks']) => Promise<Questions[N]['answer']>;
export type Answerers = { readonly [N in QuestionName]: Answerer<N> };

type HappeningName = keyof Happenings;
type Listener<N extends HappeningName> = (uow: UnitOfWork, told: Happenings[N]) => Promise<void>;
export type Listeners = { readonly [N in HappeningName]: readonly Listener<N>[] };

/** Tells whoever listens, one after another in the order of the list. */
export interface Events {
  tell<N extends HappeningName>(uow: UnitOfWork, name: N, told: Happenings[N]): Promise<void>;
  ask<N extends QuestionName>(uow: UnitOfWork, name: N, asked: Questions[N]['asks']): Promise<Questions[N]['answer']>;
}

export function eventsOver(listeners: Listeners, answerers: Answerers): Events {
  return {
    ask: (uow, name, asked) => answerers[name](uow, asked as never),
    async tell(uow, name, told) {
      for (const listen of listeners[name]) await listen(uow, told as never);
    },
  };
}
