import * as z from 'zod';
import { criteria } from './criteria.js';
import { dateText, get, id, idParam, personRef, post, ask, outcomes, sentence } from './shared.js';
import { line, note, reason } from './text.js';

/** What a hold is still doing: covering what its criteria matched, or letting go; the total is null until it was looked for. */
const holdDoing = z
  .object({ what: z.enum(['covering', 'releasing']), done: z.number().int(), total: z.number().int().nullable() })
  .nullable();

const holdLine = z.object({
  id,
  name: z.string(),
  reason: z.string(),
  state: z.enum(['open', 'released']),
  freeze: z.boolean(),
  /** Criteria in words; null for a list. */
  scope: z.string().nullable(),
  placedBy: z.string(),
  placedOn: dateText,
  releasedOn: dateText.nullable(),
  releaseReason: z.string().nullable(),
  covers: z.number().int(),
  doing: holdDoing,
  unacknowledged: z.number().int(),
});
export type HoldLine = z.infer<typeof holdLine>;

const matterLine = z.object({
  id,
  code: z.string(),
  title: z.string(),
  kind: z.enum(['case', 'audit', 'inquiry']),
  note: z.string(),
  openedOn: dateText,
  holds: z.array(holdLine),
});
export type MatterLine = z.infer<typeof matterLine>;

const coverageMonth = z.object({ month: z.string(), covered: z.number().int() });

const holdPage = holdLine.extend({
  matter: z.object({ id, code: z.string(), title: z.string() }),
  custodians: z.array(
    z.object({ person: personRef, notifiedOn: dateText, reminders: z.number().int(), acknowledgedOn: dateText.nullable() }),
  ),
  records: z.array(
    z.object({
      id,
      number: z.string(),
      title: z.string(),
      because: sentence,
      since: dateText,
      released: z.boolean(),
      holds: z.number().int(),
    }),
  ),
  coverage: z.array(coverageMonth),
});
export type HoldPage = z.infer<typeof holdPage>;

const coverLine = z.object({
  id,
  name: z.string(),
  outcome: z.enum(['covered', 'already covered', 'gone before the hold', 'not found', 'refused']),
});

export const holds = {
  matters: get('/matters', 'Matters with their holds', { response: z.object({ matters: z.array(matterLine) }) }),
  makeMatter: post('/matters', 'Open a matter', {
    body: z.object({ code: line(30), title: line(), kind: z.enum(['case', 'audit', 'inquiry']), note: note(4000) }),
    response: z.object({ id }),
  }),
  placeHold: post('/holds', 'Place a hold on a list of records and/or on what criteria match, now and later', {
    body: z
      .object({
        matterId: id,
        name: line(),
        reason,
        freeze: z.boolean().default(false),
        recordIds: z.array(id).max(100_000).default([]),
        criteria: criteria.optional(),
        custodianIds: z.array(id).max(500).default([]),
      })
      .refine((hold) => hold.recordIds.length > 0 || hold.criteria, { error: 'input.recordsOrCriteria', path: ['recordIds'] }),
    /** The results say what came of each record that was listed. */
    response: z.object({ id, covered: z.number().int(), doing: holdDoing, results: z.array(coverLine) }),
  }),
  hold: get('/holds/{id}', 'One hold with what it covers', { params: idParam, response: holdPage }),
  countScope: ask('/holds/count', 'How many records criteria would cover now', {
    body: z.object({ criteria }),
    response: z.object({ count: z.number().int(), words: z.string() }),
  }),
  addRecords: post('/holds/{id}/records', 'Add records to an open hold', {
    params: idParam,
    body: z.object({ recordIds: z.array(id).min(1).max(100_000) }),
    response: z.object({ covered: z.number().int(), results: z.array(coverLine) }),
  }),
  letOut: post('/holds/{id}/let-out', 'Let records out of an open hold, with a reason', {
    params: idParam,
    body: z.object({ recordIds: z.array(id).min(1).max(10_000), reason }),
    response: outcomes.extend({ released: z.number().int() }),
  }),
  release: post('/holds/{id}/release', 'Release a hold; what is due returns to the docket', {
    params: idParam,
    body: z.object({ reason }),
    response: z.object({ id, released: z.number().int(), doing: holdDoing }),
  }),
  acknowledge: post('/holds/{id}/acknowledge', 'Acknowledge the notice of a hold as its custodian', { params: idParam }),
  remind: post('/holds/{id}/remind', 'Remind custodians who have not acknowledged', {
    params: idParam,
    response: z.object({ reminded: z.number().int() }),
  }),
};
