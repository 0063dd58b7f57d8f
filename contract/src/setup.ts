import { checks } from '@key-cellar/core/criteria';
import { factKinds } from '@key-cellar/core/records';
import * as z from 'zod';
import { eventInput, eventLine } from './schedule.js';
import { factDefinition, facts, recordLine } from './records.js';
import { dateText, get, id, idParam, post, put, revision, ask, sentence, withMany } from './shared.js';
import { text, prose, line, note } from './text.js';

const codeParam = z.object({ code: text(60).min(1) });
const typeBody = z.object({ title: line(80), facts: z.array(factDefinition).max(100) });

const typeLine = z.object({
  code: z.string(),
  title: z.string(),
  version: z.number().int(),
  facts: z.array(factDefinition).readonly(),
  retiredOn: dateText.nullable(),
  records: z.number().int(),
  gaps: z.number().int(),
});
export type TypeLine = z.infer<typeof typeLine>;

const typePage = typeLine.extend({
  versions: z.array(
    z.object({
      version: z.number().int(),
      title: z.string(),
      facts: z.array(factDefinition).readonly(),
      publishedBy: z.string().nullable(),
      publishedAt: z.string(),
      /** Records that were last checked against it. */
      records: z.number().int(),
    }),
  ),
});
export type TypePage = z.infer<typeof typePage>;

/** What another version of a type would do. */
const typeEffect = z.object({
  records: z.number().int(),
  /** How many of them were looked at: the newest, when there are very many. */
  looked: z.number().int(),
  /** Gaps that come and that go. */
  newGaps: z.number().int(),
  closedGaps: z.number().int(),
  /** Values that the new version would not take; they stay as they are until somebody changes them. */
  unfitting: z.array(z.object({ fact: z.string(), records: z.number().int() })),
});
export type TypeEffect = z.infer<typeof typeEffect>;

export const entityKinds = ['party', 'object'] as const;
const entityBody = z.object({
  name: line(200),
  code: text(60).trim().default(''),
  note: note(4000),
});
const entityLine = z.object({
  id,
  kind: z.enum(entityKinds),
  name: z.string(),
  code: z.string(),
  retiredOn: dateText.nullable(),
  records: z.number().int(),
});
export type EntityLine = z.infer<typeof entityLine>;

const entityPage = entityLine.extend({
  note: z.string(),
  revision,
  /** The newest that refer to it, among those the person may discover. */
  newest: z.array(recordLine),
  events: z.array(eventLine),
});
export type EntityPage = z.infer<typeof entityPage>;

export const takes = z.object({
  types: z.array(text(60)).max(200).readonly().nullable(),
  formats: z
    .array(z.string().regex(/^[a-z0-9]{1,10}$/, 'input.ending'))
    .max(50)
    .readonly()
    .nullable(),
  largest: z.number().int().positive().nullable(),
});

/** What a detector looks for; what is wrong with it beyond its shape, the core says. */
export const sign = z.discriminatedUnion('kind', [
  z.object({ kind: z.literal('pattern'), pattern: text(200), check: z.enum(checks), atLeast: z.number().int().min(1).max(1000) }),
  z.object({ kind: z.literal('words'), words: z.array(text(100).trim()).max(1000), atLeast: z.number().int().min(1).max(1000) }),
  z.object({ kind: z.literal('likeness'), sample: prose(40_000), percent: z.number().int().min(1).max(100) }),
]);
const unreadRecords = z.object({
  records: z.array(z.object({ id, number: z.string(), title: z.string(), unread: z.array(sentence) })),
  total: z.number().int(),
});
export type UnreadRecords = z.infer<typeof unreadRecords>;

const triedRecord = z.object({
  id,
  number: z.string(),
  title: z.string(),
  met: z.boolean(),
  /** How many different texts or words each sign found, or percent of its sample. */
  found: z.array(z.number().int()),
  unread: z.array(sentence),
});
const detectorTrial = z.object({
  chosen: z.array(triedRecord),
  /** Those by lot that are met; of how many that were looked at, and how many there are. */
  some: z.array(triedRecord),
  looked: z.number().int(),
  of: z.number().int(),
});
export type DetectorTrial = z.infer<typeof detectorTrial>;
const detectorBody = z.object({ title: line(80), note: note(4000), signs: z.array(sign).max(50) });
const detectorLine = detectorBody.extend({
  id,
  note: z.string(),
  revision,
  retiredOn: dateText.nullable(),
  /** Records in which it found something, among those the person may discover. */
  records: z.number().int(),
});
export type DetectorLine = z.infer<typeof detectorLine>;
/** Records that are still to be looked at. */
const waiting = z.number().int();

/** Something that a fact can point at. */
const option = z.object({ id, name: z.string(), more: z.string() });
export type FactOption = z.infer<typeof option>;

export const setup = {
  types: get('/setup/types', 'Record types with their facts, and how many records have them', {
    response: z.object({ types: z.array(typeLine) }),
  }),
  type: get('/setup/types/{code}', 'One record type with its versions', { params: codeParam, response: typePage }),
  makeType: post(
    '/setup/types',
    'Make a record type',
    {
      body: typeBody.extend({ code: z.string().regex(/^[a-z][a-z0-9-]{0,39}$/, 'input.typeCode') }),
    },
    withMany,
  ),
  changeType: put(
    '/setup/types/{code}',
    'Publish another version of a record type; tried first with dryRun',
    {
      params: codeParam,
      body: typeBody.extend({ version: z.number().int().positive(), dryRun: z.boolean().default(true) }),
      response: z.object({ effect: typeEffect, version: z.number().int(), jobId: id.nullable() }),
    },
    withMany,
  ),
  retireType: post('/setup/types/{code}/retire', 'Let nothing more be filed under a record type, or let it again', {
    params: codeParam,
    body: z.object({ retired: z.boolean() }),
  }),
  entities: get('/entities', 'Parties and business objects', {
    query: z.object({ kind: z.enum(entityKinds), text: text(200).default('') }),
    response: z.object({ entities: z.array(entityLine), more: z.boolean() }),
  }),
  entity: get('/entities/{id}', 'One party or business object, with its events and what refers to it', {
    params: idParam,
    response: entityPage,
  }),
  makeEntity: post('/entities', 'Add a party or a business object', {
    body: entityBody.extend({ kind: z.enum(entityKinds) }),
    response: z.object({ id }),
  }),
  changeEntity: put('/entities/{id}', 'Change a party or a business object', {
    params: idParam,
    body: entityBody.extend({ revision, retired: z.boolean() }),
    response: z.object({ revision }),
  }),
  addEntityEvent: post('/entities/{id}/events', 'Record something that happened to a party or business object', {
    params: idParam,
    body: eventInput,
    response: z.object({ id, recomputed: z.number().int() }),
  }),
  options: get('/facts/options', 'What a fact that points at something else can point at', {
    query: z.object({ kind: z.enum(factKinds), text: text(200).default('') }),
    response: z.object({ options: z.array(option) }),
  }),
  names: ask('/facts/names', 'What things that facts point at are called, as far as the person may know', {
    body: z.object({ ids: z.array(id).max(500) }),
    response: z.object({ names: z.record(z.string(), z.string()) }),
  }),
  placeFacts: put('/places/{id}/facts', 'Say what a folder gives on to what is filed in it', {
    params: idParam,
    body: z.object({ revision, facts }),
    response: z.object({ revision }),
  }),
  placeTakes: put('/places/{id}/takes', 'Say which types, formats and sizes a place takes; null: whatever is taken around it', {
    params: idParam,
    body: z.object({ revision, takes: takes.nullable() }),
    response: z.object({ revision }),
  }),
  detectors: get('/setup/detectors', 'Detectors, what each found, and how many records are still to be looked at', {
    response: z.object({
      detectors: z.array(detectorLine),
      waiting,
      /** Of how many records not all could be read. */
      unread: z.number().int(),
    }),
  }),
  unread: get('/setup/detectors/unread', 'Records of which detectors could not read all, each with what and why; 500 at most', {
    response: unreadRecords,
  }),
  tryDetector: ask(
    '/setup/detectors/try',
    'What signs would find: in chosen records, and in some by lot',
    {
      body: z.object({
        signs: z.array(sign).max(50),
        /** Of records, by number; what is not there is not told of. */
        numbers: z.array(line(120)).max(50),
        /** How many by lot. */
        some: z.number().int().min(0).max(100),
      }),
      response: detectorTrial,
    },
    withMany,
  ),
  makeDetector: post(
    '/setup/detectors',
    'Make a detector; all records are looked at with it',
    {
      body: detectorBody,
      response: z.object({ id, waiting }),
    },
    withMany,
  ),
  changeDetector: put(
    '/setup/detectors/{id}',
    'Change a detector or retire it; all records are looked at anew',
    {
      params: idParam,
      body: detectorBody.extend({ revision, retired: z.boolean() }),
      response: z.object({ revision, waiting }),
    },
    withMany,
  ),
};
