import * as z from 'zod';
import { ask, dateText, get, id, post, problem, sentence } from './shared.js';
import { text } from './text.js';

export const ledgerEntry = z.object({
  seq: z.number().int(),
  at: z.string(),
  actor: z.string(),
  from: z.string(),
  /** As the ledger has it, and is asked for it. */
  act: z.string(),
  words: sentence,
  subjectKind: z.string(),
  subjectId: id.nullable(),
  subject: z.string(),
  before: z.unknown(),
  after: z.unknown(),
  note: sentence.nullable(),
  /** Position in the tree; null until sealed. */
  leaf: z.number().int().nullable(),
});
export type LedgerEntry = z.infer<typeof ledgerEntry>;

/** Entries of the program that lie between two of people. */
const fold = z.object({
  newest: z.number().int(),
  oldest: z.number().int(),
  acts: z.array(z.object({ act: z.string(), words: sentence, count: z.number().int() })),
  /** There are more of them than were counted. */
  more: z.boolean(),
});
export type LedgerFold = z.infer<typeof fold>;

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
  /** C2SP signed-note: the checkpoint with the signatures of ledger and witness; null until the witness has answered. */
  witness: z.object({ note: z.string(), at: z.string(), name: z.string() }).nullable(),
});
export type TreeHead = z.infer<typeof head>;

const ledgerState = z.object({
  /** Newest first. */
  heads: z.array(head),
  unsealed: z.number().int(),
  unsealedSince: z.string().nullable(),
  unsealedForSeconds: z.number(),
  /** How many entries the newest cosigned and the newest stamped head cover. */
  witnessed: z.number().int().nullable(),
  stamped: z.number().int().nullable(),
  keyId: z.string().nullable(),
  lastVerified: z.object({ at: z.string(), by: z.string(), ok: z.boolean(), size: z.number().int() }).nullable(),
  /** What keeps entries from being sealed, cosigned or stamped; an alarm may be the work of somebody. */
  troubles: z.array(z.object({ what: z.enum(['sealing', 'witness', 'stamp']), since: z.string(), sentence, alarm: z.boolean() })),
});
export type LedgerState = z.infer<typeof ledgerState>;

const finding = z.object({
  what: z.enum(['entry', 'tree', 'head', 'key', 'stamp', 'witness', 'unsealed']),
  /** A leaf, the size of a head, a tile or a key, whichever it is about. */
  place: z.string(),
  seq: z.number().int().optional(),
  sentence,
});
export type LedgerFinding = z.infer<typeof finding>;

const report = z.object({
  ok: z.boolean(),
  size: z.number().int(),
  sentence,
  findings: z.array(finding),
  /** What could not be looked at, a sentence each. */
  unchecked: z.array(sentence),
  checked: z.object({
    entries: z.number().int(),
    heads: z.number().int(),
    cosigned: z.number().int(),
    stamped: z.number().int(),
    /** Heads of the witness's own file. */
    seen: z.number().int(),
  }),
});
export type LedgerReport = z.infer<typeof report>;
const verifyLine = z.union([z.object({ done: z.number().int(), total: z.number().int() }), z.object({ report }), z.object({ problem })]);
export type VerifyLine = z.infer<typeof verifyLine>;

/** Sizes of heads that somebody kept, with commas between. */
const sizes = z
  .string()
  .regex(/^\d{1,15}(,\d{1,15}){0,99}$/, { error: 'input.headSizes' })
  .transform((text) => text.split(',').map(Number));

export const ledger = {
  entries: get('/ledger', 'Entries of the audit trail, newest first', {
    query: ledgerFilter.extend({
      before: z.coerce.number().int().optional(),
      after: z.coerce.number().int().optional(),
      limit: z.coerce.number().int().min(1).max(500).default(100),
      /** What the program did by itself is counted between what people did, and not listed. */
      folded: z.stringbool().optional(),
    }),
    response: z.object({ entries: z.array(ledgerEntry), folds: z.array(fold), next: z.number().int().nullable() }),
  }),
  export: get(
    '/ledger/export',
    'Sealed entries as lines of JSON that give the newest root, to be checked without Key Cellar; `since` adds the roots of heads that were kept',
    { query: ledgerFilter.extend({ since: sizes.optional() }) },
  ),
  acts: get('/ledger/acts', 'Kinds of acts that occur', {
    response: z.object({ acts: z.array(z.object({ act: z.string(), words: sentence })) }),
  }),
  state: get('/ledger/state', 'Tree heads, newest first, and what is sealed, cosigned and stamped', { response: ledgerState }),
  head: get('/ledger/heads/{size}', 'The checkpoint of a tree head with the signatures of ledger and witness, to be kept elsewhere', {
    params: z.object({ size: z.string().regex(/^\d{1,15}$/) }),
  }),
  seal: post('/ledger/seal', 'Seal what is not sealed yet', { response: z.object({ size: z.number().int() }) }),
  verify: ask('/ledger/verify', 'Check everything; answers with lines of JSON, progress first, the report last', { response: verifyLine }),
  changeKey: post('/ledger/key', 'Let a new key sign from now on; the old one signs that it does', {
    body: z.object({ why: text(500).min(1) }),
    response: z.object({ keyId: z.string() }),
  }),
};
