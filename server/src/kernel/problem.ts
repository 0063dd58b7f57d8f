import type { Problem as ProblemDocument, ProblemField } from '@key-cellar/contract';
import type { Refusal } from '@key-cellar/core/records';
import { databaseAway, sqlState } from './connect.js';

export type ProblemStatus = 400 | 401 | 403 | 404 | 409 | 412 | 413 | 421 | 422 | 429 | 500 | 503 | 507;

/** An answer that is not the one asked for, as an RFC 9457 problem document. */
export class Problem extends Error {
  constructor(
    readonly status: ProblemStatus,
    readonly code: string,
    sentence: string,
    readonly fields?: ProblemField[],
    /** For the log only. */
    cause?: unknown,
  ) {
    super(sentence, { cause });
  }

  document(): ProblemDocument {
    return {
      type: `urn:key-cellar:problem:${this.code}`,
      title: titles[this.status],
      status: this.status,
      detail: this.message,
      ...(this.fields ? { fields: this.fields } : {}),
    };
  }
}

const titles: Record<ProblemStatus, string> = {
  400: 'The request cannot be read',
  401: 'Sign in first',
  403: 'Not allowed',
  404: 'Not found',
  409: 'Refused',
  412: 'Changed meanwhile',
  413: 'Too large',
  421: 'Not this server',
  422: 'Something is wrong with what was sent',
  429: 'Too many tries',
  500: 'Something went wrong here',
  503: 'Not ready',
  507: 'No room',
};

/** Something outside this server that it cannot do without does not answer, or refuses: nobody’s mistake, and it may come back. */
export class Away extends Problem {
  constructor(
    code: string,
    /** What is away, as a sentence. */
    readonly what: string,
    cause: unknown,
  ) {
    super(
      503,
      code,
      `${what} Nothing was changed. Try again in a few minutes; if it stays so, tell whoever runs the server.`,
      undefined,
      cause,
    );
  }
}

/** What may not be discovered and what does not exist get the same answer. */
export const notFound = (what = 'That'): Problem => new Problem(404, 'not-found', `${what} does not exist here, or you may not see it.`);

export const notAllowed = (right: string, who = 'A keeper can grant it.'): Problem =>
  new Problem(403, 'not-allowed', `This needs the right “${right}” here. ${who}`);

export const changedMeanwhile = (): Problem =>
  new Problem(412, 'changed-meanwhile', 'Somebody changed this after you opened it. Look at the newest state, then try again.');

export const refused = (refusal: Refusal): Problem => new Problem(409, refusal.code, refusal.sentence);

export function wrongField(pointer: string, sentence: string): Problem {
  return new Problem(422, 'wrong-input', sentence, [{ pointer, sentence }]);
}

/** The problem that a database error means for the person; null when it means nothing to them. */
function problemOfDatabase(error: Error): Problem | null {
  if (databaseAway(error)) {
    return new Problem(
      503,
      'database-away',
      'The database does not answer just now. Try again in a moment; if this was to change something, look first whether it did.',
    );
  }
  const { message } = error;
  const state = sqlState(error);
  // What the database cannot hold as a value (SQLSTATE class 22).
  if (state?.startsWith('22')) {
    return new Problem(422, 'not-storable', 'A number, date or text in this is one that cannot be kept. Look at what was typed.');
  }
  switch (state) {
    case 'KC001':
    case 'KC004':
      return new Problem(409, 'refused-by-database', `${message}.`);
    case 'KC002':
      return new Problem(409, 'record-held', `${message}. Counsel can release the hold.`);
    case 'KC003':
      return new Problem(409, 'record-declared', `${message}. A keeper may revoke the declaration with a reason.`);
    case '53100':
      return new Problem(507, 'disk-full', 'The disk of the database is full, so nothing was stored. Tell whoever runs the server.');
    // What is too large for one row or index.
    case '54000':
      return new Problem(422, 'not-storable', 'Something in this is larger than can be kept. Make it shorter.');
    // A row that it points at is not there.
    case '23503':
      return new Problem(422, 'not-storable', 'Something in this names what is not there, or is still needed elsewhere.');
    case '23505':
      return new Problem(409, 'exists-already', 'Something with this name, code or number exists already. Choose another.');
    default:
      return null;
  }
}

/** Whatever went wrong, as it is told: our own refusals, what the database says, and else that it stands in the log. */
export function problemOf(error: unknown): Problem {
  if (error instanceof Problem) return error;
  const known = error instanceof Error ? problemOfDatabase(error) : null;
  return known ?? new Problem(500, 'unexpected', 'Something went wrong here. It was written to the server’s log.');
}
