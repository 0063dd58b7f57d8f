import { codePattern, placeKinds, shutStates } from '@key-cellar/core/plan';
import * as z from 'zod';
import { facts } from './records.js';
import { takes } from './setup.js';
import {
  conflictWay,
  dateText,
  get,
  id,
  idParam,
  outcomes,
  post,
  put,
  revision,
  schemeFormats,
  tableFormat,
  tableInput,
  tableOutcome,
  withTable,
  sentence,
} from './shared.js';
import { text, line, note, reason } from './text.js';

const counts = z.object({
  kept: z.number().int(),
  due: z.number().int(),
  held: z.number().int(),
  unscheduled: z.number().int(),
  permanent: z.number().int(),
  waiting: z.number().int(),
});
export type RackCounts = z.infer<typeof counts>;

const placeLine = z.object({
  id,
  kind: z.enum(placeKinds),
  parentId: id.nullable(),
  code: z.string(),
  title: z.string(),
  closedOn: dateText.nullable(),
  retiredOn: dateText.nullable(),
  /** Why nothing may come into it today, as far as it itself goes. */
  shut: z.enum(shutStates).nullable(),
  /** Codes of the rules set right here. */
  rules: z.array(z.string()),
  /** False: shown only so that the person finds the way further down. */
  discover: z.boolean(),
  deposit: z.boolean(),
  counts: counts.nullable(),
});
export type PlaceLine = z.infer<typeof placeLine>;

const outlineLine = placeLine.extend({
  /** There are folders in it that the person may see, or find the way through. */
  foldersInside: z.boolean(),
});
export type OutlineLine = z.infer<typeof outlineLine>;

const column = z.array(z.number().int());
/** A series with its vintages (0 = the clock has not started), and what each of them comes to, in the same order. */
const rackOfSeries = z.object({
  seriesId: id,
  vintages: column,
  kept: column,
  due: column,
  held: column,
  unscheduled: column,
  permanent: column,
  waiting: column,
});
export type RackOfSeries = z.infer<typeof rackOfSeries>;

const placePage = placeLine.extend({
  /** What belongs here. */
  note: z.string(),
  /** What does not. */
  notHere: z.string(),
  /** What depositors see when they file here. */
  message: z.string(),
  formerCodes: z.array(z.object({ code: z.string(), until: dateText })),
  openedOn: dateText,
  standAlone: z.boolean(),
  path: z.array(z.object({ id, kind: z.enum(placeKinds), code: z.string(), title: z.string() })),
  inside: z.array(placeLine),
  setRules: z.array(z.object({ id, code: z.string(), title: z.string(), setOn: z.string(), here: z.boolean() })),
  jurisdictions: z.array(z.string()),
  /** Code of the place that says so; null when none does. */
  jurisdictionsFrom: z.string().nullable(),
  /** How what is filed here is numbered; null: as usual. */
  numbering: z.object({ id, title: z.string(), pattern: z.string(), setOn: z.string() }).nullable(),
  /** What it gives on to what is filed in it, with the names of what that points at. */
  facts,
  factNames: z.record(z.string(), z.string()),
  /** What places around it give on, nearest first. */
  factsAround: z.array(z.object({ code: z.string(), facts })),
  /** Titles that are prepared for what is filed here; the day of the document stands before or after. */
  readyTitles: z.array(z.object({ text: z.string(), date: z.enum(['none', 'before', 'after']), recordType: z.string().nullable() })),
  /** The stencil it was made from, with its version. */
  stencil: z
    .object({
      id,
      title: z.string(),
      version: z.number().int(),
      newest: z.number().int(),
      /** Roles of the use, and who has each; of outermost folders only. */
      roles: z.array(z.object({ code: z.string(), title: z.string(), principalId: id.nullable(), name: z.string().nullable() })),
    })
    .nullable(),
  /** What it says it takes; null: whatever is taken around it. */
  takes: takes.nullable(),
  takesAround: z.array(z.object({ code: z.string(), takes })),
  rights: z.array(z.string()),
  /** Titles of the profiles that a person has here. */
  profiles: z.array(sentence),
  accessWhy: sentence,
  revision,
});
export type PlacePage = z.infer<typeof placePage>;

const code = text(200).trim().regex(codePattern, 'input.placeCode');

/** What moving or merging does besides changing dates: how much goes along, and whose access changes. */
/** Whether a code is given though it was that of another place before. */
const again = z.boolean().optional();

const planEffect = z.object({
  records: z.number().int(),
  places: z.number().int(),
  /** People who get more rights there, each with those rights. */
  gains: z.array(sentence),
  /** People who lose rights there, each with those rights. */
  loses: z.array(sentence),
  /** Records that are dated anew. */
  recomputed: z.number().int(),
  /** Declared records that leave their series, or their folder, with it; it takes a keeper and a reason. */
  declared: z.number().int(),
});
export type PlanEffect = z.infer<typeof planEffect>;

export const plan = {
  outline: get(
    '/plan',
    'All places of the file plan that the person may see; folders only with ?folders=true',
    {
      query: z.object({ folders: z.stringbool().optional() }),
      response: z.object({ places: z.array(outlineLine) }),
    },
    { kept: true },
  ),
  folders: get('/places/{id}/folders', 'The folders right inside a place, as far as the person may see them; 500 at most', {
    params: idParam,
    response: z.object({ places: z.array(outlineLine), more: z.number().int() }),
  }),
  rack: get(
    '/plan/rack',
    'Counts per series and vintage; vintage 0 = the clock has not started',
    {
      response: z.object({ series: z.array(rackOfSeries) }),
    },
    { kept: true },
  ),
  place: get('/places/{id}', 'One place', { params: idParam, response: placePage }),
  makePlace: post('/places', 'Make a function, activity, series or folder', {
    body: z.object({
      parentId: id,
      kind: z.enum(['function', 'activity', 'series', 'folder']),
      /** A code, or a pattern such as `PIL-{nn}` that takes the next number. */
      code: z
        .string()
        .trim()
        .max(40)
        .regex(/^[A-Z0-9{][A-Z0-9./{}n-]*$/, 'input.placeCodePattern'),
      title: line(),
      note: note(4000),
      /** It may be older than its place here; today when nothing is said. */
      openedOn: dateText.optional(),
      again,
    }),
    response: z.object({ id }),
  }),
  editPlace: put('/places/{id}', 'Rename, renumber or describe a place; its old code still leads to it', {
    params: idParam,
    body: z.object({
      revision,
      code,
      title: line(),
      note: note(4000),
      notHere: note(4000),
      message: note(1000),
      openedOn: dateText.optional(),
      again,
    }),
    response: z.object({ revision }),
  }),
  movePlace: post('/places/{id}/move', 'Move a place under another one, with all that is in it; tried first with dryRun', {
    params: idParam,
    body: z.object({ revision, parentId: id, reason: reason.optional(), dryRun: z.boolean().default(false) }),
    response: planEffect,
  }),
  mergePlace: post('/places/{id}/merge', 'Merge a place into another of its kind; the empty one is retired; tried first with dryRun', {
    params: idParam,
    body: z.object({ revision, intoId: id, reason: reason.optional(), dryRun: z.boolean().default(false) }),
    response: planEffect,
  }),
  reopenFolder: post('/places/{id}/reopen', 'Open a closed folder again, with a reason', { params: idParam, body: z.object({ reason }) }),
  retirePlace: post('/places/{id}/retire', 'Retire a place: what is in it stays, nothing comes in any more', {
    params: idParam,
    body: z.object({ reason }),
  }),
  exportPlan: get('/plan/export', 'The plan as a table, as SKOS in JSON-LD, or to print', {
    query: z.object({ format: z.enum(['csv', 'xlsx', 'json', 'skos', 'pdf']) }),
  }),
  importPlan: post(
    '/plan/import',
    'Take in a plan from a table or a concept scheme; tried first with dryRun',
    {
      body: tableInput.extend({ format: z.enum([...tableFormat.options, ...schemeFormats]), conflicts: conflictWay }),
      response: tableOutcome,
    },
    withTable,
  ),
  placesByCode: get('/places-by-code', 'The places that have a code, and those that had it', {
    query: z.object({ code: line(200) }),
    response: z.object({ places: z.array(z.object({ id, code: z.string(), title: z.string(), former: z.boolean() })) }),
  }),
  closeFolder: post('/places/{id}/close', 'Close a folder on a day; clocks that wait for it start', {
    params: idParam,
    body: z.object({ on: dateText }),
  }),
  recordEvent: post('/places/{id}/events', 'Record something that happened outside', {
    params: idParam,
    body: z.object({ type: line(80), on: dateText, note: note() }),
    response: z.object({ id }),
  }),
  setRule: post('/places/{id}/rules', 'Set a rule on a place', {
    params: idParam,
    body: z.object({ ruleId: id }),
    response: z.object({ recomputed: z.number().int() }),
  }),
  unsetRule: post('/places/{id}/rules/unset', 'Take a rule off a place', {
    params: idParam,
    body: z.object({ ruleId: id }),
    response: z.object({ recomputed: z.number().int() }),
  }),
  declareInside: post('/places/{id}/declare', 'Declare every working record of a folder', {
    params: idParam,
    response: outcomes,
  }),
};
