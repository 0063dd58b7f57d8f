import type { Marking } from '@key-cellar/core/access';
import type { Language } from '@key-cellar/words';

/** Who acts, from where, and what day it is for them. */
export interface Actor {
  readonly id: string | null;
  readonly name: string;
  /** Network address, or the name of the part of the program that acts by itself. */
  readonly from: string;
  /** The repository's civil date, YYYY-MM-DD. */
  readonly today: string;
}

/** A signed-in person, or a program with a token. */
export interface SignedIn extends Actor {
  readonly id: string;
  readonly login: string;
  readonly clearance: Marking;
  readonly accessEpoch: number;
  readonly demo: boolean;
  readonly repository: string;
  readonly timeZone: string;
  readonly sessionHash: Buffer;
  /** Whether they still have to set up a second factor before anything else. */
  readonly factorMissing: boolean;
  /** Of a program: what its token is for. Null: a person, who may ask for everything. */
  readonly scopes: readonly string[] | null;
  /** What the person chose; null: as the browser asks. */
  readonly language: Language | null;
}

/** From where somebody asks, and what the cookie of a visitor’s session hashes to; who they are is not known yet. */
export interface Visiting {
  readonly address: string;
  readonly sessionHash: Buffer | null;
}

/** The program itself, for sweeps and jobs. */
export function programActor(part: string, today: string): Actor {
  return { id: null, name: 'Key Cellar', from: part, today };
}
