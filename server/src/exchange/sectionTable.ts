import type { ConflictWay, SectionName, TableOutcome, Told } from '@key-cellar/contract';
import { message, type Message } from '@key-cellar/words';
import { accessStanding } from '../access/index.js';
import { inReadSnapshot, withUnitOfWork, type PersonAccess, type Several, type SignedIn } from '../kernel/index.js';
import type { Services } from '../records/index.js';
import { readTable, takenOrTold, writeTable, type TableFormat, type TableRow } from '../tables/index.js';
import { bring, outgoing, type Bringing, type Incoming, type Line, type Section, type Wire } from './bringing.js';
import { commonOf, fieldColumns, partColumns, readCell, stateOf, written, type Column } from './columns.js';
import { Names } from './names.js';
import { beginning, dated, shiftSince } from './package.js';
import { sections } from './sections.js';

/** The sections that are tables of this form; places have one of their own. */
export type TableSection = Exclude<SectionName, 'places'>;

/** How a kind of things stands in a table. */
interface Form {
  readonly fields: readonly string[];
  /** Columns of what a thing says once, and of what it says in each of its rows. */
  readonly once: readonly Column[];
  readonly each: readonly Column[];
  /** The field whose list has the rows; a thing without any has one row. */
  readonly rowsOf: string | undefined;
  /** Fields that tell whose row it is: they stand in each. */
  readonly key: readonly string[];
}

function formOf(name: TableSection): Form {
  const { key, rowsOf } = sections[name];
  const columns = fieldColumns(name);
  const list = columns.find((c) => c.field === rowsOf);
  return {
    fields: columns.map((c) => c.field),
    once: columns.filter((c) => c !== list),
    each: list ? partColumns(list) : [],
    rowsOf,
    key,
  };
}

const columnsIn = ({ once, each }: Form): string[] => [...once, ...each].map((c) => c.column).concat('state');

const cells = (wire: Wire, columns: readonly Column[]): Record<string, string> =>
  Object.fromEntries(columns.map((c) => [c.column, written(wire, c)]));

function linesOf(root: string, form: Form, wire: Wire): Record<string, string>[] {
  const list = form.rowsOf === undefined ? [] : (wire[form.rowsOf] as readonly Wire[]);
  const [first, ...more] = list;
  const key = form.once.filter((c) => form.key.includes(c.field));
  return [
    { ...cells(wire, form.once), ...(first ? cells(first, form.each) : {}), state: stateOf(root, wire, form.fields) },
    ...more.map((one) => ({ ...cells(wire, key), ...cells(one, form.each) })),
  ];
}

/** Everything of one kind that is arranged, as a table that can come in again. Exporting is an act of its own. */
export async function exportTable(
  services: Services,
  person: SignedIn,
  name: TableSection,
  format: TableFormat,
): Promise<{ bytes: Buffer; type: string; name: string }> {
  const form = formOf(name);
  const lines = await inReadSnapshot(services.pool, async (db) => {
    const names = await Names.load(db);
    return (await outgoing(db, sections[name], names)).flatMap(({ wire }) => linesOf(rootOf(names), form, wire));
  });
  const subject = { kind: 'repository', id: null, name: person.repository };
  await withUnitOfWork(
    services.pool,
    person,
    (uow) => uow.enter({ act: 'exported a table', subject, after: { section: name, format, rows: lines.length } }),
    'none',
  );
  return { ...(await writeTable(columnsIn(form), lines, format)), name: `${name}.${format}` };
}

/** The repository itself, which no other has. */
export const rootOf = (names: Names): string => names.idOf({ refers: 'place', to: '' }) ?? '';

/** What somebody brings: rows of a table, or concepts of a scheme, read but not yet looked at. */
export interface Brought {
  readonly rows: number;
  readonly readAs: string | null;
  /** Items to bring; what is wrong with them is told to the bringing. */
  incoming(b: Bringing): Promise<Incoming[]>;
}

/**
 * Brings what stands in a table: what is new is made, what is known is changed, and what is not in it stays. With any error, or anything that
 * was changed here and there, nothing is kept.
 */
export async function bringRows(
  services: Services,
  person: SignedIn,
  access: PersonAccess,
  work: Several,
  input: {
    readonly section: SectionName;
    readonly brought: Brought;
    readonly conflicts: ConflictWay;
    readonly dryRun: boolean;
    /** What a field is called in the table. */
    label(field: string): string;
    /** The column of what is wrong with a whole row. */
    readonly key: string;
    readonly because: string;
    enter(b: Bringing, changes: number): void;
  },
): Promise<Told<TableOutcome>> {
  const { section, brought, label } = input;
  return takenOrTold(
    work,
    (outcome) => outcome.errors.length > 0,
    async (uow) => {
      const before = input.dryRun ? await accessStanding(uow, person.today) : null;
      const b = { ...(await beginning(uow, services, person, access, input.conflicts)), label };
      const incoming = await brought.incoming(b);
      // What is wrong with a cell itself is told once.
      const unread = new Set(b.errors.map((line) => `${line.row} ${line.field}`));
      const first = b.errors.length;
      await bring(b, sections[section] as Section<SectionName>, incoming);
      const errorsFound = b.errors.filter((line, i) => i < first || !unread.has(`${line.row} ${line.field}`));
      const told = (line: Line, sentence: Message) => ({ row: line.row ?? 0, column: label(line.field ?? input.key), sentence });
      const errors = [
        ...errorsFound.map((line) => told(line, line.sentence)),
        ...b.conflicts.map((line) => told(line, message('exchange.conflict', { what: line.sentence }))),
      ];
      const { dates, recomputed } = errors.length === 0 ? await dated(b, input.dryRun, input.because) : { dates: null, recomputed: 0 };
      const done = b.changes.filter((c) => c.what !== 'kept').length;
      if (done > 0) input.enter(b, done);
      return {
        rows: brought.rows,
        changes: b.changes.map(({ row, name, what, sentence }) => ({
          row: row ?? 0,
          what,
          sentence: message('exchange.named', { name, what: sentence }),
        })),
        errors: errors.sort((a, c) => a.row - c.row),
        warnings: b.warnings.map((line) => ({
          row: line.row ?? 0,
          sentence: message('exchange.named', { name: line.name, what: line.sentence }),
        })),
        conflicts: b.conflicts.length,
        access: errors.length === 0 ? await shiftSince(b, before) : null,
        dates,
        recomputed,
        readAs: brought.readAs,
      };
    },
  );
}

type WrongCell = (row: number, column: Column, sentence: Message) => void;

/** What a row says; fields that its table has no column for are not said. What cannot be read is told. */
export function saidIn(
  { row, values }: TableRow,
  columns: readonly Column[],
  given: ReadonlySet<string>,
  wrong: WrongCell,
): Record<string, unknown> {
  const said: Record<string, unknown> = {};
  for (const column of columns) {
    if (!given.has(column.column)) continue;
    const read = readCell(values[column.column] ?? '', column);
    if (read.ok) said[column.field] = read.value;
    else wrong(row, column, message((values[column.column] ?? '') === '' ? 'tables.missing' : 'exchange.cell'));
  }
  return said;
}

/** Rows that say things of the same thing, in the order of the first of each. */
function rowsByKey(rows: readonly TableRow[], form: Form): TableRow[][] {
  const key = form.once.filter((c) => form.key.includes(c.field));
  const found = new Map<string, TableRow[]>();
  for (const row of rows) {
    const own = JSON.stringify(form.rowsOf === undefined ? row.row : key.map((c) => row.values[c.column]));
    found.set(own, [...(found.get(own) ?? []), row]);
  }
  return [...found.values()];
}

/** What the rows of one thing say of it. Later ones may say again what the first does, and nothing else. */
function readThing([first, ...more]: readonly TableRow[], form: Form, given: ReadonlySet<string>, wrong: WrongCell): Incoming['wire'] {
  const said = saidIn(first!, form.once, given, wrong);
  for (const { row, values } of more)
    for (const column of form.once) {
      const cell = values[column.column] ?? '';
      if (cell !== '' && cell !== first!.values[column.column])
        wrong(row, column, message('exchange.differs', { row: String(first!.row) }));
    }
  if (form.rowsOf === undefined || !form.each.some((c) => given.has(c.column))) return said;
  const filled = [first!, ...more].filter(({ values }) => form.each.some((c) => values[c.column]));
  return { ...said, [form.rowsOf]: filled.map((row) => saidIn(row, form.each, given, wrong)) };
}

/** Takes in a table of one kind of things. */
export async function importTable(
  services: Services,
  person: SignedIn,
  access: PersonAccess,
  work: Several,
  input: {
    readonly section: TableSection;
    readonly bytes: Buffer;
    readonly format: TableFormat;
    readonly conflicts: ConflictWay;
    readonly dryRun: boolean;
  },
): Promise<Told<TableOutcome>> {
  const { section } = input;
  const form = formOf(section);
  const labels = new Map([...form.each, ...form.once].map((c) => [c.field, c.column]));
  const table = await readTable(services, input.bytes, input.format, {
    required: form.key.map((field) => labels.get(field)!),
    known: columnsIn(form),
  });
  const given = new Set(table.columns);
  const brought: Brought = {
    rows: table.rows.length,
    readAs: table.encoding,
    incoming: (b) =>
      Promise.resolve(
        rowsByKey(table.rows, form).map((rows): Incoming => {
          const [first] = rows;
          const wire = readThing(rows, form, given, (row, { field }, sentence) => {
            b.errors.push({ section, name: '', row, field, sentence });
          });
          const common = given.has('state') ? commonOf(first!.values['state'] ?? '', rootOf(b.names), form.fields) : 'theirs';
          return { row: first!.row, wire, common: () => common };
        }),
      ),
  };
  return bringRows(services, person, access, work, {
    section,
    brought,
    conflicts: input.conflicts,
    dryRun: input.dryRun,
    label: (field) => labels.get(field) ?? (field === form.rowsOf ? form.each[0]!.column : field),
    key: labels.get(form.key[0]!)!,
    because: 'a table',
    enter: (b, changes) =>
      b.uow.enter({
        act: 'took in a table',
        subject: { kind: 'repository', id: null, name: person.repository },
        after: { section, rows: table.rows.length, changes },
      }),
  });
}
