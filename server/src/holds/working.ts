import { programActor, withUnitOfWork, type Actor, type Services } from '../kernel/index.js';
import { readSettings } from '../identity/index.js';
import * as store from './store.js';

/** What a hold enters once all is covered, or let go of. */
export const holdEnds = { covering: 'finished covering', releasing: 'finished releasing' } as const;

/** Records a step: so few that nobody who writes one of them meanwhile waits longer than a tenth of a second. */
const aStep = 500;
const lookAgainMs = 10;

/** Waits for everybody who was writing records just now; false when it may not go on. */
async function writersHaveEnded({ pool }: Services, goesOn: () => boolean): Promise<boolean> {
  let writers = await store.writers(pool);
  while (writers.length > 0) {
    if (!goesOn()) return false;
    await new Promise((resolve) => setTimeout(resolve, lookAgainMs));
    const now = new Set(await store.writers(pool));
    writers = writers.filter((writer) => now.has(writer));
  }
  return true;
}

/**
 * Goes on with what a hold has to do, for as long as `goesOn` says so: covering what its criteria matched when it was placed, or letting
 * go of what it covered. Each step is kept by itself, so that it may stop anywhere; several servers may go on with the same hold.
 */
export async function goOnWithHold(services: Services, holdId: string, goesOn: () => boolean): Promise<void> {
  const { pool } = services;
  const work = await store.workOf(pool, holdId);
  if (!work) return;
  if (work.total === null) {
    // What was written beside the placing is either seen by the search, or its writer has seen the hold.
    if (work.doing === 'covering' && !(await writersHaveEnded(services, goesOn))) return;
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

/** Goes on with all holds that have something to do; gives how many those were. */
export async function goOnWithHolds(services: Services): Promise<number> {
  const ids = await store.holdsAtWork(services.pool);
  for (const id of ids) await goOnWithHold(services, id, () => !services.stopping);
  return ids.length;
}
