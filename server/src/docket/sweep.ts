import type { SweepLine, Told } from '@key-cellar/contract';
import { addPeriod, civilDate, formatCivilDate, period } from '@key-cellar/core/calendar';
import { stepVerdict, type StepVerdict } from '@key-cellar/core/docket';
import { overtakenOn, type Step, type StepOutcome } from '@key-cellar/core/schedule';
import { uuidv7 } from 'uuidv7';
import { message, type Message, type Value } from '@key-cellar/words';
import { type Act, type Actor, addJob, type Db, type JobContext, JobWaits, type UnitOfWork, withUnitOfWork } from '../kernel/index.js';
import { ensureFolder, putRecordsIn } from '../plan/index.js';
import { declareRecords, dropUnusedContent } from '../records/index.js';
import { countUnder, judgeAnew, type JudgedLocked, judgeLocked, recompute, recomputeUnder, type StoredStepAct } from '../schedule/index.js';
import type { Services } from './services.js';
import { sendTaskLetters } from './letters.js';
import * as store from './stepsStore.js';
import { markDue } from './dueStore.js';

const perTransaction = 200;
/** A record long left alone may have several steps to take on one day; more than a rule can have is no reason to go on. */
const mostSteps = 10;
const namedInPreview = 100;

/** Finds what has come due; costs what is newly due. Gives how much that is. */
export async function findDue(services: Services, actor: Actor): Promise<number> {
  return withUnitOfWork(services.pool, actor, async (uow) => {
    const found = await comeDue(uow);
    uow.enter({ act: 'ran the sweep', subject: { kind: 'docket', id: null, name: 'docket' }, after: { on: actor.today, newlyDue: found } });
    return found;
  });
}

async function comeDue(uow: UnitOfWork): Promise<number> {
  const found = await markDue(uow, uow.actor.today);
  uow.enterAll(found.map((r) => ({ act: 'came due', subject: { kind: 'record', id: r.id, name: `${r.number} ${r.title}` } })));
  return found.length;
}

/** What the turn of days brings by itself since the last sweep: versions that come into force, and folders that close. */
async function turnsWithin(db: Db, after: string | null, until: string) {
  if (after === null) return { rules: [], closings: [] };
  const [rules, closings] = await Promise.all([store.versionsInForceWithin(db, after, until), store.closingsWithin(db, after, until)]);
  return { rules, closings };
}

/** What the job of a sweep is given: the day of the sweep before it, and its own. */
interface Days {
  readonly after: string | null;
  readonly until: string;
}

/**
 * The sweep. What has come due is found at once; where versions come into force or steps are to be taken, a job goes through the days
 * since the last sweep in their order, so that one after many days ends as one a day would have.
 */
export async function sweep(services: Services, actor: Actor): Promise<{ newlyDue: number; steps: number; jobId: string | null }> {
  const { pool, jobs } = services;
  const { today } = actor;
  const last = await store.lastSweep(pool);
  // A version that comes into force, or a folder that closes, says what is due: then the job finds it.
  const before = await turnsWithin(pool, last, today);
  const waits = before.rules.length + before.closings.length > 0;
  const newlyDue = waits ? 0 : await findDue(services, actor);
  // The day is noted together with the job that goes up to it: a crash leaves both undone.
  return withUnitOfWork(pool, actor, async (uow) => {
    const after = await store.noteSweep(uow, today);
    const { rules, closings } = await turnsWithin(uow, after, today);
    const steps = await store.countStepsDue(uow, today);
    // Another one of today would take on this day what that one takes on the days before.
    const underWay = await store.sweepUnderWay(uow);
    if (underWay && underWay.until >= today) return { newlyDue, steps, jobId: underWay.id };
    if (steps + rules.length + closings.length === 0) return { newlyDue, steps, jobId: null };
    let total = steps + closings.length;
    for (const { rule_id } of rules) total += await countUnder(uow, rule_id);
    const data: Days = { after, until: today };
    return { newlyDue, steps, jobId: await addJob(uow, jobs, { kind: 'steps', subject: 'steps of rules', data, total }) };
  });
}

/** Sweeps when nobody has today. Two app servers that come at the same time find, each under the other's locks, what is left. */
export async function sweepDaily(services: Services, actor: Actor): Promise<void> {
  const last = await store.lastSweep(services.pool);
  if (!(await store.isSetUp(services.pool))) return;
  await judgeAnew(services, actor);
  if (last === null || last < actor.today) await sweep(services, actor);
}

/** One record with its next step, and what is to be done about it today. */
interface Due {
  readonly judged: JudgedLocked;
  readonly standing: store.StandingRow;
  readonly ruleId: string;
  readonly ruleCode: string;
  readonly index: number;
  readonly step: Step;
  readonly verdict: StepVerdict;
}

async function decide(uow: UnitOfWork, services: Services, ids: readonly string[], lock: boolean): Promise<Due[]> {
  const { today } = uow.actor;
  const book = await services.rules.current(uow);
  const judged = await judgeLocked(uow, ids, book, today, lock);
  const standing = new Map(
    (
      await store.standings(
        uow,
        judged.map((j) => j.row.id),
      )
    ).map((s) => [s.id, s]),
  );
  return judged.flatMap((one): Due[] => {
    const { next, governing, task } = one;
    const row = standing.get(one.row.id);
    if (!row || next === null || governing.kind !== 'rule') return [];
    const { rule, verdict } = governing.by;
    const ruleId = book.idOf(rule.code);
    const open = task !== null && task.task_rule === rule.code && task.task_index === next.index ? task : null;
    return [
      {
        judged: one,
        standing: row,
        ruleId,
        ruleCode: rule.code,
        index: next.index,
        step: next.step,
        verdict: stepVerdict(
          next.step,
          {
            standing: { state: row.state, holds: row.hold_count, freeze: row.frozen_by_hold, frozenWhenDeclared: row.frozen },
            dueOn: next.dueOn,
            overtakenOn: overtakenOn(verdict.steps, next.index),
            open: open === null ? null : { againOn: open.task_again_on === null ? null : civilDate(open.task_again_on) },
            versions: row.versions,
            inTarget: row.place_code === next.step.to,
          },
          civilDate(today),
        ),
      },
    ];
  });
}

/** What the sweep did, by kind. */
export type StepTally = Partial<Record<StepVerdict['kind'], number>>;

function againOn(step: Step, today: string): string | null {
  return step.repeatEvery === undefined ? null : formatCivilDate(addPeriod(civilDate(today), period(step.repeatEvery)));
}

const subjectOf = (s: store.StandingRow) => ({ kind: 'record', id: s.id, name: `${s.number} ${s.title}` });

/** Takes the steps of locked records whose day has come, and gives those that may have a further one. */
async function take(uow: UnitOfWork, services: Services, ids: readonly string[], tally: StepTally): Promise<string[]> {
  const { today } = uow.actor;
  const due = await decide(uow, services, ids, true);
  const of = <K extends StepVerdict['kind']>(kind: K) =>
    due.filter((d): d is Due & { verdict: Extract<StepVerdict, { kind: K }> } => d.verdict.kind === kind);
  for (const { verdict } of due) if (verdict.kind !== 'notYet') tally[verdict.kind] = (tally[verdict.kind] ?? 0) + 1;

  const acts: { recordId: string; act: StoredStepAct }[] = [];
  const entries: Act[] = [];
  const done = (d: Due, act: string, more: { outcome?: StepOutcome; after?: object; before?: unknown } = {}): void => {
    const { ruleCode: rule, index, step } = d;
    acts.push({ recordId: d.standing.id, act: { rule, index, kind: step.kind, outcome: more.outcome ?? 'done', on: today, by: null } });
    entries.push({ act, subject: subjectOf(d.standing), before: more.before, after: { rule, step: index + 1, ...more.after } });
  };

  const asked = [...of('ask'), ...of('review')];
  const fresh = asked.filter((d) => d.verdict.kind === 'review' || (d.verdict.kind === 'ask' && !d.verdict.again));
  await store.openTasks(
    uow,
    fresh.map((d) => ({
      id: uuidv7(),
      recordId: d.standing.id,
      ruleId: d.ruleId,
      index: d.index,
      kind: d.verdict.kind === 'review' ? 'review' : 'askOwner',
      againOn: againOn(d.step, today),
    })),
    today,
  );
  const again = asked.filter((d) => d.verdict.kind === 'ask' && d.verdict.again);
  await store.askAgain(
    uow,
    again.map((d) => ({ recordId: d.standing.id, againOn: againOn(d.step, today) })),
    today,
  );
  for (const d of asked) {
    const act = d.verdict.kind === 'review' ? 'put up for review' : again.includes(d) ? 'asked the owner again' : 'asked the owner';
    entries.push({ act, subject: subjectOf(d.standing), after: { rule: d.ruleCode, step: d.index + 1 } });
  }

  const unanswered = of('unanswered');
  await store.closeUnanswered(
    uow,
    unanswered.map((d) => d.standing.id),
  );
  for (const d of unanswered) done(d, 'closed a question without an answer', { outcome: 'unanswered' });

  const declared = of('declare');
  await declareRecords(
    uow,
    declared.map((d) => d.standing.id),
    today,
  );
  for (const d of declared) done(d, 'declared', { before: { state: d.standing.state }, after: { state: 'declared', on: today } });

  const contents: string[] = [];
  for (const d of of('trim')) {
    const gone = await store.trimVersions(uow, d.standing.id, today);
    for (const { content_id } of gone) contents.push(content_id);
    const versions = gone.map((v) => ({ no: v.no, fileName: v.file_name, size: v.size, sha256: v.sha256.toString('hex') }));
    done(d, 'removed older versions', { before: { versions }, after: { versions: 1 } });
  }
  await dropUnusedContent(uow, [...new Set(contents)]);

  for (const d of of('move')) {
    const folder = await ensureFolder(uow, d.standing.series_id, d.verdict.to);
    await putRecordsIn(uow, [d.standing.id], folder);
    done(d, 'moved', { before: { in: d.standing.place_code }, after: { in: folder.code } });
  }

  for (const d of of('already')) done(d, 'took a step', { after: { found: d.verdict.sentence } });

  await store.addActs(uow, acts);
  uow.enterAll(entries);
  const touched = [...acts.map((a) => a.recordId), ...asked.map((d) => d.standing.id)];
  // What is looked at and left alone may still carry a day that is not its own any more.
  await recompute(uow, ids, await services.rules.current(uow), today);
  return touched;
}

type Advance = (uow: UnitOfWork, by: number) => Promise<void>;

/** Takes all steps that are due, some hundred records a transaction; what a crash left is due still. */
export async function takeSteps(services: Services, actor: Actor, advance?: Advance, tally: StepTally = {}): Promise<StepTally> {
  for (let cursor: string | null = null; ;) {
    const ids = await store.stepsDue(services.pool, actor.today, cursor, perTransaction);
    if (ids.length === 0) break;
    await withUnitOfWork(services.pool, actor, async (uow) => {
      let open: readonly string[] = ids;
      for (let i = 0; i < mostSteps && open.length > 0; i++) open = await take(uow, services, open, tally);
      await advance?.(uow, ids.length);
    });
    cursor = ids.at(-1)!;
  }
  await sendTaskLetters(services, actor);
  return tally;
}

/**
 * One day: versions that come into force since the day before it, what is due by them, and steps; then what these made due. Gives how much
 * has come due.
 */
async function sweepDay(services: Services, actor: Actor, after: string | null, advance: Advance, tally: StepTally): Promise<number> {
  const { pool } = services;
  const { rules, closings } = await turnsWithin(pool, after, actor.today);
  for (const { id, code } of closings) {
    await withUnitOfWork(pool, actor, async (uow) => {
      await services.events.tell(uow, 'folderClosed', { placeId: id });
      await services.events.tell(uow, 'placesChanged', { placeIds: [id], because: code });
      await advance(uow, 1);
    });
  }
  for (const { rule_id: id, code } of rules) {
    await recomputeUnder(services, actor, { id, code }, advance);
    await withUnitOfWork(pool, actor, (uow) =>
      uow.enter({ act: 'a rule came into force', subject: { kind: 'rule', id, name: code }, after: { on: actor.today } }),
    );
  }
  const found = await findDue(services, actor);
  await takeSteps(services, actor, advance, tally);
  return found + (await withUnitOfWork(pool, actor, comeDue));
}

/** The job behind a sweep: day after day, as far as something happens on it. */
export async function runSteps(services: Services, job: JobContext, actor: Actor): Promise<Message> {
  if (await store.sweepBefore(services.pool, job.id)) throw new JobWaits(message('docket.sweepBefore'));
  const { after, until } = job.data as Days;
  const tally: StepTally = {};
  let found = 0;
  for (let before = job.cursor ?? after; ;) {
    const day: string = before === null ? until : ((await store.nextHappening(services.pool, before, until, before === after)) ?? until);
    // A crash begins the day anew: what was done of it is not done twice.
    const advance: Advance = (uow, by) => job.advance(uow, by, before);
    found += await sweepDay(services, { ...actor, today: day }, before, advance, tally);
    if (day >= until) break;
    before = day;
  }
  const parts = Object.entries(tally).map(([kind, n]) => message(`docket.tally.${kind as StepVerdict['kind']}`, { n }));
  if (found > 0) parts.unshift(message('docket.tally.due', { n: found }));
  return parts.length === 0 ? message('docket.noStepTaken') : message('docket.stepsTaken', { parts: { list: parts } });
}

const detailOf = ({ verdict, step, standing, ruleCode: rule }: Due): Message => {
  switch (verdict.kind) {
    case 'ask':
      return step.repeatEvery ? message('docket.sweep.again', { rule, period: { period: step.repeatEvery } }) : asIs(rule);
    case 'trim':
      return message('docket.sweep.trim', { rule, n: verdict.versions, of: standing.versions });
    case 'move':
      return message('docket.sweep.move', { rule, from: standing.place_code, to: verdict.to });
    case 'already':
    case 'stopped':
      return message('docket.sweep.stopped', { rule, why: verdict.sentence });
    default:
      return asIs(rule);
  }
};

const asIs = (text: Value): Message => message('shared.asIs', { text });

/**
 * What the sweep would do today: decided exactly as it decides, on the same rows, and then rolled back by doing nothing.
 * Records that the person may not discover are left out.
 */
export async function previewSweep(services: Services, actor: Actor, sets: readonly number[]): Promise<Told<SweepLine>[]> {
  const lines = new Map<Told<SweepLine>['kind'], Told<SweepLine>>();
  const add = (kind: Told<SweepLine>['kind'], record: Told<SweepLine>['first'][number], versions = 0, bytes = 0): void => {
    const line = lines.get(kind) ?? { kind, records: 0, versions: 0, bytes: 0, first: [] };
    lines.set(kind, {
      ...line,
      records: line.records + 1,
      versions: line.versions + versions,
      bytes: line.bytes + bytes,
      first: line.first.length < namedInPreview ? [...line.first, record] : line.first,
    });
  };
  await withUnitOfWork(
    services.pool,
    actor,
    async (uow) => {
      for (const r of await store.wouldComeDue(uow, actor.today, sets))
        add('due', { id: r.id, number: r.number, title: r.title, detail: asIs({ day: r.due_on }) });
      for (let cursor: string | null = null; ;) {
        const ids = await store.stepsDue(uow, actor.today, cursor, perTransaction);
        if (ids.length === 0) return;
        for (const d of await decide(uow, services, ids, false)) {
          if (d.verdict.kind === 'notYet' || !sets.includes(d.judged.row.access_set_id)) continue;
          const kind = d.verdict.kind === 'ask' && d.verdict.again ? 'askAgain' : d.verdict.kind;
          const trims = d.verdict.kind === 'trim';
          const record = { id: d.standing.id, number: d.standing.number, title: d.standing.title, detail: detailOf(d) };
          add(kind, record, trims ? d.standing.versions - 1 : 0, trims ? d.standing.older_bytes : 0);
        }
        cursor = ids.at(-1)!;
      }
    },
    'none',
  );
  return [...lines.values()];
}
