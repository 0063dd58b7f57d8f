import * as z from 'zod';
import { dateText, get, id } from './shared.js';
import { text } from './text.js';

const bar = z.object({
  /** YYYY-MM */
  month: z.string(),
  destroy: z.number().int(),
  transfer: z.number().int(),
  held: z.number().int(),
});
export type HorizonBar = z.infer<typeof bar>;

const todayLine = z.object({
  key: z.string(),
  when: z.enum(['late', 'today', 'week', 'later']),
  mark: z.enum(['due', 'held', 'waiting', 'unscheduled', 'physical', 'declared', 'gap']),
  /** Parts of the sentence; codes and numbers are set apart. */
  sentence: z.string(),
  detail: z.string(),
  act: z.string(),
  link: z.string(),
});
export type TodayLine = z.infer<typeof todayLine>;

const suggestion = z.object({
  kind: z.enum(['record', 'place', 'rule', 'person', 'matter', 'batch']),
  id,
  code: z.string(),
  title: z.string(),
  link: z.string(),
});
export type Suggestion = z.infer<typeof suggestion>;

const needs = z.object({ receiving: z.number().int(), holds: z.number().int(), docket: z.number().int(), today: z.number().int() });
export type Needs = z.infer<typeof needs>;

export const reports = {
  needs: get('/needs', 'How much needs this person, by area', { response: needs }),
  today: get('/today', 'What needs this person, and the horizon of two years', {
    response: z.object({
      name: z.string(),
      lines: z.array(todayLine),
      horizon: z.array(bar),
      nextLarge: z.object({ on: dateText, count: z.number().int() }).nullable(),
    }),
  }),
  ask: get('/ask', 'Suggestions for the ask bar', {
    query: z.object({ text: text(200).min(1) }),
    response: z.object({ suggestions: z.array(suggestion) }),
  }),
};
