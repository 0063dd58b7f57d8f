import type { Problem as ProblemDocument, ProblemField, Told } from '@key-cellar/contract';
import type { Right } from '@key-cellar/core/access';
import type { Refusal } from '@key-cellar/core/records';
import { message, type Message } from '@key-cellar/words';
import type { Speaker } from '@key-cellar/words/speaker';
import { spoken } from '@key-cellar/words/spoken';
import type { Logger } from 'pino';
import { databaseAway, sqlState } from './connect.js';
import { inEnglish } from './speech.js';

export type ProblemStatus = 400 | 401 | 403 | 404 | 409 | 412 | 413 | 421 | 422 | 429 | 500 | 503 | 507;

/** Something wrong with one part of what was sent. */
export type WrongField = Told<ProblemField>;

/** An answer that is not the one asked for, as an RFC 9457 problem document. */
export class Problem extends Error {
  constructor(
    readonly status: ProblemStatus,
    readonly code: string,
    readonly said: Message,
    readonly fields?: readonly WrongField[],
    /** For the log only. */
    cause?: unknown,
  ) {
    super(inEnglish(said), { cause });
  }

  /** As it is sent to somebody who reads this language. */
  document({ say }: Speaker): ProblemDocument {
    return {
      type: `urn:key-cellar:problem:${this.code}`,
      title: say(message(`problem.title.${this.status}`)),
      status: this.status,
      detail: say(this.said),
      ...(this.fields ? { fields: spoken(this.fields, say) as ProblemField[] } : {}),
      message: { code: this.said.say, ...(this.said.with ? { values: this.said.with } : {}) },
    };
  }
}

/** Something outside this server that it cannot do without does not answer, or refuses: nobody’s mistake, and it may come back. */
export class Away extends Problem {
  constructor(
    code: string,
    /** What is away, as a sentence. */
    readonly what: Message,
    cause: unknown,
  ) {
    super(503, code, message('problem.away', { what }), undefined, cause);
  }
}

/** What may not be discovered and what does not exist get the same answer. */
export const notFound = (what: Message = message('problem.that')): Problem =>
  new Problem(404, 'not-found', message('problem.notFound', { what }));

export const notAllowed = (right: Right, who: Message = message('problem.aKeeperCanGrant')): Problem =>
  new Problem(403, 'not-allowed', message('problem.notAllowed', { right: message(`access.right.${right}`), who }));

export const changedMeanwhile = (): Problem => new Problem(412, 'changed-meanwhile', message('problem.changedMeanwhile'));

export const refused = (refusal: Refusal): Problem => new Problem(409, refusal.code, refusal.sentence);

/** Nobody is signed in. */
export const notSignedIn = (): Problem => new Problem(401, 'not-signed-in', message('problem.notSignedIn'));

export function wrongField(pointer: string, sentence: Message): Problem {
  return new Problem(422, 'wrong-input', sentence, [{ pointer, sentence }]);
}

/** What was to be written and met something there (“Key (code)=(BER-01) already exists.”), as far as it means anything to people. */
function valuesThatMet(error: Error): string {
  const values = /=\((.*)\) already exists/.exec((error as { detail?: string }).detail ?? '')?.[1]?.split(', ') ?? [];
  return values.filter((value) => value !== '' && !/^[0-9a-f]{8}-[0-9a-f-]{27}$/.test(value)).join(', ');
}

/** The problem that a database error means for the person; null when it means nothing to them. */
function problemOfDatabase(error: Error): Problem | null {
  if (databaseAway(error)) {
    return new Problem(503, 'database-away', message('problem.databaseAway'), undefined, error);
  }
  const state = sqlState(error);
  // What the database cannot hold as a value (SQLSTATE class 22).
  if (state?.startsWith('22')) {
    return new Problem(422, 'not-storable', message('problem.notStorable'), undefined, error);
  }
  switch (state) {
    case 'KC001':
    case 'KC004':
      return new Problem(409, 'refused-by-database', message('problem.refusedByDatabase'), undefined, error);
    case 'KC002':
      return new Problem(409, 'record-held', message('problem.heldByDatabase'), undefined, error);
    case 'KC003':
      return new Problem(409, 'record-declared', message('problem.declaredByDatabase'), undefined, error);
    case '53100':
      return new Problem(507, 'disk-full', message('problem.diskFull'));
    // What is too large for one row or index.
    case '54000':
      return new Problem(422, 'not-storable', message('problem.tooLargeToStore'), undefined, error);
    // A row that it points at is not there.
    case '23503':
      return new Problem(422, 'not-storable', message('problem.namesWhatIsNotThere'), undefined, error);
    case '23505': {
      const met = valuesThatMet(error);
      return new Problem(
        409,
        'exists-already',
        met === '' ? message('problem.existsAlready') : message('problem.existsAlreadyWith', { met }),
      );
    }
    default:
      return null;
  }
}

/** Whatever went wrong, as it is told: our own refusals, what the database refuses, and else that it stands in the log. */
function problemOf(error: unknown): Problem {
  if (error instanceof Problem) return error;
  const known = error instanceof Error ? problemOfDatabase(error) : null;
  return known ?? new Problem(500, 'unexpected', message('problem.unexpected'), undefined, error);
}

/**
 * The problem that an error is told as. What the person is not told goes to the log: what nobody expected as an error; what the
 * database refused in its own words, and what was away, as a warning.
 */
export function tellProblem(log: Logger, error: unknown, what: string): Problem {
  const problem = problemOf(error);
  if (problem.status === 500) log.error({ err: error }, what);
  else if (problem !== error || problem.status === 503) log.warn({ err: error, told: problem.code }, what);
  return problem;
}
