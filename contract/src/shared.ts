import { parseCivilDate, parsePeriod } from '@key-cellar/core/calendar';
import * as z from 'zod';
import type { Endpoint } from './endpoint.js';

const nothing = z.object({});
type Nothing = typeof nothing;
type Parts = { params?: z.ZodType; query?: z.ZodType; body?: z.ZodType; response?: z.ZodType };
type Part<T extends Parts, K extends keyof Parts> = T[K] extends z.ZodType ? T[K] : Nothing;
type Made<T extends Parts, C extends boolean> = Endpoint<Part<T, 'params'>, Part<T, 'query'>, Part<T, 'body'>, Part<T, 'response'>, C>;

const make =
  <C extends boolean>(method: Endpoint['method'], changes: C) =>
  <T extends Parts>(
    path: string,
    summary: string,
    parts: T,
    who: Endpoint['who'] = 'signedIn',
    sends: Endpoint['sends'] = 'json',
  ): Made<T, C> =>
    ({
      method,
      changes,
      path,
      summary,
      sends,
      who,
      params: parts.params ?? nothing,
      query: parts.query ?? nothing,
      body: parts.body ?? nothing,
      response: parts.response ?? nothing,
    }) as unknown as Made<T, C>;

export const get = make('get', false);
/** A question whose words are too long for an address. */
export const ask = make('post', false);
export const post = make('post', true);
export const put = make('put', true);

export const id = z.uuid();
export const idParam = z.object({ id });
export const dateText = z.string().refine((text) => parseCivilDate(text) !== null, { error: 'must be a date such as 2026-09-14' });
export const periodText = z.string().refine((text) => parsePeriod(text) !== null, { error: 'must be a period such as P7Y or P18M' });
/** One line a person typed. */
export const line = (max = 300) => z.string().trim().min(1, 'must not be empty').max(max);
export const reason = z.string().trim().min(3, 'needs a reason of at least three letters').max(2000);
export const revision = z.number().int().positive();

export const personRef = z.object({ id, name: z.string() });
export type PersonRef = z.infer<typeof personRef>;

/** What came of an act on many, one line each. */
export const outcomeLine = z.object({
  id,
  name: z.string(),
  outcome: z.enum(['done', 'refused', 'skipped']),
  why: z.string(),
});
export type OutcomeLine = z.infer<typeof outcomeLine>;
export const outcomes = z.object({ results: z.array(outcomeLine) });

export const tableFormat = z.enum(['csv', 'xlsx', 'json']);
/** A table that somebody brings: its bytes in base64 (RFC 4648), 8 MB of them at most. */
export const tableInput = z.object({
  format: tableFormat,
  data: z.base64().max(12_000_000),
  dryRun: z.boolean().default(true),
});
/** What a table would change or has changed, and what is wrong in it, by row and column. */
export const tableOutcome = z.object({
  rows: z.number().int(),
  changes: z.array(z.object({ row: z.number().int(), what: z.string(), sentence: z.string() })),
  errors: z.array(z.object({ row: z.number().int(), column: z.string(), sentence: z.string() })),
  recomputed: z.number().int(),
});
export type TableOutcome = z.infer<typeof tableOutcome>;

/** RFC 9457 problem document. */
export const problem = z.object({
  type: z.string(),
  title: z.string(),
  status: z.number().int(),
  detail: z.string(),
  fields: z.array(z.object({ pointer: z.string(), sentence: z.string() })).optional(),
});
export type Problem = z.infer<typeof problem>;
export type ProblemField = NonNullable<Problem['fields']>[number];
