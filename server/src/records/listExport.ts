import type { RecordFilter, SortColumn } from '@key-cellar/contract';
import type { Facts, FactValue } from '@key-cellar/core/records';
import { streamInReadSnapshot, withUnitOfWork, type Db, type SignedIn } from '../kernel/index.js';
import { streamTable, type TableFormat } from '../tables/index.js';
import { askedOf, countOf, factsTold, toLine } from './lists.js';
import type { Services } from './services.js';
import * as store from './store.js';

const columns = [
  'number',
  'title',
  'record type',
  'place',
  'medium',
  'state',
  'dated',
  'filed',
  'declared',
  'retention',
  'clock started',
  'due',
  'action',
  'docket',
  'held since',
  'gaps',
  'bytes',
  'media type',
  'disposed',
] as const;

/** Rows that are read, and held, at a time. */
const atATime = 1000;

function cellsOf(row: store.LineRow): Record<(typeof columns)[number], string> {
  const line = toLine(row);
  return {
    number: line.number,
    title: line.title,
    'record type': line.recordType,
    place: line.placeCode,
    medium: line.medium,
    state: line.state,
    dated: line.createdOn,
    filed: line.filedOn,
    declared: line.declaredOn ?? '',
    retention: line.outcome,
    'clock started': line.clockStart ?? '',
    due: line.dueOn ?? '',
    action: line.action ?? '',
    docket: line.docket === 'none' ? '' : line.docket,
    'held since': line.heldSince ?? '',
    gaps: line.gaps === 0 ? '' : String(line.gaps),
    bytes: line.medium === 'physical' ? '' : String(line.size),
    'media type': line.mediaType ?? '',
    disposed: line.disposedOn ?? '',
  };
}

const factColumn = (code: string): string => `fact ${code}`;

/** The values of facts, as what they point at is called. */
function factCells(facts: Facts | undefined, names: Readonly<Record<string, string>>, codes: readonly string[]): Record<string, string> {
  const words = (value: FactValue | undefined): string =>
    (Array.isArray(value) ? value : value === undefined ? [] : [value]).map((one) => names[String(one)] ?? String(one)).join('; ');
  return Object.fromEntries(codes.map((code) => [factColumn(code), words(facts?.[code])]));
}

export interface ListExport extends RecordFilter {
  readonly facts?: string | undefined;
  readonly sort: SortColumn;
  readonly descending: boolean;
  readonly format: TableFormat;
}

/**
 * A list as a table: everything that the filter finds of what the person may discover, in its order, all of one moment. It is read and written
 * a thousand rows at a time, for as long as somebody takes it. Exporting is an act of its own.
 */
export async function exportList(services: Services, person: SignedIn, query: ListExport) {
  const { sort, descending, facts, format, ...filter } = query;
  const access = await services.access.of(person);
  const asked = await askedOf(services, person, access, filter, sort, descending);
  const codes = facts?.split(',') ?? [];
  const records = await countOf(services, access, asked);
  const subject = { kind: 'repository', id: null, name: person.repository };
  const after = { format, records, ...(Object.keys(filter).length > 0 ? { filter: JSON.parse(JSON.stringify(filter)) as object } : {}) };
  await withUnitOfWork(services.pool, person, (uow) => uow.enter({ act: 'exported a list', subject, after }), 'none');
  async function* batches(db: Db): AsyncGenerator<Record<string, string>[]> {
    try {
      for await (const found of store.allOf(db, asked, atATime)) {
        const { told, factNames } = await factsTold(db, person, access, found, codes);
        yield found.map((row) => ({ ...cellsOf(row), ...factCells(told.get(row.id), factNames, codes) }));
      }
    } catch (error) {
      // Whoever takes it sees a download that broke off, and cannot be told more.
      services.log.warn({ err: error, by: person.id }, 'an export of a list broke off');
      throw error;
    }
  }
  const rows = streamInReadSnapshot(services.uploadPool, batches);
  return { ...streamTable([...columns, ...codes.map(factColumn)], rows, format), name: `records.${format}` };
}
