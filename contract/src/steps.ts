import { stepOutcomes } from '@key-cellar/core/schedule';
import * as z from 'zod';
import { dateText, get, id, idParam, outcomes, post, kilobytes, sentence } from './shared.js';
import { note } from './text.js';

export const stepAnswers = ['keep', 'notNeeded', 'goOn'] as const;
const answer = z.enum(stepAnswers);
export type StepAnswer = z.infer<typeof answer>;

/** A question to an owner, or a review by a keeper, about one record. */
const stepTask = z.object({
  id,
  kind: z.enum(['askOwner', 'review']),
  recordId: id,
  number: z.string(),
  title: z.string(),
  placeCode: z.string(),
  ruleCode: z.string(),
  ruleTitle: z.string(),
  /** How long it is kept anew when somebody says that it is still needed, an ISO 8601 duration; empty when that cannot be said. */
  keptAnew: z.string(),
  askedOn: dateText,
  lastAskedOn: dateText,
  times: z.number().int(),
  /** What happens without an answer, and when; null when nothing is dated. */
  then: z.object({ action: z.enum(['destroy', 'transfer']).nullable(), on: dateText.nullable() }),
  held: z.boolean(),
  /** Who was asked. */
  asked: z.array(z.string()),
});
export type StepTask = z.infer<typeof stepTask>;

const letterTask = stepTask.extend({
  state: z.enum(['open', 'answered', 'unanswered', 'dropped']),
  answer: answer.nullable(),
  answeredBy: z.string().nullable(),
});
export type LetterTask = z.infer<typeof letterTask>;

/** What the sweep would do about steps, by kind; the records are the first of each. */
const sweepLine = z.object({
  kind: z.enum(['ask', 'askAgain', 'unanswered', 'review', 'declare', 'trim', 'move', 'already', 'stopped', 'due']),
  records: z.number().int(),
  /** Versions that would be removed, with their bytes. */
  versions: z.number().int(),
  bytes: z.number().int(),
  first: z.array(z.object({ id, number: z.string(), title: z.string(), detail: sentence })),
});
export type SweepLine = z.infer<typeof sweepLine>;

const token = z.object({
  token: z
    .string()
    .min(20)
    .max(200)
    .regex(/^[\w-]+$/),
});

export const steps = {
  tasks: get('/steps/tasks', 'Questions and reviews that are open: those put to the person, or all that they could answer', {
    query: z.object({ whose: z.enum(['mine', 'all']).default('mine') }),
    response: z.object({ tasks: z.array(stepTask), more: z.boolean(), ofOthers: z.number().int() }),
  }),
  answer: post('/steps/answer', 'Answer questions and reviews', {
    body: z.object({ ids: z.array(id).min(1).max(2000), answer, note: note() }),
    response: outcomes,
  }),
  letter: get(
    '/answers/{token}',
    'What a letter asks about; its link is signed, and answers for the person it went to',
    { params: token, response: z.object({ to: z.string(), repository: z.string(), tasks: z.array(letterTask) }) },
    { who: 'public' },
  ),
  answerLetter: post(
    '/answers/{token}',
    'Answer what a letter asks; each question once',
    { params: token, body: z.object({ ids: z.array(id).min(1).max(2000), answer, note: note() }), response: outcomes },
    { who: 'public', most: kilobytes(128) },
  ),
  ofRecord: get('/records/{id}/steps', 'What was done about the steps of rules for a record, and what is open', {
    params: idParam,
    response: z.object({
      task: stepTask.nullable(),
      /** Whether this person may answer. */
      mayAnswer: z.boolean(),
      taken: z.array(
        z.object({ words: sentence, rule: z.string(), outcome: z.enum(stepOutcomes), on: dateText, by: z.string().nullable() }),
      ),
    }),
  }),
  preview: get('/docket/sweep', 'What the sweep would do today', { response: z.object({ lines: z.array(sweepLine) }) }),
  sweep: post('/docket/sweep', 'Find what has come due, and take the steps whose day has come', {
    response: z.object({
      newlyDue: z.number().int(),
      /** Records with a step that is due; they are worked on in the background. */
      steps: z.number().int(),
      jobId: id.nullable(),
    }),
  }),
  recompute: post('/schedule/recompute', 'Judge all records anew in the background; with dryRun only count what would change', {
    body: z.object({ dryRun: z.boolean().default(true) }),
    response: z.object({ jobId: id }),
  }),
};
