import type { RecordFilter, SortColumn } from '@key-cellar/contract';
import { wordQuery, type Criteria } from '@key-cellar/core/criteria';
import type { Facts, RecordState } from '@key-cellar/core/records';
import type { StoredOverride, StoredStepAct } from '../schedule/index.js';
import { boundCriteria } from '../criteria/index.js';
import { type Db, dynamicRows, frozenByHoldSql, heldSql, holdCountSql, lockRecordRows, row, rows, run } from '../kernel/index.js';

const lineColumns = `r.id, r.number, r.title, r.medium, r.record_type, r.place_id, r.state, r.created_on, r.filed_on, r.declared_on,
  r.outcome, r.clock_start, r.due_on, r.action, r.docket, r.gaps, r.size, r.media_type, r.disposed_on, r.access_set_id, r.deposited_by,
  ${holdCountSql()} as hold_count, ${frozenByHoldSql()} as frozen_by_hold,
  (select min(repository_date(c.since)) from hold_cover c where c.record_id = r.id and c.released_at is null) as held_since`;

export interface LineRow extends Record<string, unknown> {
  id: string;
  number: string;
  title: string;
  medium: 'electronic' | 'physical';
  record_type: string;
  place_id: string;
  place_code: string;
  state: RecordState;
  created_on: string;
  filed_on: string;
  declared_on: string | null;
  outcome: 'permanent' | 'waiting' | 'dated' | 'unscheduled';
  clock_start: string | null;
  due_on: string | null;
  action: 'destroy' | 'transfer' | null;
  docket: 'none' | 'due' | 'batch';
  hold_count: number;
  held_since: string | null;
  frozen_by_hold: boolean;
  gaps: number;
  size: number;
  media_type: string | null;
  disposed_on: string | null;
  access_set_id: number;
  deposited_by: string;
}

export interface RecordRow extends LineRow {
  series_id: string;
  places: string[];
  received_on: string;
  modified_on: string;
  superseded_on: string | null;
  last_used_on: string | null;
  facts: Facts;
  owner_id: string | null;
  container_id: string | null;
  jurisdictions: string[];
  override: StoredOverride | null;
  steps_taken: StoredStepAct[] | null;
  type_version: number;
  refers: string[];
  detected: string[];
  frozen: string[];
  version_no: number;
  revision: number;
}

const fullColumns = `${lineColumns}, r.series_id, r.places, r.received_on, r.modified_on, r.superseded_on, r.last_used_on, r.facts, r.owner_id,
  r.container_id, r.jurisdictions, r.override, r.steps_taken, r.type_version, r.refers, r.detected, r.frozen, r.version_no, r.revision,
  (select p.code from place p where p.id = r.place_id) as place_code`;

export function recordById(db: Db, id: string) {
  return row<RecordRow>(db, 'record.byId', `select ${fullColumns} from record r where r.id = $1`, [id]);
}

/** Whether pages from these places bear the name of whoever reads them. */
export async function namesReader(db: Db, placeIds: readonly string[]): Promise<boolean> {
  return (
    (await row(db, 'record.namesReader', 'select from place where id = any ($1::uuid[]) and reader_on_pages limit 1', [placeIds])) !==
    undefined
  );
}

export function recordsByIds(db: Db, ids: readonly string[]) {
  return rows<RecordRow>(db, 'record.byIds', `select ${fullColumns} from record r where r.id = any ($1::uuid[])`, [ids]);
}

/** Records under their row locks, in order of id. */
export async function lockRecords(db: Db, ids: readonly string[]): Promise<RecordRow[]> {
  await lockRecordRows(db, ids);
  return rows<RecordRow>(db, 'record.locked', `select ${fullColumns} from record r where r.id = any ($1::uuid[]) order by r.id`, [ids]);
}

/** How lists sort: the expression, its type for the keyset, and whether the id breaks ties. */
const sorts: Record<SortColumn, { expression: string; type: string; tie: boolean }> = {
  number: { expression: 'r.number', type: 'text', tie: false },
  title: { expression: 'r.title', type: 'text', tie: true },
  created: { expression: 'r.created_on', type: 'date', tie: true },
  filed: { expression: 'r.filed_on', type: 'date', tie: true },
  due: { expression: `coalesce(r.due_on, 'infinity'::date)`, type: 'date', tie: true },
  size: { expression: 'r.size', type: 'bigint', tie: true },
};

/** Where a page ended: the sort value as text, and the id. */
export interface Position {
  readonly value: string;
  readonly id: string;
}

export type Bind = (value: unknown) => string;

/** A filter whose criteria are read, and their dates fixed. */
export type ListFilter = Omit<RecordFilter, 'criteria'> & { readonly criteria?: Criteria | undefined };

/** What a filter means in SQL, besides place and access. */
function filterSql(filter: ListFilter, bind: Bind): string[] {
  const where: string[] = [];
  where.push(filter.show === 'disposed' ? `r.state = 'disposed'` : `r.state <> 'disposed'`);
  if (filter.words) {
    const { whole, beginning } = wordQuery({ text: filter.words, prefix: true });
    const terms = [...whole.map((w) => `'${w}'`), ...(beginning === null ? [] : [`'${beginning}':*`])];
    if (terms.length > 0) where.push(`r.search @@ ${bind(terms.join(' & '))}::tsquery`);
  }
  if (filter.vintage !== undefined) {
    where.push(filter.vintage === 0 ? 'r.vintage is null' : `r.vintage = ${bind(filter.vintage)}`);
  }
  if (filter.cells) {
    const cells = filter.cells.split(',').map((cell) => cell.split('.') as [string, string]);
    where.push(
      `(r.series_id, coalesce(r.vintage, 0)) in (select * from unnest(${bind(cells.map(([series]) => series))}::uuid[], ${bind(
        cells.map(([, vintage]) => Number(vintage)),
      )}::int[]))`,
    );
  }
  if (filter.criteria) where.push(boundCriteria(filter.criteria, bind));
  if (filter.recordType) where.push(`r.record_type = ${bind(filter.recordType)}`);
  switch (filter.show) {
    case 'due':
      where.push(`r.docket <> 'none'`);
      break;
    case 'held':
      where.push(heldSql());
      break;
    case 'gaps':
      where.push('r.gaps > 0');
      break;
    case 'declared':
      where.push(`r.state = 'declared'`);
      break;
    case 'unscheduled':
    case 'waiting':
    case 'permanent':
      where.push(`r.outcome = ${bind(filter.show)}`);
      break;
    case 'disposed':
    case undefined:
      break;
  }
  return where;
}

/** The part of the plan that a list looks at. */
export type Scope =
  | { readonly kind: 'all' }
  | { readonly kind: 'series'; readonly ids: readonly string[] }
  | { readonly kind: 'folder'; readonly id: string };

export interface PageRequest {
  readonly filter: ListFilter;
  readonly scope: Scope;
  readonly sort: SortColumn;
  readonly descending: boolean;
  readonly after: Position | null;
  readonly skip: number;
  readonly limit: number;
  /** SQL that is true for rows the person may discover. */
  readonly visible: (bind: Bind) => string;
  /** Whether that is so few that they are found first and sorted then. */
  readonly narrow: boolean;
}

/** What is asked of a list, besides where in it: what decides which row is which. */
export type ListAsked = Omit<PageRequest, 'after' | 'skip' | 'limit'>;

/** What a whole list is made of, in its order. */
function wholeList(asked: ListAsked): { values: unknown[]; where: string; expression: string; order: string } {
  const values: unknown[] = [];
  const bind: Bind = (value) => `$${values.push(value)}`;
  const { expression, tie } = sorts[asked.sort];
  const direction = asked.descending ? 'desc' : 'asc';
  const where = [asked.visible(bind), ...filterSql(asked.filter, bind), ...scopeSql(asked.scope, bind)].join(' and ');
  return { values, where, expression, order: `${expression} ${direction}${tie ? `, r.id ${direction}` : ''}` };
}

/**
 * One page of a list. Within several series the page is merged from the first rows of each, so that every part is
 * read in index order; skipping reads keys only and fetches rows at the end. Of the few rows of a narrow view all keys are
 * read: the offset keeps the database from looking for them in the order asked for, past all that may not be seen.
 */
export async function page(db: Db, request: PageRequest): Promise<(LineRow & { sort_value: string })[]> {
  const values: unknown[] = [];
  const bind: Bind = (value) => `$${values.push(value)}`;
  const { expression, type, tie } = sorts[request.sort];
  const direction = request.descending ? 'desc' : 'asc';
  const order = (alias: string): string => `${alias}.k ${direction}${tie ? `, ${alias}.id ${direction}` : ''}`;
  const innerOrder = `${expression} ${direction}${tie ? `, r.id ${direction}` : ''}`;
  const where = [request.visible(bind), ...filterSql(request.filter, bind)];
  if (request.after) {
    const sign = request.descending ? '<' : '>';
    const value = `${bind(request.after.value)}::${type}`;
    where.push(tie ? `(${expression}, r.id) ${sign} (${value}, ${bind(request.after.id)}::uuid)` : `${expression} ${sign} ${value}`);
  }
  const { scope } = request;
  if (scope.kind === 'folder' && !request.narrow) where.push(`r.places @> array[${bind(scope.id)}::uuid]`);
  const wanted = (): string => `${bind(request.skip + request.limit)}::int`;
  const keys = request.narrow
    ? `select ${expression} as k, r.id from record r where ${[...scopeSql(scope, bind), ...where].join(' and ')} offset 0`
    : scope.kind === 'series'
      ? `select s.k, s.id from unnest(${bind(scope.ids)}::uuid[]) as series (id) cross join lateral (
           select ${expression} as k, r.id from record r where r.series_id = series.id and ${where.join(' and ')}
           order by ${innerOrder} limit ${wanted()}) s`
      : `select ${expression} as k, r.id from record r where ${where.join(' and ')} order by ${innerOrder} limit ${wanted()}`;
  return dynamicRows(
    db,
    `select ${lineColumns}, p.code as place_code, page.k::text as sort_value
     from (select x.k, x.id from (${keys}) x order by ${order('x')} offset ${bind(request.skip)} limit ${bind(request.limit)}) page
     join record r on r.id = page.id join place p on p.id = r.place_id
     order by ${order('page')}`,
    values,
  );
}

/**
 * All rows of a list in its order, so many at a time; in a transaction, which gives them back when nobody takes more for two minutes.
 */
export async function* allOf(db: Db, asked: ListAsked, atATime: number): AsyncGenerator<LineRow[]> {
  const { values, where, order } = wholeList(asked);
  await dynamicRows(db, `set local idle_in_transaction_session_timeout = '2min'`, []);
  await dynamicRows(
    db,
    `declare listed no scroll cursor for select ${lineColumns}, p.code as place_code from record r join place p on p.id = r.place_id
     where ${where} order by ${order}`,
    values,
  );
  for (;;) {
    const found = await dynamicRows<LineRow>(db, `fetch ${atATime} from listed`, []);
    if (found.length === 0) return;
    yield found;
  }
}

/** How every so-manieth row of a list is found, and what tells the list from every other: the statement with its values. */
export function landmarksOf(asked: ListAsked, step: number): { readonly key: string; readonly find: (db: Db) => Promise<Position[]> } {
  const { values, where, expression, order } = wholeList(asked);
  const text = `select k::text as value, id from (
      select ${expression} as k, r.id, row_number() over (order by ${order}) as n
      from record r where ${where}) numbered
    where n % ${step} = 0 order by n`;
  return { key: JSON.stringify([text, values]), find: (db) => dynamicRows<{ value: string; id: string }>(db, text, values) };
}

/** Of each record the facts of these codes that it has. */
export function factsOf(db: Db, ids: readonly string[], codes: readonly string[]) {
  return rows<{ id: string; facts: Facts }>(
    db,
    'record.factsOf',
    `select id, (select coalesce(jsonb_object_agg(f.key, f.value), '{}') from jsonb_each(facts) f where f.key = any ($2::text[])) as facts
       from record where id = any ($1::uuid[])`,
    [ids, codes],
  );
}

function scopeSql(scope: Scope, bind: Bind): string[] {
  switch (scope.kind) {
    case 'all':
      return [];
    case 'series':
      return [`r.series_id = any (${bind(scope.ids)}::uuid[])`];
    case 'folder':
      return [`r.places @> array[${bind(scope.id)}::uuid]`];
  }
}

export async function count(db: Db, filter: ListFilter, scope: Scope, visible: (bind: Bind) => string): Promise<number> {
  const values: unknown[] = [];
  const bind: Bind = (value) => `$${values.push(value)}`;
  const where = [visible(bind), ...scopeSql(scope, bind), ...filterSql(filter, bind)];
  const found = await dynamicRows<{ n: number }>(db, `select count(*) as n from record r where ${where.join(' and ')}`, values);
  return found[0]!.n;
}

/** How many records there are in these sets of access, and in all. */
export async function keptIn(db: Db, sets: readonly number[]): Promise<{ here: number; all: number }> {
  const found = await row<{ here: number; all: number }>(
    db,
    'rack.keptIn',
    `select (select coalesce(sum(kept), 0) from rack_cell where access_set_id = any ($1::int[]))::int as here,
       (select coalesce(sum(kept), 0) from rack_total)::int as all`,
    [sets],
  );
  return found!;
}

export async function ids(db: Db, filter: ListFilter, scope: Scope, visible: (bind: Bind) => string, limit: number): Promise<string[]> {
  const values: unknown[] = [];
  const bind: Bind = (value) => `$${values.push(value)}`;
  const where = [visible(bind), ...scopeSql(scope, bind), ...filterSql(filter, bind)];
  const found = await dynamicRows<{ id: string }>(
    db,
    `select r.id from record r where ${where.join(' and ')} limit ${bind(limit)}`,
    values,
  );
  return found.map((f) => f.id);
}

export interface VersionRow extends Record<string, unknown> {
  no: number;
  content_id: string;
  file_name: string;
  media_type: string;
  size: number;
  sha256: Buffer;
  made_by: string;
  made_at: Date;
  note: string;
}

export function versionsOf(db: Db, recordId: string) {
  return rows<VersionRow>(
    db,
    'version.of',
    `select v.no, v.content_id, v.file_name, v.media_type, c.size, c.sha256, p.name as made_by, v.made_at, v.note
     from version v join content c on c.id = v.content_id join principal p on p.id = v.made_by
     where v.record_id = $1 order by v.no desc`,
    [recordId],
  );
}

/** Versions of many records, each with its record, newest first. */
export function versionsOfAll(db: Db, recordIds: readonly string[]) {
  return rows<Pick<VersionRow, 'no' | 'file_name' | 'size' | 'sha256'> & { record_id: string }>(
    db,
    'version.ofAll',
    `select v.record_id, v.no, v.file_name, c.size, c.sha256 from version v join content c on c.id = v.content_id
     where v.record_id = any ($1::uuid[]) order by v.record_id, v.no desc`,
    [recordIds],
  );
}

export async function addVersion(
  db: Db,
  v: { recordId: string; no: number; contentId: string; fileName: string; mediaType: string; by: string; at: string; note: string },
): Promise<void> {
  await run(
    db,
    'version.add',
    'insert into version (record_id, no, content_id, file_name, media_type, made_by, made_at, note) values ($1, $2, $3, $4, $5, $6, $7, $8)',
    [v.recordId, v.no, v.contentId, v.fileName, v.mediaType, v.by, v.at, v.note],
  );
}

/** A record with a newer version: what it was is superseded that day. */
export async function setNewestVersion(
  db: Db,
  recordId: string,
  v: { no: number; size: number; mediaType: string; modifiedOn: string },
): Promise<void> {
  await run(
    db,
    'record.newestVersion',
    'update record set version_no = $2, size = $3, media_type = $4, modified_on = $5, superseded_on = $5, revision = revision + 1 where id = $1',
    [recordId, v.no, v.size, v.mediaType, v.modifiedOn],
  );
}

/** Notes the last day on which the content of a record was used; false when that was known. No criteria ask for it, so holds need not wait. */
export async function noteUse(db: Db, recordId: string, on: string): Promise<boolean> {
  const touched = await run(
    db,
    'record.noteUse',
    `update record set last_used_on = $2 where id = $1 and state <> 'disposed' and coalesce(last_used_on, '-infinity') < $2::date`,
    [recordId, on],
  );
  return touched > 0;
}

export interface NewRecord {
  readonly id: string;
  readonly number: string;
  readonly title: string;
  readonly medium: 'electronic' | 'physical';
  readonly recordType: string;
  readonly placeId: string;
  readonly seriesId: string;
  readonly places: readonly string[];
  readonly createdOn: string;
  readonly today: string;
  readonly facts: Facts;
  readonly gaps: number;
  readonly words: readonly string[];
  readonly accessSetId: number;
  readonly ownerId: string;
  readonly depositedBy: string;
  readonly containerId: string | null;
  readonly versionNo: number;
  readonly size: number;
  readonly mediaType: string | null;
  readonly typeVersion: number;
  readonly refers: readonly string[];
}

export async function addRecord(db: Db, r: NewRecord): Promise<void> {
  await run(
    db,
    'record.add',
    `insert into record (id, number, title, medium, record_type, place_id, series_id, places, created_on, received_on, filed_on,
       modified_on, facts, gaps, search, access_set_id, owner_id, deposited_by, container_id, version_no, size, media_type, type_version, refers)
     values ($1, $2, $3, $4, $5, $6, $7, $8, $9, $10, $10, $10, $11, $12, array_to_tsvector($13::text[]), $14, $15, $16, $17, $18, $19, $20, $21, $22)`,
    [
      r.id,
      r.number,
      r.title,
      r.medium,
      r.recordType,
      r.placeId,
      r.seriesId,
      r.places,
      r.createdOn,
      r.today,
      JSON.stringify(r.facts),
      r.gaps,
      r.words,
      r.accessSetId,
      r.ownerId,
      r.depositedBy,
      r.containerId,
      r.versionNo,
      r.size,
      r.mediaType,
      r.typeVersion,
      r.refers,
    ],
  );
}

export async function writeFacts(
  db: Db,
  id: string,
  r: {
    title: string;
    createdOn: string;
    facts: Facts;
    gaps: number;
    words: readonly string[];
    typeVersion: number;
    refers: readonly string[];
  },
): Promise<number> {
  const found = await row<{ revision: number }>(
    db,
    'record.writeFacts',
    `update record set title = $2, created_on = $3, facts = $4, gaps = $5, search = array_to_tsvector($6::text[]), type_version = $7, refers = $8,
       revision = revision + 1
     where id = $1 returning revision`,
    [id, r.title, r.createdOn, JSON.stringify(r.facts), r.gaps, r.words, r.typeVersion, r.refers],
  );
  return found!.revision;
}

/** The name of the newest file of each record that has one. */
export async function newestFiles(db: Db, ids: readonly string[]): Promise<ReadonlyMap<string, { file_name: string; media_type: string }>> {
  const found = await rows<{ id: string; file_name: string; media_type: string }>(
    db,
    'record.fileNames',
    'select r.id, v.file_name, v.media_type from record r join version v on v.record_id = r.id and v.no = r.version_no where r.id = any ($1::uuid[])',
    [ids],
  );
  return new Map(found.map((f) => [f.id, f]));
}

/** Declares records; which parts freeze follows from the place each is in. */
export async function declare(db: Db, recordIds: readonly string[], on: string): Promise<void> {
  await run(
    db,
    'record.declare',
    `update record r set state = 'declared', declared_on = $2, frozen = p.frozen_when_declared, revision = r.revision + 1
     from place p where p.id = r.place_id and r.id = any ($1::uuid[]) and r.state = 'working'`,
    [recordIds, on],
  );
}

export async function revoke(db: Db, recordId: string, by: string, reason: string): Promise<void> {
  await run(db, 'record.revoke', 'select revoke_declaration($1, $2, $3)', [recordId, by, reason]);
}

/** Working records under a place: those in the given sets, or with null all of them. */
export async function workingUnder(db: Db, placeId: string, sets: readonly number[] | null): Promise<string[]> {
  const found = await rows<{ id: string }>(
    db,
    'record.workingUnder',
    `select id from record where places @> array[$1::uuid] and state = 'working' and ($2::int[] is null or access_set_id = any ($2)) order by id`,
    [placeId, sets],
  );
  return found.map((f) => f.id);
}

/** Until when and why a record was put off; undefined when it is not, or no longer. */
export function deferralOf(db: Db, recordId: string, today: string) {
  return row<{ until: string; reason: string }>(
    db,
    'record.deferral',
    'select deferred_until as until, deferred_reason as reason from record where id = $1 and deferred_until > $2',
    [recordId, today],
  );
}

export function containerById(db: Db, id: string) {
  return row<{ id: string; code: string; title: string; location: string }>(
    db,
    'container.byId',
    'select id, code, title, location from container where id = $1',
    [id],
  );
}

export function personName(db: Db, id: string) {
  return row<{ id: string; name: string }>(db, 'principal.name', 'select id, name from principal where id = $1', [id]);
}

/** The newest records that point at a party or business object, among a person's sets. */
export function referringTo(db: Db, entityId: string, sets: readonly number[], limit: number) {
  return rows<LineRow>(
    db,
    'record.referringTo',
    `select ${lineColumns}, (select p.code from place p where p.id = r.place_id) as place_code from record r
     where r.refers @> array[$1::uuid] and r.refers <> '{}' and r.access_set_id = any ($2::int[]) order by r.filed_on desc, r.id desc limit $3`,
    [entityId, sets, limit],
  );
}

/** Whether somebody did this with the same content lately, so that it is still the same act. */
export async function saidLately(
  db: Db,
  said: { by: string; act: string; subject: string | null; sha256: string; at: string; minutes: number },
): Promise<boolean> {
  const found = await row<{ lately: boolean }>(
    db,
    'content.saidLately',
    `select exists (select from ledger_entry where subject_id = $1 and actor_id = $2 and act = $3
       and at > $5::timestamptz - make_interval(mins => $6) and body::jsonb -> 'after' ->> 'sha256' = $4) as lately`,
    [said.subject, said.by, said.act, said.sha256, said.at, said.minutes],
  );
  return found!.lately;
}

export async function ownedCount(db: Db, personId: string): Promise<number> {
  const found = await row<{ n: number }>(
    db,
    'record.owned',
    `select count(*)::int as n from record where owner_id = $1 and state <> 'disposed'`,
    [personId],
  );
  return found!.n;
}

/** Gives some of the records that one person owns to another, or to nobody. */
export function takeOwned(db: Db, { from, to, limit }: { readonly from: string; readonly to: string | null; readonly limit: number }) {
  return rows<{ id: string; number: string; title: string }>(
    db,
    'record.takeOwned',
    `with mine as (select id from record where owner_id = $1 and state <> 'disposed' order by id limit $3 for no key update)
     update record r set owner_id = $2 from mine where r.id = mine.id returning r.id, r.number, r.title`,
    [from, to, limit],
  );
}
