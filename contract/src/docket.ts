import { batchStates, itemOutcomes } from '@key-cellar/core/docket';
import * as z from 'zod';
import { dateText, get, id, idParam, post, sentence } from './shared.js';
import { note, reason, text } from './text.js';

const dueGroup = z.object({
  key: z.string(),
  seriesId: id,
  seriesCode: z.string(),
  seriesTitle: z.string(),
  ruleCode: z.string().nullable(),
  action: z.enum(['destroy', 'transfer']),
  medium: z.enum(['electronic', 'physical']),
  vintages: z.array(z.number().int()),
  since: dateText,
  count: z.number().int(),
  held: z.number().int(),
  approvals: z.number().int(),
  /** Names of the groups that approvers must be of; none: of any. */
  approverGroups: z.array(z.string()),
  noticeDays: z.number().int(),
  /** May this person propose the batch? */
  mayPropose: z.boolean(),
});
export type DueGroup = z.infer<typeof dueGroup>;

const gate = z.object({
  name: z.enum(['proposed', 'notice', 'approved', 'done']),
  state: z.enum(['passed', 'current', 'ahead', 'blocked']),
  words: sentence,
});
export type Gate = z.infer<typeof gate>;

const batchLine = z.object({
  id,
  number: z.string(),
  action: z.enum(['destroy', 'transfer']),
  what: z.string(),
  state: z.enum(batchStates),
  count: z.number().int(),
  held: z.number().int(),
  objections: z.number().int(),
  tasks: z.number().int(),
  note: sentence,
  gates: z.array(gate),
  late: z.boolean(),
  certificate: z.object({ id, number: z.string() }).nullable(),
  /** The archive's accession receipt, for a transfer that it confirmed. */
  receipt: z
    .object({ archive: z.string(), accession: z.string(), receivedOn: dateText, bagSha256: z.string(), files: z.number().int() })
    .nullable(),
  /** What this person may do with it now. */
  acts: z.array(z.enum(['announce', 'approve', 'reject', 'execute', 'withdraw', 'object', 'confirm'])),
});
export type BatchLine = z.infer<typeof batchLine>;

const batchItem = z.object({
  recordId: id,
  number: z.string(),
  title: z.string(),
  dueOn: dateText.nullable(),
  held: z.number().int(),
  medium: z.enum(['electronic', 'physical']),
  container: z.string().nullable(),
  outcome: z.enum([...itemOutcomes, 'task']),
  reason: sentence.nullable(),
});
export type BatchItem = z.infer<typeof batchItem>;

const batchPage = batchLine.extend({
  revision: z.number().int(),
  proposedBy: z.string(),
  approvalsNeeded: z.number().int(),
  /** Names of the groups that they must be of; none: of any. */
  approverGroups: z.array(z.string()),
  noticeUntil: dateText.nullable(),
  withdrawnReason: z.string().nullable(),
  approvals: z.array(z.object({ by: z.string(), decision: z.enum(['approve', 'reject']), note: z.string(), on: dateText })),
  objectionList: z.array(
    z.object({ id, recordId: id, record: z.string(), by: z.string(), reason: z.string(), answer: z.string().nullable() }),
  ),
  /** Open records that are no longer due: they would stay. */
  notDue: z.number().int(),
  items: z.array(batchItem),
});
export type BatchPage = z.infer<typeof batchPage>;

export const docket = {
  due: get('/docket/due', 'What is due and in no batch, by rule, series and medium', {
    response: z.object({ groups: z.array(dueGroup) }),
  }),
  batches: get('/batches', 'Batches, late ones first', { response: z.object({ batches: z.array(batchLine) }) }),
  propose: post('/batches', 'Propose a batch of a due group, to destroy or to transfer, without what is held', {
    body: z.object({ groupKey: text(200), noticeDays: z.number().int().min(0).max(365), announce: z.boolean() }),
    response: z.object({ id, number: z.string() }),
  }),
  batch: get('/batches/{id}', 'One batch', { params: idParam, response: batchPage }),
  announce: post('/batches/{id}/announce', 'Send the notice', { params: idParam }),
  object: post('/batches/{id}/objections', 'Object to one record of a batch', {
    params: idParam,
    body: z.object({ recordId: id, reason }),
  }),
  answer: post('/objections/{id}/answer', 'Answer an objection: defer the record until a day, or continue', {
    params: idParam,
    body: z.discriminatedUnion('keep', [
      z.object({ keep: z.literal(true), answer: reason, until: dateText }),
      z.object({ keep: z.literal(false), answer: reason }),
    ]),
  }),
  defer: post('/batches/{id}/deferrals', 'Take one record out of a batch until a day', {
    params: idParam,
    body: z.object({ recordId: id, until: dateText, reason }),
  }),
  approve: post('/batches/{id}/approve', 'Approve a batch', {
    params: idParam,
    body: z.object({ note: note() }),
  }),
  reject: post('/batches/{id}/reject', 'Refuse a batch; its records stay', { params: idParam, body: z.object({ reason }) }),
  withdraw: post('/batches/{id}/withdraw', 'Withdraw a batch', { params: idParam, body: z.object({ reason }) }),
  execute: post('/batches/{id}/execute', 'Execute an approved batch, record by record', {
    params: idParam,
    response: z.object({ jobId: id }),
  }),
  confirm: post('/batches/{id}/confirm', 'Confirm that physical items were destroyed or handed over', {
    params: idParam,
    body: z.object({
      recordIds: z.array(id).min(1).max(2000),
      on: dateText,
      method: text(200).trim().min(3, 'input.how'),
      witness: text(200).trim().min(2, 'input.person'),
    }),
  }),
};
