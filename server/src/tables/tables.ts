import Papa from 'papaparse';
import { readSheet } from 'read-excel-file/node';
import writeExcelFile from 'write-excel-file/node';
import { Problem, withZip } from '../kernel/index.js';

export type TableFormat = 'csv' | 'xlsx' | 'json';

/** One line of a table: its number as a spreadsheet shows it, and its values by the name of their column. */
export interface TableRow {
  readonly row: number;
  readonly values: Readonly<Record<string, string>>;
}
export interface Table {
  readonly columns: readonly string[];
  readonly rows: readonly TableRow[];
}

/** A spreadsheet that says it unpacks to more than this is not opened. */
const mostUnpacked = 64 * 1024 * 1024;
const mostRows = 50_000;

const wrongFile = (what: string): Problem => new Problem(422, 'not-a-table', what);

/** How much a ZIP archive says it unpacks to; rejects what is none. */
const unpackedSize = (bytes: Buffer): Promise<number> =>
  withZip(bytes, async (parts) => {
    let sum = 0;
    for await (const { size } of parts) sum += size;
    return sum;
  });

const words = (value: unknown): string => {
  if (value === null || value === undefined) return '';
  if (value instanceof Date) return value.toISOString().slice(0, 10);
  return String(value).trim();
};

function fromCells(cells: readonly (readonly unknown[])[]): Table {
  const [head, ...lines] = cells;
  const columns = (head ?? []).map((name) => words(name).toLowerCase());
  return {
    columns: columns.filter(Boolean),
    rows: lines.flatMap((line, i) => {
      const values = Object.fromEntries(columns.flatMap((name, at) => (name ? [[name, words(line[at])]] : [])));
      // Row 1 names the columns. Lines without anything in them are passed over.
      return Object.values(values).some(Boolean) ? [{ row: i + 2, values }] : [];
    }),
  };
}

async function cellsOf(bytes: Buffer, format: TableFormat): Promise<unknown[][]> {
  switch (format) {
    case 'csv': {
      const parsed = Papa.parse<string[]>(bytes.toString('utf8').replace(/^\uFEFF/, ''), { skipEmptyLines: false });
      const [broken] = parsed.errors.filter((e) => e.type === 'Quotes');
      if (broken) throw wrongFile(`In row ${(broken.row ?? 0) + 1} a quotation mark is not closed.`);
      return parsed.data;
    }
    case 'xlsx': {
      const size = await unpackedSize(bytes).catch(() => Promise.reject(wrongFile('This is no spreadsheet in the form XLSX.')));
      if (size > mostUnpacked) throw wrongFile('This spreadsheet unpacks to more than 64 MB, which no table of this kind needs.');
      return readSheet(bytes).catch(() => Promise.reject(wrongFile('This spreadsheet cannot be read. Save it again as XLSX.'))) as Promise<
        unknown[][]
      >;
    }
    case 'json': {
      let lines: unknown;
      try {
        lines = JSON.parse(bytes.toString('utf8'));
      } catch {
        throw wrongFile('This is no JSON.');
      }
      if (!Array.isArray(lines) || !lines.every((line) => typeof line === 'object' && line !== null && !Array.isArray(line))) {
        throw wrongFile('The JSON must be a list of objects, one a line.');
      }
      const objects = lines as Record<string, unknown>[];
      const columns = [...new Set(objects.flatMap((line) => Object.keys(line)))];
      return [columns, ...objects.map((line) => columns.map((name) => line[name]))];
    }
  }
}

/** Reads a table; throws a problem that says what is wrong with the file. Dates of spreadsheets come as YYYY-MM-DD. */
export async function readTable(bytes: Buffer, format: TableFormat, required: readonly string[]): Promise<Table> {
  const table = fromCells(await cellsOf(bytes, format));
  const lacking = required.filter((name) => !table.columns.includes(name));
  if (lacking.length > 0) {
    throw wrongFile(
      `The first line must name the columns; ${lacking.join(' and ')} ${lacking.length === 1 ? 'is' : 'are'} missing. It has: ${table.columns.join(', ') || 'nothing'}.`,
    );
  }
  if (table.rows.length > mostRows) throw wrongFile(`At most ${mostRows} lines at once; these are ${table.rows.length}.`);
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
      return { type, bytes: await writeExcelFile(sheet).toBuffer() };
    }
  }
}
