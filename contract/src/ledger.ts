import * as z from 'zod';
import { dateText, get, id, post } from './shared.js';
import { text } from './text.js';

const ledgerEntry = z.object({
  seq: z.number().int(),
  at: z.string(),
  actor: z.string(),
  from: z.string(),
  act: z.string(),
  subjectKind: z.string(),
  subjectId: id.nullable(),
  subject: z.string(),
  before: z.unknown(),
  after: z.unknown(),
  note: z.string().nullable(),
  /** Position in the tree; null until sealed. */
  leaf: z.number().int().nullable(),
});
export type LedgerEntry = z.infer<typeof ledgerEntry>;

const ledgerFilter = z.object({
  from: dateText.optional(),
  until: dateText.optional(),
  actor: id.optional(),
  act: text(60).optional(),
  subject: id.optional(),
  subjectKind: text(30).optional(),
});
export type LedgerFilter = z.infer<typeof ledgerFilter>;

const head = z.object({
  size: z.number().int(),
  root: z.string(),
  signedAt: z.string(),
  keyId: z.string(),
  signature: z.string(),
  /** RFC 3161: the token as base64 of DER, when it was made and by whom; null until the authority has answered. */
  timeStamp: z.object({ token: z.string(), at: z.string(), authority: z.string() }).nullable(),
});
export type TreeHead = z.infer<typeof head>;

export const ledger = {
  entries: get('/ledger', 'Entries of the audit trail, newest first', {
    query: ledgerFilter.extend({ before: z.coerce.number().int().optional(), limit: z.coerce.number().int().min(1).max(500).default(100) }),
    response: z.object({ entries: z.array(ledgerEntry), next: z.number().int().nullable() }),
  }),
  export: get(
    '/ledger/export',
    'Sealed entries with their proofs, to be checked without Key Cellar; `since` adds the proof that an older head is a prefix',
    {
      query: ledgerFilter.extend({ since: z.coerce.number().int().positive().optional() }),
    },
  ),
  acts: get('/ledger/acts', 'Kinds of acts that occur', { response: z.object({ acts: z.array(z.string()) }) }),
  heads: get('/ledger/heads', 'Signed tree heads, newest first', {
    response: z.object({ heads: z.array(head), unsealed: z.number().int() }),
  }),
  seal: post('/ledger/seal', 'Seal what is not sealed yet', { response: z.object({ size: z.number().int() }) }),
  verify: post('/ledger/verify', 'Recompute the whole tree from the entries and compare', {
    response: z.object({
      ok: z.boolean(),
      size: z.number().int(),
      sentence: z.string(),
      broken: z.array(z.object({ seq: z.number().int(), leaf: z.number().int(), sentence: z.string() })),
    }),
  }),
};
