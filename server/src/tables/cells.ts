import { message } from '@key-cellar/words';
import Papa from 'papaparse';
import { Problem, task, withZip } from '../kernel/index.js';
import { wrongFile, type TableFormat } from './problems.js';

/** Lines that a table may have. */
export const mostRows = 50_000;
/** Far more columns than any table of ours has. */
const mostColumns = 200;
/** What a spreadsheet may unpack to, whatever its directory says. */
const mostUnpacked = 64 * 1024 * 1024;
const mostParts = 2000;

/** A table as it came, to cells; the first line names the columns. */
export const readingCells = task<{ readonly bytes: Uint8Array; readonly format: TableFormat }, unknown[][]>('cells', {
  patienceMs: 20_000,
});

/** The number of a column by its letters: A is 1, XFD 16,384. */
function columnNumber(letters: string): number {
  let n = 0;
  for (const letter of letters) n = n * 26 + letter.charCodeAt(0) - 64;
  return n;
}

// A cell and the reach of a sheet say where they are (ECMA-376-1 §18.3.1.4, §18.3.1.35).
const reference = /<(?:c|dimension)\s[^<>]*?\b(?:r|ref)="(?:[A-Z]{1,3}\d{1,7}:)?([A-Z]{1,3})(\d{1,7})"/g;
/** So many letters of a part before the next are looked at again: no tag that matters is longer. */
const overlap = 300;

/** Unpacks a spreadsheet once without keeping it, and refuses what is larger than it may be or has cells far outside. */
async function checkSheet(bytes: Buffer): Promise<void> {
  let left = mostUnpacked;
  let parts = 0;
  await withZip(bytes, async (entries) => {
    for await (const part of entries) {
      if (++parts > mostParts) throw wrongFile(message('tables.spreadsheetMorePartsWhich', { most: mostParts }));
      let before = '';
      for await (const piece of await part.open()) {
        left -= (piece as Buffer).length;
        if (left < 0) throw wrongFile(message('tables.spreadsheetUnpacksMoreMb'));
        if (!part.name.startsWith('xl/worksheets/')) continue;
        const text = before + (piece as Buffer).toString('latin1');
        for (const [, column, row] of text.matchAll(reference)) {
          if (columnNumber(column!) > mostColumns || Number(row) > mostRows + 1) {
            throw wrongFile(message('tables.cellStandsAtFar', { cell: `${column!}${row!}`, columns: mostColumns, rows: mostRows }));
          }
        }
        before = text.slice(-overlap);
      }
    }
  });
}

/** Runs in a thread that can be ended. Throws a problem that says what is wrong with the file. */
export async function cellsOf({
  bytes: given,
  format,
}: {
  readonly bytes: Uint8Array;
  readonly format: TableFormat;
}): Promise<unknown[][]> {
  const bytes = Buffer.from(given.buffer, given.byteOffset, given.byteLength);
  switch (format) {
    case 'csv': {
      const parsed = Papa.parse<string[]>(bytes.toString('utf8').replace(/^\uFEFF/, ''), { skipEmptyLines: false });
      const [broken] = parsed.errors.filter((e) => e.type === 'Quotes');
      if (broken) throw wrongFile(message('tables.rowQuotationMarkNot', { row: String((broken.row ?? 0) + 1) }));
      return parsed.data;
    }
    case 'xlsx': {
      await checkSheet(bytes).catch((error: unknown) => {
        throw error instanceof Problem ? error : wrongFile(message('tables.noSpreadsheetFormXlsx'));
      });
      const { readSheet } = await import('read-excel-file/node');
      return readSheet(bytes).catch(() => Promise.reject(wrongFile(message('tables.spreadsheetCannotReadSave')))) as Promise<unknown[][]>;
    }
    case 'json': {
      let lines: unknown;
      try {
        lines = JSON.parse(bytes.toString('utf8'));
      } catch {
        throw wrongFile(message('tables.noJson'));
      }
      if (!Array.isArray(lines) || !lines.every((line) => typeof line === 'object' && line !== null && !Array.isArray(line))) {
        throw wrongFile(message('tables.jsonMustListObjects'));
      }
      const objects = lines as Record<string, unknown>[];
      const columns = [...new Set(objects.flatMap((line) => Object.keys(line)))];
      return [columns, ...objects.map((line) => columns.map((name) => line[name]))];
    }
  }
}
