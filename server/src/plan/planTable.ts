import type { TableOutcome, Told } from '@key-cellar/contract';
import { codePattern, kindsInside, moveRefusal, placeKinds, kindWords, type PlaceKind } from '@key-cellar/core/plan';
import { uuidv7 } from 'uuidv7';
import { message, type Message } from '@key-cellar/words';
import type { PersonAccess, Services, Several, SignedIn, UnitOfWork } from '../kernel/index.js';
import { columnsOf, readTable, type TableFormat, type TableRow } from '../tables/index.js';
import { standingOf } from './changes.js';
import { madeActs } from './kinds.js';
import * as codeStore from './codeStore.js';
import * as moveStore from './moveStore.js';
import * as placeStore from './placeStore.js';

export const planColumns = columnsOf(
  'code',
  'kind',
  'inside',
  'title',
  'belongs here',
  'not here',
  'message',
  'jurisdictions',
  'rules',
  'closed on',
  'retired on',
);
type Column = (typeof planColumns)[number];
type Line = Record<Column, string>;

/** How a place is called in a table: plan nodes by their code, folders after their series (`BER-01/B-07`). */
function pathOf(place: placeStore.PlaceRow, byId: ReadonlyMap<string, placeStore.PlaceRow>): string {
  if (place.kind !== 'folder') return place.code;
  const codes: string[] = [];
  for (let at: placeStore.PlaceRow | undefined = place; at?.kind === 'folder'; at = byId.get(at.parent_id!)) codes.unshift(at.code);
  const series = place.ancestors.map((id) => byId.get(id)).find((p) => p?.kind === 'series');
  return [series?.code ?? '', ...codes].join('/');
}

function lineOf(place: placeStore.PlaceRow, byId: ReadonlyMap<string, placeStore.PlaceRow>, rules: readonly string[]): Line {
  const parent = byId.get(place.parent_id!);
  return {
    code: place.code,
    kind: place.kind,
    inside: parent && parent.kind !== 'repository' ? pathOf(parent, byId) : '',
    title: place.title,
    'belongs here': place.note,
    'not here': place.not_here,
    message: place.message,
    jurisdictions: place.jurisdictions.join('; '),
    rules: rules.join('; '),
    'closed on': place.closed_on ?? '',
    'retired on': place.retired_on ?? '',
  };
}

async function rulesByPlace(db: Parameters<typeof placeStore.allPlaces>[0], placeIds: readonly string[]): Promise<Map<string, string[]>> {
  const byPlace = new Map<string, string[]>();
  for (const r of await placeStore.rulesSetOn(db, placeIds)) byPlace.set(r.place_id, [...(byPlace.get(r.place_id) ?? []), r.code]);
  return byPlace;
}

/** The places of the plan that a person may discover, from the repository inwards, with the rules set on them. */
export async function planOf(
  services: Services,
  person: SignedIn,
): Promise<{ places: placeStore.PlaceRow[]; byId: Map<string, placeStore.PlaceRow>; rules: Map<string, string[]> }> {
  const access = await services.access.of(person);
  const sets = new Set(access.sets('discover'));
  const all = await placeStore.allPlaces(services.pool);
  const byId = new Map(all.map((p) => [p.id, p]));
  const children = new Map<string | null, placeStore.PlaceRow[]>();
  for (const p of all) children.set(p.parent_id, [...(children.get(p.parent_id) ?? []), p]);
  const inOrder = (parentId: string | null): placeStore.PlaceRow[] => (children.get(parentId) ?? []).flatMap((p) => [p, ...inOrder(p.id)]);
  const places = inOrder(null).filter((p) => sets.has(p.access_set_id));
  return {
    places,
    byId,
    rules: await rulesByPlace(
      services.pool,
      places.map((p) => p.id),
    ),
  };
}

export async function planLines(services: Services, person: SignedIn): Promise<Line[]> {
  const { places, byId, rules } = await planOf(services, person);
  return places.filter((p) => p.kind !== 'repository').map((p) => lineOf(p, byId, rules.get(p.id) ?? []));
}

interface Wanted {
  readonly row: number;
  readonly path: string;
  readonly kind: PlaceKind;
  readonly insidePath: string;
  readonly line: Line;
  readonly jurisdictions: readonly string[];
  readonly rules: readonly string[];
  readonly existing: placeStore.PlaceRow | undefined;
}

const list = (text: string): string[] => [
  ...new Set(
    text
      .split(/[;,]/)
      .map((part) => part.trim())
      .filter(Boolean),
  ),
];

/** Kinds that a table may speak of. */
function isPlaced(kind: string): kind is Exclude<PlaceKind, 'repository'> {
  return kind !== 'repository' && (placeKinds as readonly string[]).includes(kind);
}

/** What a row says, or what is wrong with it. Columns that the table lacks say nothing. */
function readRow(
  { row, values }: TableRow,
  columns: ReadonlySet<string>,
  known: { byPath: ReadonlyMap<string, placeStore.PlaceRow>; rules: ReadonlyMap<string, string>; jurisdictions: ReadonlySet<string> },
  wrong: (row: number, column: Column, sentence: Message) => void,
): Wanted | null {
  const bad = (column: Column, sentence: Message): void => wrong(row, column, sentence);
  const text = (column: Column): string => values[column] ?? '';
  const code = text('code').toUpperCase();
  const kind = text('kind').toLowerCase();
  const inside = text('inside').toUpperCase();
  if (!codePattern.test(code)) bad('code', code ? message('plan.table.code', { code }) : message('tables.missing'));
  if (!isPlaced(kind)) bad('kind', message('plan.table.kind', { kind: text('kind') }));
  const title = text('title');
  if (!title) bad('title', message('tables.missing'));
  else if (title.length > 300) bad('title', message('tables.tooLong', { most: 300 }));
  for (const [column, most] of [
    ['belongs here', 4000],
    ['not here', 4000],
    ['message', 1000],
  ] as const)
    if (text(column).length > most) bad(column, message('tables.tooLong', { most }));
  if (kind === 'folder' && inside === '') bad('inside', message('plan.table.folderInside'));
  const rules = list(text('rules'));
  for (const rule of rules) if (!known.rules.has(rule)) bad('rules', message('plan.table.noRule', { rule }));
  const jurisdictions = list(text('jurisdictions'));
  for (const name of jurisdictions) if (!known.jurisdictions.has(name)) bad('jurisdictions', message('tables.noJurisdiction', { name }));
  // Without them it cannot be told which place it is; with them the rest of the row is looked at, too.
  if (!codePattern.test(code) || !isPlaced(kind)) return null;
  const path = kind === 'folder' ? `${inside}/${code}` : code;
  const existing = known.byPath.get(path);
  if (existing && existing.kind !== kind) {
    bad('kind', message('plan.table.staysItsKind', { path, kind: kindWords(existing.kind) }));
    return null;
  }
  const had = (column: Column, before: string): string => (columns.has(column) ? text(column) : before);
  return {
    row,
    path,
    kind,
    insidePath: inside,
    line: {
      ...(Object.fromEntries(planColumns.map((c) => [c, text(c)])) as Line),
      code,
      title,
      'belongs here': had('belongs here', existing?.note ?? ''),
      'not here': had('not here', existing?.not_here ?? ''),
      message: had('message', existing?.message ?? ''),
    },
    jurisdictions: columns.has('jurisdictions') ? jurisdictions : (existing?.jurisdictions ?? []),
    rules: columns.has('rules') ? rules : ['\u0000'],
    existing,
  };
}

/** Rules of a place whose table says nothing of rules. */
const untold = (wanted: Wanted): boolean => wanted.rules[0] === '\u0000';

/**
 * Takes a plan from a table: what is new is made, what is known by its code is changed, and what is not in it stays. A dry run
 * lists every change and every error by row and column; with any error nothing is done.
 */
export async function importPlan(
  services: Services,
  access: PersonAccess,
  work: Several,
  input: { bytes: Buffer; format: TableFormat; dryRun: boolean },
): Promise<Told<TableOutcome>> {
  const table = await readTable(services, input.bytes, input.format, { required: ['code', 'kind', 'inside', 'title'], known: planColumns });
  return work(async (uow) => {
    await codeStore.lockPlan(uow);
    const all = await placeStore.allPlaces(uow);
    const byId = new Map(all.map((p) => [p.id, p]));
    const root = all.find((p) => p.kind === 'repository')!;
    const byPath = new Map(all.filter((p) => p.kind !== 'repository').map((p) => [pathOf(p, byId).toUpperCase(), p]));
    const published = new Map((await placeStore.publishedRules(uow)).map((r) => [r.code, r.id]));
    const rulesNow = await rulesByPlace(
      uow,
      all.map((p) => p.id),
    );
    const jurisdictions = new Set((await placeStore.jurisdictionNames(uow)).map((j) => j.name));
    const errors: { row: number; column: string; sentence: Message }[] = [];
    const changes: { row: number; what: string; sentence: Message }[] = [];
    const wrong = (row: number, column: string, sentence: Message): void => void errors.push({ row, column, sentence });
    const columns = new Set(table.columns);
    const wanted = new Map<string, Wanted>();
    for (const row of table.rows) {
      const read = readRow(row, columns, { byPath, rules: published, jurisdictions }, wrong);
      if (!read) continue;
      const twice = wanted.get(read.path);
      if (twice) wrong(row.row, 'code', message('tables.inRowAlready', { name: read.path, row: String(twice.row) }));
      else wanted.set(read.path, read);
    }
    // A place may be inside one that the same table makes.
    const kindAt = (path: string): PlaceKind | undefined =>
      path === '' ? 'repository' : (wanted.get(path)?.kind ?? byPath.get(path)?.kind);
    for (const w of wanted.values()) {
      const kind = kindAt(w.insidePath);
      if (kind === undefined) wrong(w.row, 'inside', message('tables.noPlace', { place: w.insidePath }));
      else if (!kindsInside(kind).some((k) => k === w.kind))
        wrong(w.row, 'inside', message('plan.cannotBeInside', { kind: w.kind, parent: kind }));
    }
    const outcome = (recomputed: number): Told<TableOutcome> => ({
      rows: table.rows.length,
      changes,
      errors: errors.sort((a, b) => a.row - b.row),
      recomputed,
      readAs: table.encoding,
    });
    if (errors.length > 0) return outcome(0);

    const made = new Map<string, placeStore.PlaceRow>();
    const at = (path: string): placeStore.PlaceRow => (path === '' ? root : (made.get(path) ?? byPath.get(path)!));
    const touched: string[] = [];
    // What is new comes after what was there, in the order of the table.
    const last = Math.max(0, ...all.map((p) => p.position));
    // From the outside inwards, so that what is around a place is there before it.
    const depth = (w: Wanted): number => (w.insidePath === '' ? 0 : 1 + (wanted.has(w.insidePath) ? depth(wanted.get(w.insidePath)!) : 0));
    for (const w of [...wanted.values()]
      .map((w_) => [depth(w_), w_] as const)
      .sort(([a], [b]) => a - b)
      .map(([, w_]) => w_)) {
      const change = await (w.existing
        ? changeTo(uow, w, at(w.insidePath), rulesNow.get(w.existing.id) ?? [], published, input.dryRun, wrong)
        : makeNew(uow, w, at(w.insidePath), published, uow.actor.today, input.dryRun, made, last));
      if (!change) continue;
      changes.push({ row: w.row, what: change.what, sentence: message('plan.table.change', { path: w.path, change: change.sentence }) });
      if (change.redate) touched.push(w.existing?.id ?? made.get(w.path)!.id);
    }
    if (errors.length > 0 && !input.dryRun) throw new PlanNotTaken(outcome(0));
    if (input.dryRun || errors.length > 0) return outcome(0);
    uow.enter({
      act: 'took in a plan',
      subject: { kind: 'place', id: root.id, name: root.title },
      after: { rows: table.rows.length, changes: changes.length },
    });
    if (touched.length > 0) await services.events.tell(uow, 'placesChanged', { placeIds: touched, because: 'the plan' });
    return outcome(await moveStore.countRecordsIn(uow, touched, access.sets('discover')));
  }).catch((error: unknown) => {
    if (error instanceof PlanNotTaken) return error.outcome;
    throw error;
  });
}

/** Errors that showed only while the changes were made: all of them are rolled back. */
class PlanNotTaken extends Error {
  constructor(readonly outcome: Told<TableOutcome>) {
    super('the plan was not taken in');
  }
}

interface Change {
  readonly what: string;
  readonly sentence: Message;
  readonly redate: boolean;
}

async function makeNew(
  uow: UnitOfWork,
  w: Wanted,
  parent: placeStore.PlaceRow,
  published: ReadonlyMap<string, string>,
  today: string,
  dryRun: boolean,
  made: Map<string, placeStore.PlaceRow>,
  last: number,
): Promise<Change> {
  const id = uuidv7();
  const place = {
    ...parent,
    id,
    kind: w.kind,
    parent_id: parent.id,
    ancestors: [...parent.ancestors, id],
    code: w.line.code,
    title: w.line.title,
    note: w.line['belongs here'],
    not_here: w.line['not here'],
    message: w.line.message,
    jurisdictions: [...w.jurisdictions],
    opened_on: today,
    closed_on: null,
    retired_on: null,
    revision: 1,
  };
  made.set(w.path, place);
  const rules = untold(w) ? [] : w.rules;
  if (!dryRun) {
    // Nothing waits for these: they go to the database one behind the other, with the commit.
    uow.alongside(
      placeStore.addPlace(uow, {
        id,
        kind: w.kind,
        parentId: parent.id,
        ancestors: place.ancestors,
        code: place.code,
        title: place.title,
        note: place.note,
        position: last + w.row,
        accessSetId: parent.access_set_id,
        openedOn: today,
      }),
    );
    if (place.not_here || place.message || place.jurisdictions.length > 0) uow.alongside(placeStore.describePlace(uow, place));
    for (const rule of rules) uow.alongside(placeStore.addRule(uow, id, published.get(rule)!));
    uow.enter({
      act: madeActs[w.kind as Exclude<PlaceKind, 'repository'>],
      subject: { kind: 'place', id, name: `${place.code} ${place.title}` },
      after: { parent: parent.code, note: place.note, rules },
      note: 'from a table',
    });
  }
  return { what: 'new', sentence: message('plan.madeInside', { code: parent.code }), redate: false };
}

async function changeTo(
  uow: UnitOfWork,
  w: Wanted,
  parent: placeStore.PlaceRow,
  rulesNow: readonly string[],
  published: ReadonlyMap<string, string>,
  dryRun: boolean,
  wrong: (row: number, column: Column, sentence: Message) => void,
): Promise<Change | null> {
  const place = w.existing!;
  const said: Message[] = [];
  const moves = place.parent_id !== parent.id;
  if (moves) {
    const refusal = moveRefusal(standingOf(place), standingOf(parent), uow.actor.today);
    if (refusal) {
      wrong(w.row, 'inside', refusal);
      return null;
    }
    said.push(message('plan.table.moves', { parent: parent.code }));
  }
  if (place.title !== w.line.title) said.push(message('plan.table.called', { title: w.line.title }));
  if (place.note !== w.line['belongs here'] || place.not_here !== w.line['not here'] || place.message !== w.line.message)
    said.push(message('plan.table.described'));
  const same = (a: readonly string[], b: readonly string[]): boolean =>
    a.length === b.length && [...a].sort().every((x, i) => x === [...b].sort()[i]);
  const otherJurisdictions = !same(place.jurisdictions, w.jurisdictions);
  if (otherJurisdictions)
    said.push(
      w.jurisdictions.length > 0
        ? message('plan.table.jurisdictions', { names: { list: w.jurisdictions } })
        : message('plan.table.noJurisdictions'),
    );
  const otherRules = !untold(w) && !same(rulesNow, w.rules);
  if (otherRules)
    said.push(w.rules.length > 0 ? message('plan.table.follows', { rules: { list: w.rules } }) : message('plan.table.followsNone'));
  if (said.length === 0) return null;
  if (!dryRun) {
    if (moves) await moveStore.moveUnder(uow, place, parent, null);
    await placeStore.describePlace(uow, {
      id: place.id,
      title: w.line.title,
      note: w.line['belongs here'],
      not_here: w.line['not here'],
      message: w.line.message,
      jurisdictions: w.jurisdictions,
    });
    if (otherRules) {
      for (const rule of rulesNow.filter((r) => !w.rules.includes(r))) await placeStore.removeRule(uow, place.id, published.get(rule)!);
      for (const rule of w.rules.filter((r) => !rulesNow.includes(r))) await placeStore.addRule(uow, place.id, published.get(rule)!);
    }
    uow.enter({
      act: moves ? 'moved a place' : 'changed a place',
      subject: { kind: 'place', id: place.id, name: `${place.code} ${place.title}` },
      before: { title: place.title, note: place.note, rules: rulesNow, jurisdictions: place.jurisdictions },
      after: {
        title: w.line.title,
        note: w.line['belongs here'],
        rules: untold(w) ? rulesNow : w.rules,
        jurisdictions: w.jurisdictions,
        inside: parent.code,
      },
      note: 'from a table',
    });
  }
  return {
    what: moves ? 'moved' : 'changed',
    sentence: message('shared.asIs', { text: { list: said } }),
    redate: moves || otherRules || otherJurisdictions,
  };
}
