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
import { emptyVocabulary, type Vocabulary } from '@key-cellar/core/criteria';
import { vocabularyOf } from '../criteria/index.js';
import { type Db, type PersonAccess, type Several, type SignedIn, type UnitOfWork, withUnitOfWork } from '../kernel/index.js';
import type { Services } from './services.js';
import { columnsOf, readTable, takenOrTold, type TableFormat, type TableRow, writeTable } from '../tables/index.js';
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
  'version',
  'withdrawn',
);
type Column = (typeof scheduleColumns)[number];

const overWords = { all: 'all records', laterClocks: 'later clocks' } as const;

type Published = Pick<ruleStore.PublishedRow, 'version' | 'in_force_from' | 'takes_over' | 'reason'>;

/** A version as a line, or a draft: that is in force from no day. */
function lineOf(code: string, definition: RuleDefinition, published: Published | null, vocabulary: Vocabulary): Record<Column, string> {
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
    sample: printSample(definition.sample, vocabulary),
    steps: printSteps(definition.steps),
    'in force from': published?.in_force_from ?? '',
    'takes over': overWords[published?.takes_over ?? 'all'],
    version: published ? String(published.version) : '',
    withdrawn: published?.reason ?? '',
  };
}

/** What criteria in a table speak of: places by their ways, which are the same wherever the plan is. */
async function namesInTables(db: Db, access: PersonAccess): Promise<Vocabulary> {
  const vocabulary = await vocabularyOf(db, access);
  return { ...vocabulary, places: vocabulary.places.map(({ id, name, also }) => ({ id, name: also?.[0] ?? name, also: [name] })) };
}

/** All rules as a table: every version that was ever published in its order, and then the draft. Exporting is an act. */
export async function exportSchedule(
  services: Services,
  person: SignedIn,
  format: TableFormat,
): Promise<{ bytes: Buffer; type: string; name: string }> {
  const [rules, versions] = await Promise.all([ruleStore.rules(services.pool), ruleStore.everyVersion(services.pool)]);
  const published = byRule(versions);
  const samples = [...versions.map((v) => v.definition), ...rules.flatMap((r) => r.draft ?? [])].some((d) => d.sample?.kind === 'criteria');
  const vocabulary = samples ? await namesInTables(services.pool, await services.access.of(person)) : emptyVocabulary;
  const lines = rules.flatMap((rule) => [
    ...(published.get(rule.id) ?? []).map((v) => lineOf(rule.code, v.definition, v, vocabulary)),
    ...(rule.draft ? [lineOf(rule.code, rule.draft, null, vocabulary)] : []),
  ]);
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

function byRule(versions: readonly ruleStore.PublishedRow[]): Map<string, ruleStore.PublishedRow[]> {
  const all = new Map<string, ruleStore.PublishedRow[]>();
  for (const v of versions) all.set(v.rule_id, [...(all.get(v.rule_id) ?? []), v]);
  return all;
}

interface Wanted {
  readonly row: number;
  readonly code: string;
  readonly definition: RuleDefinition;
  /** Null: it becomes a draft. */
  readonly inForceFrom: string | null;
  readonly takesOver: 'all' | 'laterClocks';
  /** Which version of the rule it is, where the table says so. */
  readonly version: number | null;
  /** Why it was withdrawn before it came into force; empty: it was not. */
  readonly withdrawn: string;
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
  {
    jurisdictions,
    groups,
    vocabulary,
    wrong,
  }: {
    readonly jurisdictions: ReadonlySet<string>;
    readonly groups: readonly string[];
    readonly vocabulary: Vocabulary;
    readonly wrong: (row: number, column: Column, sentence: Message) => void;
  },
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
  const sample = read('sample', (sample) => parseSample(sample, vocabulary));
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
  const number = text('version');
  if (number !== '' && !/^[1-9]\d{0,3}$/.test(number)) bad('version', message('schedule.table.version'));
  if (number !== '' && inForceFrom === null) bad('in force from', message('schedule.table.day'));
  const withdrawn = text('withdrawn');
  if (withdrawn !== '' && (withdrawn.length < 3 || inForceFrom === null)) bad('withdrawn', message('input.reason'));
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
    ? {
        row,
        code,
        definition: parsed.data,
        inForceFrom,
        takesOver: over === overWords.laterClocks ? 'laterClocks' : 'all',
        version: number === '' ? null : Number(number),
        withdrawn,
      }
    : null;
}

/** Versions of one rule in their order, those without a number as they stand, and its draft. */
interface OfRule {
  readonly versions: readonly Wanted[];
  readonly draft: Wanted | null;
}

/** Rows by their rules. A version, a day in force without a number, and a draft each stand once. */
function ofRules(rows: readonly Wanted[], wrong: (row: number, column: Column, sentence: Message) => void): Map<string, OfRule> {
  const seen = new Map<string, number>();
  const rules = new Map<string, { versions: Wanted[]; draft: Wanted | null }>();
  for (const w of rows) {
    const key = `${w.code} ${w.version ?? w.inForceFrom ?? ''}`;
    const before = seen.get(key);
    if (before !== undefined) {
      wrong(w.row, 'code', message('tables.inRowAlready', { name: w.code, row: String(before) }));
      continue;
    }
    seen.set(key, w.row);
    const rule = rules.get(w.code) ?? { versions: [], draft: null };
    if (w.inForceFrom === null) rule.draft = w;
    else rule.versions.push(w);
    rules.set(w.code, rule);
  }
  for (const { versions } of rules.values()) versions.sort((a, b) => (a.version ?? Infinity) - (b.version ?? Infinity) || a.row - b.row);
  return rules;
}

/**
 * Takes rules from a table. A version that the table numbers must be as it is here, or be the next; one with a day in force and without a
 * number is published where it differs from the newest, and one without a day becomes the draft. Rules that are not in it stay. With any
 * error nothing is kept.
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
  return takenOrTold(
    work,
    (outcome) => outcome.errors.length > 0,
    async (uow) => {
      const byCriteria = table.rows.some(({ values }) => /where/i.test(values['sample'] ?? ''));
      const vocabulary = byCriteria ? await namesInTables(uow, access) : emptyVocabulary;
      const taking = await Taking.begin(uow, vocabulary);
      const names = new Set((await ruleStore.jurisdictions(uow)).map((j) => j.name));
      const groups = await ruleStore.groupNames(uow);
      const read = table.rows.flatMap((row) => readRow(row, { jurisdictions: names, groups, vocabulary, wrong: taking.wrong }) ?? []);
      for (const [code, rule] of ofRules(read, taking.wrong)) taking.take(code, rule);
      const { errors, changes, touched } = taking;
      if (errors.length === 0) await taking.write();
      const reach = await reachStore.reachOfRules(uow, errors.length > 0 ? [] : touched);
      const moves = errors.length === 0 && touched.length > 0;
      const dates = input.dryRun && moves ? await shiftWithin(uow, reach, access, mostDated) : null;
      const recomputed = dates ? dates.of : moves ? await recomputeTelling(services, uow, reach, 'rules from a table', access) : 0;
      return {
        rows: table.rows.length,
        changes: errors.length > 0 ? [] : changes,
        errors: errors.sort((a, b) => a.row - b.row),
        conflicts: 0,
        warnings: [],
        access: null,
        dates,
        recomputed,
        readAs: table.encoding,
      };
    },
  );
}

/** What a table of rules does, rule by rule: told first, and written when nothing of it is wrong. */
class Taking {
  readonly errors: { row: number; column: string; sentence: Message }[] = [];
  readonly changes: { row: number; what: string; sentence: Message }[] = [];
  /** Rules that were there before, and have another version now. */
  readonly touched: string[] = [];
  private readonly writes: (() => Promise<unknown>)[] = [];

  /** Whether two definitions say the same: in their printed form, so that the order of their members makes no difference. */
  private readonly same = (a: RuleDefinition | null | undefined, b: RuleDefinition): boolean =>
    !!a && JSON.stringify(lineOf('', a, null, this.vocabulary)) === JSON.stringify(lineOf('', b, null, this.vocabulary));

  private readonly sameVersion = (known: ruleStore.PublishedRow | undefined, w: Wanted): boolean =>
    known !== undefined &&
    this.same(known.definition, w.definition) &&
    known.in_force_from === w.inForceFrom &&
    known.takes_over === w.takesOver;

  private constructor(
    private readonly vocabulary: Vocabulary,
    private readonly uow: UnitOfWork,
    private readonly rules: ReadonlyMap<string, ruleStore.RuleRow>,
    private readonly published: ReadonlyMap<string, readonly ruleStore.PublishedRow[]>,
    private readonly eventTypes: string[],
    private readonly namedYears: string[],
  ) {}

  static async begin(uow: UnitOfWork, vocabulary: Vocabulary): Promise<Taking> {
    const [rules, versions, known] = [await ruleStore.rules(uow), await ruleStore.everyVersion(uow), await readLists(uow)];
    return new Taking(
      vocabulary,
      uow,
      new Map(rules.map((r) => [r.code, r])),
      byRule(versions),
      [...known.eventTypes],
      [...known.namedYears],
    );
  }

  readonly wrong = (row: number, column: string, sentence: Message): void => void this.errors.push({ row, column, sentence });

  /** One behind the other: a version comes after its rule, and after the one before it. */
  async write(): Promise<void> {
    for (const write of this.writes) await write();
  }

  private tell(row: number, what: string, sentence: Message): void {
    this.changes.push({ row, what, sentence });
  }

  take(code: string, { versions, draft }: OfRule): void {
    const rule = this.rules.get(code);
    const known = rule ? (this.published.get(rule.id) ?? []) : [];
    const id = rule?.id ?? uuidv7();
    const subject = { kind: 'rule', id, name: code };
    const added: Wanted[] = [];
    let newest: { readonly definition: RuleDefinition; readonly is: (w: Wanted) => boolean } | null = null;
    const standing = known.filter((v) => v.withdrawn_at === null).at(-1);
    if (standing) newest = { definition: standing.definition, is: (w) => this.sameVersion(standing, w) };
    for (const w of versions) {
      const number = w.version ?? known.length + added.length + 1;
      if (w.version !== null && w.version <= known.length) {
        this.compare(known[w.version - 1]!, w, subject);
        continue;
      }
      if (w.version === null && newest?.is(w)) continue;
      if (number !== known.length + added.length + 1) {
        this.wrong(w.row, 'version', message('schedule.table.next', { code, next: String(known.length + added.length + 1) }));
        continue;
      }
      added.push(w);
      newest = {
        definition: w.definition,
        is: (other) => this.same(w.definition, other.definition) && w.inForceFrom === other.inForceFrom,
      };
    }
    const newDraft =
      draft && !this.same(rule?.draft, draft.definition) && !(draft && standing && this.same(standing.definition, draft.definition))
        ? draft
        : null;
    if (added.length === 0 && !newDraft) return;
    if (!rule) this.writes.push(() => ruleStore.addRule(this.uow, { id, code, draft: newDraft?.definition ?? null }));
    if (newDraft) this.takeDraft(newDraft, rule, subject);
    added.forEach((w, i) =>
      this.publish(w, known.length + i + 1, rule, subject, (i > 0 ? added[i - 1]! : known.at(-1))?.definition ?? null),
    );
    if (rule && added.length > 0) this.touched.push(id);
  }

  /** A version that was published stays as it is; that it was withdrawn may be news. */
  private compare(known: ruleStore.PublishedRow, w: Wanted, subject: { kind: string; id: string; name: string }): void {
    if (!this.sameVersion(known, w)) {
      this.wrong(w.row, 'version', message('schedule.table.fixed', { code: w.code, version: String(known.version) }));
      return;
    }
    if (w.withdrawn === '' || known.withdrawn_at !== null) return;
    if (known.in_force_from <= this.uow.actor.today) {
      this.wrong(w.row, 'withdrawn', message('schedule.inForce', { since: { day: known.in_force_from } }));
      return;
    }
    this.tell(w.row, 'version', message('schedule.table.withdraws', { code: w.code, version: String(known.version) }));
    this.withdraw(known.id, w, known.version, subject);
    this.touched.push(subject.id);
  }

  private withdraw(versionId: string, w: Wanted, version: number, subject: { kind: string; id: string; name: string }): void {
    this.writes.push(() => ruleStore.withdrawVersion(this.uow, versionId, w.withdrawn));
    this.uow.enter({ act: 'withdrew a rule version', subject, before: { version, inForceFrom: w.inForceFrom }, note: w.withdrawn });
  }

  private takeDraft(w: Wanted, rule: ruleStore.RuleRow | undefined, subject: { kind: string; id: string; name: string }): void {
    this.list(w);
    this.tell(w.row, rule ? 'draft' : 'new', message(rule ? 'schedule.table.getsDraft' : 'schedule.table.begins', { code: w.code }));
    if (rule) this.writes.push(() => ruleStore.writeDraft(this.uow, rule.id, w.definition));
    const act = rule ? 'saved a rule draft' : 'began a rule';
    this.uow.enter({ act, subject, before: rule?.draft ?? null, after: w.definition, note: 'from a table' });
  }

  private publish(
    w: Wanted,
    version: number,
    rule: ruleStore.RuleRow | undefined,
    subject: { kind: string; id: string; name: string },
    before: RuleDefinition | null,
  ): void {
    const [id, inForceFrom, { definition, takesOver }] = [uuidv7(), w.inForceFrom!, w];
    this.list(w);
    const sentence = message('schedule.publishedAsVersionForce', { code: w.code, version: String(version), from: { day: inForceFrom } });
    this.tell(w.row, rule || version > 1 ? 'version' : 'new', sentence);
    this.writes.push(() =>
      ruleStore.addVersion(this.uow, {
        id,
        ruleId: subject.id,
        version,
        definition,
        inForceFrom,
        takesOver,
        publishedBy: this.uow.actor.id!,
        at: this.uow.at,
      }),
    );
    this.uow.enter({
      act: 'published a rule',
      subject,
      before,
      after: { ...definition, version, inForceFrom, takesOver },
      note: 'from a table',
    });
    if (w.withdrawn !== '') this.withdraw(id, w, version, subject);
  }

  /** What a rule names that no list has yet comes into its list with it. */
  private list({ row, definition }: Wanted): void {
    const { uow } = this;
    const missing = [...new Set(eventTypesIn(definition))].filter((name) => listed(this.eventTypes, name) === undefined);
    for (const name of missing) {
      if (listed(this.eventTypes, name) !== undefined) continue;
      this.eventTypes.push(name);
      this.tell(row, 'list', message('schedule.addedTypesEvents', { name }));
      this.writes.push(() => lists.addEventTypes(uow, [name]));
      uow.enter({ act: 'added a type of event', subject: { kind: 'event type', id: null, name }, note: 'from a table' });
    }
    const { cutoff } = definition;
    if (cutoff.kind !== 'namedYear' || this.namedYears.includes(cutoff.name)) return;
    this.namedYears.push(cutoff.name);
    this.tell(row, 'list', message('schedule.addedNamedYearsEnds', { name: cutoff.name }));
    this.writes.push(() => lists.writeNamedYear(uow, cutoff.name, []));
    const subject = { kind: 'named year', id: null, name: cutoff.name };
    uow.enter({ act: 'listed the ends of a named year', subject, after: [], note: 'from a table' });
  }
}
