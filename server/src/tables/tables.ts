import { Readable } from 'node:stream';
import { buffer } from 'node:stream/consumers';
import { message } from '@key-cellar/words';
import { nearest } from '@key-cellar/core/criteria';
import { isSoundText } from '@key-cellar/core/records';
import Papa from 'papaparse';
import { GivenUp, type Tasks } from '../kernel/index.js';
import { formula, mostRows, readingCells, type Cells } from './cells.js';
import { wrongFile, type TableFormat } from './problems.js';
import { workbook } from './sheets.js';

/** One line of a table: its number as a spreadsheet shows it, and its values by the name of their column. */
export interface TableRow {
  readonly row: number;
  readonly values: Readonly<Record<string, string>>;
}
export interface Table {
  /** In which encoding the file was read where it does not say; null where there is no doubt. */
  readonly encoding: string | null;
  readonly columns: readonly string[];
  readonly rows: readonly TableRow[];
}

const words = (value: unknown): string => {
  if (value === null || value === undefined) return '';
  if (value instanceof Date) return value.toISOString().slice(0, 10);
  return String(value).normalize('NFC').trim();
};

/** A shorter name says too little to be taken for another. */
const shortest = 3;

/** Refuses columns that are named twice, or not at all though something stands in them. */
function refuseColumns(columns: readonly string[], lines: readonly (readonly unknown[])[]): void {
  const twice = columns.find((name, at) => name !== '' && columns.indexOf(name) !== at);
  if (twice !== undefined) throw wrongFile(message('tables.columnTwice', { column: twice }));
  for (const [i, line] of lines.entries()) {
    const surplus = line.findIndex((cell, at) => !columns[at] && words(cell) !== '');
    if (surplus >= 0) throw wrongFile(message('tables.surplusCell', { row: String(i + 2), no: String(surplus + 1) }));
  }
}

/** What is wrong with the names of columns: mistyped ones first, then what is missing, then what no table of the kind has. */
function refuseNames(columns: readonly string[], required: readonly string[], known: readonly string[] | null): void {
  const lacking = required.filter((name) => !columns.includes(name));
  const strange = known ? columns.filter((name) => !known.includes(name)) : [];
  const meant = strange.flatMap((name) => (name.length < shortest ? [] : nearest(name, known!, (text) => text).slice(0, 1)));
  if (meant.length === 0 && lacking.length > 0) {
    throw wrongFile(
      message('tables.firstLineMustName', {
        lacking: { all: lacking },
        n: lacking.length,
        columns: columns.length === 0 ? message('shared.nothing') : { list: columns },
      }),
    );
  }
  if (strange.length === 0) return;
  throw wrongFile(
    message('tables.unknownColumns', {
      n: strange.length,
      columns: { all: strange },
      meant: meant.length > 0 ? message('tables.meant', { columns: { any: meant } }) : '',
      known: { list: known! },
    }),
  );
}

function fromCells({ cells, encoding }: Cells): Table {
  const [head, ...lines] = cells;
  const columns = (head ?? []).map((name) => words(name).toLowerCase());
  const strange = columns.findIndex((name) => !isSoundText(name));
  if (strange >= 0) throw wrongFile(message('tables.nameColumnControlCharacters', { no: String(strange + 1) }));
  refuseColumns(columns, lines);
  for (const [i, line] of lines.entries()) {
    const wrong = columns.findIndex((name, at) => name !== '' && !isSoundText(words(line[at]), true));
    if (wrong >= 0) throw wrongFile(message('tables.rowColumnControlCharacters', { row: String(i + 2), column: columns[wrong]! }));
  }
  return {
    encoding,
    columns: columns.filter(Boolean),
    rows: lines.flatMap((line, i) => {
      const values = Object.fromEntries(columns.flatMap((name, at) => (name ? [[name, words(line[at])]] : [])));
      // Row 1 names the columns. Lines without anything in them are passed over.
      return Object.values(values).some(Boolean) ? [{ row: i + 2, values }] : [];
    }),
  };
}

/**
 * Reads a table; throws a problem that says what is wrong with the file. Dates of spreadsheets come as YYYY-MM-DD. `required` columns have to
 * be there; besides the `known` ones there may be none, unless whoever asks looks at them (null).
 */
export async function readTable(
  { reading }: { readonly reading: Tasks },
  bytes: Buffer,
  format: TableFormat,
  { required, known }: { readonly required: readonly string[]; readonly known: readonly string[] | null },
): Promise<Table> {
  const cells = await reading.run(readingCells, { bytes, format }).catch((error: unknown) => {
    if (error instanceof GivenUp) throw wrongFile(message('tables.fileTakesTooLong'));
    throw error;
  });
  const table = fromCells(cells);
  refuseNames(table.columns, required, known);
  if (table.rows.length > mostRows) throw wrongFile(message('tables.atMostLinesAt', { most: mostRows, n: table.rows.length }));
  return table;
}

export const columnsOf = <T extends string>(...names: readonly T[]): readonly T[] => names;

const types: Record<TableFormat, string> = {
  csv: 'text/csv; charset=utf-8',
  xlsx: 'application/vnd.openxmlformats-officedocument.spreadsheetml.sheet',
  json: 'application/json; charset=utf-8',
};

/**
 * Writes a table (RFC 4180; ECMA-376; RFC 8259) as its lines come, some at a time. No spreadsheet takes a value for a formula: texts are
 * texts.
 */
export function streamTable(
  columns: readonly string[],
  batches: AsyncIterable<readonly Readonly<Record<string, string>>[]>,
  format: TableFormat,
): { parts: AsyncIterable<Uint8Array>; type: string } {
  async function* cells(): AsyncGenerator<string[][]> {
    for await (const lines of batches) yield lines.map((line) => columns.map((name) => line[name] ?? ''));
  }
  const written = { csv: () => csv(columns, cells()), json: () => json(batches), xlsx: () => workbook(columns, cells()) };
  return { parts: written[format](), type: types[format] };
}

async function* csv(columns: readonly string[], batches: AsyncIterable<string[][]>): AsyncGenerator<Uint8Array> {
  const lines = (data: readonly (readonly string[])[]): string => `${Papa.unparse(data as string[][], { escapeFormulae: formula })}\r\n`;
  yield Buffer.from(`\uFEFF${lines([columns])}`);
  for await (const batch of batches) if (batch.length > 0) yield Buffer.from(lines(batch));
}

async function* json(batches: AsyncIterable<readonly object[]>): AsyncGenerator<Uint8Array> {
  let before = '[\n';
  for await (const batch of batches) {
    if (batch.length === 0) continue;
    yield Buffer.from(before + batch.map((line) => JSON.stringify(line)).join(',\n'));
    before = ',\n';
  }
  yield Buffer.from(before === '[\n' ? '[\n\n]\n' : '\n]\n');
}

/** The same of lines that are there already. */
export async function writeTable(
  columns: readonly string[],
  lines: readonly Readonly<Record<string, string>>[],
  format: TableFormat,
): Promise<{ bytes: Buffer; type: string }> {
  const { parts, type } = streamTable(columns, Readable.from([lines]), format);
  return { type, bytes: await buffer(Readable.from(parts)) };
}
