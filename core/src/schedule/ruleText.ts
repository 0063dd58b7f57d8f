import { message, type Message } from '@key-cellar/words';
import { formatPeriod, period, readPeriod } from '../calendar/index.js';
import type { Cutoff } from './cutoff.js';
import { clausesOf, parseCriteria, printCriteria, type AskedCriteria, type Criteria, type Vocabulary } from '../criteria/index.js';
import type { Sample } from './sample.js';
import {
  bases,
  recordDates,
  stepKinds,
  type Basis,
  type SimpleTrigger,
  type Step,
  type StepKind,
  type Suspension,
  type Trigger,
  type TriggerPart,
} from './rule.js';

/** Reads or says why not. */
export type Read<T> = { readonly ok: true; readonly value: T } | { readonly ok: false; readonly sentence: Message };

const stepWords: Record<StepKind, string> = {
  askOwner: 'ask owner',
  review: 'review',
  declare: 'declare',
  trimVersions: 'trim versions',
  move: 'move',
  route: 'route',
  transfer: 'transfer',
  destroy: 'destroy',
  keepPermanently: 'keep for good',
};
const dateWords: Record<(typeof recordDates)[number], string> = {
  created: 'created',
  received: 'received',
  filed: 'filed',
  modified: 'modified',
  declared: 'declared',
  superseded: 'superseded',
  lastUsed: 'last used',
};
const wrong = (sentence: Message): { ok: false; sentence: Message } => ({ ok: false, sentence });
const tidy = (text: string): string => text.trim().replace(/\s+/g, ' ');

/** A name between others: in quotes where it would be taken apart, a quote in it doubled. */
function quoted(name: string): string {
  return /[,;"]| (?:or|until) | \+ /i.test(name) ? `"${name.replaceAll('"', '""')}"` : name;
}

function unquoted(text: string): string {
  return /^"(?:[^"]|"")*"$/.test(text) ? text.slice(1, -1).replaceAll('""', '"') : text;
}

/** The parts between separators, those in quotes left alone. */
function split(text: string, separator: ';' | ',' | ' or ' | ' until ' | ' \\+ '): string[] {
  let parts = [''];
  for (const piece of text.match(/"(?:[^"]|"")*"|[^"]+|"/g) ?? []) {
    const [first = '', ...more] = piece.startsWith('"') ? [piece] : piece.split(new RegExp(separator, 'i'));
    parts = [...parts.slice(0, -1), parts.at(-1)! + first, ...more];
  }
  return parts.map(tidy).filter(Boolean);
}

function isoPeriod(text: string): string | null {
  const period = readPeriod(text);
  return period && formatPeriod(period);
}

function printSimple(trigger: SimpleTrigger, name: (name: string) => string): string {
  switch (trigger.kind) {
    case 'recordDate':
      return dateWords[trigger.date];
    case 'fact':
      return `${trigger.occurrence === 'first' ? 'first ' : ''}fact ${name(trigger.fact)}`;
    case 'folderClosed':
      return 'folder closed';
    case 'event':
      return `${trigger.occurrence === 'first' ? 'first ' : ''}event ${name(trigger.eventType)}`;
    case 'unreferenced':
      return `unreferenced by ${name(trigger.fact)}`;
  }
}

/**
 * A trigger in a table: `created`, `fact expires`, `first fact hearing`, `folder closed`, `event lease ended`, `first event person
 * left`, `unreferenced by contract`, `earliest of fact born + P25Y, fact died + P8Y`, `never`.
 */
export function printTrigger(trigger: Trigger): string {
  switch (trigger.kind) {
    case 'never':
      return 'never';
    case 'earliest':
    case 'latest': {
      const parts = trigger.of.map(({ trigger: part, after }) => `${printSimple(part, quoted)}${after === 'P0D' ? '' : ` + ${after}`}`);
      return `${trigger.kind} of ${parts.join(', ')}`;
    }
    default:
      // A name to the end of the cell is taken as it stands, unless it begins as a quoted one does.
      return printSimple(trigger, (name) => (name.startsWith('"') ? quoted(name) : name));
  }
}

/** What may stand for a clock, a cutoff and a sample, as it is told where something else stands. */
const clockForms = [
  ...Object.values(dateWords),
  ...['fact …', 'first fact …', 'folder closed', 'event …', 'first event …', 'unreferenced by …', 'earliest of …', 'latest of …', 'never'],
];
const cutoffForms = ['none', 'month', 'quarter', 'half-year', 'calendar year', 'fiscal year from 4-1', 'named year …'];
const sampleForms = ['every 20 by number', '1 in 20', 'those where …'];

function parseSimple(words: string): Read<SimpleTrigger> {
  const lower = words.toLowerCase();
  const date = recordDates.find((d) => dateWords[d] === lower);
  if (date) return { ok: true, value: { kind: 'recordDate', date } };
  if (lower === 'folder closed') return { ok: true, value: { kind: 'folderClosed' } };
  const reference = /^unreferenced by (.+)$/i.exec(words);
  if (reference) return { ok: true, value: { kind: 'unreferenced', fact: unquoted(reference[1]!) } };
  const named = /^(?:(first|last) )?(fact|event) (.+)$/i.exec(words);
  if (!named) {
    return wrong(message('schedule.text.noClock', { forms: { any: clockForms } }));
  }
  const [, which, kind] = named as unknown as [string, string | undefined, string];
  const name = unquoted(named[3]!);
  const first = which?.toLowerCase() === 'first';
  if (kind.toLowerCase() === 'fact') return { ok: true, value: { kind: 'fact', fact: name, ...(first ? { occurrence: 'first' } : {}) } };
  return { ok: true, value: { kind: 'event', eventType: name, occurrence: first ? 'first' : 'last' } };
}

function parsePart(text: string): Read<TriggerPart> {
  const [words = '', ...more] = split(text, ' \\+ ');
  const after = more.length === 0 ? 'P0D' : isoPeriod(more.join(' + '));
  if (after === null) return wrong(message('schedule.text.noPeriod', { text: more.join(' + '), example: 'P25Y', inWords: '25 years' }));
  const trigger = parseSimple(words);
  return trigger.ok ? { ok: true, value: { trigger: trigger.value, after } } : trigger;
}

export function parseTrigger(text: string): Read<Trigger> {
  const words = tidy(text);
  if (words.toLowerCase() === 'never') return { ok: true, value: { kind: 'never' } };
  const several = /^(earliest|latest) of (.+)$/i.exec(words);
  if (!several) return parseSimple(words);
  const of: TriggerPart[] = [];
  for (const piece of split(several[2]!, ',')) {
    const part = parsePart(piece);
    if (!part.ok) return part;
    of.push(part.value);
  }
  if (of.length < 2) return wrong(message('schedule.text.onlyOne', { which: several[1]!.toLowerCase() }));
  return { ok: true, value: { kind: several[1]!.toLowerCase() as 'earliest' | 'latest', of } };
}

/** What stops a clock, in a table: `inquiry opened until inquiry closed`; empty where nothing does. */
export function printSuspension(suspension: Suspension | undefined): string {
  return suspension ? `${quoted(suspension.stops)} until ${quoted(suspension.resumes)}` : '';
}

export function parseSuspension(text: string): Read<Suspension | undefined> {
  const words = tidy(text);
  if (words === '') return { ok: true, value: undefined };
  const [stops, resumes, ...more] = split(words, ' until ').map(unquoted);
  if (stops === undefined || resumes === undefined || more.length > 0) {
    return wrong(message('schedule.text.noSuspension', { example: 'inquiry opened until inquiry closed' }));
  }
  return { ok: true, value: { stops, resumes } };
}

const basisNames: Record<Basis, string> = { required: 'required', customary: 'customary', atMost: 'at most' };

/** What a period means, in a table: `required`, `customary` or `at most`; empty: required. */
export function printBasis(basis: Basis | undefined): string {
  return basisNames[basis ?? 'required'];
}

export function parseBasis(text: string): Read<Basis | undefined> {
  const words = tidy(text).toLowerCase();
  if (words === '' || words === 'required') return { ok: true, value: undefined };
  const basis = bases.find((b) => basisNames[b] === words);
  return basis ? { ok: true, value: basis } : wrong(message('schedule.text.noBasis', { forms: { any: bases.map((b) => basisNames[b]) } }));
}

/** A sample in a table: `every 20 by number`, `1 in 20`, `those where` and criteria as JSON; empty where there is none. */
export function printSample(sample: Sample | undefined, vocabulary: Vocabulary): string {
  switch (sample?.kind) {
    case undefined:
      return '';
    case 'everyNth':
      return `every ${sample.n} by number`;
    case 'share':
      return `1 in ${sample.n}`;
    case 'criteria':
      return `those where ${printCriteria(sample.criteria, vocabulary)}`;
  }
}

const isFixed = (asked: AskedCriteria): asked is Criteria => clausesOf(asked).every(({ op }) => op !== 'within' && op !== 'factWithin');

/** Reads a sample. Dates against today say another thing every day, and choose nothing. */
export function parseSample(text: string, vocabulary: Vocabulary): Read<Sample | undefined> {
  const words = tidy(text);
  if (words === '') return { ok: true, value: undefined };
  const counted = /^(?:(every) (\d{1,5})(?:st|nd|rd|th)? by number|1 in (\d{1,5}))$/i.exec(words);
  if (counted) return { ok: true, value: { kind: counted[1] ? 'everyNth' : 'share', n: Number(counted[2] ?? counted[3]) } };
  const where = /^those where\s+(.+)$/is.exec(text.trim());
  if (!where) return wrong(message('schedule.text.noSample', { forms: { any: sampleForms } }));
  const parsed = parseCriteria(where[1]!, vocabulary);
  if (!parsed.ok) return wrong(parsed.error.sentence);
  return isFixed(parsed.criteria)
    ? { ok: true, value: { kind: 'criteria', criteria: parsed.criteria } }
    : wrong(message('schedule.text.sampleToday'));
}

/**
 * A cutoff in a table: `none`, `month`, `quarter`, `half-year`, `calendar year`, `fiscal year from 4-1` (month and day), `named year
 * Council term`.
 */
export function printCutoff(cutoff: Cutoff): string {
  switch (cutoff.kind) {
    case 'halfYear':
      return 'half-year';
    case 'calendarYear':
      return 'calendar year';
    case 'fiscalYear':
      return `fiscal year from ${cutoff.firstMonth}-${cutoff.firstDay}`;
    case 'namedYear':
      return `named year ${cutoff.name}`;
    default:
      return cutoff.kind;
  }
}

export function parseCutoff(text: string): Read<Cutoff> {
  const words = tidy(text).toLowerCase();
  if (words === '' || words === 'none') return { ok: true, value: { kind: 'none' } };
  if (words === 'month' || words === 'quarter') return { ok: true, value: { kind: words } };
  if (/^half[- ]year$/.test(words)) return { ok: true, value: { kind: 'halfYear' } };
  if (words === 'calendar year' || words === 'year') return { ok: true, value: { kind: 'calendarYear' } };
  const fiscal = /^fiscal year from (\d{1,2})-(\d{1,2})$/.exec(words);
  const [month, day] = [Number(fiscal?.[1]), Number(fiscal?.[2])];
  if (fiscal && month >= 1 && month <= 12 && day >= 1 && day <= 31) {
    return { ok: true, value: { kind: 'fiscalYear', firstMonth: month, firstDay: day } };
  }
  const named = /^named year (.+)$/i.exec(tidy(text));
  if (named) return { ok: true, value: { kind: 'namedYear', name: named[1]! } };
  return wrong(message('schedule.text.noCutoff', { forms: { any: cutoffForms } }));
}

/** Keeping for good begins with the clock, so it needs no period. */
function isBare(step: Step): boolean {
  return step.kind === 'keepPermanently' && step.after === 'P0D' && step.from === 'clockStart' && step.repeatEvery === undefined;
}

const fromWords: Record<Step['from'], string> = {
  clockStart: '',
  previousStep: ' after the step before',
  beforeTrigger: ' before its date',
};

function howLong(step: Step): string {
  if (!step.workingDays) return step.after;
  const { days } = period(step.after);
  return `${days} working ${days === 1 ? 'day' : 'days'}`;
}

/** Steps in a table, one after another, how long in ISO 8601 or in words: `review P90D before its date; ask owner P5Y every P30D; move P6Y to CLOSED; destroy P7Y, 2 approvals of Board or Counsel, 21 days notice`. */
export function printSteps(steps: readonly Step[]): string {
  return steps
    .map((step) =>
      [
        `${stepWords[step.kind]}${isBare(step) ? '' : ` ${howLong(step)}`}${fromWords[step.from]}${step.repeatEvery ? ` every ${step.repeatEvery}` : ''}${step.to === undefined ? '' : ` to ${quoted(step.to)}`}`,
        ...(step.approvals > 0
          ? [
              `${step.approvals} ${step.approvals === 1 ? 'approval' : 'approvals'}${step.approverGroups?.length ? ` of ${step.approverGroups.map(quoted).join(' or ')}` : ''}`,
            ]
          : []),
        ...(step.noticeDays > 0 ? [`${step.noticeDays} ${step.noticeDays === 1 ? 'day' : 'days'} notice`] : []),
      ].join(', '),
    )
    .join('; ');
}

function parseStep(text: string): Read<Step> {
  const [what = '', ...more] = split(text, ',');
  const kind = [...stepKinds].find((k) => what.toLowerCase() === stepWords[k] || what.toLowerCase().startsWith(`${stepWords[k]} `));
  if (!kind) return wrong(message('schedule.text.noStep', { text: what, forms: { any: Object.values(stepWords) } }));
  const rest = what.slice(stepWords[kind].length).trim();
  const match = /^(.*?)( after the step before| before its date)?( every (.+?))?( to (.+))?$/i.exec(rest === '' ? 'P0D' : rest);
  const working = /^(\d{1,6}) working days?$/i.exec(match?.[1] ?? '');
  const after = working ? `P${Number(working[1])}D` : isoPeriod(match?.[1] ?? '');
  if (!match || after === null || (rest === '' && kind !== 'keepPermanently')) {
    return wrong(message('schedule.text.noTime', { text: what, example: 'P7Y', inWords: '90 days' }));
  }
  const repeatEvery = match[4] === undefined ? undefined : isoPeriod(match[4]);
  if (repeatEvery === null) return wrong(message('schedule.text.noPeriod', { text: match[4]!, example: 'P30D', inWords: '30 days' }));
  const to = match[6] === undefined ? undefined : unquoted(match[6]);
  if ((kind === 'move') !== (to !== undefined)) {
    return wrong(message(kind === 'move' ? 'schedule.text.moveWhere' : 'schedule.text.onlyMoveWhere', { text: what }));
  }
  let [approvals, noticeDays] = [0, 0];
  let approverGroups: string[] | undefined;
  for (const part of more) {
    const given = /^(\d+) (?:(approvals?)(?: of (.+))?|days? notice)$/i.exec(part);
    if (!given) return wrong(message('schedule.text.noApprovals', { text: part }));
    if (given[2] === undefined) noticeDays = Number(given[1]);
    else {
      approvals = Number(given[1]);
      approverGroups = given[3] === undefined ? undefined : split(given[3], ' or ').map(unquoted);
    }
  }
  return {
    ok: true,
    value: {
      kind,
      after,
      from: match[2] === undefined ? 'clockStart' : /before its date/i.test(match[2]) ? 'beforeTrigger' : 'previousStep',
      ...(working ? { workingDays: true } : {}),
      ...(repeatEvery === undefined ? {} : { repeatEvery }),
      ...(to === undefined ? {} : { to }),
      approvals,
      ...(approverGroups === undefined ? {} : { approverGroups }),
      noticeDays,
    },
  };
}

export function parseSteps(text: string): Read<Step[]> {
  const parts = split(text, ';');
  if (parts.length === 0) return wrong(message('schedule.text.emptySteps'));
  const steps: Step[] = [];
  for (const part of parts) {
    const step = parseStep(part);
    if (!step.ok) return step;
    steps.push(step.value);
  }
  return { ok: true, value: steps };
}
