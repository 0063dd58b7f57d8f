import { programActor, withUnitOfWork, type Actor, type Services } from '../kernel/index.js';
import { readSettings } from '../identity/index.js';
import * as store from './store.js';

/** What a hold enters once all is covered, or let go of. */
export const holdEnds = { covering: 'finished covering', releasing: 'finished releasing' } as const;

/** Records a step: so few that nobody who writes one of them meanwhile waits longer than a tenth of a second. */
const aStep = 500;
const lookAgainMs = 10;
/** How long one hold is gone on with while others wait. */
const turnMs = 2000;

/** Of each hold that waits to look: who was writing records when it was first come to, and still is. */
export type WritersOf = Map<string, readonly string[]>;

/** Waits for everybody who was writing records when the hold was first come to; false when it may not go on. Who came later has seen it. */
async function writersHaveEnded({ pool }: Services, holdId: string, writersOf: WritersOf, goesOn: () => boolean): Promise<boolean> {
  let writers = writersOf.get(holdId) ?? (await store.writers(pool));
  while (writers.length > 0) {
    writersOf.set(holdId, writers);
    if (!goesOn()) return false;
    await new Promise((resolve) => setTimeout(resolve, lookAgainMs));
    const now = new Set(await store.writers(pool));
    writers = writers.filter((writer) => now.has(writer));
  }
  writersOf.delete(holdId);
  return true;
}

/**
 * Goes on with what a hold has to do, for as long as `goesOn` says so: covering what its criteria matched when it was placed, or letting
 * go of what it covered. Each step is kept by itself, so that it may stop anywhere; several servers may go on with the same hold.
 */
export async function goOnWithHold(
  services: Services,
  holdId: string,
  goesOn: () => boolean,
  writersOf: WritersOf = new Map(),
): Promise<void> {
  const { pool } = services;
  const work = await store.workOf(pool, holdId);
  if (work?.doing !== 'covering') writersOf.delete(holdId);
  if (!work) return;
  if (work.total === null) {
    // What was written beside the placing is either seen by the search, or its writer has seen the hold.
    if (work.doing === 'covering' && !(await writersHaveEnded(services, holdId, writersOf, goesOn))) return;
    await store.lookForWork(pool, holdId, aStep);
  }
  const { today } = await readSettings(pool);
  const actor: Actor = { ...programActor('job', today), id: work.by_id, name: work.by_name };
  while (goesOn()) {
    const step = await withUnitOfWork(pool, actor, async (uow) => {
      const done = await store.step(uow, holdId, work.doing);
      if (done?.stepped === 0) {
        uow.enter({
          act: holdEnds[work.doing],
          subject: { kind: 'hold', id: holdId, name: work.name },
          after: { records: done.records },
        });
      }
      return done;
    });
    if (!step || step.stepped === 0) return;
  }
}

/** Goes on with all holds that have something to do, each in its turn; gives how many those were. One that fails keeps no other waiting. */
export async function goOnWithHolds(services: Services, writersOf: WritersOf): Promise<number> {
  const ids = await store.holdsAtWork(services.pool);
  const failed: unknown[] = [];
  for (const id of ids) {
    const until = Date.now() + turnMs;
    await goOnWithHold(services, id, () => !services.stopping && Date.now() < until, writersOf).catch((error: unknown) =>
      failed.push(error),
    );
  }
  if (failed.length > 0) throw new AggregateError(failed, `${failed.length} of ${ids.length} holds could not go on`);
  return ids.length;
}
