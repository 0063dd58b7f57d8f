import * as z from 'zod';
import { explanation } from './explanation.js';
import { facts } from './records.js';
import { dateText, get, id, idParam, post, ask, withMany, megabytes, sentence } from './shared.js';
import { text, line } from './text.js';

const sameContent = z.object({
  kind: z.enum(['record', 'arrival']),
  id,
  name: z.string(),
});

const arrival = z.object({
  id,
  fileName: z.string(),
  /** What was changed about the name it came with. */
  changed: z.array(sentence),
  size: z.number().int(),
  mediaType: z.string(),
  sha256: z.string(),
  source: z.string(),
  arrivedAt: z.string(),
  placeId: id.nullable(),
  suggestedTitle: z.string(),
  /** An open hold will cover it, so it is not discarded. */
  held: z.boolean(),
  sameAs: z.array(sameContent),
});
export type Arrival = z.infer<typeof arrival>;

/** What a person says of something that arrived, to have it filed. */
export const filing = z.object({
  arrivalId: id,
  title: line(),
  recordType: text(60).min(1),
  placeId: id,
  createdOn: dateText,
  facts: facts.default({}),
});
export type Filing = z.infer<typeof filing>;

const physicalItem = filing.omit({ arrivalId: true }).extend({ containerId: id });

const filingResult = z.object({
  arrivalId: id,
  name: z.string(),
  outcome: z.enum(['done', 'refused']),
  why: sentence,
  recordId: id.nullable(),
  number: z.string().nullable(),
});
export type FilingResult = z.infer<typeof filingResult>;

const filings = z.object({ filings: z.array(filing).min(1).max(2000) });

export const receiving = {
  upload: post(
    '/uploads',
    'Take in a file: the body is its bytes, and `Idempotency-Key` makes a repeated upload the same one',
    {
      query: z.object({
        name: z.string().min(1).max(4000),
        place: id.optional(),
        source: text(100).trim().default('upload'),
      }),
      response: z.object({ id }),
    },
    { sends: 'bytes', most: 2 * megabytes(1024) },
  ),
  list: get('/arrivals', 'What has arrived and is not filed, newest first', {
    response: z.object({ arrivals: z.array(arrival) }),
  }),
  preview: ask(
    '/arrivals/preview',
    'What the schedule would say of these filings',
    {
      body: filings,
      response: z.object({
        previews: z.array(z.object({ arrivalId: id, explanation, gaps: z.array(z.string()), problems: z.array(sentence) })),
      }),
    },
    withMany,
  ),
  file: post(
    '/arrivals/file',
    'File what has arrived as records, each on its own',
    {
      body: filings,
      response: z.object({ results: z.array(filingResult) }),
    },
    withMany,
  ),
  pages: get('/arrivals/{id}/pages', 'How many pages something that arrived has, for looking at it before it is filed', {
    params: idParam,
    response: z.object({ pages: z.number().int(), width: z.number(), height: z.number() }),
  }),
  discard: post('/arrivals/{id}/discard', 'Discard something that arrived', { params: idParam }),
  containers: get('/containers', 'Containers that physical items sit in', {
    response: z.object({
      containers: z.array(z.object({ id, code: z.string(), title: z.string(), location: z.string(), items: z.number().int() })),
    }),
  }),
  describePhysical: post('/records/physical', 'Describe a physical item that stays on its shelf', {
    body: physicalItem,
    response: z.object({ recordId: id, number: z.string() }),
  }),
};
