import { rights } from '@key-cellar/core/access';
import { placeKinds } from '@key-cellar/core/plan';
import * as z from 'zod';
import { grant, grantDays, profileCode, tagRef } from './people.js';
import {
  accessShift,
  ask,
  dateText,
  get,
  id,
  idParam,
  marking,
  outcomes,
  personRef,
  post,
  put,
  revision,
  sentence,
  tableFormat,
} from './shared.js';
import { line, note, reason } from './text.js';

const whoCan = z.object({
  /** As the server names it, such as `holds.release`. */
  name: z.string(),
  /** What it does. */
  does: sentence,
  /** The rights that it takes, on what; or why it takes none. */
  takes: sentence,
  /** Profiles that carry all of it, and whether all do. */
  profiles: z.array(sentence),
  all: z.boolean(),
});
export type WhoCan = z.infer<typeof whoCan>;

const placeRef = z.object({ id, kind: z.enum(placeKinds), code: z.string(), title: z.string() });

/** What a person or group has at a place: the profiles that count, those given right there first. */
const accessMark = z.object({
  profiles: z.array(z.object({ code: z.string(), title: sentence, here: z.boolean() })),
  /** Whether a clearance that is too low takes all of it. */
  ceiling: z.boolean(),
});
export type AccessMark = z.infer<typeof accessMark>;

const profileLine = z.object({
  code: z.string(),
  title: sentence,
  /** Whether it is the repository’s own; those that ship do not change. */
  own: z.boolean(),
  rights: z.array(z.enum(rights)),
  /** Whether discover, read and copyOut reach only what somebody deposited. */
  ownOnly: z.boolean(),
  /** One that is not in use is given to nobody any more. */
  active: z.boolean(),
  grants: z.number().int(),
  /** Null of those that ship. */
  revision: revision.nullable(),
});
export type ProfileLine = z.infer<typeof profileLine>;
const newProfile = { title: line(60), rights: z.array(z.enum(rights)).min(1).max(rights.length), ownOnly: z.boolean().default(false) };

const raiseStates = ['open', 'approved', 'refused', 'withdrawn', 'over'] as const;
const raiseLine = z.object({
  id,
  person: personRef,
  place: placeRef,
  profile: z.string(),
  as: sentence,
  /** The last day that is asked for, or was given. */
  until: dateText,
  reason: z.string(),
  askedOn: dateText,
  /** `over`: what was given has ended, or nobody answered in time. */
  state: z.enum(raiseStates),
  decidedBy: z.string().nullable(),
  note: z.string(),
  mine: z.boolean(),
  mayDecide: z.boolean(),
});
export type RaiseLine = z.infer<typeof raiseLine>;

/** A round in which grants are confirmed or ended. Counts are of what one may see. */
const review = z.object({
  ...{ id, title: z.string(), place: z.object({ id, code: z.string(), title: z.string() }), dueOn: dateText, endsUnconfirmed: z.boolean() },
  ...{ madeBy: z.string(), madeOn: dateText, closedOn: dateText.nullable() },
  ...{ lines: z.number().int(), answered: z.number().int() },
  /** Of the open ones, how many one may answer. */
  mine: z.number().int(),
  mayClose: z.boolean(),
});
export type ReviewSummary = z.infer<typeof review>;

const reviewLine = z.object({
  id,
  principal: personRef.extend({ kind: z.enum(['person', 'group', 'service']), active: z.boolean() }),
  place: z.object({ id, kind: z.enum(placeKinds), code: z.string(), title: z.string() }),
  record: z.object({ id, number: z.string(), title: z.string() }).nullable(),
  /** The name of the access tag that it is on. */
  tag: z.string().nullable(),
  as: sentence,
  from: dateText.nullable(),
  until: dateText.nullable(),
  /** Why it was given, while it is there. */
  reason: z.string().nullable(),
  madeOn: dateText.nullable(),
  /** ‘gone’: it ended otherwise; ‘changed’: it is not any more what it was when the round began. */
  state: z.enum(['open', 'changed', 'kept', 'ended', 'not confirmed', 'gone']),
  answeredBy: z.string().nullable(),
  answeredOn: dateText.nullable(),
  note: z.string(),
  mayAnswer: z.boolean(),
});
export type ReviewLine = z.infer<typeof reviewLine>;

const newMarking = { level: z.number().int().min(0).max(9), caveats: z.array(line(40)).max(20).readonly() };

const matrixRow = placeRef.extend({
  depth: z.number().int(),
  /** Of a folder the code of what it is in; null of others. */
  inside: z.string().nullable(),
  standAlone: z.boolean(),
  marking,
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
  profile: sentence,
  place: z.string(),
  placeId: id.nullable(),
  /** The access tag that it was given on, carried at the place. */
  tag: z.object({ id, name: z.string() }).nullable(),
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
  /** Of a grant on one record, or on an access tag. */
  recordId: id.nullable(),
  tagId: id.nullable(),
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
  profiles: get('/profiles', 'Profiles: those that ship, and those of the repository’s own', {
    response: z.object({ profiles: z.array(profileLine) }),
  }),
  makeProfile: post('/profiles', 'Make a profile from single rights', {
    body: z.object(newProfile),
    response: z.object({ code: z.string() }),
  }),
  changeProfile: put('/profiles/{id}', 'Change a profile of the repository’s own, or put it out of use; tried first with dryRun', {
    params: z.object({ id: line(40) }),
    body: z.object({ ...newProfile, active: z.boolean(), revision, dryRun: z.boolean().default(true) }),
    response: z.object({ revision, access: accessShift.nullable() }),
  }),
  raises: get('/raises', 'Who asked for more access for some days: oneself, and others where one gives access or audits', {
    response: z.object({ raises: z.array(raiseLine) }),
  }),
  askRaise: post('/raises', 'Ask for more access to a place for some days', {
    body: z.object({ placeId: id, profile: profileCode, until: dateText, reason }),
    response: z.object({ id }),
  }),
  decideRaise: post('/raises/{id}/decide', 'Give what somebody asked for, for no longer than they asked, or refuse it', {
    params: idParam,
    body: z.object({ approve: z.boolean(), until: dateText.optional(), note: note() }),
  }),
  withdrawRaise: post('/raises/{id}/withdraw', 'No longer ask for more access', { params: idParam }),
  reviews: get('/access/reviews', 'Rounds in which grants are confirmed or ended, the newest first', {
    response: z.object({ reviews: z.array(review), mayBegin: z.boolean() }),
  }),
  review: get('/access/reviews/{id}', 'One round with its grants, of those that one gives or audits', {
    params: idParam,
    response: z.object({ review, lines: z.array(reviewLine) }),
  }),
  reviewTable: get('/access/reviews/{id}/table', 'What came of a round, as a table', {
    params: idParam,
    query: z.object({ format: tableFormat }),
  }),
  beginReview: post('/access/reviews', 'Begin a round over the grants in a place that one gives access to', {
    body: z.object({ title: line(120), placeId: id, dueOn: dateText, endsUnconfirmed: z.boolean() }),
    response: z.object({ id, lines: z.number().int() }),
  }),
  answerReview: post('/access/reviews/answer', 'Confirm grants of a round, or end them; tried first with dryRun', {
    body: z.object({
      ids: z.array(id).min(1).max(1000),
      answer: z.enum(['kept', 'ended']),
      note: note(),
      dryRun: z.boolean().default(true),
    }),
    response: outcomes.extend({ access: accessShift.nullable() }),
  }),
  closeReview: post('/access/reviews/{id}/close', 'Close a round; what is open stays as it is', {
    params: idParam,
    body: z.object({ reason }),
  }),
  markings: get('/access/markings', 'How one may mark: up to what one is cleared oneself', { response: marking }),
  markPlace: put('/places/{id}/marking', 'Mark a place; what lies in it is marked at least so; tried first with dryRun', {
    params: idParam,
    body: z.object({ ...newMarking, revision, reason, dryRun: z.boolean().default(true) }),
    response: z.object({ revision, access: accessShift.nullable() }),
  }),
  markRecords: post('/records/mark', 'Mark records; none less than the place that it lies in; tried first with dryRun', {
    body: z.object({ recordIds: z.array(id).min(1).max(10_000), ...newMarking, reason, dryRun: z.boolean().default(true) }),
    response: outcomes.extend({ access: accessShift.nullable() }),
  }),
  grantsOnRecord: get('/records/{id}/grants', 'Who was given what on a record, and on the places around it', {
    params: idParam,
    response: z.object({ grants: z.array(grant), tags: z.array(tagRef), marking, around: marking, mayGrant: z.boolean() }),
  }),
  giveOnRecord: post('/records/{id}/grants', 'Give somebody a profile on one record; tried first with dryRun', {
    params: idParam,
    body: z.object({ principalId: id, profile: profileCode, ...grantDays, reason, dryRun: z.boolean().default(true) }),
    response: z.object({ id, access: accessShift.nullable() }),
  }),
};
