import { placeKinds } from '@key-cellar/core/plan';
import * as z from 'zod';
import { ask, dateText, get, id, idParam, personRef, sentence } from './shared.js';
import { line } from './text.js';

const whoCan = z.object({
  /** As the server names it, such as `holds.release`. */
  name: z.string(),
  /** What it does. */
  does: sentence,
  /** The rights that it takes, on what; or why it takes none. */
  takes: sentence,
  /** Profiles that carry all of it. */
  profiles: z.array(sentence),
});
export type WhoCan = z.infer<typeof whoCan>;

const placeRef = z.object({ id, kind: z.enum(placeKinds), code: z.string(), title: z.string() });

/** What a person or group has at a place: the profiles that count, those given right there first. */
const accessMark = z.object({
  profiles: z.array(z.object({ code: z.string(), here: z.boolean() })),
  /** Whether a clearance that is too low takes all of it. */
  ceiling: z.boolean(),
});
export type AccessMark = z.infer<typeof accessMark>;

const matrixRow = placeRef.extend({
  depth: z.number().int(),
  /** Of a folder the code of what it is in; null of others. */
  inside: z.string().nullable(),
  standAlone: z.boolean(),
  marking: z.object({ level: z.number().int(), caveats: z.array(z.string()) }),
  /** One number for each column: which of the marks. The first mark is nothing at all. */
  cells: z.array(z.number().int()),
});
export type MatrixRow = z.infer<typeof matrixRow>;

/** Who, where and on which day; null: today. */
const accessSpot = z.object({
  personId: id,
  placeId: id.optional(),
  recordId: id.optional(),
  on: dateText.nullable().default(null),
});

const weighedGrant = z.object({
  grantId: id,
  /** To whom it was given: the person, or the group that they are in. */
  to: personRef,
  profile: z.string(),
  place: z.string(),
  placeId: id.nullable(),
  counts: z.boolean(),
  /** What became of it, in words. */
  status: sentence,
  from: dateText.nullable(),
  until: dateText.nullable(),
  reason: z.string(),
  madeOn: dateText,
});
export type WeighedGrantLine = z.infer<typeof weighedGrant>;

const accessSide = z.object({
  person: personRef.extend({ active: z.boolean() }),
  where: z.string(),
  on: dateText,
  /** One sentence on what they may do, and through what. */
  why: sentence,
  grants: z.array(weighedGrant),
  ceilings: z.array(sentence),
});
export type AccessSide = z.infer<typeof accessSide>;

/** Whether somebody has a right: on all, on what they deposited themselves, or not. */
const has = z.enum(['all', 'own', 'no']);
const rightLine = z.object({ right: z.string(), words: sentence, has: z.array(has), through: z.array(z.array(sentence)) });
export type RightLine = z.infer<typeof rightLine>;

const reachLine = z.object({
  person: personRef,
  rights: sentence,
  through: z.array(sentence),
  /** What they could do on the earlier day; null where no day is asked about, or it was the same. */
  was: sentence.nullable(),
  change: z.enum(['same', 'more', 'less', 'other', 'new', 'gone']),
});
export type ReachLine = z.infer<typeof reachLine>;

export const accessFindingKinds = [
  'endsSoon',
  'ended',
  'never',
  'unused',
  'asGroup',
  'moreThanGroup',
  'standsAlone',
  'noPassword',
  'noSecondFactor',
  'emptyGroup',
] as const;
export type AccessFindingKind = (typeof accessFindingKinds)[number];
const finding = z.object({
  kind: z.enum(accessFindingKinds),
  /** What is found, and what it is about. */
  sentence,
  grantId: id.nullable(),
  place: placeRef.nullable(),
  personId: id.nullable(),
});
export type AccessFinding = z.infer<typeof finding>;

export const access = {
  acts: get('/acts', 'Who can do what: every act with the rights that it takes, and on what', {
    response: z.object({ acts: z.array(whoCan) }),
  }),
  matrix: get('/access', 'Places and people, or groups, with the profiles that count; as far as one may give or look into access', {
    query: z.object({
      by: z.enum(['person', 'group']).default('person'),
      /** All places; else those whose access differs from that of the place around them. */
      all: z.stringbool().default(false),
      /** Words of the code or title of a place. */
      place: line(200).optional(),
      /** Words of the name of a person or group. */
      name: line(200).optional(),
      from: z.coerce.number().int().min(0).default(0),
    }),
    response: z.object({
      columns: z.array(personRef),
      rows: z.array(matrixRow),
      marks: z.array(accessMark),
      total: z.number().int(),
      /** The first day of which is known who could do what. */
      knownFrom: dateText.nullable(),
    }),
  }),
  compare: ask('/access/compare', 'What one person may do at a place or on a record and why; or two, side by side, also on earlier days', {
    body: z.object({ spots: z.array(accessSpot).min(1).max(2) }),
    response: z.object({ sides: z.array(accessSide), rights: z.array(rightLine) }),
  }),
  reach: get('/access/reach', 'Who can reach a place or a record, with what and why; and what that was on an earlier day', {
    query: z.object({ placeId: id.optional(), recordId: id.optional(), since: dateText.optional() }),
    response: z.object({ where: z.string(), people: z.array(reachLine), others: z.number().int() }),
  }),
  reachOf: get('/access/people/{id}', 'What a person can reach: by place, with how many records, as far as one may know of them', {
    params: idParam,
    response: z.object({
      person: personRef.extend({ active: z.boolean() }),
      places: z.array(placeRef.extend({ rights: sentence, through: z.array(sentence), records: z.number().int() })),
      records: z.number().int(),
    }),
  }),
  findings: get('/access/findings', 'What somebody should look at: grants that end, never end or were never used, and the like', {
    response: z.object({ findings: z.array(finding) }),
  }),
};
