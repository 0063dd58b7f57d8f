import type { LetterTask, OutcomeLine, StepAnswer, StepTask } from '@key-cellar/contract';
import { hasRight, may } from '@key-cellar/core/access';
import { describePeriod, period } from '@key-cellar/core/calendar';
import { answersTo } from '@key-cellar/core/docket';
import { describeStep, type StepKind } from '@key-cellar/core/schedule';
import { mayOn, requireRight, type PersonAccess } from '../access/index.js';
import { withUnitOfWork } from '../db/index.js';
import { readSettings, type Actor, type SignedIn } from '../identity/index.js';
import { notFound } from '../problem.js';
import { recordById } from '../records/index.js';
import { judgeLocked, recompute } from '../schedule/index.js';
import type { Services } from '../services.js';
import { letterOf } from './letters.js';
import * as store from './stepsStore.js';

const mostTasks = 500;

function toTask(t: store.TaskRow): StepTask {
  const step = t.steps[t.step_index];
  const anew = step?.kind === t.kind ? describePeriod(period(step.after)) : '';
  return {
    id: t.id,
    kind: t.kind,
    recordId: t.record_id,
    number: t.number,
    title: t.title,
    placeCode: t.place_code,
    ruleCode: t.rule_code,
    ruleTitle: t.rule_title,
    keptAnew: anew === 'no time' ? '' : anew,
    askedOn: t.asked_on,
    lastAskedOn: t.last_asked_on,
    times: t.times,
    then: { action: t.action, on: t.due_on },
    held: t.hold_count > 0,
    asked: t.asked,
  };
}

/** Those put to the person, or all that they could answer as a keeper. */
export async function openTasks(
  services: Services,
  person: SignedIn,
  whose: 'mine' | 'all',
): Promise<{ tasks: StepTask[]; more: boolean; ofOthers: number }> {
  const access = await services.access.of(person);
  const keeps = access.sets('dispose');
  const [found, counts] = await Promise.all([
    store.tasksFor(services.pool, person.id, whose === 'all' ? keeps : [], mostTasks + 1),
    store.countOfOthers(services.pool, person.id, keeps),
  ]);
  const visible = found.filter((t) => mayOn(access, person, t, 'discover'));
  return { tasks: visible.slice(0, mostTasks).map(toTask), more: found.length > mostTasks, ofOthers: counts };
}

/** How much is put to a person, by kind, and since when. */
export function countTasks(services: Services, person: SignedIn) {
  return store.countByKind(services.pool, person.id);
}

/** Who answers: their rights, and for a link in a letter only what that letter asked. */
interface Answerer {
  readonly actor: Actor & { readonly id: string };
  readonly access: PersonAccess;
  readonly only: ReadonlySet<string> | null;
}

const answerWords: Record<StepAnswer, string> = {
  keep: 'Kept; its clock starts anew today.',
  notNeeded: 'It is on the docket now.',
  goOn: 'Reviewed; its clock goes on.',
};

/**
 * Answers questions and reviews, each once. Under the locks of their records, each is checked again: that it is open, that
 * this person was asked or keeps the record, and that it is still about the record's next step.
 */
async function answerAs(
  services: Services,
  who: Answerer,
  input: { ids: readonly string[]; answer: StepAnswer; note: string },
): Promise<OutcomeLine[]> {
  const { actor, access } = who;
  return withUnitOfWork(services.pool, actor, async (uow) => {
    const book = await services.rules.current(uow);
    const locked = await store.lockTasks(uow, input.ids, actor.id);
    const judged = new Map((await judgeLocked(uow, locked.map((t) => t.record_id), book, actor.today, true)).map((j) => [j.row.id, j])); // prettier-ignore
    const lines: OutcomeLine[] = [];
    const answered: store.TaskRow[] = [];
    for (const t of locked) {
      const rights = access.on(t.access_set_id);
      const allowed = (t.for_me && (who.only === null || who.only.has(t.id))) || (who.only === null && hasRight(rights.all, 'dispose'));
      if (!allowed || !may(rights, 'discover', t.deposited_by === actor.id)) continue;
      const line = { id: t.id, name: `${t.number} ${t.title}` };
      const now = judged.get(t.record_id);
      const current = now?.governing.kind === 'rule' && now.governing.by.rule.code === t.rule_code && now.next?.index === t.step_index;
      if (t.state !== 'open') {
        const why = t.state === 'answered' ? `Answered already by ${t.answered_by ?? 'somebody'}.` : 'Not asked any more.';
        lines.push({ ...line, outcome: 'skipped', why });
      } else if (!answersTo(t.kind).includes(input.answer)) {
        lines.push({
          ...line,
          outcome: 'refused',
          why: 'A review may let the clock go on; a question to an owner asks only whether it is needed.',
        });
      } else if (!current) {
        lines.push({ ...line, outcome: 'skipped', why: 'Its rule or its dates have changed, so it is not asked any more.' });
      } else {
        answered.push(t);
        lines.push({ ...line, outcome: 'done', why: answerWords[input.answer] });
      }
    }
    const recordIds = answered.map((t) => t.record_id);
    await store.closeAnswered(uow, answered.map((t) => t.id), { answer: input.answer, by: actor.id, on: actor.today, note: input.note }); // prettier-ignore
    await store.addActs(
      uow,
      answered.map((t) => ({
        recordId: t.record_id,
        act: { rule: t.rule_code, index: t.step_index, kind: t.kind, outcome: input.answer, on: actor.today, by: actor.name },
      })),
    );
    uow.enterAll(
      answered.map((t) => ({
        act: t.kind === 'review' ? 'reviewed' : 'answered a question',
        subject: { kind: 'record', id: t.record_id, name: `${t.number} ${t.title}` },
        before: { dueOn: t.due_on },
        after: { answer: input.answer, rule: t.rule_code, step: t.step_index + 1 },
        note: input.note || undefined,
      })),
    );
    await recompute(uow, recordIds, book, actor.today);
    if (input.answer === 'notNeeded') await store.toDocket(uow, recordIds, actor.today);
    const seen = new Set(lines.map((l) => l.id));
    const missing = [...new Set(input.ids)].filter((id) => !seen.has(id));
    return [
      ...lines,
      ...missing.map((id) => ({
        id,
        name: 'unknown',
        outcome: 'refused' as const,
        why: 'There is no such question, or it was not put to you.',
      })),
    ];
  });
}

export async function answerTasks(
  services: Services,
  person: SignedIn,
  input: { ids: readonly string[]; answer: StepAnswer; note: string },
): Promise<OutcomeLine[]> {
  return answerAs(services, { actor: person, access: await services.access.of(person), only: null }, input);
}

/** The person a letter went to, with their rights of today; throws 404 for a link that is not ours. */
async function personOf(services: Services, token: string) {
  const { pool } = services;
  const messageId = letterOf(await store.answerKey(pool), token);
  const person = messageId === null ? undefined : await store.letterPerson(pool, messageId);
  if (messageId === null || !person) throw notFound('This link');
  const settings = await readSettings(pool);
  const access = await services.access.of({
    id: person.id,
    today: settings.today,
    clearance: { level: person.clearance_level, caveats: person.clearance_caveats },
    accessEpoch: person.access_epoch,
  });
  // What the person may not see any more is not told by an old letter either.
  const tasks = (await store.tasksOfLetter(pool, messageId)).filter((t) =>
    may(access.on(t.access_set_id), 'discover', t.deposited_by === person.id),
  );
  return { person, access, settings, tasks };
}

export async function letter(services: Services, token: string): Promise<{ to: string; repository: string; tasks: LetterTask[] }> {
  const { person, settings, tasks } = await personOf(services, token);
  return {
    to: person.name,
    repository: settings.repository,
    tasks: tasks.map((t) => ({ ...toTask(t), asked: [], state: t.state, answer: t.answer, answeredBy: t.answered_by })),
  };
}

export async function answerLetter(
  services: Services,
  token: string,
  address: string,
  input: { ids: readonly string[]; answer: StepAnswer; note: string },
): Promise<OutcomeLine[]> {
  const { person, access, settings, tasks } = await personOf(services, token);
  const actor = { id: person.id, name: person.name, from: `${address}, by the link of a letter`, today: settings.today };
  return answerAs(services, { actor, access, only: new Set(tasks.map((t) => t.id)) }, input);
}

export async function stepsOfRecord(services: Services, person: SignedIn, id: string) {
  const access = await services.access.of(person);
  const record = requireRight(access, person, await recordById(services.pool, id), 'read');
  const task = await store.openTaskOf(services.pool, id, person.id);
  const words: Partial<Record<StepKind, string>> = { askOwner: 'the owner was asked', review: 'reviewed' };
  return {
    task: task ? toTask(task) : null,
    mayAnswer: task !== undefined && (task.for_me || hasRight(access.on(record.access_set_id).all, 'dispose')),
    taken: (record.steps_taken ?? []).map((a) => ({
      words: words[a.kind] ?? describeStep(a.kind),
      rule: a.rule,
      outcome: a.outcome,
      on: a.on,
      by: a.by,
    })),
  };
}
