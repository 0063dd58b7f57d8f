import * as z from 'zod';
import { ledgerEntry } from './ledger.js';
import { get, id, sentence } from './shared.js';
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
  sentence,
  detail: sentence,
  act: sentence,
  link: z.string(),
});
export type TodayLine = z.infer<typeof todayLine>;

const firstStep = z.object({
  key: z.enum(['people', 'plan', 'types', 'schedule', 'decide', 'file', 'outside', 'backup']),
  done: z.boolean(),
  sentence,
  link: z.string(),
  /** A quicker way, where there is one. */
  quick: z.object({ sentence, link: z.string() }).nullable(),
});
export type FirstStep = z.infer<typeof firstStep>;

const recordSeen = z.object({
  id,
  number: z.string(),
  title: z.string(),
  state: z.enum(['working', 'declared', 'disposed']),
  /** When the person had to do with it last. */
  at: z.string(),
});
export type RecordSeen = z.infer<typeof recordSeen>;

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

/** Services beside the program that it leans on. */
export const outsideNames = ['timeAuthority', 'witness', 'archive', 'mail', 'objects', 'backup'] as const;
const outsideLine = z.object({
  name: z.enum(outsideNames),
  /** Whether it is one’s own, simulated, or not there. */
  state: z.enum(['own', 'standIn', 'none']),
  /** What it is for. */
  purpose: sentence,
  /** What is wrong with it now. */
  trouble: sentence.nullable(),
  /** Where it is. */
  address: z.string().nullable(),
  /** The variable of the server that says where it is; null: there is none. */
  setting: z.string().nullable(),
  /** When it did last what it is for. */
  last: z.iso.datetime({ offset: true }).nullable(),
});
export type OutsideLine = z.infer<typeof outsideLine>;

export const reports = {
  outside: get('/outside', 'What the repository leans on outside: whether it is there, and when it did last what it is for', {
    response: z.object({ lines: z.array(outsideLine) }),
  }),
  needs: get('/needs', 'How much needs this person, by area', { response: needs }),
  today: get('/today', 'What needs this person, and the horizon of two years, or what they had to do with last', {
    response: z.object({
      name: z.string(),
      lines: z.array(todayLine),
      /** Null for those who have no part in disposing of anything. */
      horizon: z.array(bar).nullable(),
      /** What they read or worked on last, and what they filed; only for those who have no such part. */
      recent: z.array(recordSeen),
      sentIn: z.array(recordSeen),
      /** What an auditor looks at: the newest acts that undo a protection, dispose of records or change a rule; null for all others. */
      watch: z.array(ledgerEntry).nullable(),
      /** What leads from an empty repository to a running one, for whoever sets it up; null once all of it is done. */
      firstSteps: z.array(firstStep).nullable(),
    }),
  }),
  ask: get('/ask', 'Suggestions for the ask bar', {
    query: z.object({ text: text(200).min(1) }),
    response: z.object({ suggestions: z.array(suggestion) }),
  }),
};
