import type { Several, UnitOfWork } from '../kernel/index.js';

/** What is told when nothing may be kept: all that was done is rolled back with it. */
class NotTaken<T> extends Error {
  constructor(readonly outcome: T) {
    super('it was not taken in');
  }
}

/** Runs work whose outcome may be that something is wrong: then nothing of it is kept, and the outcome is told all the same. */
export async function takenOrTold<T>(work: Several, isWrong: (outcome: T) => boolean, part: (uow: UnitOfWork) => Promise<T>): Promise<T> {
  return work(async (uow) => {
    const outcome = await part(uow);
    if (isWrong(outcome)) throw new NotTaken(outcome);
    return outcome;
  }).catch((error: unknown) => {
    if (error instanceof NotTaken) return (error as NotTaken<T>).outcome;
    throw error;
  });
}
