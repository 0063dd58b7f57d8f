import { parseCivilDate, parsePeriod } from '@key-cellar/core/calendar';
import type { Message } from '@key-cellar/words';
import type { ResponseOf } from './endpoint.js';
import * as z from 'zod';
import type { Endpoint } from './endpoint.js';

const nothing = z.object({});
type Nothing = typeof nothing;
type Parts = { params?: z.ZodType; query?: z.ZodType; body?: z.ZodType; response?: z.ZodType };
type Part<T extends Parts, K extends keyof Parts> = T[K] extends z.ZodType ? T[K] : Nothing;
type Made<T extends Parts, C extends boolean> = Endpoint<Part<T, 'params'>, Part<T, 'query'>, Part<T, 'body'>, Part<T, 'response'>, C>;

type More = Pick<Endpoint, 'who' | 'sends' | 'most' | 'early' | 'kept'>;

/** Limits of bodies, in bytes. What is usual needs none; many at once and tables say theirs. */
export const kilobytes = (n: number): number => n * 1000;
export const megabytes = (n: number): number => kilobytes(n * 1000);
/** What a request may have that says much at once: many filings, a type with all its choices. */
export const withMany = { most: megabytes(8) };

const make =
  <C extends boolean>(method: Endpoint['method'], changes: C) =>
  <T extends Parts>(
    path: string,
    summary: string,
    parts: T,
    {
      who = 'signedIn',
      sends = 'json',
      early = false,
      kept = false,
      most = who === 'public' ? kilobytes(16) : kilobytes(512),
    }: Partial<More> = {},
  ): Made<T, C> =>
    ({
      method,
      changes,
      path,
      summary,
      sends,
      who,
      early,
      kept,
      most,
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
export const dateText = z.string().refine((text) => parseCivilDate(text) !== null, { error: 'input.date' });
export const periodText = z.string().refine((text) => parsePeriod(text) !== null, { error: 'input.period' });
export const revision = z.number().int().positive();

declare const spoken: unique symbol;

/** Words for a person to read, in the language of whoever asked. The server tells them as a message and never as a text. */
export type Sentence = string & { readonly [spoken]?: true };
export const sentence = z.string() as unknown as z.ZodType<Sentence, string>;

/** What the server tells where an answer has a {@link Sentence}: the message that the sentence is made of. */
export type Told<T> = T extends string
  ? typeof spoken extends keyof T
    ? Message
    : T
  : T extends (infer One)[]
    ? Told<One>[]
    : T extends readonly (infer One)[]
      ? readonly Told<One>[]
      : T extends object
        ? { [K in keyof T]: Told<T[K]> }
        : T;

export type ToldOf<E extends Endpoint> = Told<ResponseOf<E>>;

export const personRef = z.object({ id, name: z.string() });
export type PersonRef = z.infer<typeof personRef>;

/** What came of an act on many, one line each. */
export const outcomeLine = z.object({
  id,
  name: z.string(),
  outcome: z.enum(['done', 'refused', 'skipped']),
  why: sentence,
});
export type OutcomeLine = z.infer<typeof outcomeLine>;
export const outcomes = z.object({ results: z.array(outcomeLine) });

export const tableFormat = z.enum(['csv', 'xlsx', 'json']);
/** A table that somebody brings: its bytes in base64 (RFC 4648), 9 MB of them at most. */
export const largestTable = 12_000_000;
/** What a request that brings a table may have. */
export const withTable = { most: largestTable + kilobytes(64) };
/** Forms of a concept scheme (SKOS). */
export const schemeFormats = ['jsonld', 'rdfxml', 'turtle'] as const;
export const tableInput = z.object({
  format: tableFormat,
  data: z.base64().max(largestTable),
  dryRun: z.boolean().default(true),
});
/** In which encoding a file was read where it does not say itself; null where there is no doubt. */
export const encodingGuessed = z.string().nullable();

/** What becomes of the due dates of the records that a change touches; at most so many of them are looked at. */
export const dateShift = z.object({
  of: z.number().int(),
  looked: z.number().int(),
  earlier: z.number().int(),
  later: z.number().int(),
  first: z.number().int(),
  none: z.number().int(),
});
export type DateShift = z.infer<typeof dateShift>;

/** Who gains and who loses which rights on how much, the most of it first; of very many the first, and `people` says how many lines there are. */
export const accessShift = z.object({ gains: z.array(sentence), loses: z.array(sentence), people: z.number().int() });
export type AccessShift = z.infer<typeof accessShift>;

/** How sensitive something is: a level, and caveats that are cleared one by one. */
export const marking = z.object({ level: z.number().int(), caveats: z.array(z.string()).readonly() });
export type MarkingLine = z.infer<typeof marking>;

/** What both sides changed: nothing is taken in, ours stays, or theirs counts. */
export const conflictWays = ['refuse', 'keep', 'take'] as const;
export type ConflictWay = (typeof conflictWays)[number];
export const conflictWay = z.enum(conflictWays).default('refuse');

/** What a table would change or has changed, and what is wrong in it, by row and column. */
export const tableOutcome = z.object({
  rows: z.number().int(),
  changes: z.array(z.object({ row: z.number().int(), what: z.string(), sentence })),
  /** What nothing speaks against, and somebody should know. */
  warnings: z.array(z.object({ row: z.number().int(), sentence })),
  errors: z.array(z.object({ row: z.number().int(), column: z.string(), sentence })),
  /** How many of the errors are what was changed here and in the table. */
  conflicts: z.number().int(),
  /** Of a trial: how due dates move. */
  dates: dateShift.nullable(),
  /** Of a trial: whose access changes. */
  access: accessShift.nullable(),
  recomputed: z.number().int(),
  readAs: encodingGuessed,
});
export type TableOutcome = z.infer<typeof tableOutcome>;

/** RFC 9457 problem document. Title, detail and fields are in the language of whoever asked; `message` is what they are made of. */
export const problem = z.object({
  type: z.string(),
  title: z.string(),
  status: z.number().int(),
  detail: z.string(),
  fields: z.array(z.object({ pointer: z.string(), sentence })).optional(),
  /** Which message it is, and what went into it. */
  message: z.object({ code: z.string(), values: z.record(z.string(), z.unknown()).optional() }).optional(),
});
export type Problem = z.infer<typeof problem>;
export type ProblemField = NonNullable<Problem['fields']>[number];
