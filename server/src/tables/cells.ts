import { message } from '@key-cellar/words';
import iconv from 'iconv-lite';
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

/** What is in a table: its cells, and in which encoding they were read where the file does not say; null where there is no doubt. */
export interface Cells {
  readonly cells: unknown[][];
  readonly encoding: string | null;
}

/** A table as it came, to cells; the first line names the columns. */
export const readingCells = task<{ readonly bytes: Uint8Array; readonly format: TableFormat }, Cells>('cells', { patienceMs: 20_000 });

/** So many bytes tell whether a text is of two bytes a letter. */
const sampled = 4096;

/** The byte order of a text in UTF-16 without a mark: in most scripts of Europe one byte of each two is zero. */
function utf16Of(bytes: Buffer): string | null {
  const sample = bytes.subarray(0, sampled);
  if (sample.length < 4) return null;
  const zeros = [0, 0];
  sample.forEach((byte, at) => {
    if (byte === 0) zeros[at % 2]! += 1;
  });
  const many = sample.length / 4;
  if (zeros[1]! > many && zeros[0]! < many / 8) return 'utf-16le';
  return zeros[0]! > many && zeros[1]! < many / 8 ? 'utf-16be' : null;
}

/**
 * The text of a file in the encoding that it is in: what its mark says (Unicode §2.13), UTF-16 by its zeros, UTF-8 where it is sound, and
 * else Windows-1252, of which ISO 8859-1 is a part (WHATWG Encoding). The last is a guess, and is said. `wide`: it is in UTF-16.
 */
export function decodedText(bytes: Buffer): { readonly text: string; readonly encoding: string | null; readonly wide: boolean } {
  const marked = bytes[0] === 0xff && bytes[1] === 0xfe ? 'utf-16le' : bytes[0] === 0xfe && bytes[1] === 0xff ? 'utf-16be' : null;
  const wide = marked ?? utf16Of(bytes);
  if (wide) return { text: new TextDecoder(wide).decode(bytes), encoding: marked ? null : wide.toUpperCase(), wide: true };
  try {
    return { text: new TextDecoder('utf-8', { fatal: true }).decode(bytes), encoding: null, wide: false };
  } catch {
    // Node’s own decoder takes it for ISO 8859-1, in which dashes and quotation marks are control characters.
    return { text: iconv.decode(bytes, 'win1252'), encoding: 'Windows-1252', wide: false };
  }
}

/** What a spreadsheet would take for a formula, or for one that was kept from being so: a quotation mark goes before it in CSV. */
export const formula = /^'*[=+\-@\t\r]/;

/** A text that was kept from being a formula (`'-20 °C store`), as it was. */
const asWritten = (cell: string): string => (cell.startsWith("'") && formula.test(cell) ? cell.slice(1) : cell);

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

const separators = [',', ';', '\t', '|'] as const;

/** What separates the cells: whatever cuts the first line into the most. Below it they may be full of any of them. */
function separatorOf(text: string): string {
  const columns = (delimiter: string): number => Papa.parse<string[]>(text, { delimiter, preview: 1 }).data[0]?.length ?? 0;
  return separators.reduce<string>((best, one) => (columns(one) > columns(best) ? one : best), separators[0]);
}

/** Runs in a thread that can be ended. Throws a problem that says what is wrong with the file. */
export async function cellsOf({ bytes: given, format }: { readonly bytes: Uint8Array; readonly format: TableFormat }): Promise<Cells> {
  const bytes = Buffer.from(given.buffer, given.byteOffset, given.byteLength);
  switch (format) {
    case 'csv': {
      const { text, encoding } = decodedText(bytes);
      const parsed = Papa.parse<string[]>(text, { delimiter: separatorOf(text), skipEmptyLines: false });
      const [broken] = parsed.errors.filter((e) => e.type === 'Quotes');
      if (broken) throw wrongFile(message('tables.rowQuotationMarkNot', { row: String((broken.row ?? 0) + 1) }));
      return { cells: parsed.data.map((line) => line.map(asWritten)), encoding };
    }
    case 'xlsx': {
      await checkSheet(bytes).catch((error: unknown) => {
        throw error instanceof Problem ? error : wrongFile(message('tables.noSpreadsheetFormXlsx'));
      });
      const { readSheet } = await import('read-excel-file/node');
      const cells = await readSheet(bytes).catch(() => Promise.reject(wrongFile(message('tables.spreadsheetCannotReadSave'))));
      return { cells, encoding: null };
    }
    case 'json': {
      const { text, encoding } = decodedText(bytes);
      let lines: unknown;
      try {
        lines = JSON.parse(text);
      } catch {
        throw wrongFile(message('tables.noJson'));
      }
      if (!Array.isArray(lines) || !lines.every((line) => typeof line === 'object' && line !== null && !Array.isArray(line))) {
        throw wrongFile(message('tables.jsonMustListObjects'));
      }
      const objects = lines as Record<string, unknown>[];
      const columns = [...new Set(objects.flatMap((line) => Object.keys(line)))];
      for (const [at, line] of objects.entries()) {
        const nested = columns.find((name) => typeof line[name] === 'object' && line[name] !== null);
        if (nested !== undefined) throw wrongFile(message('tables.nestedValue', { row: String(at + 2), column: nested }));
      }
      return { cells: [columns, ...objects.map((line) => columns.map((name) => line[name]))], encoding };
    }
  }
}
