import { message } from '@key-cellar/words';
import { isSoundText } from '@key-cellar/core/records';
import Papa from 'papaparse';
import { GivenUp, type Tasks } from '../kernel/index.js';
import { mostRows, readingCells } from './cells.js';
import { wrongFile, type TableFormat } from './problems.js';

/** One line of a table: its number as a spreadsheet shows it, and its values by the name of their column. */
export interface TableRow {
  readonly row: number;
  readonly values: Readonly<Record<string, string>>;
}
export interface Table {
  readonly columns: readonly string[];
  readonly rows: readonly TableRow[];
}

const words = (value: unknown): string => {
  if (value === null || value === undefined) return '';
  if (value instanceof Date) return value.toISOString().slice(0, 10);
  return String(value).normalize('NFC').trim();
};

function fromCells(cells: readonly (readonly unknown[])[]): Table {
  const [head, ...lines] = cells;
  const columns = (head ?? []).map((name) => words(name).toLowerCase());
  const strange = columns.findIndex((name) => !isSoundText(name));
  if (strange >= 0) throw wrongFile(message('tables.nameColumnControlCharacters', { no: String(strange + 1) }));
  for (const [i, line] of lines.entries()) {
    const wrong = columns.findIndex((name, at) => name !== '' && !isSoundText(words(line[at]), true));
    if (wrong >= 0) throw wrongFile(message('tables.rowColumnControlCharacters', { row: String(i + 2), column: columns[wrong]! }));
  }
  return {
    columns: columns.filter(Boolean),
    rows: lines.flatMap((line, i) => {
      const values = Object.fromEntries(columns.flatMap((name, at) => (name ? [[name, words(line[at])]] : [])));
      // Row 1 names the columns. Lines without anything in them are passed over.
      return Object.values(values).some(Boolean) ? [{ row: i + 2, values }] : [];
    }),
  };
}

/** Reads a table; throws a problem that says what is wrong with the file. Dates of spreadsheets come as YYYY-MM-DD. */
export async function readTable(
  { reading }: { readonly reading: Tasks },
  bytes: Buffer,
  format: TableFormat,
  required: readonly string[],
): Promise<Table> {
  const cells = await reading.run(readingCells, { bytes, format }).catch((error: unknown) => {
    if (error instanceof GivenUp) throw wrongFile(message('tables.fileTakesTooLong'));
    throw error;
  });
  const table = fromCells(cells);
  const lacking = required.filter((name) => !table.columns.includes(name));
  if (lacking.length > 0) {
    throw wrongFile(
      message('tables.firstLineMustName', {
        lacking: { all: lacking },
        n: lacking.length,
        columns: table.columns.length === 0 ? message('shared.nothing') : { list: table.columns },
      }),
    );
  }
  if (table.rows.length > mostRows) throw wrongFile(message('tables.atMostLinesAt', { most: mostRows, n: table.rows.length }));
  return table;
}

export const columnsOf = <T extends string>(...names: readonly T[]): readonly T[] => names;

const types: Record<TableFormat, string> = {
  csv: 'text/csv; charset=utf-8',
  xlsx: 'application/vnd.openxmlformats-officedocument.spreadsheetml.sheet',
  json: 'application/json; charset=utf-8',
};

/** Writes a table (RFC 4180; ECMA-376; RFC 8259). No spreadsheet takes a value for a formula: texts are texts. */
export async function writeTable(
  columns: readonly string[],
  lines: readonly Readonly<Record<string, string>>[],
  format: TableFormat,
): Promise<{ bytes: Buffer; type: string }> {
  const cells = lines.map((line) => columns.map((name) => line[name] ?? ''));
  const type = types[format];
  switch (format) {
    case 'csv':
      return { type, bytes: Buffer.from(`\uFEFF${Papa.unparse({ fields: [...columns], data: cells }, { escapeFormulae: true })}\r\n`) };
    case 'json':
      return { type, bytes: Buffer.from(`${JSON.stringify(lines, null, 2)}\n`) };
    case 'xlsx': {
      const sheet = [
        columns.map((value) => ({ value, type: String, fontWeight: 'bold' as const })),
        ...cells.map((line) => line.map((value) => ({ value, type: String }))),
      ];
      const { default: writeExcelFile } = await import('write-excel-file/node');
      return { type, bytes: await writeExcelFile(sheet).toBuffer() };
    }
  }
}
