import { bases, stepKinds, yieldReasons, type Explanation } from '@key-cellar/core/schedule';
import type { Spoken } from '@key-cellar/words/spoken';
import * as z from 'zod';
import { dateText, id, sentence } from './shared.js';

const day = dateText.nullable();
const list = <T extends z.ZodType>(of: T) => z.array(of).readonly();

const explainedRule = z.object({
  code: z.string(),
  version: z.number().int(),
  title: z.string(),
  authority: z.string(),
  setOn: sentence,
  inForceFrom: dateText,
  takesOver: z.enum(['all', 'laterClocks']),
  basis: z.enum(bases),
});

/** The explanation of the core, as it is; the interface computes nothing of its own. */
export const explanation = z.object({
  outcome: z.enum(['permanent', 'waiting', 'dated', 'unscheduled']),
  summary: sentence,
  dueOn: day,
  action: z.enum(['destroy', 'transfer']).nullable(),
  governing: explainedRule.nullable(),
  clock: z
    .object({
      trigger: sentence,
      date: day,
      source: sentence,
      parts: list(z.object({ words: sentence, date: day, counted: day, counts: z.boolean() })),
    })
    .nullable(),
  cutoff: z.object({ words: sentence, clockStart: dateText }).nullable(),
  restartedOn: day,
  stops: list(z.object({ from: dateText, until: day })),
  cap: z.object({ rule: explainedRule, dueOn: day, effect: z.enum(['nothing', 'governs', 'conflict']), words: sentence }).nullable(),
  vintage: z.number().int().nullable(),
  waitingSince: day,
  steps: list(
    z.object({
      kind: z.enum(stepKinds),
      dueOn: day,
      doneOn: day,
      words: sentence,
      repeat: sentence.nullable(),
      approvals: z.number().int(),
      approverGroups: list(z.string()).optional(),
      noticeDays: z.number().int(),
    }),
  ),
  override: z.object({ reason: sentence, by: z.string(), on: dateText }).nullable(),
  yielded: list(z.object({ rule: explainedRule, reason: z.enum(yieldReasons), words: sentence, dueOn: day })),
  holds: list(
    z.object({
      since: dateText,
      hold: z.object({ id, name: z.string(), matter: z.string(), because: sentence }).nullable(),
    }),
  ),
  missing: list(sentence),
}) satisfies z.ZodType<Spoken<Explanation>>;
