import type { RecordFilter, SortColumn } from '@key-cellar/contract';
import type { FactValue } from '@key-cellar/core/records';
import { idsIn } from '@key-cellar/core/records';
import { namesOf } from '../facts/index.js';
import { mayOn, streamInReadSnapshot, withUnitOfWork, type Db, type PersonAccess, type SignedIn } from '../kernel/index.js';
import { streamTable, type TableFormat } from '../tables/index.js';
import { askedOf, count, toLine } from './lists.js';
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

/** Facts of records that the person may read, with what the things are called that they point at; of others nothing is told. */
async function factCells(
  db: Db,
  person: SignedIn,
  access: PersonAccess,
  found: readonly store.LineRow[],
  codes: readonly string[],
): Promise<Map<string, Record<string, string>>> {
  const readable = found.filter((r) => mayOn(access, person, r, 'read')).map((r) => r.id);
  if (codes.length === 0 || readable.length === 0) return new Map();
  const facts = await store.factsOf(db, readable, codes);
  const names = await namesOf(db, access, idsIn(...facts.map((r) => r.facts)));
  const words = (value: FactValue | undefined): string =>
    (Array.isArray(value) ? value : value === undefined ? [] : [value]).map((one) => names[String(one)] ?? String(one)).join('; ');
  return new Map(facts.map((r) => [r.id, Object.fromEntries(codes.map((code) => [factColumn(code), words(r.facts[code])]))]));
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
  const records = await count(services, person, filter);
  const subject = { kind: 'repository', id: null, name: person.repository };
  const after = { format, records, ...(Object.keys(filter).length > 0 ? { filter: JSON.parse(JSON.stringify(filter)) as object } : {}) };
  await withUnitOfWork(services.pool, person, (uow) => uow.enter({ act: 'exported a list', subject, after }), 'none');
  async function* batches(db: Db): AsyncGenerator<Record<string, string>[]> {
    for await (const found of store.allOf(db, asked, atATime)) {
      const told = await factCells(db, person, access, found, codes);
      yield found.map((row) => ({ ...cellsOf(row), ...told.get(row.id) }));
    }
  }
  const rows = streamInReadSnapshot(services.uploadPool, batches);
  return { ...streamTable([...columns, ...codes.map(factColumn)], rows, format), name: `records.${format}` };
}
