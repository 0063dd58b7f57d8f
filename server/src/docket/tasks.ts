import { message } from '@key-cellar/words';
import { steps, type LetterTask, type OutcomeLine, type StepAnswer, type StepTask, type Told } from '@key-cellar/contract';
import { hasRight, may } from '@key-cellar/core/access';
import { answersTo } from '@key-cellar/core/docket';
import { describeStep } from '@key-cellar/core/schedule';
import {
  actsFor,
  many,
  mayOn,
  notFound,
  requireRight,
  withUnitOfWork,
  type Act,
  type Actor,
  type SignedIn,
  type UnitOfWork,
} from '../kernel/index.js';
import { readSettings } from '../identity/index.js';
import { recordById } from '../records/index.js';
import { judgeLocked, recompute } from '../schedule/index.js';
import type { Services } from './services.js';
import { taskKind } from './kinds.js';
import { letterOf } from './letters.js';
import * as store from './stepsStore.js';

const { act, freeAct } = actsFor<Services>();
const mostTasks = 500;

function toTask(t: store.TaskRow): Told<StepTask> {
  const step = t.steps[t.step_index];
  const anew = step?.kind === t.kind && step.after !== 'P0D' ? step.after : '';
  return {
    id: t.id,
    kind: t.kind,
    recordId: t.record_id,
    number: t.number,
    title: t.title,
    placeCode: t.place_code,
    ruleCode: t.rule_code,
    ruleTitle: t.rule_title,
    keptAnew: anew,
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
): Promise<{ tasks: Told<StepTask>[]; more: boolean; ofOthers: number }> {
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

interface Answer {
  readonly answer: StepAnswer;
  readonly note: string;
}

/** Who answers: somebody signed in, or the person a letter went to. */
type Answerer = Actor & { readonly id: string };

/**
 * Answers questions and reviews that are locked and whose answerer may: each once, and only while it is open and still
 * about the record's next step. Gives what came of each, and what the ledger says.
 */
async function answerLocked(
  services: Services,
  uow: UnitOfWork,
  by: Answerer,
  locked: readonly store.TaskRow[],
  input: Answer,
): Promise<{ lines: Told<OutcomeLine>[]; entries: Act[] }> {
  const book = await services.rules.current(uow);
  const judged = new Map(
    (
      await judgeLocked(
        uow,
        locked.map((t) => t.record_id),
        book,
        by.today,
        true,
      )
    ).map((j) => [j.row.id, j]),
  );
  const lines: Told<OutcomeLine>[] = [];
  const answered: store.TaskRow[] = [];
  for (const t of locked) {
    const line = { id: t.id, name: `${t.number} ${t.title}` };
    const now = judged.get(t.record_id);
    const current = now?.governing.kind === 'rule' && now.governing.by.rule.code === t.rule_code && now.next?.index === t.step_index;
    if (t.state !== 'open') {
      const why =
        t.state === 'answered'
          ? message('docket.answeredAlready', { name: t.answered_by ?? message('shared.somebody') })
          : message('docket.notAskedAnyMore');
      lines.push({ ...line, outcome: 'skipped', why });
    } else if (!answersTo(t.kind).includes(input.answer)) {
      const why = message('docket.onlyReviewGoesOn');
      lines.push({ ...line, outcome: 'refused', why });
    } else if (!current) {
      lines.push({ ...line, outcome: 'skipped', why: message('docket.ruleDatesHaveChanged') });
    } else {
      answered.push(t);
      lines.push({ ...line, outcome: 'done', why: message(`docket.answer.${input.answer}`) });
    }
  }
  const recordIds = answered.map((t) => t.record_id);
  await store.closeAnswered(
    uow,
    answered.map((t) => t.id),
    { answer: input.answer, by: by.id, on: by.today, note: input.note },
  );
  await store.addActs(
    uow,
    answered.map((t) => ({
      recordId: t.record_id,
      act: { rule: t.rule_code, index: t.step_index, kind: t.kind, outcome: input.answer, on: by.today, by: by.name },
    })),
  );
  await recompute(uow, recordIds, book, by.today);
  if (input.answer === 'notNeeded') await store.toDocket(uow, recordIds, by.today);
  const entries = answered.map((t) => ({
    act: t.kind === 'review' ? 'reviewed' : 'answered a question',
    subject: taskKind.subject(t),
    before: { dueOn: t.due_on },
    after: { answer: input.answer, rule: t.rule_code, step: t.step_index + 1 },
    note: input.note || undefined,
  }));
  return { lines, entries };
}

/** Questions that are not there, or that are not this person's to answer. */
const notAsked = (ids: readonly string[]): Told<OutcomeLine>[] =>
  ids.map((id) => ({ id, name: 'unknown', outcome: 'refused', why: message('docket.thereNoSuchQuestion') }));

/** The person a letter went to, with their rights of today; throws 404 for a link that is not ours. */
async function personOf(services: Services, token: string) {
  const { pool } = services;
  const messageId = letterOf(await store.answerKey(pool), token);
  const person = messageId === null ? undefined : await store.letterPerson(pool, messageId);
  if (messageId === null || !person) throw notFound(message('thing.link'));
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

/** What a letter asks, for the page behind its link. */
export async function letter(services: Services, token: string): Promise<{ to: string; repository: string; tasks: Told<LetterTask>[] }> {
  const { person, settings, tasks } = await personOf(services, token);
  return {
    to: person.name,
    repository: settings.repository,
    tasks: tasks.map((t) => ({ ...toTask(t), asked: [], state: t.state, answer: t.answer, answeredBy: t.answered_by })),
  };
}

/** What was done about the steps of rules for a record, and what is open. */
export async function stepsOfRecord(services: Services, person: SignedIn, id: string) {
  const access = await services.access.of(person);
  const record = requireRight(access, person, await recordById(services.pool, id), 'read');
  const task = await store.openTaskOf(services.pool, id, person.id);
  return {
    task: task ? toTask(task) : null,
    mayAnswer: task !== undefined && (task.for_me || hasRight(access.on(record.access_set_id).all, 'dispose')),
    taken: (record.steps_taken ?? []).map((a) => ({
      words: a.kind === 'askOwner' || a.kind === 'review' ? message(`docket.taken.${a.kind}`) : describeStep(a.kind),
      rule: a.rule,
      outcome: a.outcome,
      on: a.on,
      by: a.by,
    })),
  };
}

const answering = ['answered a question', 'reviewed'] as const;

export const taskActs = {
  answer: act(steps.answer, {
    name: answering,
    on: {
      tasks: many(taskKind, ({ body }) => body.ids, {
        words: 'none for whom it was put to, dispose for others',
        may: ['dispose'],
        of: (_input, task) => (task.for_me ? null : 'dispose'),
      }),
    },
    repeat: 'same',
    async write(uow, { services, person, on: { tasks }, left, body }) {
      const { lines, entries } = await answerLocked(services, uow, person, tasks, body);
      return { answer: { results: [...lines, ...notAsked(left.map((l) => l.id))] }, entry: entries.length === 0 ? null : entries };
    },
  }),

  /** By the link of a letter: for the person it went to, and for what it asked, as far as they may still know of it. */
  answerLetter: freeAct(steps.answerLetter, {
    name: answering,
    because: 'the link of a letter is signed, and stands for the person it went to',
    repeat: 'same',
    async free({ services, params, body, address }) {
      const { person, settings, tasks } = await personOf(services, params.token);
      const actor = { id: person.id, name: person.name, from: `${address}, by the link of a letter`, today: settings.today };
      const asked = new Set(tasks.map((t) => t.id));
      const results = await withUnitOfWork(services.pool, actor, async (uow) => {
        const locked = await store.lockTasks(
          uow,
          body.ids.filter((id) => asked.has(id)),
          actor.id,
        );
        const { lines, entries } = await answerLocked(services, uow, actor, locked, body);
        uow.enterAll(entries);
        return lines;
      });
      return { results: [...results, ...notAsked(body.ids.filter((id) => !asked.has(id)))] };
    },
  }),
};
