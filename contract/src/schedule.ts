import { parsePeriod } from '@key-cellar/core/calendar';
import { bases, recordDates, stepKinds, type RuleVersions, type ScheduleCase } from '@key-cellar/core/schedule';
import * as z from 'zod';
import { askedCriteria, criteria } from './criteria.js';
import { explanation } from './explanation.js';
import {
  dateText,
  get,
  id,
  idParam,
  outcomeLine,
  periodText,
  post,
  put,
  revision,
  tableFormat,
  tableInput,
  tableOutcome,
  type Problem,
  ask,
  withTable,
  sentence,
} from './shared.js';
import { line, note, prose, reason } from './text.js';

const occurrence = z.enum(['first', 'last']);
const simpleTriggers = [
  z.object({ kind: z.literal('recordDate'), date: z.enum(recordDates) }),
  /** Of several values the last counts, where nothing is said. */
  z.object({ kind: z.literal('fact'), fact: line(80), occurrence: occurrence.optional() }),
  z.object({ kind: z.literal('folderClosed') }),
  z.object({ kind: z.literal('event'), eventType: line(80), occurrence }),
  /** The last live record that pointed at it by this fact was gone. */
  z.object({ kind: z.literal('unreferenced'), fact: line(80) }),
] as const;
const triggerPart = z.object({ trigger: z.discriminatedUnion('kind', simpleTriggers), after: periodText });
const mostParts = 6;
const trigger = z.discriminatedUnion('kind', [
  ...simpleTriggers,
  z.object({
    kind: z.enum(['earliest', 'latest']),
    of: z.array(triggerPart).min(2, 'input.twoThings').max(mostParts),
  }),
  z.object({ kind: z.literal('never') }),
]);
const cutoff = z.discriminatedUnion('kind', [
  z.object({ kind: z.literal('none') }),
  z.object({ kind: z.literal('month') }),
  z.object({ kind: z.literal('quarter') }),
  z.object({ kind: z.literal('halfYear') }),
  z.object({ kind: z.literal('calendarYear') }),
  z.object({
    kind: z.literal('fiscalYear'),
    firstMonth: z.number().int().min(1).max(12),
    /** The month’s last day where the month is shorter. */
    firstDay: z.number().int().min(1).max(31),
  }),
  /** Its ends are those of the repository’s list. */
  z.object({ kind: z.literal('namedYear'), name: line(80) }),
]);
const step = z.object({
  kind: z.enum(stepKinds),
  after: periodText,
  from: z.enum(['clockStart', 'previousStep', 'beforeTrigger']),
  /** Counts the days of `after`, which has no other parts then, in working days. */
  workingDays: z.boolean().optional(),
  repeatEvery: periodText
    .refine((text) => {
      const period = parsePeriod(text);
      return !!period && period.years + period.months + period.weeks + period.days > 0;
    }, 'input.longer')
    .optional(),
  /** Where a record is moved: the code of a folder of its series, made when there is none. */
  to: line(40).optional(),
  approvals: z.number().int().min(0).max(9),
  /** Names of the groups that the people must be of who approve; none: of any. */
  approverGroups: z.array(line(80)).max(10).optional(),
  noticeDays: z.number().int().min(0).max(365),
});
const mostWorkingDays = 2000;

export const ruleDefinition = z
  .object({
    title: line(),
    authority: line(),
    /** Where the authority can be read. */
    link: z
      .url({ protocol: /^https?$/, error: 'input.webAddress' })
      .max(500)
      .optional(),
    jurisdictions: z.array(line(80)).max(20),
    trigger,
    cutoff,
    /** Types of events between which its clock stands. */
    suspension: z.object({ stops: line(80), resumes: line(80) }).optional(),
    /** What its period means; absent: required. */
    basis: z.enum(bases).optional(),
    /** What of those that it destroys is kept for good. */
    sample: z
      .discriminatedUnion('kind', [
        z.object({ kind: z.enum(['everyNth', 'share']), n: z.number().int().min(2).max(99_999) }),
        z.object({ kind: z.literal('criteria'), criteria }),
      ])
      .optional(),
    steps: z.array(step).min(1, 'input.oneStep').max(10),
  })
  .superRefine((rule, context) => {
    const wrong = (path: (string | number)[], message: string): void => context.addIssue({ code: 'custom', path, message });
    if (rule.trigger.kind === 'never' && rule.steps.some((s) => s.kind !== 'keepPermanently')) wrong(['steps'], 'input.noClock');
    if (rule.trigger.kind === 'never' && rule.suspension) wrong(['suspension'], 'input.noClockToStop');
    if (rule.suspension && rule.suspension.stops.toLowerCase() === rule.suspension.resumes.toLowerCase())
      wrong(['suspension', 'resumes'], 'input.otherEvent');
    const disposing = rule.steps.findIndex((s) => s.kind === 'destroy' || s.kind === 'transfer');
    const forGood = rule.steps.findIndex((s) => s.kind === 'keepPermanently');
    if (rule.basis === 'atMost' && (disposing < 0 || forGood >= 0)) wrong(['basis'], 'input.atMostDisposes');
    if (rule.sample && rule.steps.at(-1)?.kind !== 'destroy') wrong(['sample'], 'input.sampleOfDestroyed');
    rule.steps.forEach((s, i) => {
      const at = (field: string): (string | number)[] => ['steps', i, field];
      if (s.approverGroups?.length && s.approvals === 0) wrong(at('approvals'), 'input.oneApproval');
      if (s.kind === 'move' && s.to === undefined) wrong(at('to'), 'input.toFolder');
      if (s.from === 'beforeTrigger' && (i === disposing || i === forGood)) wrong(at('from'), 'input.beforeDate');
      if (s.workingDays) {
        const p = parsePeriod(s.after);
        if (p && p.years + p.months + p.weeks > 0) wrong(at('after'), 'input.inDays');
        else if (p && p.days > mostWorkingDays) wrong(at('after'), 'input.workingDays');
      }
    });
    const asks = rule.steps.findIndex((s) => s.kind === 'askOwner');
    if (asks >= 0 && disposing < 0 && forGood < 0) wrong(['steps', asks], 'input.lastStep');
    if (forGood >= 0 && forGood < rule.steps.length - 1) wrong(['steps', forGood], 'input.afterForGood');
    if (disposing >= 0 && disposing < rule.steps.length - 1) wrong(['steps', disposing], 'input.afterDisposing');
  });
export type RuleDefinition = z.infer<typeof ruleDefinition>;

const setOn = z.object({ placeId: id, code: z.string(), title: z.string() });

const pairLine = z.object({ recordType: z.string(), typeTitle: z.string(), seriesId: id, code: z.string(), title: z.string() });
const ruleRef = z.object({ id, code: z.string(), title: z.string() });

const criteriaRuleLine = z.object({
  id,
  rule: ruleRef,
  criteria,
  note: z.string(),
  /** 1 = asked first. */
  order: z.number().int(),
});
export type CriteriaRuleLine = z.infer<typeof criteriaRuleLine>;

const jurisdictionLine = z.object({
  name: z.string(),
  partOf: z.string().nullable(),
  rules: z.number().int(),
  places: z.number().int(),
  /** The days that are worked there; null: nobody said. */
  calendar: z
    .object({
      weekend: z.array(z.number().int().min(1).max(7)).readonly(),
      holidays: z.array(z.object({ on: dateText, name: z.string() })).readonly(),
    })
    .nullable(),
});
export type JurisdictionLine = z.infer<typeof jurisdictionLine>;

/** A due date, a rule, that it is kept for good, or the jurisdictions that somebody sets on records by hand; no jurisdictions: those of their place. */
const overrideInput = z.discriminatedUnion('kind', [
  z.object({ kind: z.literal('date'), dueOn: dateText, action: z.enum(['destroy', 'transfer']) }),
  z.object({ kind: z.literal('rule'), ruleId: id }),
  z.object({ kind: z.literal('forGood') }),
  z.object({ kind: z.literal('jurisdictions'), jurisdictions: z.array(line(80)).max(20) }),
]);
export type OverrideInput = z.infer<typeof overrideInput>;

/** One record's due date before and after a change. */
export const datesLine = outcomeLine.extend({ before: sentence, after: sentence, shortens: z.boolean() });
export type DatesLine = z.infer<typeof datesLine>;

/** A rule set on a place, or taken off it. */
const setting = { placeId: id, ruleId: id, set: z.boolean() };

/** A change to the schedule or the plan that was not made yet. */
const scheduleChange = z.discriminatedUnion('kind', [
  z.object({ kind: z.literal('nothing') }),
  z.object({
    kind: z.literal('rule'),
    ruleId: id,
    definition: ruleDefinition,
    inForceFrom: dateText,
    takesOver: z.enum(['all', 'laterClocks']),
  }),
  z.object({ kind: z.literal('setRule'), ...setting }),
  z.object({ kind: z.literal('setRules'), sets: z.array(z.object(setting)).min(1).max(20_000) }),
  z.object({ kind: z.literal('setPair'), recordType: line(60), seriesId: id, ruleId: id, set: z.boolean() }),
  z.object({ kind: z.literal('addCriteriaRule'), ruleId: id, criteria }),
  z.object({ kind: z.literal('changeCriteriaRule'), id, criteria }),
  z.object({ kind: z.literal('moveCriteriaRule'), id, order: z.number().int().min(1) }),
  z.object({ kind: z.literal('dropCriteriaRule'), id }),
  z.object({ kind: z.literal('movePlace'), placeId: id, parentId: id }),
  z.object({ kind: z.literal('mergePlace'), placeId: id, intoId: id }),
  /** Null: opened again. */
  z.object({ kind: z.literal('closeFolder'), placeId: id, on: dateText.nullable() }),
  z.object({ kind: z.literal('placeJurisdictions'), placeId: id, jurisdictions: z.array(line(80)).max(20) }),
]);
export type ScheduleChange = z.infer<typeof scheduleChange>;

const shift = z.object({
  earlier: z.number().int(),
  later: z.number().int(),
  first: z.number().int(),
  none: z.number().int(),
  otherwise: z.number().int(),
});
const month = z.string().regex(/^\d{4}-\d{2}$/);
/** What a change does to due dates, and what comes due in the thirty years ahead with and without it. */
export const effectPage = z.object({
  looked: z.number().int(),
  changed: z.number().int(),
  shift,
  atOnce: z.object({ records: z.number().int(), bytes: z.number().int() }),
  held: z.number().int(),
  inBatches: z.number().int(),
  /** Records that must be kept longer than another rule allows, before and after. */
  conflicts: z.object({ before: z.number().int(), after: z.number().int() }),
  bySeries: z.array(shift.extend({ seriesId: id, code: z.string(), title: z.string() })),
  byYear: z.array(shift.extend({ year: z.number().int() })),
  most: z.array(z.object({ id, number: z.string(), title: z.string(), before: dateText.nullable(), after: dateText.nullable() })),
  /** The month that cells count from. */
  firstMonth: month,
  forecast: z.array(
    z.object({
      series: z.string(),
      /** Empty: set by hand. */
      rule: z.string(),
      step: z.enum(stepKinds),
      /** Five numbers a month in which something is due: months after the first, records, bytes, records and bytes with the change. */
      cells: z.array(z.number()),
    }),
  ),
});
export type EffectPage = z.infer<typeof effectPage>;
/** What comes while the effect is being worked out, one JSON text a line; the last line has the effect or says what went wrong. */
export type EffectLine =
  { readonly done: number; readonly total: number } | { readonly effect: EffectPage } | { readonly problem: Problem };

/** Records as the schedule sees them, with the published versions of all rules that are set on or around them. */
const cases = z.object({ cases: z.array(z.custom<ScheduleCase>()), rules: z.custom<RuleVersions>() });
export type ScheduleCases = z.infer<typeof cases>;

export const findingKinds = [
  'seriesWithoutRule',
  'typeWithoutRule',
  'ruleNeverUsed',
  'ruleNeverDue',
  'disagreement',
  'factTypeLacks',
  'jurisdictionWithoutRule',
  'nearerKeepsShorter',
  'criteriaNeverReached',
  'capConflict',
  'workdaysUnknown',
  'namedYearEnds',
  'contentUnread',
] as const;
const finding = z.object({
  kind: z.enum(findingKinds),
  sentence,
  /** Where it can be mended. */
  link: z.string(),
  /** Records that it concerns today; null where that is not a matter of records. */
  records: z.number().int().nullable(),
});
export type Finding = z.infer<typeof finding>;

const waitingLine = z.object({
  /** What is waited for, in words. */
  trigger: sentence,
  /** The types of events that would start the clock, or let it go on. */
  eventTypes: z.array(z.string()),
  records: z.number().int(),
  places: z.array(z.object({ placeId: id, code: z.string(), title: z.string(), records: z.number().int() })),
});
export type WaitingLine = z.infer<typeof waitingLine>;

export const eventLine = z.object({
  id,
  type: z.string(),
  on: dateText,
  note: z.string(),
  by: z.string(),
  recordedAt: z.string(),
  corrects: id.nullable(),
  withdrawn: z.object({ by: z.string(), reason: z.string() }).nullable(),
});
export type EventLine = z.infer<typeof eventLine>;
export const eventInput = z.object({ type: line(80), on: dateText, note: note() });

const ruleLine = z.object({
  id,
  code: z.string(),
  /** Version in force today or next to come; null while only a draft exists. */
  version: z.number().int().nullable(),
  definition: ruleDefinition,
  inForceFrom: dateText.nullable(),
  hasDraft: z.boolean(),
  setOn: z.array(setOn),
  records: z.number().int(),
});
export type RuleLine = z.infer<typeof ruleLine>;

const rulePage = z.object({
  id,
  code: z.string(),
  revision,
  draft: ruleDefinition.nullable(),
  /** Who saved the draft last, and when; null where there is none, or where it was saved before that was kept. */
  draftSaved: z.object({ by: z.string(), at: z.string() }).nullable(),
  versions: z.array(
    z.object({
      id,
      version: z.number().int(),
      definition: ruleDefinition,
      inForceFrom: dateText,
      takesOver: z.enum(['all', 'laterClocks']),
      publishedBy: z.string(),
      publishedAt: z.string(),
      /** It was announced, and does not come into force any more. */
      withdrawn: z.object({ by: z.string(), at: z.string(), reason: z.string() }).nullable(),
    }),
  ),
  setOn: z.array(setOn),
  pairs: z.array(pairLine),
  criteria: z.array(criteriaRuleLine),
  records: z.number().int(),
});
export type RulePage = z.infer<typeof rulePage>;

const ruleReach = z.object({
  /** What it governs now, by the year that the rack has it under; null: its clock has not started. */
  vintages: z.array(
    z.object({ vintage: z.number().int().nullable(), kept: z.number().int(), due: z.number().int(), held: z.number().int() }),
  ),
  /** What comes due by it in this year and the ten after it; what is overdue counts in this one. */
  ahead: z.array(z.object({ year: z.number().int(), destroy: z.number().int(), transfer: z.number().int(), held: z.number().int() })),
  /** Other rules that it meets where it is set, and which of them counts there. */
  meets: z.array(
    z.object({
      place: z.string(),
      id,
      code: z.string(),
      title: z.string(),
      /** Set on the same place, where the longer keeps; or farther out, where this one counts. */
      how: z.enum(['beside', 'farther']),
    }),
  ),
});
export type RuleReach = z.infer<typeof ruleReach>;

const eventTypeLine = z.object({
  name: z.string(),
  /** Events of it that are recorded, and rules whose versions or drafts name it. */
  events: z.number().int(),
  rules: z.number().int(),
});

const namedYearLine = z.object({ name: z.string(), ends: z.array(dateText), rules: z.number().int() });
export type NamedYearLine = z.infer<typeof namedYearLine>;

const mostHolidays = 3000;
/** The days of a jurisdiction that are worked: given day by day, or read from iCalendar (RFC 5545). */
const calendarInput = z.object({
  name: line(80),
  /** 1 = Monday … 7 = Sunday. */
  weekend: z.array(z.number().int().min(1).max(7)).max(6, 'input.oneWorkday'),
  holidays: z
    .array(z.object({ on: dateText, name: line(120) }))
    .max(mostHolidays)
    .optional(),
  ics: prose(1_000_000).optional(),
});

const ruleOnDay = z.object({
  explanation,
  /** Where the day lies before it: from when on it is known how things were. */
  since: dateText.nullable(),
});
export type RuleOnDay = z.infer<typeof ruleOnDay>;

export const schedule = {
  rules: get('/rules', 'All rules of the schedule', { response: z.object({ rules: z.array(ruleLine) }) }),
  rule: get('/rules/{id}', 'One rule with its versions', { params: idParam, response: rulePage }),
  makeRule: post('/rules', 'Begin a rule as a draft', {
    body: z.object({
      code: z
        .string()
        .trim()
        .regex(/^[A-Z0-9][A-Z0-9-]{0,29}$/, 'input.ruleCode'),
      definition: ruleDefinition,
    }),
    response: z.object({ id }),
  }),
  saveDraft: put('/rules/{id}/draft', 'Save the draft of a rule', {
    params: idParam,
    body: z.object({ revision, definition: ruleDefinition }),
    response: z.object({ revision }),
  }),
  dropDraft: post('/rules/{id}/draft/drop', 'Drop the draft of a rule that was published before', {
    params: idParam,
    body: z.object({ revision }),
  }),
  publish: post('/rules/{id}/publish', 'Publish the draft as a new version; what it touches is recomputed in the background', {
    params: idParam,
    body: z.object({ revision, inForceFrom: dateText, takesOver: z.enum(['all', 'laterClocks']) }),
    response: z.object({ version: z.number().int(), jobId: id }),
  }),
  withdrawVersion: post('/rules/{id}/versions/{version}/withdraw', 'Withdraw a version that is announced and not in force yet', {
    params: idParam.extend({ version: z.coerce.number().int().positive() }),
    body: z.object({ reason }),
  }),
  pairs: get('/schedule/pairs', 'Rules for a record type in a series', {
    response: z.object({ pairs: z.array(pairLine.extend({ rule: ruleRef })) }),
  }),
  setPair: post('/schedule/pairs', 'Set a rule on a record type in a series', {
    body: z.object({ recordType: line(60), seriesId: id, ruleId: id }),
    response: z.object({ recomputed: z.number().int() }),
  }),
  unsetPair: post('/schedule/pairs/unset', 'Take a rule off a record type in a series', {
    body: z.object({ recordType: line(60), seriesId: id, ruleId: id }),
    response: z.object({ recomputed: z.number().int() }),
  }),
  criteriaRules: get('/schedule/criteria', 'Rules set by criteria, in their priority order', {
    response: z.object({ rules: z.array(criteriaRuleLine) }),
  }),
  addCriteriaRule: post('/schedule/criteria', 'Set a rule on what criteria match; it is asked last', {
    body: z.object({ ruleId: id, criteria, note: note() }),
    response: z.object({ id, recomputed: z.number().int() }),
  }),
  changeCriteriaRule: put('/schedule/criteria/{id}', 'Change the criteria of a rule', {
    params: idParam,
    body: z.object({ criteria, note: note() }),
    response: z.object({ recomputed: z.number().int() }),
  }),
  moveCriteriaRule: post('/schedule/criteria/{id}/move', 'Ask a rule set by criteria earlier or later', {
    params: idParam,
    /** New place in the order, from 1. */
    body: z.object({ order: z.number().int().min(1) }),
    response: z.object({ recomputed: z.number().int() }),
  }),
  dropCriteriaRule: post('/schedule/criteria/{id}/drop', 'Set a rule by criteria no longer', {
    params: idParam,
    response: z.object({ recomputed: z.number().int() }),
  }),
  countCriteria: ask('/schedule/criteria/count', 'How many records criteria match that the person may discover', {
    body: z.object({ criteria: askedCriteria }),
    response: z.object({ count: z.number().int() }),
  }),
  jurisdictions: get('/jurisdictions', 'Jurisdictions, each with the wider one that it is part of', {
    response: z.object({ jurisdictions: z.array(jurisdictionLine) }),
  }),
  makeJurisdiction: post('/jurisdictions', 'Add a jurisdiction', { body: z.object({ name: line(80), partOf: line(80).nullable() }) }),
  moveJurisdiction: put('/jurisdictions', 'Make a jurisdiction part of another one, or of none', {
    body: z.object({ name: line(80), partOf: line(80).nullable() }),
    response: z.object({ recomputed: z.number().int() }),
  }),
  setCalendar: put('/jurisdictions/calendar', 'Say which days are worked in a jurisdiction; tried first with dryRun', {
    body: calendarInput.extend({ dryRun: z.boolean().default(false) }),
    response: z.object({ holidays: z.array(z.object({ on: dateText, name: z.string() })), recomputed: z.number().int() }),
  }),
  dropCalendar: post('/jurisdictions/calendar/drop', 'Say no longer which days are worked in a jurisdiction', {
    body: z.object({ name: line(80) }),
    response: z.object({ recomputed: z.number().int() }),
  }),
  calendar: get('/jurisdictions/calendar', 'The holidays of a jurisdiction as iCalendar', { query: z.object({ name: line(80) }) }),
  eventTypes: get('/event-types', 'The types of events that can be recorded, and that rules can wait for', {
    response: z.object({ types: z.array(eventTypeLine) }),
  }),
  makeEventType: post('/event-types', 'Add a type of event to the list', { body: z.object({ name: line(80) }) }),
  dropEventType: post('/event-types/drop', 'Remove a type of event that nothing uses', { body: z.object({ name: line(80) }) }),
  namedYears: get('/named-years', 'Years whose ends are listed', { response: z.object({ years: z.array(namedYearLine) }) }),
  setNamedYear: put('/named-years', 'List the ends of a named year, or add one', {
    body: z.object({ name: line(80), ends: z.array(dateText).max(400) }),
    response: z.object({ recomputed: z.number().int() }),
  }),
  dropNamedYear: post('/named-years/drop', 'Remove a named year that no rule rolls to', { body: z.object({ name: line(80) }) }),
  dropJurisdiction: post('/jurisdictions/drop', 'Remove a jurisdiction that nothing uses', { body: z.object({ name: line(80) }) }),
  placeJurisdictions: put('/places/{id}/jurisdictions', 'Say in which jurisdictions a place is', {
    params: idParam,
    body: z.object({ revision, jurisdictions: z.array(line(80)).max(20) }),
    response: z.object({ recomputed: z.number().int() }),
  }),
  override: post(
    '/records/override',
    'Set a due date or a rule on records by hand, or let the rules decide again; tried first with dryRun',
    {
      body: z.object({
        ids: z.array(id).min(1).max(5000),
        override: overrideInput.nullable(),
        reason,
        dryRun: z.boolean().default(false),
      }),
      response: z.object({
        results: z.array(datesLine),
        /** With dryRun: what it would do to the records that are not refused. */
        effect: effectPage.nullable(),
      }),
    },
  ),
  ruleReach: get('/rules/{id}/reach', 'What a rule governs and brings, and which rules it meets where it is set', {
    params: idParam,
    response: ruleReach,
  }),
  ruleOnDay: get('/records/{id}/rule', 'Which rule was in force for a record on a day, and what it said', {
    params: idParam,
    query: z.object({
      /** A day of the world … */
      on: dateText,
      /** … as far as the repository knew of it at the end of another; today when nothing is said. */
      known: dateText.optional(),
    }),
    response: ruleOnDay,
  }),
  exportSchedule: get('/schedule/export', 'All rules as a table', { query: z.object({ format: tableFormat }) }),
  importSchedule: post(
    '/schedule/import',
    'Take in rules from a table, as drafts or published; tried first with dryRun',
    {
      body: tableInput,
      response: tableOutcome,
    },
    withTable,
  ),
  ruleCases: get('/rules/{id}/cases', 'Records that a rule may govern, as data to try its draft on', {
    params: idParam,
    response: cases.extend({ more: z.boolean() }),
  }),
  recordCase: get('/records/{id}/case', 'One record as data to try rules on', { params: idParam, response: cases }),
  effect: ask('/schedule/effect', 'What a change would do to all records; answers with lines of JSON, progress first, the effect last', {
    body: z.object({ change: scheduleChange }),
    response: z.object({ effect: effectPage }),
  }),
  check: get('/schedule/check', 'What is not right with the schedule', { response: z.object({ findings: z.array(finding) }) }),
  waiting: get('/schedule/waiting', 'Who waits for what', { response: z.object({ waiting: z.array(waitingLine) }) }),
  placeEvents: get('/places/{id}/events', 'Everything recorded on a place, what was taken back too', {
    params: idParam,
    response: z.object({ events: z.array(eventLine) }),
  }),
  recordEvents: get('/records/{id}/events', 'Everything recorded on a record, what was taken back too', {
    params: idParam,
    response: z.object({ events: z.array(eventLine) }),
  }),
  addRecordEvent: post('/records/{id}/events', 'Record something that happened to what a record is about', {
    params: idParam,
    body: eventInput,
    response: z.object({ id }),
  }),
  withdrawEvent: post('/events/{id}/withdraw', 'Take an event back; with “instead”, put the right one in its place', {
    params: idParam,
    body: z.object({ reason, instead: eventInput.optional() }),
    response: z.object({ recomputed: z.number().int() }),
  }),
  importEvents: post(
    '/events/import',
    'Record many events from CSV (place, type, on, note); tried first with dryRun',
    {
      body: z.object({ csv: prose(4_000_000), dryRun: z.boolean().default(true) }),
      response: z.object({
        rows: z.number().int(),
        /** Events of rows without error. */
        events: z.number().int(),
        errors: z.array(z.object({ row: z.number().int(), column: z.string(), sentence })),
        recomputed: z.number().int(),
      }),
    },
    withTable,
  ),
  job: get('/jobs/{id}', 'Progress of long work', {
    params: idParam,
    response: z.object({
      state: z.enum(['running', 'done', 'cancelled', 'failed']),
      done: z.number().int(),
      total: z.number().int(),
      sentence,
    }),
  }),
  cancelJob: post('/jobs/{id}/cancel', 'Cancel long work; what is done stays done', { params: idParam }),
};
