import type { DateShift } from '@key-cellar/contract';
import { message, type Message } from '@key-cellar/words';
import { addJob, withUnitOfWork, type Actor, type Db, type JobContext, type PersonAccess, type UnitOfWork } from '../kernel/index.js';
import { recompute } from './evaluation.js';
import { loadRuleBook } from './ruleBook.js';
import type { Services } from './services.js';
import * as effectStore from './effectStore.js';
import * as reachStore from './reachStore.js';

/** Up to this many records are recomputed in the transaction that touches them; more become a job. */
export const recomputedAtOnce = 2000;
const perStep = 2000;
/** A trial looks at so many records to say how their dates move. */
export const mostDated = 20_000;

/** Recomputes, as a job, all that rules may govern. */
export async function recomputeRules(
  services: Services,
  uow: UnitOfWork,
  ruleIds: readonly string[],
  subjectName: string,
): Promise<string> {
  return recomputeAsJob(services, uow, await reachStore.reachOfRules(uow, ruleIds), subjectName);
}

async function recomputeAsJob(services: Services, uow: UnitOfWork, reach: reachStore.Reach, subjectName: string): Promise<string> {
  const total = await reachStore.countWithin(uow, reach);
  return addJob(uow, services.jobs, { kind: 'recompute', subject: subjectName, data: { reach }, total });
}

/** Recomputes what a change may touch: at once when little, as a job when much. */
export async function recomputeWithin(services: Services, uow: UnitOfWork, reach: reachStore.Reach, subjectName: string): Promise<void> {
  const ids = await reachStore.idsWithin(uow, reach, null, recomputedAtOnce + 1);
  if (ids.length > recomputedAtOnce) await recomputeAsJob(services, uow, reach, subjectName);
  // This transaction may have changed the rules itself, so it reads them through its own eyes.
  else await recompute(uow, ids, await loadRuleBook(uow), uow.actor.today);
}

/** The same, and gives of how many records that the person may know. */
export async function recomputeTelling(
  services: Services,
  uow: UnitOfWork,
  reach: reachStore.Reach,
  subjectName: string,
  access: PersonAccess,
): Promise<number> {
  await recomputeWithin(services, uow, reach, subjectName);
  return reachStore.countKnownWithin(uow, reach, access.sets('discover'));
}

/**
 * Recomputes what a change in this transaction touches, and gives how the due dates of the records move that the person may discover. At most
 * `most` records are looked at; for a trial, which keeps nothing.
 */
export async function shiftWithin(uow: UnitOfWork, reach: reachStore.Reach, access: PersonAccess, most: number): Promise<DateShift> {
  const sets = access.sets('discover');
  const shift = { of: await reachStore.countKnownWithin(uow, reach, sets), looked: 0, earlier: 0, later: 0, first: 0, none: 0 };
  const book = await loadRuleBook(uow);
  for (let cursor: string | null = null; shift.looked < most;) {
    const ids: string[] = await reachStore.idsWithin(uow, reach, cursor, perStep);
    if (ids.length === 0) break;
    const before = await reachStore.dueDates(uow, ids, sets);
    await recompute(uow, ids, book, uow.actor.today);
    const after = new Map((await reachStore.dueDates(uow, ids, sets)).map((r) => [r.id, r.due_on]));
    for (const { id, due_on: was } of before) {
      const is = after.get(id) ?? null;
      if (was === is) continue;
      shift[was === null ? 'first' : is === null ? 'none' : is < was ? 'earlier' : 'later'] += 1;
    }
    shift.looked += before.length;
    cursor = ids.at(-1)!;
  }
  return shift;
}

/** Judges everything anew once, where an upgrade says that the schedule is understood otherwise than before. */
export async function judgeAnew(services: Services, actor: Actor): Promise<void> {
  await withUnitOfWork(services.pool, actor, async (uow) => {
    if (!(await reachStore.takeJudgeAnew(uow))) return;
    await recomputeAsJob(services, uow, { placeIds: [await effectStore.rootPlace(uow)] }, 'all records');
    uow.enter({ act: 'asked for a recompute', subject: { kind: 'schedule', id: null, name: 'schedule' }, note: 'after an upgrade' });
  });
}

/** The job behind a large recompute: one transaction for each step, a cursor that survives a crash. */
export async function runRecompute(services: Services, job: JobContext, actor: Actor): Promise<Message> {
  const { reach, dryRun = false } = job.data as { reach: reachStore.Reach; dryRun?: boolean };
  const { changed, looked } = await recomputeReach(services, actor, reach, { ...job, dryRun });
  return message(dryRun ? 'schedule.wouldBeRecomputed' : 'schedule.recomputed', { changed, looked });
}

/** Recomputes, within a longer job, all that rules may govern; nothing is lost when it begins anew. */
export async function recomputeUnder(
  services: Services,
  actor: Actor,
  rule: { readonly id: string; readonly code: string },
  advance: (uow: UnitOfWork, by: number) => Promise<void>,
): Promise<void> {
  const reach = await reachStore.reachOfRules(services.pool, [rule.id]);
  await recomputeReach(services, actor, reach, { subject: rule.code, cursor: null, dryRun: false, advance });
}

/** How many records are under a rule, or may come to be. */
export async function countUnder(db: Db, ruleId: string): Promise<number> {
  return reachStore.countWithin(db, await reachStore.reachOfRules(db, [ruleId]));
}

async function recomputeReach(
  services: Services,
  actor: Actor,
  reach: reachStore.Reach,
  {
    subject,
    cursor: begin,
    dryRun,
    advance,
  }: {
    readonly subject: string;
    readonly cursor: string | null;
    readonly dryRun: boolean;
    advance(uow: UnitOfWork, by: number, cursor: string): Promise<void>;
  },
): Promise<{ changed: number; looked: number }> {
  const sum = { changed: 0, looked: 0 };
  for (let cursor = begin; ;) {
    const ids = await reachStore.idsWithin(services.pool, reach, cursor, perStep);
    if (ids.length === 0) return sum;
    sum.changed += await withUnitOfWork(services.pool, actor, async (uow) => {
      const n = await recompute(uow, ids, await services.rules.current(uow), actor.today, dryRun);
      await advance(uow, ids.length, ids.at(-1)!);
      if (dryRun) return n;
      uow.enter({
        act: 'recomputed due dates',
        subject: { kind: 'rule', id: null, name: subject },
        after: { looked: ids.length, changed: n, upTo: ids.at(-1) },
      });
      return n;
    });
    sum.looked += ids.length;
    cursor = ids.at(-1)!;
  }
}
