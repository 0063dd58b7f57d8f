import { parseCivilDate } from '@key-cellar/core/calendar';
import Papa from 'papaparse';
import { message, type Message } from '@key-cellar/words';
import { mayOn, Problem, type PersonAccess, type Services, type SignedIn } from '../kernel/index.js';
import { isForeseeable } from './events.js';
import { listed } from './lists.js';
import * as lists from './listStore.js';
import * as events from './eventsStore.js';

const columns = ['place', 'type', 'on', 'note'] as const;
const mostRows = 20_000;

/** An event that a table records, with the place that it happened to. */
interface Listed {
  readonly place: { readonly id: string; readonly code: string; readonly title: string };
  readonly type: string;
  readonly on: string;
  readonly note: string;
}

/** Reads events from CSV, with what is wrong in it by row and column; what the person may not know of is not there for them. */
export async function readEvents(
  { pool }: Services,
  person: SignedIn,
  access: PersonAccess,
  csv: string,
): Promise<{ rows: number; found: Listed[]; errors: { row: number; column: string; sentence: Message }[] }> {
  const parsed = Papa.parse<Record<string, string>>(csv.replace(/^\uFEFF/, ''), {
    header: true,
    skipEmptyLines: 'greedy',
    transformHeader: (name) => name.trim().toLowerCase(),
  });
  const errors: { row: number; column: string; sentence: Message }[] = [];
  const lacking = ['place', 'type', 'on'].filter((column) => !parsed.meta.fields?.includes(column));
  if (lacking.length > 0) {
    throw new Problem(422, 'wrong-columns', message('schedule.wrongColumns', { columns: { all: columns }, lacking: { all: lacking } }));
  }
  if (parsed.data.length > mostRows)
    throw new Problem(422, 'too-many', message('schedule.tooMany', { most: mostRows, n: parsed.data.length }));
  const types = await lists.eventTypes(pool);
  const places = new Map((await events.placesByPath(pool)).map((p) => [p.path.toUpperCase(), p]));
  const found = parsed.data.flatMap((line, i) => {
    // Row 1 names the columns.
    const row = i + 2;
    const wrong = (column: string, sentence: Message): void => void errors.push({ row, column, sentence });
    const text = (column: (typeof columns)[number]): string => (line[column] ?? '').trim();
    const before = errors.length;
    const place = places.get(text('place').toUpperCase());
    if (!text('place')) wrong('place', message('schedule.eventTable.noPlaceNamed'));
    else if (!place || !mayOn(access, person, place, 'discover')) wrong('place', message('tables.noPlace', { place: text('place') }));
    else if (!mayOn(access, person, place, 'annotate')) wrong('place', message('schedule.eventTable.mayNot', { place: text('place') }));
    const type = listed(types, text('type'));
    if (!text('type')) wrong('type', message('schedule.eventTable.noType'));
    else if (type === undefined) wrong('type', message('schedule.eventTable.unknownType', { type: text('type').slice(0, 80) }));
    if (parseCivilDate(text('on')) === null) wrong('on', message('records.mustDateSuchAs'));
    else if (!isForeseeable(text('on'), person.today)) wrong('on', message('schedule.eventTable.tooFar', { years: 100 }));
    if (text('note').length > 2000) wrong('note', message('tables.tooLong', { most: 2000 }));
    return errors.length > before ? [] : [{ place: place!, type: type!, on: text('on'), note: text('note') }];
  });
  return { rows: parsed.data.length, found, errors };
}
