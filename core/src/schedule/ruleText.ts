import { formatPeriod, readPeriod } from '../calendar/index.js';
import type { Cutoff } from './cutoff.js';
import { recordDates, stepKinds, type Step, type StepKind, type Trigger } from './rule.js';

/** Reads or says why not. */
export type Read<T> = { readonly ok: true; readonly value: T } | { readonly ok: false; readonly sentence: string };

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
const wrong = (sentence: string): { ok: false; sentence: string } => ({ ok: false, sentence });
const tidy = (text: string): string => text.trim().replace(/\s+/g, ' ');

/** A name between others: in quotes where it would be taken apart, a quote in it doubled. */
function quoted(name: string): string {
  return /[,;"]| or /i.test(name) ? `"${name.replaceAll('"', '""')}"` : name;
}

function unquoted(text: string): string {
  return /^"(?:[^"]|"")*"$/.test(text) ? text.slice(1, -1).replaceAll('""', '"') : text;
}

/** The parts between separators, those in quotes left alone. */
function split(text: string, separator: ';' | ',' | ' or '): string[] {
  const parts = [''];
  for (const piece of text.match(/"(?:[^"]|"")*"|[^"]+|"/g) ?? []) {
    const [first = '', ...more] = piece.startsWith('"') ? [piece] : piece.split(new RegExp(separator, 'i'));
    parts.push(parts.pop()! + first, ...more);
  }
  return parts.map(tidy).filter(Boolean);
}

function isoPeriod(text: string): string | null {
  const period = readPeriod(text);
  return period && formatPeriod(period);
}

/** A trigger in a table: `created`, `fact expires`, `first fact hearing`, `folder closed`, `event lease ended`, `first event person left`, `never`. */
export function printTrigger(trigger: Trigger): string {
  switch (trigger.kind) {
    case 'recordDate':
      return dateWords[trigger.date];
    case 'fact':
      return `${trigger.occurrence === 'first' ? 'first ' : ''}fact ${trigger.fact}`;
    case 'folderClosed':
      return 'folder closed';
    case 'event':
      return `${trigger.occurrence === 'first' ? 'first ' : ''}event ${trigger.eventType}`;
    case 'never':
      return 'never';
  }
}

export function parseTrigger(text: string): Read<Trigger> {
  const words = tidy(text);
  const lower = words.toLowerCase();
  const date = recordDates.find((d) => dateWords[d] === lower);
  if (date) return { ok: true, value: { kind: 'recordDate', date } };
  if (lower === 'folder closed') return { ok: true, value: { kind: 'folderClosed' } };
  if (lower === 'never') return { ok: true, value: { kind: 'never' } };
  const named = /^(?:(first|last) )?(fact|event) (.+)$/i.exec(words);
  if (!named)
    return wrong('says not when the clock starts: created, filed, fact …, first fact …, folder closed, event …, first event … or never');
  const [, which, kind, name] = named as unknown as [string, string | undefined, string, string];
  const first = which?.toLowerCase() === 'first';
  if (kind.toLowerCase() === 'fact') return { ok: true, value: { kind: 'fact', fact: name, ...(first ? { occurrence: 'first' } : {}) } };
  return { ok: true, value: { kind: 'event', eventType: name, occurrence: first ? 'first' : 'last' } };
}

/** A cutoff in a table: `none`, `month`, `quarter`, `half-year`, `calendar year`, `fiscal year from 4-1` (month and day). */
export function printCutoff(cutoff: Cutoff): string {
  switch (cutoff.kind) {
    case 'halfYear':
      return 'half-year';
    case 'calendarYear':
      return 'calendar year';
    case 'fiscalYear':
      return `fiscal year from ${cutoff.firstMonth}-${cutoff.firstDay}`;
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
  return wrong('is no cutoff: none, month, quarter, half-year, calendar year, or fiscal year from 4-1 (month and day)');
}

/** Keeping for good begins with the clock, so it needs no period. */
function isBare(step: Step): boolean {
  return step.kind === 'keepPermanently' && step.after === 'P0D' && step.from === 'clockStart' && step.repeatEvery === undefined;
}

/** Steps in a table, one after another, how long in ISO 8601 or in words: `ask owner P5Y every P30D; move P6Y to CLOSED; destroy P7Y, 2 approvals of Board or Counsel, 21 days notice`. */
export function printSteps(steps: readonly Step[]): string {
  return steps
    .map((step) =>
      [
        `${stepWords[step.kind]}${isBare(step) ? '' : ` ${step.after}`}${step.from === 'previousStep' ? ' after the step before' : ''}${step.repeatEvery ? ` every ${step.repeatEvery}` : ''}${step.to === undefined ? '' : ` to ${quoted(step.to)}`}`,
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
  if (!kind) return wrong(`“${what}” is no step: ${Object.values(stepWords).join(', ')}`);
  const rest = what.slice(stepWords[kind].length).trim();
  const match = /^(.*?)( after the step before)?( every (.+?))?( to (.+))?$/i.exec(rest === '' ? 'P0D' : rest);
  const after = isoPeriod(match?.[1] ?? '');
  if (!match || after === null || (rest === '' && kind !== 'keepPermanently')) {
    return wrong(`“${what}” says not after how long, such as P7Y or 90 days`);
  }
  const repeatEvery = match[4] === undefined ? undefined : isoPeriod(match[4]);
  if (repeatEvery === null) return wrong(`“${match[4]!}” is no period, such as P30D or 30 days`);
  const to = match[6] === undefined ? undefined : unquoted(match[6]);
  if ((kind === 'move') !== (to !== undefined)) {
    return wrong(kind === 'move' ? `“${what}” says not to which folder, such as to CLOSED` : `“${what}”: only move says to which folder`);
  }
  let [approvals, noticeDays] = [0, 0];
  let approverGroups: string[] | undefined;
  for (const part of more) {
    const given = /^(\d+) (?:(approvals?)(?: of (.+))?|days? notice)$/i.exec(part);
    if (!given) return wrong(`“${part}” is neither a number of approvals nor of days notice`);
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
      from: match[2] ? 'previousStep' : 'clockStart',
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
  if (parts.length === 0) return wrong('names no step');
  const steps: Step[] = [];
  for (const part of parts) {
    const step = parseStep(part);
    if (!step.ok) return step;
    steps.push(step.value);
  }
  return { ok: true, value: steps };
}
