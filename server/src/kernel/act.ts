import { message, type Message } from '@key-cellar/words';
import type { BodyOf, Endpoint, OutcomeLine, ParamsOf, QueryOf, ToldOf, Told } from '@key-cellar/contract';
import { type Right } from '@key-cellar/core/access';
import type { Refusal } from '@key-cellar/core/records';
import type { SignedIn } from './actor.js';
import type { PersonAccess } from './authority.js';
import type { Db } from './connect.js';
import { type SessionChange } from './session.js';
import { tellProblem, type Problem } from './problem.js';
import type { Services } from './services.js';
import type { Act as Entry, Gate, UnitOfWork } from './unitOfWork.js';

/*
 * Acts are data. An entry of the table says how the ledger calls an act, what it takes, which right it needs and on
 * what, whether it enters the gate, and what it writes; `carryOut` is the one way to do it. An act sees only what was
 * loaded under its locks and checked, so that one which forgets to check cannot be written.
 *
 *   export const release = act(holds.release, {
 *     name: 'released a hold',
 *     on: { hold: one(holdKind, ({ params }) => params.id, 'hold') },
 *     repeat: 'refused',
 *     decide: ({ on, body }) => releaseRefusal(on.hold.state, body.reason),
 *     write: async (uow, { on, body }) => { …; return { answer: { … }, entry: { before: …, note: body.reason } }; },
 *   });
 */

/** What an act is asked with, parsed by the contract. */
export interface Input<E extends Endpoint> {
  readonly params: ParamsOf<E>;
  readonly query: QueryOf<E>;
  readonly body: BodyOf<E>;
  /** The bytes that were sent, for endpoints that take a file as it is. */
  readonly bytes?: AsyncIterable<Uint8Array> | undefined;
  /** Of a request that may be repeated: whoever sends it says which one it is. */
  readonly idempotencyKey?: string | undefined;
}

export type Subject = Entry['subject'];

/**
 * A kind of thing that rights are asked on. A right on a thing is that right on every access set that it stands in: on a
 * record its own, on a batch those of all records in it. What stands in none belongs to the repository as a whole.
 */
export interface Kind<Row> {
  /** As documents name it: “record”. */
  readonly word: string;
  /** As a refusal names it: “This record”. */
  readonly what: Message;
  /** Rights of which one is enough to know of it; empty: everybody who is signed in may. */
  readonly see: readonly Right[];
  /** The rights to see count wherever the person has them, as for a name that tells nothing of what it stands for. */
  readonly knownAnywhere?: boolean;
  /** Finds what is there, with `lock` under row locks in order of the ids. What is not there is left out. */
  find(db: Db, ids: readonly string[], lock: boolean, asker: { readonly id: string }): Promise<readonly Row[]>;
  id(row: Row): string;
  subject(row: Row): Subject;
  /** None: the repository’s. `anywhere`: a name that touches nothing yet, so that the right is enough wherever the person has it. */
  sets(row: Row): readonly number[] | 'anywhere';
  /** Who deposited it: some rights reach only one’s own deposits. */
  depositor?(row: Row): string | null;
  /** Whether it is the person’s own, so that no right is asked: an arrival, a letter. */
  mine?(row: Row, person: { readonly id: string }): boolean;
}

/** A right, or what decides which one: the words say it to readers, `null` asks for none. */
export type RightOf<I, Row> =
  | Right
  | {
      readonly words: string;
      readonly may: readonly Right[];
      /** `found` is what the table has before this one. */
      of(input: I, row: Row, found: Readonly<Record<string, unknown>>): Right | readonly Right[] | null;
    };

/** A right on things of a kind, whatever act asks for it. */
// eslint-disable-next-line @typescript-eslint/no-explicit-any
export type RightOn<Row> = RightOf<any, Row>;

/** What finding out which things are meant may look at. */
export interface Look {
  readonly db: Db;
  readonly person: SignedIn;
  readonly access: PersonAccess;
}

export interface Target<I, Row, Many extends 'one' | 'many' | 'perhaps'> {
  readonly kind: Kind<Row>;
  readonly number: Many;
  readonly ids: (input: I, look: Look) => readonly string[] | Promise<readonly string[]>;
  readonly right: RightOf<I, Row>;
  readonly lock: boolean;
  /** Who could do it, for those who may not. */
  readonly who: Message | undefined;
}

interface TargetOptions {
  /** Row locks are taken unless this is false: for what the act only reads. */
  readonly lock?: boolean;
  readonly who?: Message;
}

const options = ({ lock = true, who }: TargetOptions): Pick<Target<never, never, 'one'>, 'lock' | 'who'> => ({ lock, who });

/** For what everybody may do who may know of the thing, or whose it is. */
export const noRight = { words: 'none', may: [], of: () => null } as const satisfies RightOf<never, never>;

/** One thing: 404 when it may not be known of, 403 when the right is missing. */
export function one<I, Row>(
  kind: Kind<Row>,
  id: (input: I) => string,
  right: RightOf<I, Row>,
  more: TargetOptions = {},
): Target<I, Row, 'one'> {
  return { kind, number: 'one', ids: (input) => [id(input)], right, ...options(more) };
}

/** One thing, if the input names it. */
export function perhaps<I, Row>(
  kind: Kind<Row>,
  id: (input: I) => string | null | undefined,
  right: RightOf<I, Row>,
  more: TargetOptions = {},
): Target<I, Row, 'perhaps'> {
  return { kind, number: 'perhaps', ids: (input) => [id(input)].filter((one) => typeof one === 'string'), right, ...options(more) };
}

/** Many things, each with an answer of its own: what may not be known of and what is not there answer alike. */
export function many<I, Row>(
  kind: Kind<Row>,
  ids: (input: I, look: Look) => readonly string[] | Promise<readonly string[]>,
  right: RightOf<I, Row>,
  more: TargetOptions = {},
): Target<I, Row, 'many'> {
  return { kind, number: 'many', ids, right, ...options(more) };
}

interface Repository {
  readonly id: string;
}

const repositoryKind: Kind<Repository> = {
  word: 'repository',
  what: message('thing.repository'),
  see: [],
  find: (_db, ids) => Promise.resolve(ids.map((id) => ({ id }))),
  id: (row) => row.id,
  subject: () => ({ kind: 'repository', id: null, name: 'repository' }),
  sets: () => [],
};

/** The repository as a whole: for what belongs to no place. */
export function atRepository<I>(right: RightOf<I, Repository>, who?: Message): Target<I, Repository, 'one'> {
  return one(repositoryKind, () => 'repository', right, { lock: false, ...(who === undefined ? {} : { who }) });
}

/** Somewhere at all: only for what makes a thing of one’s own and touches no other, or asks anew for each row of a table. */
const somewhereKind: Kind<Repository> = { ...repositoryKind, word: 'somewhere', sets: () => 'anywhere' };

export function somewhere<I>(right: Right, words: string = right): Target<I, Repository, 'one'> {
  return one(somewhereKind, () => 'somewhere', { words, may: [right], of: () => right }, { lock: false });
}

// Rows and inputs differ from entry to entry; inside the engine they are only handed on.
// eslint-disable-next-line @typescript-eslint/no-explicit-any
type AnyTarget<I = any> = Target<I, any, 'one' | 'many' | 'perhaps'>;

export type Targets<I> = Readonly<Record<string, AnyTarget<I>>>;

export type Found<On> = {
  readonly [K in keyof On]: On[K] extends Target<never, infer Row, infer Many>
    ? Many extends 'many'
      ? readonly Row[]
      : Many extends 'perhaps'
        ? Row | undefined
        : Row
    : never;
};

/** What an act is given: who asks, with what, and what was found, locked and allowed. */
export interface Given<E extends Endpoint, S, On> extends Input<E> {
  readonly services: S;
  readonly person: SignedIn;
  readonly access: PersonAccess;
  readonly on: Found<On>;
  /** Of things in number: those that were asked for and are not among `on`, each with why. */
  readonly left: readonly Told<OutcomeLine>[];
  readonly trial: boolean;
}

/** What the ledger says; what is left out is what the table says: the act’s name, and the first thing it is on. */
export interface Entered {
  readonly act?: string;
  readonly subject?: Subject;
  readonly before?: unknown;
  readonly after?: unknown;
  readonly note?: string | undefined;
}

interface Outcome<R> {
  readonly answer: R;
  /** Null: nothing was changed, so there is nothing to say. */
  readonly entry: Entered | readonly Entered[] | null;
}

/** What the same request does a second time: nothing more, another of the kind, or it is refused. */
type Repeat = 'same' | 'another' | 'refused';

interface Common<E extends Endpoint, On> {
  /** As the ledger says it; of several the entry names its own. */
  readonly name: string | readonly string[];
  /** What else it may enter: what follows from it on other things. */
  readonly also?: readonly string[];
  readonly on: On;
  readonly repeat: Repeat;
  /** Whether it is only tried: all of it is done then, and nothing kept. */
  readonly tries?: (input: Input<E>) => boolean;
  /** What becomes a job beyond a size. */
  readonly job?: { readonly kind: string; readonly beyond: number };
  readonly gate?: Gate;
  /** Taken before anything is loaded, where two of the kind could otherwise wait for each other in a circle. */
  readonly first?: (uow: UnitOfWork) => Promise<void>;
}

export interface InOne<E extends Endpoint, S, On> extends Common<E, On> {
  /** Which decision of the core it asks, and what that said. */
  readonly decide?: (given: Given<E, S, On>) => Refusal | null;
  readonly write: (uow: UnitOfWork, given: Given<E, S, On>) => Promise<Outcome<ToldOf<E>>>;
  /** What goes on once it is kept, and gives the answer. The act is done by then: what fails here goes on by itself later. */
  readonly follow?: (services: S, answer: ToldOf<E>) => Promise<ToldOf<E>>;
}

/** For acts that take several transactions, each of which enters what it did. */
export interface InSeveral<E extends Endpoint, S, On> extends Common<E, On> {
  readonly perform: (given: Given<E, S, On>, work: Several) => Promise<ToldOf<E>>;
}

/** Runs one of the transactions of an act that takes several. */
export type Several = <T>(part: (uow: UnitOfWork) => Promise<T> | T) => Promise<T>;

/** An act without anybody signed in: who acts is found out on the way. */
export interface Free<E extends Endpoint, S> extends Omit<Common<E, never>, 'on'> {
  /** Why no right is asked. */
  readonly because: string;
  readonly free: (
    call: Input<E> & {
      readonly services: S;
      readonly address: string;
      readonly agent: string;
      readonly person: SignedIn | null;
      /** The token of a browser whose sign-in is under way elsewhere. */
      readonly leaving: string | null;
    },
  ) => Promise<ToldOf<E> | SessionChange>;
}

export interface ActOf<E extends Endpoint, S, On> {
  readonly endpoint: E;
  readonly definition: InOne<E, S, On> | InSeveral<E, S, On> | Free<E, S> | EachOf<E, S>;
}

/** One act on each of many, with what came of it told line by line. */
interface EachOf<E extends Endpoint, S> {
  readonly each: AnyAct<S>;
  readonly carryEach: (input: Input<E>, carry: (item: object) => Promise<unknown>, log: Services['log']) => Promise<ToldOf<E>>;
}

// eslint-disable-next-line @typescript-eslint/no-explicit-any
export type AnyAct<S = any> = ActOf<any, S, any>;

/** Acts of one area, bound to what that area is given. */
export function actsFor<S extends Services>() {
  return {
    /** An act in one transaction. */
    act: <E extends Endpoint, On extends Targets<Input<E>>>(endpoint: E, definition: InOne<E, S, On>): ActOf<E, S, On> => ({
      endpoint,
      definition,
    }),
    /** An act in several transactions. */
    actInParts: <E extends Endpoint, On extends Targets<Input<E>>>(endpoint: E, definition: InSeveral<E, S, On>): ActOf<E, S, On> => ({
      endpoint,
      definition,
    }),
    /** The same act on each of many, each in its own transaction: one that is refused does not touch the others. */
    actOnEach: <E extends Endpoint, F extends Endpoint, On, Line>(
      endpoint: E,
      definition: {
        readonly each: ActOf<F, S, On>;
        readonly items: (input: Input<E>) => readonly BodyOf<F>[];
        readonly line: (item: BodyOf<F>, came: ToldOf<F> | Problem) => Line;
        readonly answer: (lines: Line[]) => ToldOf<E>;
      },
    ): ActOf<E, S, Targets<Input<E>>> => ({
      endpoint,
      definition: {
        each: definition.each,
        async carryEach(input, carry, log) {
          const lines: Line[] = [];
          for (const item of definition.items(input)) {
            const came = await carry(item as object).catch((error: unknown) => tellProblem(log, error, 'one of many failed'));
            lines.push(definition.line(item, came as ToldOf<F> | Problem));
          }
          return definition.answer(lines);
        },
      },
    }),
    /** An act that asks for no right on anything. */
    freeAct: <E extends Endpoint>(endpoint: E, definition: Free<E, S>): ActOf<E, S, Targets<Input<E>>> => ({ endpoint, definition }),
  };
}

export function namesOf(act: AnyAct): string[] {
  if ('each' in act.definition) return namesOf(act.definition.each);
  const { name, also = [] } = act.definition;
  return [...new Set([...(typeof name === 'string' ? [name] : name), ...also])];
}

/** What an act asks for, as its entry says it: for the help of who can do what, the documents and the specs. */
export interface Need {
  readonly key: string;
  /** The right in words; “none” where knowing of the thing is enough. */
  readonly words: string;
  /** The rights that it may come to. */
  readonly may: readonly Right[];
  /** The kind of thing. */
  readonly on: string;
  readonly many: boolean;
}

export function targetsOf(act: AnyAct): { readonly needs: readonly Need[]; readonly because: string | null } {
  const { definition } = act;
  if ('each' in definition) return targetsOf(definition.each);
  if ('free' in definition) return { needs: [], because: definition.because };
  const needs = Object.entries(definition.on as Targets<unknown>).map(([key, { kind, right, number }]) => ({
    key,
    words: typeof right === 'string' ? right : right.words,
    may: typeof right === 'string' ? [right] : right.may,
    on: kind.word,
    many: number === 'many',
  }));
  return { needs, because: null };
}

/** A kind whose rows belong to the repository as a whole, and may be known of by everybody who is signed in. */
export function ofRepository<Row extends { readonly id: string }>(
  kind: Pick<Kind<Row>, 'word' | 'what' | 'subject'> & { find(db: Db, id: string, lock: boolean): Promise<Row | undefined> },
): Kind<Row> {
  return {
    word: kind.word,
    what: kind.what,
    see: [],
    async find(db, ids, lock) {
      const found = [];
      for (const id of [...ids].sort()) {
        const row = await kind.find(db, id, lock);
        if (row !== undefined) found.push(row);
      }
      return found;
    },
    id: (row) => row.id,
    subject: kind.subject,
    sets: () => [],
  };
}
