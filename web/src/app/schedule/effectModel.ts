import type { EffectPage } from '@key-cellar/contract';
import { group } from 'd3';
import Papa from 'papaparse';
import { localeOf } from '../../words/language';
import type { Ahead } from '../kit/twoHorizons';

/** What is due in a month in a series under a rule by a step, as it stands and with the change. */
export interface Cell {
  readonly month: string;
  readonly series: string;
  readonly rule: string;
  readonly step: EffectPage['forecast'][number]['step'];
  readonly records: number;
  readonly bytes: number;
  readonly afterRecords: number;
  readonly afterBytes: number;
}

/** The forecast cell by cell, in order of months. */
export function cellsOf(page: Pick<EffectPage, 'firstMonth' | 'forecast'> | null): Cell[] {
  if (!page) return [];
  const [year, month] = page.firstMonth.split('-').map(Number) as [number, number];
  const cells: Cell[] = [];
  for (const { series, rule, step, cells: flat } of page.forecast) {
    for (let i = 0; i < flat.length; i += 5) {
      const [after, records, bytes, afterRecords, afterBytes] = flat.slice(i, i + 5) as [number, number, number, number, number];
      const at = year * 12 + month - 1 + after;
      const name = `${Math.floor(at / 12)}-${String((at % 12) + 1).padStart(2, '0')}`;
      cells.push({ month: name, series, rule, step, records, bytes, afterRecords, afterBytes });
    }
  }
  return cells.sort((a, b) => (a.month < b.month ? -1 : a.month > b.month ? 1 : 0));
}

/** The cells of those series in which something changes. */
export function touched(cells: readonly Cell[]): Cell[] {
  const series = new Set(cells.filter((c) => c.records !== c.afterRecords).map((c) => c.series));
  return cells.filter((c) => series.has(c.series));
}

function ahead(name: string, label: string, cells: readonly Cell[]): Ahead {
  const sum = { before: 0, after: 0, destroy: 0, transfer: 0 };
  for (const cell of cells) {
    sum.before += cell.records;
    sum.after += cell.afterRecords;
    if (cell.step === 'destroy' || cell.step === 'transfer') sum[cell.step] += cell.records;
  }
  return { name, label, ...sum };
}

/** Years ahead, also those in which nothing is due. */
export function byYear(cells: readonly Cell[], from: number, years: number): Ahead[] {
  const of = group(cells, (c) => c.month.slice(0, 4));
  return Array.from({ length: years }, (_, i) => String(from + i)).map((year) => ahead(year, year, of.get(year) ?? []));
}

/** The twelve months of a year. */
export function byMonth(cells: readonly Cell[], year: string): Ahead[] {
  const of = group(cells, (c) => c.month);
  return Array.from({ length: 12 }, (_, i) => `${year}-${String(i + 1).padStart(2, '0')}`).map((month) =>
    ahead(month, new Date(`${month}-15`).toLocaleString(localeOf, { month: 'short' }), of.get(month) ?? []),
  );
}

/** Cells that are the same for somebody who counts by year or month, and by step, series or rule. */
export interface Counted {
  readonly when: string;
  readonly what: string;
  readonly records: number;
  readonly bytes: number;
  readonly afterRecords: number;
  readonly afterBytes: number;
}

/** The forecast counted: by year (4 letters of the month) or month (7), and by step, series or rule; in order of both. */
export function counted(cells: readonly Cell[], letters: 4 | 7, by: 'step' | 'series' | 'rule'): Counted[] {
  const sum = (of: readonly Cell[], key: 'records' | 'bytes' | 'afterRecords' | 'afterBytes'): number => of.reduce((n, c) => n + c[key], 0);
  return [...group(cells, (c) => `${c.month.slice(0, letters)} ${c[by]}`).values()]
    .map((of) => ({
      when: of[0]!.month.slice(0, letters),
      what: of[0]![by],
      records: sum(of, 'records'),
      bytes: sum(of, 'bytes'),
      afterRecords: sum(of, 'afterRecords'),
      afterBytes: sum(of, 'afterBytes'),
    }))
    .sort((a, b) => (a.when === b.when ? (a.what < b.what ? -1 : 1) : a.when < b.when ? -1 : 1));
}

/** The forecast as a table for others to read (RFC 4180); no spreadsheet takes a field for a formula. */
export function forecastCsv(cells: readonly Cell[]): string {
  const fields = ['month', 'series', 'rule', 'step', 'records', 'bytes', 'records with the change', 'bytes with the change'];
  const data = cells.map((c) => [c.month, c.series, c.rule, c.step, c.records, c.bytes, c.afterRecords, c.afterBytes]);
  return `${Papa.unparse({ fields, data }, { escapeFormulae: true })}\r\n`;
}

/** Gives a text to the person as a file. */
export function saveText(name: string, text: string): void {
  const url = URL.createObjectURL(new Blob([text], { type: 'text/csv;charset=utf-8' }));
  const link = document.createElement('a');
  link.href = url;
  link.download = name;
  link.click();
  URL.revokeObjectURL(url);
}
