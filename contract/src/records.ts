import { codePattern } from '@key-cellar/core/plan';
import { countScopes, dublinCoreElements, factKinds } from '@key-cellar/core/records';
import * as z from 'zod';
import { askedCriteria, criteriaParameter, wordsToFind } from './criteria.js';
import { explanation } from './explanation.js';
import { datesLine, effectPage } from './schedule.js';
import {
  dateShift,
  dateText,
  get,
  id,
  idParam,
  outcomes,
  personRef,
  post,
  put,
  revision,
  sentence,
  tableFormat,
  withMany,
} from './shared.js';
import { text, prose, line, note, reason } from './text.js';

export const sortColumns = ['number', 'title', 'created', 'filed', 'due', 'size'] as const;
export type SortColumn = (typeof sortColumns)[number];

const factScalar = z.union([prose(4000), z.number(), z.boolean()]);
export const factDefinition = z.object({
  code: text(40),
  title: text(80),
  kind: z.enum(factKinds),
  required: z.boolean(),
  help: prose(300).optional(),
  many: z.boolean().optional(),
  choices: z.array(text(300)).max(2000).readonly().optional(),
  default: factScalar.optional(),
  mask: text(100).optional(),
  min: z.union([z.number(), text(10)]).optional(),
  max: z.union([z.number(), text(10)]).optional(),
  currency: text(3).optional(),
  replaces: z.boolean().optional(),
  unique: z.boolean().optional(),
  onlyWhen: z
    .object({ fact: text(40), values: z.array(factScalar).max(200).readonly() })
    .readonly()
    .optional(),
  dublinCore: z.enum(dublinCoreElements).optional(),
});
export const facts = z.record(
  text(80),
  z.union([
    factScalar,
    z
      .array(z.union([prose(4000), z.number()]))
      .max(100)
      .readonly(),
  ]),
);

const recordType = z.object({
  code: z.string(),
  title: z.string(),
  version: z.number().int(),
  facts: z.array(factDefinition).readonly(),
  retired: z.boolean(),
});
export type RecordType = z.infer<typeof recordType>;

export const recordLine = z.object({
  id,
  number: z.string(),
  title: z.string(),
  medium: z.enum(['electronic', 'physical']),
  recordType: z.string(),
  placeId: id,
  placeCode: z.string(),
  state: z.enum(['working', 'declared', 'disposed']),
  createdOn: dateText,
  filedOn: dateText,
  declaredOn: dateText.nullable(),
  outcome: z.enum(['permanent', 'waiting', 'dated', 'unscheduled']),
  clockStart: dateText.nullable(),
  dueOn: dateText.nullable(),
  action: z.enum(['destroy', 'transfer']).nullable(),
  docket: z.enum(['none', 'due', 'batch']),
  held: z.number().int(),
  /** When the oldest hold that covers it began to; null when none does. */
  heldSince: dateText.nullable(),
  gaps: z.number().int(),
  size: z.number().int(),
  mediaType: z.string().nullable(),
  disposedOn: dateText.nullable(),
});
export type RecordLine = z.infer<typeof recordLine>;

const recordFilter = z.object({
  /** Words in title, number and facts; the last one may be unfinished. */
  words: wordsToFind.optional(),
  /** Only what is under this place. */
  under: id.optional(),
  vintage: z.coerce.number().int().min(0).max(9999).optional(),
  show: z.enum(['due', 'held', 'unscheduled', 'declared', 'waiting', 'permanent', 'gaps', 'disposed']).optional(),
  recordType: text(60).optional(),
  /** Cells of the rack, as `series id.vintage`, separated by commas. */
  cells: z
    .string()
    .regex(/^[0-9a-f-]{36}\.\d{1,4}(,[0-9a-f-]{36}\.\d{1,4})*$/, 'input.rackCells')
    .max(8000)
    .optional(),
  /** A condition as JSON; see the criteria of the core. */
  criteria: criteriaParameter.optional(),
});
export type RecordFilter = z.infer<typeof recordFilter>;

/** A line of a list, with the facts that were asked for as far as the person may read the record. */
const listedRecord = recordLine.extend({ facts: facts.optional() });
export type ListedRecord = z.infer<typeof listedRecord>;

const orderedList = recordFilter.extend({
  sort: z.enum(sortColumns).default('number'),
  /** Codes of facts to be told of each record, with commas between; at most twelve. */
  facts: z
    .string()
    .regex(/^[a-z][A-Za-z0-9]{0,39}(,[a-z][A-Za-z0-9]{0,39}){0,11}$/, 'input.factCodes')
    .optional(),
  descending: z.stringbool().default(false),
});

const listQuery = orderedList.extend({
  /** Opaque: where the page before ended. */
  after: text(1000).optional(),
  /** For jumping: skip this many rows from the start (or from `after`). */
  skip: z.coerce.number().int().min(0).max(100_000_000).default(0),
  limit: z.coerce.number().int().min(1).max(500).default(100),
});

const version = z.object({
  no: z.number().int(),
  fileName: z.string(),
  mediaType: z.string(),
  size: z.number().int(),
  sha256: z.string(),
  madeBy: z.string(),
  madeAt: z.string(),
  note: z.string(),
});
export type VersionLine = z.infer<typeof version>;

const dossier = recordLine.extend({
  revision,
  path: z.array(z.object({ id, kind: z.string(), code: z.string(), title: z.string() })),
  facts,
  /** What those things are called that facts point at, as far as the person may know. */
  factNames: z.record(z.string(), z.string()),
  type: recordType,
  /** The version of the type that the facts were last checked against. */
  typeVersion: z.number().int(),
  /** Facts that an earlier version asked for and this one does not; the record keeps them. */
  earlierFacts: z.array(factDefinition).readonly(),
  gapList: z.array(z.string()),
  /** Its own; empty: those of its place. */
  jurisdictions: z.array(z.string()),
  /** Detectors that found something in it; none for those who may not know. */
  detected: z.array(z.object({ id, title: z.string() })),
  receivedOn: dateText,
  modifiedOn: dateText,
  owner: personRef.nullable(),
  depositedBy: personRef,
  container: z.object({ id, code: z.string(), title: z.string(), location: z.string() }).nullable(),
  versions: z.array(version),
  /** Holds that cover it or covered it; which ones they are is told to those who hold or audit, and to custodians. */
  holds: z.array(
    z.object({
      since: dateText,
      until: dateText.nullable(),
      hold: z.object({ id, name: z.string(), matter: z.string(), because: sentence }).nullable(),
    }),
  ),
  frozenParts: z.array(z.string()),
  frozenByHold: z.boolean(),
  why: explanation,
  rights: z.array(z.string()),
  accessWhy: sentence,
  certificate: z.object({ id, number: z.string() }).nullable(),
  /** The archive that holds it now, and its accession number there. */
  transferredTo: z.object({ archive: z.string(), number: z.string() }).nullable(),
  /** Put off: it comes due again on this day, whatever its date says. */
  deferral: z.object({ until: dateText, reason: z.string() }).nullable(),
});
export type Dossier = z.infer<typeof dossier>;

const manyRecords = z.object({ ids: z.array(id).min(1).max(10_000) });

const numbering = z.object({
  title: line(120),
  /** Such as `{series}/{year}/{nnnn}`. */
  pattern: line(120),
  /** What the counter starts anew for. */
  per: z.array(z.enum(countScopes)).max(5),
  /** No number is left out, at the price that filings of one scope wait for each other. */
  gapless: z.boolean(),
});
const numberingLine = numbering.extend({
  id,
  revision,
  places: z.array(z.object({ id, code: z.string(), title: z.string() })),
  /** A number was given by it; then it stays. */
  used: z.boolean(),
});
export type NumberingLine = z.infer<typeof numberingLine>;

const splitOutcome = z.object({
  parts: z.array(
    z.object({
      placeId: id.nullable(),
      code: z.string(),
      title: z.string(),
      /** Folders that go there with all that is in them, and those that are made again there for what goes. */
      folders: z.number().int(),
      divided: z.number().int(),
      records: z.number().int(),
    }),
  ),
  /** What stays in the series, and how many records are declared and leave it. */
  stays: z.number().int(),
  declared: z.number().int(),
  /** Records that were meant, and stay because a hold freezes them. */
  frozen: z.number().int(),
  /** Of a trial: how due dates move. */
  dates: dateShift.nullable(),
});
export type SplitOutcome = z.infer<typeof splitOutcome>;

export const records = {
  numberings: get('/numberings', 'Numbering schemes, and the places that number by them', {
    response: z.object({ numberings: z.array(numberingLine) }),
  }),
  makeNumbering: post('/numberings', 'Make a numbering scheme', { body: numbering, response: z.object({ id }) }),
  changeNumbering: put('/numberings/{id}', 'Change a scheme: numbers that were given stay', {
    params: idParam,
    body: numbering.extend({ revision }),
    response: z.object({ revision }),
  }),
  dropNumbering: post('/numberings/{id}/drop', 'Remove a scheme that never gave a number and that no place has', {
    params: idParam,
    body: z.object({ revision }),
  }),
  factValues: get(
    '/places/{id}/fact-values',
    'The values that a fact has among the records of a place that the person may move, most records first',
    {
      params: idParam,
      query: z.object({ fact: text(60) }),
      response: z.object({
        values: z.array(z.object({ value: factScalar, records: z.number().int() })),
        /** What the things are called that the values point at. */
        factNames: z.record(z.string(), z.string()),
        /** How many have no value. */
        without: z.number().int(),
      }),
    },
  ),
  splitSeries: post(
    '/places/{id}/split',
    'Split a series: what each part says goes into a new series of its own, arranged as the old one is; tried first with dryRun',
    {
      params: idParam,
      body: z.object({
        revision,
        parts: z
          .array(
            z.object({
              code: text(40).trim().regex(codePattern, 'input.placeCode'),
              title: line(),
              /** What goes there: records that match, or folders and records by number. Of several parts the first counts. */
              which: z.discriminatedUnion('by', [
                z.object({ by: z.literal('criteria'), criteria: askedCriteria }),
                z.object({ by: z.literal('list'), folderIds: z.array(id).max(2000), numbers: z.array(line(120)).max(5000) }),
              ]),
            }),
          )
          .min(1)
          .max(40),
        /** Whether codes are given though they were those of other places before. */
        again: z.boolean().optional(),
        reason: reason.optional(),
        dryRun: z.boolean().default(true),
      }),
      response: splitOutcome,
    },
    withMany,
  ),
  placeNumbering: put('/places/{id}/numbering', 'Number what is filed in a place by a scheme; null: as the place around it', {
    params: idParam,
    body: z.object({ revision, numberingId: id.nullable() }),
  }),
  types: get('/record-types', 'Record types and their facts', { response: z.object({ types: z.array(recordType) }) }),
  list: get('/records', 'Records the person may discover, by keyset pages', {
    query: listQuery,
    response: z.object({
      records: z.array(listedRecord),
      /** What those things are called that these facts point at, as far as the person may know. */
      factNames: z.record(z.string(), z.string()),
      next: z.string().nullable(),
    }),
  }),
  exportList: get('/records/export', 'All that a filter finds, as a table; goes into the ledger', {
    query: orderedList.extend({ format: tableFormat }),
  }),
  count: get('/records/count', 'How many records the same filter finds', {
    query: recordFilter,
    response: z.object({ count: z.number().int() }),
  }),
  ids: get('/records/ids', 'Ids of all that a filter finds, for marking; at most 10,000', {
    query: recordFilter,
    response: z.object({ ids: z.array(id), more: z.boolean() }),
  }),
  dossier: get('/records/{id}', 'One record with everything known of it', { params: idParam, response: dossier }),
  pages: get('/records/{id}/pages', 'How many pages a version has, for showing them; reading it goes into the ledger', {
    params: idParam,
    query: z.object({ version: z.coerce.number().int().positive().optional() }),
    response: z.object({ pages: z.number().int(), width: z.number(), height: z.number() }),
  }),
  editFacts: put('/records/{id}/facts', 'Change title, date and facts of a record', {
    params: idParam,
    body: z.object({ revision, title: line(), createdOn: dateText, facts }),
    response: z.object({ revision }),
  }),
  addVersion: post('/records/{id}/versions', 'Make something that arrived the newest version', {
    params: idParam,
    body: z.object({ arrivalId: id, note: note(500) }),
    response: z.object({ no: z.number().int() }),
  }),
  move: post('/records/move', 'Move records to another place; tried first with dryRun', {
    body: manyRecords.extend({ placeId: id, reason, dryRun: z.boolean().default(false) }),
    response: z.object({ results: z.array(datesLine), effect: effectPage.nullable() }),
  }),
  declare: post('/records/declare', 'Declare records: from now on nobody can change them', {
    body: manyRecords,
    response: outcomes,
  }),
  revoke: post('/records/revoke', 'Revoke the declaration of records, with a reason', {
    body: manyRecords.extend({ reason }),
    response: outcomes,
  }),
};
