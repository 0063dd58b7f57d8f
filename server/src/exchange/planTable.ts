import type { ConflictWay, TableOutcome, Told } from '@key-cellar/contract';
import { parseCivilDate } from '@key-cellar/core/calendar';
import type { Common } from '@key-cellar/core/exchange';
import { codePattern, placeKinds, type PlaceKind } from '@key-cellar/core/plan';
import { isId } from '@key-cellar/core/records';
import { message, type Message } from '@key-cellar/words';
import type { Speaker } from '@key-cellar/words/speaker';
import { GivenUp, Problem, withUnitOfWork, type PersonAccess, type Several, type SignedIn } from '../kernel/index.js';
import { printedPlan, type PlanFile } from '../plan/index.js';
import type { Services } from '../records/index.js';
import { columnsOf, readTable, takenOrTold, writeTable, type TableFormat, type TableRow } from '../tables/index.js';
import { bring, fingerprint, outgoing, type Bringing, type Incoming, type Line as BringingLine, type Wire } from './bringing.js';
import { Names, pathUnder, step } from './names.js';
import { beginning, dated } from './package.js';
import { places } from './places.js';
import { calledConcept, placesOf } from './skos.js';
import { readingSkos, skosFormats, type SkosFormat } from './skosReading.js';
import { skosOf } from './skosWriting.js';
import * as store from './store.js';

const columns = columnsOf(
  'code',
  'kind',
  'inside',
  'title',
  'belongs here',
  'not here',
  'message',
  'jurisdictions',
  'rules',
  'numbering',
  'opened on',
  'closed on',
  'retired on',
  'former codes',
  'id',
  'state',
);
type Column = (typeof columns)[number];
type Line = Record<Column, string>;

/** What a table says of a place, in the order of the fingerprints in its column *state*. */
const fields: readonly (readonly [field: string, column: Column])[] = [
  ['code', 'code'],
  ['kind', 'kind'],
  ['inside', 'inside'],
  ['title', 'title'],
  ['note', 'belongs here'],
  ['notHere', 'not here'],
  ['message', 'message'],
  ['jurisdictions', 'jurisdictions'],
  ['rules', 'rules'],
  ['numbering', 'numbering'],
  ['openedOn', 'opened on'],
  ['closedOn', 'closed on'],
  ['retiredOn', 'retired on'],
  ['formerCodes', 'former codes'],
];
const columnOf = new Map(fields);
const fieldOf = new Map<string, string>(fields.map(([field, column]) => [column, field]));
const label = (field: string): string => columnOf.get(field) ?? field;

const nameIn = (reference: unknown): string => (reference as { to: string } | null)?.to ?? '';
const stateVersion = 'v1';

function lineOf(id: string, wire: Wire): Line {
  const former = wire['formerCodes'] as { code: string; until: string }[];
  const text = (field: string): string => (wire[field] as string | null) ?? '';
  return {
    code: text('code'),
    kind: text('kind'),
    inside: nameIn(wire['inside']),
    title: text('title'),
    'belongs here': text('note'),
    'not here': text('notHere'),
    message: text('message'),
    jurisdictions: (wire['jurisdictions'] as string[]).join('; '),
    rules: (wire['rules'] as unknown[]).map(nameIn).join('; '),
    numbering: nameIn(wire['numbering']),
    'opened on': text('openedOn'),
    'closed on': text('closedOn'),
    'retired on': text('retiredOn'),
    'former codes': former.map(({ code, until }) => `${code} until ${until}`).join('; '),
    id,
    state: [stateVersion, ...fields.map(([field]) => fingerprint(wire[field]))].join('.'),
  };
}

/** The plan as others can read it: what the person may discover of it. Exporting is an act of its own. */
export async function exportPlan(
  services: Services,
  person: SignedIn,
  speaker: Speaker,
  format: TableFormat | 'skos' | 'pdf',
): Promise<PlanFile> {
  const made =
    format === 'pdf'
      ? await printedPlan(services, person, speaker)
      : format === 'skos'
        ? { bytes: skosOf(person.repository, await shownTo(services, person)), type: 'application/ld+json', name: 'plan.jsonld' }
        : { ...(await planTable(services, person, format)), name: `plan.${format}` };
  const subject = { kind: 'plan', id: null, name: person.repository };
  await withUnitOfWork(services.pool, person, (uow) => uow.enter({ act: 'exported the plan', subject, after: { format } }), 'none');
  return made;
}

/** The places of the plan that a person may discover. */
async function shownTo(services: Services, person: SignedIn): Promise<{ id: string; wire: Wire }[]> {
  const access = await services.access.of(person);
  const [all, shown] = await Promise.all([
    outgoing(services.pool, places, await Names.load(services.pool)),
    store.placesInSets(services.pool, access.sets('discover')),
  ]);
  const may = new Set(shown.map((p) => p.id));
  return all.filter(({ id }) => may.has(id));
}

/** The same as a table that can come in again. */
async function planTable(services: Services, person: SignedIn, format: TableFormat): Promise<{ bytes: Buffer; type: string }> {
  const all = await shownTo(services, person);
  return writeTable(
    columns,
    all.flatMap(({ id, wire }) => (wire['kind'] === 'repository' ? [] : [lineOf(id, wire)])),
    format,
  );
}

const listed = (text: string): string[] => [
  ...new Set(
    text
      .split(/[;,]/)
      .map((part) => part.trim())
      .filter(Boolean),
  ),
];

/** What was common when the table left, if it says so. */
function commonOf(state: string): Common {
  const [version, ...prints] = state.split('.');
  if (version !== stateVersion || prints.length !== fields.length) return 'theirs';
  return { known: Object.fromEntries(fields.map(([field], i) => [field, prints[i]!])) };
}

type Wrong = (row: number, column: Column, sentence: Message) => void;
const limits = { title: 300, 'belongs here': 4000, 'not here': 4000, message: 1000 } as const;
const isKind = (kind: string): kind is Exclude<PlaceKind, 'repository'> =>
  kind !== 'repository' && (placeKinds as readonly string[]).includes(kind);

/** The ways to places as a table may write them: in full, or with single slashes where that is no other. */
class Ways {
  private readonly known = new Map<string, string>();
  constructor(paths: Iterable<string>) {
    for (const path of paths) this.add(path);
  }
  add(path: string, written?: string): void {
    this.known.set(path, path);
    for (const other of [written, path.replaceAll('//', '/')])
      if (other !== undefined && !this.known.has(other)) this.known.set(other, path);
  }
  find(written: string): string | undefined {
    return written === '' ? '' : this.known.get(written);
  }
}

/** What rows are read with. */
interface Reading {
  /** Columns of the table. */
  readonly given: ReadonlySet<string>;
  readonly ways: Ways;
  /** The ways that the rows themselves write, whatever is wrong with them. */
  readonly written: ReadonlySet<string>;
  /** Codes of published rules, and names of jurisdictions. */
  readonly rules: ReadonlySet<string>;
  readonly jurisdictions: ReadonlySet<string>;
  readonly wrong: Wrong;
  /** Whether anything was wrong so far. */
  found(): boolean;
}

/** What a row says, or null where it cannot be told which place is meant. */
function readRow({ row, values }: TableRow, { given, ways, written, rules, jurisdictions, wrong }: Reading): Incoming | null {
  const bad = (column: Column, sentence: Message): void => wrong(row, column, sentence);
  const text = (column: Column): string => values[column] ?? '';
  const [code, kind, inside] = [text('code').toUpperCase(), text('kind').toLowerCase(), text('inside').toUpperCase()];
  if (!codePattern.test(code)) bad('code', code ? message('plan.table.code', { code }) : message('tables.missing'));
  if (!isKind(kind)) bad('kind', message('plan.table.kind', { kind: text('kind') }));
  if (!text('title')) bad('title', message('tables.missing'));
  for (const [column, most] of Object.entries(limits) as [Column, number][])
    if (text(column).length > most) bad(column, message('tables.tooLong', { most }));
  const around = ways.find(inside);
  if (kind === 'folder' && inside === '') bad('inside', message('plan.table.folderInside'));
  // What is in the table, and wrong, is told there.
  else if (around === undefined && !written.has(inside)) bad('inside', message('tables.noPlace', { place: inside }));
  for (const rule of listed(text('rules'))) if (!rules.has(rule)) bad('rules', message('plan.table.noRule', { rule }));
  for (const name of listed(text('jurisdictions')))
    if (!jurisdictions.has(name)) bad('jurisdictions', message('tables.noJurisdiction', { name }));
  const day = (column: Column): string | null => {
    const written = text(column);
    if (written === '') return null;
    if (parseCivilDate(written) === null) bad(column, message('input.date'));
    return written;
  };
  const former = listed(text('former codes')).flatMap((one) => {
    const [, was, until] = /^(\S+) until (\S+)$/.exec(one) ?? [];
    if (was === undefined || until === undefined || parseCivilDate(until) === null || !codePattern.test(was.toUpperCase())) {
      bad('former codes', message('plan.table.former', { text: one }));
      return [];
    }
    return [{ code: was.toUpperCase(), until }];
  });
  const id = text('id');
  if (id !== '' && !isId(id)) bad('id', message('plan.table.noId'));
  if (!codePattern.test(code) || !isKind(kind) || around === undefined) return null;
  const said: Record<string, unknown> = {
    path: pathUnder(kind, code, around),
    code,
    kind,
    inside: { refers: 'place', to: around },
    title: text('title'),
    note: text('belongs here'),
    notHere: text('not here'),
    message: text('message'),
    jurisdictions: listed(text('jurisdictions')).sort(),
    rules: listed(text('rules'))
      .sort()
      .map((to) => ({ refers: 'rule', to })),
    numbering: text('numbering') === '' ? null : { refers: 'numbering', to: text('numbering') },
    openedOn: day('opened on'),
    closedOn: day('closed on'),
    retiredOn: day('retired on'),
    formerCodes: former,
  };
  // Columns that the table lacks say nothing, and no place was opened on no day.
  for (const [field, column] of fields) if (!given.has(column)) delete said[field];
  if (said['openedOn'] === null) delete said['openedOn'];
  const common = given.has('state') ? commonOf(text('state')) : 'theirs';
  return { row, wire: said, common: () => common, id: id === '' ? undefined : id };
}

/** Rows with the way to each place: one may be inside of another that stands later. */
function readRows(rows: readonly TableRow[], { ways, wrong, ...known }: Omit<Reading, 'written'>): Incoming[] {
  let waiting = [...rows];
  const written = new Set<string>();
  const named = (row: TableRow): { kind: string; code: string; inside: string } => ({
    kind: (row.values['kind'] ?? '').toLowerCase(),
    code: (row.values['code'] ?? '').toUpperCase(),
    inside: (row.values['inside'] ?? '').toUpperCase(),
  });
  for (const row of rows) {
    const { kind, code, inside } = named(row);
    written.add(kind === 'folder' ? `${inside}/${code}` : code).add(kind === 'folder' ? `${inside}/${step(code)}` : code);
  }
  for (let before = -1; before !== waiting.length;) {
    before = waiting.length;
    waiting = waiting.filter((row) => {
      const { kind, code, inside } = named(row);
      const around = ways.find(inside);
      if (around === undefined || !codePattern.test(code)) return true;
      ways.add(pathUnder(kind, code, around), kind === 'folder' ? `${inside}/${step(code)}` : code);
      return false;
    });
  }
  const read = rows.map((row) => readRow(row, { ...known, ways, written, wrong }));
  // Places that are in each other have no place to be.
  for (const { row, values } of known.found() ? [] : waiting)
    wrong(row, 'inside', message('tables.noPlace', { place: values['inside'] ?? '' }));
  return read.filter((one) => one !== null);
}

/** What somebody brings: rows of a table, or concepts of a scheme, read but not yet looked at. */
interface Brought {
  readonly rows: number;
  readonly readAs: string | null;
  /** Items to bring; what is wrong with them is told to the bringing. */
  incoming(b: Bringing): Promise<Incoming[]>;
}

const schemes: readonly string[] = skosFormats;
const isScheme = (format: string): format is SkosFormat => schemes.includes(format);

async function tableOf(services: Services, bytes: Buffer, format: TableFormat): Promise<Brought> {
  const table = await readTable(services, bytes, format, { required: ['code', 'kind', 'inside', 'title'], known: columns });
  return {
    rows: table.rows.length,
    readAs: table.encoding,
    incoming: async (b) =>
      readRows(table.rows, {
        given: new Set(table.columns),
        ways: new Ways(b.names.namesOf('place')),
        rules: new Set((await store.publishedRules(b.uow)).map((r) => r.code)),
        jurisdictions: new Set((await store.jurisdictions(b.uow)).map((j) => j.name)),
        wrong: (row, column, sentence) =>
          void b.errors.push({ section: 'places', name: '', row, field: fieldOf.get(column) ?? column, sentence }),
        found: () => b.errors.length > 0,
      }),
  };
}

async function schemeOf(services: Services, bytes: Buffer, format: SkosFormat): Promise<Brought> {
  const concepts = await services.reading.run(readingSkos, { bytes, format }).catch((error: unknown) => {
    if (error instanceof GivenUp) throw new Problem(422, 'no-scheme', message('tables.fileTakesTooLong'));
    throw error;
  });
  // The first concept is in line 1: a scheme has no head.
  const numbers = new Map(concepts.map((c, i) => [c, i + 1]));
  return {
    rows: concepts.length,
    readAs: null,
    incoming: (b) =>
      Promise.resolve(
        placesOf(concepts, b.uow.actor.today, (c, field, sentence) => {
          const named = message('exchange.named', { name: calledConcept(c), what: sentence });
          b.errors.push({ section: 'places', name: calledConcept(c), row: numbers.get(c), field, sentence: named });
        }),
      ),
  };
}

/**
 * Takes a plan from a table or a concept scheme: what is new is made, what is known by its id, code or former code is changed, and what is
 * not in it stays. With any error, or anything that was changed here and there, nothing is kept.
 */
export async function importPlan(
  services: Services,
  person: SignedIn,
  access: PersonAccess,
  work: Several,
  input: { readonly bytes: Buffer; readonly format: TableFormat | SkosFormat; readonly conflicts: ConflictWay; readonly dryRun: boolean },
): Promise<Told<TableOutcome>> {
  const { bytes, format } = input;
  const brought = isScheme(format) ? await schemeOf(services, bytes, format) : await tableOf(services, bytes, format);
  return takenOrTold(
    work,
    (outcome) => outcome.errors.length > 0,
    async (uow) => {
      const b = { ...(await beginning(uow, services, person, access, input.conflicts)), label };
      const incoming = await brought.incoming(b);
      // What is wrong with a cell itself is told once.
      const unread = new Set(b.errors.map((line) => `${line.row} ${line.field}`));
      const first = b.errors.length;
      await bring(b, places, incoming);
      const errorsFound = b.errors.filter((line, i) => i < first || !unread.has(`${line.row} ${line.field}`));
      const told = (line: BringingLine, sentence: Message) => ({ row: line.row ?? 0, column: label(line.field ?? 'code'), sentence });
      const errors = [
        ...errorsFound.map((line) => told(line, line.sentence)),
        ...b.conflicts.map((line) => told(line, message('exchange.conflict', { what: line.sentence }))),
      ];
      const { dates, recomputed } = errors.length === 0 ? await dated(b, input.dryRun, 'the plan') : { dates: null, recomputed: 0 };
      const done = b.changes.filter((c) => c.what !== 'kept').length;
      if (done > 0) {
        uow.enter({
          act: 'took in a plan',
          subject: { kind: 'plan', id: null, name: person.repository },
          after: { rows: brought.rows, changes: done },
        });
      }
      return {
        rows: brought.rows,
        changes: b.changes.map(({ row, name, what, sentence }) => ({
          row: row ?? 0,
          what,
          sentence: message('exchange.named', { name, what: sentence }),
        })),
        errors: errors.sort((a, c) => a.row - c.row),
        conflicts: b.conflicts.length,
        dates,
        recomputed,
        readAs: brought.readAs,
      };
    },
  );
}
