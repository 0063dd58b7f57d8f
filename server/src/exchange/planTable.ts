import type { ConflictWay, TableOutcome, Told } from '@key-cellar/contract';
import { parseCivilDate } from '@key-cellar/core/calendar';
import type { Common } from '@key-cellar/core/exchange';
import { codePattern, placeKinds, type PlaceKind } from '@key-cellar/core/plan';
import { isId } from '@key-cellar/core/records';
import { message, type Message } from '@key-cellar/words';
import type { Speaker } from '@key-cellar/words/speaker';
import { GivenUp, Problem, rootSet, withUnitOfWork, type PersonAccess, type Several, type SignedIn } from '../kernel/index.js';
import { printedPlan, type PlanFile } from '../plan/index.js';
import type { Services } from '../records/index.js';
import { columnsOf, readTable, writeTable, type TableFormat, type TableRow } from '../tables/index.js';
import { outgoing, rightsIn, type Bringing, type Incoming, type Wire } from './bringing.js';
import { commonOf, fieldColumns, stateOf, written, type Column } from './columns.js';
import { Names, pathUnder, step } from './names.js';
import { places } from './places.js';
import { bringRows, rootOf, saidIn, type Brought } from './sectionTable.js';
import { calledConcept, placesOf } from './skos.js';
import { readingSkos, skosFormats, type SkosFormat } from './skosReading.js';
import { skosOf } from './skosWriting.js';
import * as store from './store.js';

/** Columns that are written as planners write them. */
const plain = columnsOf(
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
);
type PlainColumn = (typeof plain)[number];

const plainFields: readonly (readonly [field: string, column: PlainColumn])[] = [
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
const fieldOf = new Map<string, string>(plainFields.map(([field, column]) => [column, field]));

/** Everything else that there is to say of a place: for those who may arrange all of it. */
const keepers = fieldColumns('places').filter(({ field }) => field !== 'path' && !plainFields.some(([one]) => one === field));
const byColumn = new Map<string, Column>(keepers.map((c) => [c.column, c]));

/** In the order of the fingerprints in the column *state*. */
const fields: readonly string[] = [...plainFields.map(([field]) => field), ...keepers.map((c) => c.field)];
const labels = new Map<string, string>([...plainFields, ...keepers.map((c) => [c.field, c.column] as const)]);

const nameIn = (reference: unknown): string => (reference as { to: string } | null)?.to ?? '';

function plainLine(wire: Wire): Record<PlainColumn, string> {
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
        ? { bytes: skosOf(person.repository, (await shownTo(services, person)).places), type: 'application/ld+json', name: 'plan.jsonld' }
        : { ...(await planTable(services, person, format)), name: `plan.${format}` };
  const subject = { kind: 'plan', id: null, name: person.repository };
  await withUnitOfWork(services.pool, person, (uow) => uow.enter({ act: 'exported the plan', subject, after: { format } }), 'none');
  return made;
}

/** The places of the plan that a person may discover. */
async function shownTo(services: Services, person: SignedIn): Promise<{ root: string; places: { id: string; wire: Wire }[] }> {
  const access = await services.access.of(person);
  const names = await Names.load(services.pool);
  const [all, shown] = await Promise.all([
    outgoing(services.pool, places, names),
    store.placesInSets(services.pool, access.sets('discover')),
  ]);
  const may = new Set(shown.map((p) => p.id));
  return { root: rootOf(names), places: all.filter(({ id }) => may.has(id)) };
}

/** The same as a table that can come in again. Facts, grants and markings, and the repository itself, are in it for those who arrange all of it. */
async function planTable(services: Services, person: SignedIn, format: TableFormat): Promise<{ bytes: Buffer; type: string }> {
  const [{ root, places: all }, access, set] = [
    await shownTo(services, person),
    await services.access.of(person),
    await rootSet(services.pool),
  ];
  const whole = arranges(rightsIn(access, set));
  const more = whole ? keepers : [];
  return writeTable(
    [...plain, ...more.map((c) => c.column), 'id', 'state'],
    all.flatMap(({ id, wire }) =>
      wire['kind'] === 'repository' && !whole
        ? []
        : [
            {
              ...plainLine(wire),
              ...Object.fromEntries(more.map((c) => [c.column, written(wire, c)])),
              id,
              state: stateOf(root, wire, whole ? fields : fields.slice(0, plain.length)),
            },
          ],
    ),
    format,
  );
}

/** Whether somebody may arrange all of the repository, and say who may do what in it. */
const arranges = ({ may }: Pick<Bringing, 'may'>): boolean => may('dispose') && may('grant');

const listed = (text: string): string[] => [
  ...new Set(
    text
      .split(/[;,]/)
      .map((part) => part.trim())
      .filter(Boolean),
  ),
];

type Wrong = (row: number, column: string, sentence: Message) => void;
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
  /** What was common when a row left. */
  common(state: string): Common;
  readonly wrong: Wrong;
  /** Whether anything was wrong so far. */
  found(): boolean;
}

/** What a row says, or null where it cannot be told which place is meant. */
function readRow({ row, values }: TableRow, reading: Reading): Incoming | null {
  const { ways, written, wrong } = reading;
  const bad = (column: PlainColumn | 'id', sentence: Message): void => wrong(row, column, sentence);
  const text = (column: PlainColumn | 'id'): string => values[column] ?? '';
  const [code, kind, inside] = [text('code').toUpperCase(), text('kind').toLowerCase(), text('inside').toUpperCase()];
  if (kind === 'repository' && inside === '')
    return readWhole({ row, values }, reading, { path: '', code: text('code'), kind, inside: null });
  if (!codePattern.test(code)) bad('code', code ? message('plan.table.code', { code }) : message('tables.missing'));
  if (!isKind(kind)) bad('kind', message('plan.table.kind', { kind: text('kind') }));
  const around = ways.find(inside);
  if (kind === 'folder' && inside === '') bad('inside', message('plan.table.folderInside'));
  // What is in the table, and wrong, is told there.
  else if (around === undefined && !written.has(inside)) bad('inside', message('tables.noPlace', { place: inside }));
  const known = codePattern.test(code) && isKind(kind) && around !== undefined;
  const which = known ? { path: pathUnder(kind, code, around), code, kind, inside: { refers: 'place', to: around } } : {};
  const read = readWhole({ row, values }, reading, which);
  return known ? read : null;
}

/** What a row says besides which place it is of. */
function readWhole({ row, values }: TableRow, { given, rules, jurisdictions, common, wrong }: Reading, which: Wire): Incoming {
  const bad = (column: PlainColumn | 'id', sentence: Message): void => wrong(row, column, sentence);
  const text = (column: PlainColumn | 'id'): string => values[column] ?? '';
  if (!text('title')) bad('title', message('tables.missing'));
  for (const [column, most] of Object.entries(limits) as [PlainColumn, number][])
    if (text(column).length > most) bad(column, message('tables.tooLong', { most }));
  for (const rule of listed(text('rules'))) if (!rules.has(rule)) bad('rules', message('plan.table.noRule', { rule }));
  for (const name of listed(text('jurisdictions')))
    if (!jurisdictions.has(name)) bad('jurisdictions', message('tables.noJurisdiction', { name }));
  const day = (column: PlainColumn): string | null => {
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
  const said: Record<string, unknown> = {
    ...which,
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
    ...saidIn({ row, values }, keepers, given, (at, { column }, sentence) => wrong(at, column, sentence)),
  };
  // Columns that the table lacks say nothing, and no place was opened on no day.
  for (const [field, column] of plainFields) if (!given.has(column)) delete said[field];
  if (said['openedOn'] === null) delete said['openedOn'];
  return { row, wire: said, common: () => (given.has('state') ? common(values['state'] ?? '') : 'theirs'), id: id === '' ? undefined : id };
}

/** Rows with the way to each place: one may be inside of another that stands later. */
function readRows(rows: readonly TableRow[], { ways, wrong, ...known }: Omit<Reading, 'written'>): Incoming[] {
  let waiting = rows.filter(({ values }) => (values['kind'] ?? '').toLowerCase() !== 'repository');
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

const schemes: readonly string[] = skosFormats;
const isScheme = (format: string): format is SkosFormat => schemes.includes(format);

async function tableOf(services: Services, bytes: Buffer, format: TableFormat): Promise<Brought> {
  const table = await readTable(services, bytes, format, {
    required: ['code', 'kind', 'inside', 'title'],
    known: [...plain, ...byColumn.keys(), 'id', 'state'],
  });
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
          void b.errors.push({
            section: 'places',
            name: '',
            row,
            field: fieldOf.get(column) ?? byColumn.get(column)?.field ?? column,
            sentence,
          }),
        common: (state) => commonOf(state, rootOf(b.names), fields),
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
  return bringRows(services, person, access, work, {
    section: 'places',
    brought,
    conflicts: input.conflicts,
    dryRun: input.dryRun,
    label: (field) => labels.get(field) ?? field,
    key: 'code',
    because: 'the plan',
    enter: (b, changes) =>
      b.uow.enter({
        act: 'took in a plan',
        subject: { kind: 'plan', id: null, name: person.repository },
        after: { rows: brought.rows, changes },
      }),
  });
}
