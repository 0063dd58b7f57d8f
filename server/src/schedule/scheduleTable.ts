import { messageOfIssue, ruleDefinition, type RuleDefinition, type TableOutcome, type Told } from '@key-cellar/contract';
import { parseCivilDate } from '@key-cellar/core/calendar';
import {
  parseBasis,
  parseSample,
  parseCutoff,
  parseSteps,
  parseSuspension,
  parseTrigger,
  printBasis,
  printSample,
  printCutoff,
  printSteps,
  printSuspension,
  printTrigger,
  type Read,
} from '@key-cellar/core/schedule';
import { uuidv7 } from 'uuidv7';
import { message, type Message } from '@key-cellar/words';
import { type PersonAccess, type Several, type SignedIn, withUnitOfWork } from '../kernel/index.js';
import type { Services } from './services.js';
import { columnsOf, readTable, type TableFormat, type TableRow, writeTable } from '../tables/index.js';
import { mostDated, recomputeTelling, shiftWithin } from './recomputing.js';
import { eventTypesIn, listed, readLists } from './lists.js';
import * as lists from './listStore.js';
import { unknownGroups } from './ruleReads.js';
import * as reachStore from './reachStore.js';
import * as ruleStore from './ruleStore.js';

const scheduleColumns = columnsOf(
  'code',
  'title',
  'authority',
  'link',
  'jurisdictions',
  'clock',
  'cutoff',
  'stopped by',
  'basis',
  'sample',
  'steps',
  'in force from',
  'takes over',
);
type Column = (typeof scheduleColumns)[number];

const overWords = { all: 'all records', laterClocks: 'later clocks' } as const;

function lineOf(code: string, definition: RuleDefinition, inForceFrom: string, takesOver: 'all' | 'laterClocks'): Record<Column, string> {
  return {
    code,
    title: definition.title,
    authority: definition.authority,
    link: definition.link ?? '',
    jurisdictions: definition.jurisdictions.join('; '),
    clock: printTrigger(definition.trigger),
    cutoff: printCutoff(definition.cutoff),
    'stopped by': printSuspension(definition.suspension),
    basis: printBasis(definition.basis),
    sample: printSample(definition.sample),
    steps: printSteps(definition.steps),
    'in force from': inForceFrom,
    'takes over': overWords[takesOver],
  };
}

/** All rules as a table: their newest published version, or their draft where nothing was published. Exporting is an act. */
export async function exportSchedule(
  services: Services,
  person: SignedIn,
  format: TableFormat,
): Promise<{ bytes: Buffer; type: string; name: string }> {
  const [rules, versions] = await Promise.all([ruleStore.rules(services.pool), ruleStore.allVersions(services.pool)]);
  const lines = rules.map((rule) => {
    const newest = versions.filter((v) => v.rule_id === rule.id).at(-1);
    return newest
      ? lineOf(rule.code, newest.definition, newest.in_force_from, newest.takes_over)
      : lineOf(rule.code, rule.draft!, '', 'all');
  });
  await withUnitOfWork(
    services.pool,
    person,
    (uow) =>
      uow.enter({
        act: 'exported the schedule',
        subject: { kind: 'schedule', id: null, name: person.repository },
        after: { format, rules: rules.length },
      }),
    'none',
  );
  return { ...(await writeTable(scheduleColumns, lines, format)), name: `schedule.${format}` };
}

interface Wanted {
  readonly row: number;
  readonly code: string;
  readonly definition: RuleDefinition;
  /** Null: it becomes a draft. */
  readonly inForceFrom: string | null;
  readonly takesOver: 'all' | 'laterClocks';
}

const fieldColumns: Readonly<Record<string, Column>> = {
  trigger: 'clock',
  steps: 'steps',
  cutoff: 'cutoff',
  suspension: 'stopped by',
  basis: 'basis',
  sample: 'sample',
  title: 'title',
  authority: 'authority',
  link: 'link',
  jurisdictions: 'jurisdictions',
};

function readRow(
  { row, values }: TableRow,
  jurisdictions: ReadonlySet<string>,
  groups: readonly string[],
  wrong: (row: number, column: Column, sentence: Message) => void,
): Wanted | null {
  let right = true;
  const bad = (column: Column, sentence: Message): void => {
    right = false;
    wrong(row, column, sentence);
  };
  const text = (column: Column): string => values[column] ?? '';
  const read = <T>(column: Column, parse: (text: string) => Read<T>): { readonly value: T } | null => {
    const found = parse(text(column));
    if (found.ok) return found;
    bad(column, found.sentence);
    return null;
  };
  const code = text('code').toUpperCase();
  if (!/^[A-Z0-9][A-Z0-9-]{0,29}$/.test(code)) bad('code', code ? message('schedule.table.code', { code }) : message('tables.missing'));
  const trigger = read('clock', parseTrigger);
  const cutoff = read('cutoff', parseCutoff);
  const suspension = read('stopped by', parseSuspension);
  const basis = read('basis', parseBasis);
  const sample = read('sample', parseSample);
  const steps = read('steps', parseSteps);
  const names = text('jurisdictions')
    .split(/[;,]/)
    .map((n) => n.trim())
    .filter(Boolean);
  for (const name of names) if (!jurisdictions.has(name)) bad('jurisdictions', message('tables.noJurisdiction', { name }));
  const inForceFrom = text('in force from') || null;
  if (inForceFrom !== null && parseCivilDate(inForceFrom) === null) bad('in force from', message('schedule.table.day'));
  const over = text('takes over').toLowerCase();
  if (over !== '' && over !== overWords.all && over !== overWords.laterClocks)
    bad('takes over', message('schedule.table.takesOver', { all: overWords.all, later: overWords.laterClocks }));
  if (!trigger || !cutoff || !suspension || !basis || !sample || !steps) return null;
  const parsed = ruleDefinition.safeParse({
    title: text('title'),
    authority: text('authority'),
    jurisdictions: names,
    trigger: trigger.value,
    cutoff: cutoff.value,
    steps: steps.value,
    ...(suspension.value ? { suspension: suspension.value } : {}),
    ...(basis.value ? { basis: basis.value } : {}),
    ...(sample.value ? { sample: sample.value } : {}),
    ...(text('link') ? { link: text('link') } : {}),
  });
  if (!parsed.success) {
    for (const issue of parsed.error.issues) bad(fieldColumns[String(issue.path[0])] ?? 'steps', messageOfIssue(issue));
    return null;
  }
  for (const name of unknownGroups(parsed.data, groups)) bad('steps', message('schedule.thereNoGroupCould', { unknown: name }));
  return right
    ? { row, code, definition: parsed.data, inForceFrom, takesOver: over === overWords.laterClocks ? 'laterClocks' : 'all' }
    : null;
}

/** Whether two definitions say the same: in their printed form, so that the order of their members makes no difference. */
function same(a: RuleDefinition | null | undefined, b: RuleDefinition): boolean {
  return !!a && JSON.stringify(lineOf('', a, '', 'all')) === JSON.stringify(lineOf('', b, '', 'all'));
}

/**
 * Takes rules from a table. One with a day in force is published as the next version where it differs from the newest, one
 * without becomes a draft. Rules that are not in it stay. With any error nothing is done.
 */
export async function importSchedule(
  services: Services,
  access: PersonAccess,
  work: Several,
  input: { bytes: Buffer; format: TableFormat; dryRun: boolean },
): Promise<Told<TableOutcome>> {
  const table = await readTable(services, input.bytes, input.format, {
    required: ['code', 'title', 'authority', 'clock', 'steps'],
    known: scheduleColumns,
  });
  return work(async (uow) => {
    const [rules, versions, jurisdictions, groups, known] = await Promise.all([
      ruleStore.rules(uow),
      ruleStore.allVersions(uow),
      ruleStore.jurisdictions(uow),
      ruleStore.groupNames(uow),
      readLists(uow),
    ]);
    const errors: { row: number; column: string; sentence: Message }[] = [];
    const wrong = (row: number, column: string, sentence: Message): void => void errors.push({ row, column, sentence });
    const names = new Set(jurisdictions.map((j) => j.name));
    const wanted = new Map<string, Wanted>();
    for (const row of table.rows) {
      const read = readRow(row, names, groups, wrong);
      if (!read) continue;
      const twice = wanted.get(read.code);
      if (twice) wrong(row.row, 'code', message('tables.inRowAlready', { name: read.code, row: String(twice.row) }));
      else wanted.set(read.code, read);
    }
    const byCode = new Map(rules.map((r) => [r.code, r]));
    const newestOf = new Map(versions.map((v) => [v.rule_id, v]));
    const lastNumber = new Map((await ruleStore.lastNumbers(uow)).map((v) => [v.rule_id, v.version]));
    const changes: { row: number; what: string; sentence: Message }[] = [];
    const published: string[] = [];
    const [eventTypes, namedYears] = [[...known.eventTypes], [...known.namedYears]];
    /** What a rule names that no list has yet comes into its list with it; whoever tries the table first is told. */
    const list = ({ row, definition }: Wanted): void => {
      const events = [...new Set(eventTypesIn(definition).filter((name) => listed(eventTypes, name) === undefined))];
      for (const name of events) {
        if (listed(eventTypes, name) !== undefined) continue;
        eventTypes.push(name);
        changes.push({ row, what: 'list', sentence: message('schedule.addedTypesEvents', { name }) });
        uow.alongside(lists.addEventTypes(uow, [name]));
        uow.enter({ act: 'added a type of event', subject: { kind: 'event type', id: null, name }, note: 'from a table' });
      }
      const { cutoff } = definition;
      if (cutoff.kind !== 'namedYear' || namedYears.includes(cutoff.name)) return;
      namedYears.push(cutoff.name);
      changes.push({ row, what: 'list', sentence: message('schedule.addedNamedYearsEnds', { name: cutoff.name }) });
      uow.alongside(lists.writeNamedYear(uow, cutoff.name, []));
      uow.enter({
        act: 'listed the ends of a named year',
        subject: { kind: 'named year', id: null, name: cutoff.name },
        after: [],
        note: 'from a table',
      });
    };
    // What is told of a row that is right is told with all others; with any error nothing is written.
    for (const w of errors.length > 0 ? [] : wanted.values()) {
      const known = byCode.get(w.code);
      const newest = known ? newestOf.get(known.id) : undefined;
      const isNewest =
        same(newest?.definition, w.definition) &&
        (w.inForceFrom === null || (newest?.in_force_from === w.inForceFrom && newest.takes_over === w.takesOver));
      if (isNewest || (w.inForceFrom === null && same(known?.draft, w.definition))) continue;
      list(w);
      const version = (known ? (lastNumber.get(known.id) ?? 0) : 0) + 1;
      changes.push({
        row: w.row,
        what: known ? (w.inForceFrom === null ? 'draft' : 'version') : 'new',
        sentence:
          w.inForceFrom === null
            ? message(known ? 'schedule.table.getsDraft' : 'schedule.table.begins', { code: w.code })
            : message('schedule.publishedAsVersionForce', { code: w.code, version: String(version), from: { day: w.inForceFrom } }),
      });
      const id = known?.id ?? uuidv7();
      const subject = { kind: 'rule', id, name: w.code };
      if (!known) uow.alongside(ruleStore.addRule(uow, { id, code: w.code, draft: w.inForceFrom === null ? w.definition : null }));
      if (w.inForceFrom === null) {
        if (known) uow.alongside(ruleStore.writeDraft(uow, id, w.definition));
        uow.enter({
          act: known ? 'saved a rule draft' : 'began a rule',
          subject,
          before: known?.draft ?? null,
          after: w.definition,
          note: 'from a table',
        });
        continue;
      }
      uow.alongside(
        ruleStore.addVersion(uow, {
          id: uuidv7(),
          ruleId: id,
          version,
          definition: w.definition,
          inForceFrom: w.inForceFrom,
          takesOver: w.takesOver,
          publishedBy: uow.actor.id!,
          at: uow.at,
        }),
      );
      uow.enter({
        act: 'published a rule',
        subject,
        before: newest?.definition ?? null,
        after: { ...w.definition, version, inForceFrom: w.inForceFrom, takesOver: w.takesOver },
        note: 'from a table',
      });
      if (known) published.push(id);
    }
    const reach = await reachStore.reachOfRules(uow, published);
    const dates = input.dryRun && published.length > 0 ? await shiftWithin(uow, reach, access, mostDated) : null;
    const recomputed =
      published.length === 0 ? 0 : input.dryRun ? dates!.of : await recomputeTelling(services, uow, reach, 'rules from a table', access);
    return {
      rows: table.rows.length,
      changes,
      errors: errors.sort((a, b) => a.row - b.row),
      conflicts: 0,
      dates,
      recomputed,
      readAs: table.encoding,
    };
  });
}
