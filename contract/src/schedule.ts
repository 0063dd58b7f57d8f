import { parsePeriod } from '@key-cellar/core/calendar';
import { recordDates, stepKinds } from '@key-cellar/core/schedule';
import * as z from 'zod';
import { dateText, get, id, idParam, line, periodText, post, put, revision } from './shared.js';

export const trigger = z.discriminatedUnion('kind', [
  z.object({ kind: z.literal('recordDate'), date: z.enum(recordDates) }),
  z.object({ kind: z.literal('fact'), fact: line(80) }),
  z.object({ kind: z.literal('folderClosed') }),
  z.object({ kind: z.literal('event'), eventType: line(80), occurrence: z.enum(['first', 'last']) }),
  z.object({ kind: z.literal('never') }),
]);
export const cutoff = z.discriminatedUnion('kind', [
  z.object({ kind: z.literal('none') }),
  z.object({ kind: z.literal('month') }),
  z.object({ kind: z.literal('quarter') }),
  z.object({ kind: z.literal('calendarYear') }),
  z.object({
    kind: z.literal('fiscalYear'),
    firstMonth: z.number().int().min(1).max(12),
    // A fiscal year that began on the 29th or later would not exist in every year.
    firstDay: z.number().int().min(1).max(28),
  }),
]);
export const step = z.object({
  kind: z.enum(stepKinds),
  after: periodText,
  from: z.enum(['clockStart', 'previousStep']),
  repeatEvery: periodText
    .refine((text) => {
      const period = parsePeriod(text);
      return !!period && period.years + period.months + period.weeks + period.days > 0;
    }, 'must be longer than nothing')
    .optional(),
  approvals: z.number().int().min(0).max(9),
  approverGroups: z.array(z.string()).optional(),
  noticeDays: z.number().int().min(0).max(365),
});

export const ruleDefinition = z
  .object({
    title: line(),
    authority: line(),
    jurisdictions: z.array(line(80)).max(20),
    trigger,
    cutoff,
    steps: z.array(step).min(1, 'needs at least one step').max(10),
  })
  .superRefine((rule, context) => {
    if (rule.trigger.kind === 'never' && rule.steps.some((s) => s.kind !== 'keepPermanently')) {
      context.addIssue({
        code: 'custom',
        path: ['steps'],
        message: 'a rule without a clock can only keep for good',
      });
    }
    const disposing = rule.steps.findIndex((s) => s.kind === 'destroy' || s.kind === 'transfer');
    if (disposing >= 0 && disposing < rule.steps.length - 1) {
      context.addIssue({ code: 'custom', path: ['steps', disposing], message: 'nothing can follow after destroying or transferring' });
    }
  });
export type RuleDefinition = z.infer<typeof ruleDefinition>;

const setOn = z.object({ placeId: id, code: z.string(), title: z.string() });

export const ruleLine = z.object({
  id,
  code: z.string(),
  /** Version in force today or next to come; null while only a draft exists. */
  version: z.number().int().nullable(),
  definition: ruleDefinition,
  inForceFrom: dateText.nullable(),
  hasDraft: z.boolean(),
  setOn: z.array(setOn),
  records: z.number().int(),
});
export type RuleLine = z.infer<typeof ruleLine>;

export const rulePage = z.object({
  id,
  code: z.string(),
  revision,
  draft: ruleDefinition.nullable(),
  versions: z.array(
    z.object({
      id,
      version: z.number().int(),
      definition: ruleDefinition,
      inForceFrom: dateText,
      takesOver: z.enum(['all', 'laterClocks']),
      publishedBy: z.string(),
      publishedAt: z.string(),
    }),
  ),
  setOn: z.array(setOn),
  records: z.number().int(),
});
export type RulePage = z.infer<typeof rulePage>;

export const schedule = {
  rules: get('/rules', 'All rules of the schedule', { response: z.object({ rules: z.array(ruleLine) }) }),
  rule: get('/rules/{id}', 'One rule with its versions', { params: idParam, response: rulePage }),
  makeRule: post('/rules', 'Begin a rule as a draft', {
    body: z.object({
      code: z
        .string()
        .trim()
        .regex(/^[A-Z0-9][A-Z0-9-]{0,29}$/, 'may have capital letters, digits and hyphens, 30 at most'),
      definition: ruleDefinition,
    }),
    response: z.object({ id }),
  }),
  saveDraft: put('/rules/{id}/draft', 'Save the draft of a rule', {
    params: idParam,
    body: z.object({ revision, definition: ruleDefinition }),
    response: z.object({ revision }),
  }),
  dropDraft: post('/rules/{id}/draft/drop', 'Drop the draft of a rule that was published before', {
    params: idParam,
    body: z.object({ revision }),
  }),
  publish: post('/rules/{id}/publish', 'Publish the draft as a new version; what it touches is recomputed in the background', {
    params: idParam,
    body: z.object({ revision, inForceFrom: dateText, takesOver: z.enum(['all', 'laterClocks']) }),
    response: z.object({ version: z.number().int(), jobId: id }),
  }),
  job: get('/jobs/{id}', 'Progress of long work', {
    params: idParam,
    response: z.object({
      state: z.enum(['running', 'done', 'cancelled', 'failed']),
      done: z.number().int(),
      total: z.number().int(),
      sentence: z.string(),
    }),
  }),
  cancelJob: post('/jobs/{id}/cancel', 'Cancel long work; what is done stays done', { params: idParam }),
};
