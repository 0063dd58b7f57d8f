import type { AskingOf, Endpoint, ToldOf } from '@key-cellar/contract';
import type { Speaker } from '@key-cellar/words/speaker';
import type { Input } from './act.js';
import type { SignedIn, Visiting } from './actor.js';
import type { PersonAccess } from './authority.js';

/** A file to be saved, under a name of ours. */
export class Download {
  constructor(
    readonly file: { readonly type: string; readonly name: string } & (
      { readonly bytes: Buffer } | { readonly parts: AsyncIterable<Uint8Array> }
    ),
  ) {}
}

/** What comes in parts: lines of JSON, one after another, until the work is done or nobody listens any more. */
export class Lines {
  constructor(readonly work: (say: (line: unknown) => void, gone: AbortSignal) => Promise<void>) {}
}

interface Asked<E extends Endpoint, S> extends Input<E> {
  readonly services: S;
  /** Only public endpoints may be asked without a person. */
  readonly person: SignedIn;
  /** Of public endpoints: which visitor’s pass may be open. */
  readonly visitor: Visiting;
  /** Who speaks to them: for what leaves as a document. */
  readonly speaker: Speaker;
  /** The person’s access; of a public endpoint there is none to ask for. */
  access(): Promise<PersonAccess>;
}

type Answered<E extends Endpoint> = ToldOf<E> | Download | Lines;
/** What answers an endpoint that changes nothing. */
export interface Read<E extends Endpoint, S> {
  (asked: Asked<E, S>): Promise<Answered<E>> | Answered<E>;
  /** Some reading is an act of its own: as the ledger says it. */
  readonly enters?: readonly string[];
}

/** The answers to all endpoints of an area that change nothing. */
export type ReadsOf<A, S> = { readonly [K in keyof AskingOf<A>]: A[K] extends Endpoint ? Read<A[K], S> : never };

/** Says of a reading that it is an act, and how the ledger says it. */
export function entering<E extends Endpoint, S>(names: readonly string[], read: Read<E, S>): Read<E, S> {
  return Object.assign((asked: Asked<E, S>) => read(asked), { enters: names });
}
