import { message } from '@key-cellar/words';
import { criteriaOf, type ListedRecord, type RecordFilter, type RecordLine, type SortColumn } from '@key-cellar/contract';
import { civilDate } from '@key-cellar/core/calendar';
import { resolveCriteria } from '@key-cellar/core/criteria';
import { idsIn, type Facts } from '@key-cellar/core/records';
import { requireNamable } from '../criteria/index.js';
import { namesOf } from '../facts/index.js';
import { mayOn, notFound, Problem, visibleSql, type Db, type PersonAccess, type SignedIn } from '../kernel/index.js';
import { countsWithin, mayKnowOfPlace, placeById, rackSeen, seriesUnder } from '../plan/index.js';
import { landmarkBefore } from './landmarks.js';
import type { Services } from './services.js';
import * as store from './store.js';

export function toLine(r: store.LineRow): RecordLine {
  return {
    id: r.id,
    number: r.number,
    title: r.title,
    medium: r.medium,
    recordType: r.record_type,
    placeId: r.place_id,
    placeCode: r.place_code,
    state: r.state,
    createdOn: r.created_on,
    filedOn: r.filed_on,
    declaredOn: r.declared_on,
    outcome: r.outcome,
    clockStart: r.clock_start,
    dueOn: r.due_on,
    action: r.action,
    docket: r.docket,
    held: r.hold_count,
    heldSince: r.held_since,
    gaps: r.gaps,
    size: r.size,
    mediaType: r.media_type,
    disposedOn: r.disposed_on,
  };
}

async function scopeOf(services: Services, access: PersonAccess, under: string | undefined): Promise<store.Scope> {
  if (!under) return { kind: 'all' };
  const place = await placeById(services.pool, under);
  if (!place || !(await mayKnowOfPlace(services.pool, access, place))) throw notFound(message('thing.place'));
  switch (place.kind) {
    case 'repository':
      return { kind: 'all' };
    case 'folder':
      return { kind: 'folder', id: under };
    case 'series':
      return { kind: 'series', ids: [under] };
    case 'function':
    case 'activity':
      return { kind: 'series', ids: (await seriesUnder(services.pool, under)).map((s) => s.id) };
  }
}

function encodePosition(row: { sort_value: string; id: string }): string {
  return Buffer.from(JSON.stringify([row.sort_value, row.id])).toString('base64url');
}

function decodePosition(text: string): store.Position {
  try {
    const [value, id] = JSON.parse(Buffer.from(text, 'base64url').toString()) as unknown[];
    if (typeof value === 'string' && typeof id === 'string' && /^[0-9a-f-]{36}$/.test(id)) return { value, id };
  } catch {
    // Falls through to the problem below.
  }
  throw new Problem(422, 'wrong-input', message('records.wrongInput'));
}

/** Reads the criteria of a filter; relative dates mean what they mean today. Refuses what the person may not ask. */
function readFilter({ criteria, ...filter }: RecordFilter, access: PersonAccess, today: string): store.ListFilter {
  if (!criteria) return filter;
  const asked = criteriaOf(criteria);
  requireNamable(access, asked);
  return { ...filter, criteria: resolveCriteria(asked, civilDate(today)) };
}

/** Somebody who may discover fewer than this, and less than a twentieth of all, has a narrow view. */
const narrowAt = 5000;
const partOfAll = 20;
/** For so long it is not asked again, in milliseconds: it decides how rows are looked for, and never which. */
const knownFor = 300_000;
const views = new WeakMap<PersonAccess, { readonly until: number; readonly narrow: Promise<boolean> }>();

/**
 * Whether somebody may discover so little that their rows are better found by what they may see, and then sorted, than
 * looked for among all in the order asked for. The database cannot know: it takes sets of access for equally large.
 */
async function hasNarrowView(services: Services, access: PersonAccess): Promise<boolean> {
  const sets = access.sets('discover');
  if (access.ownSets('discover').length > 0 || sets.length * 2 > access.known) return false;
  const known = views.get(access);
  if (known && known.until > Date.now()) return known.narrow;
  const narrow = store.keptIn(services.pool, sets).then(({ here, all }) => here < narrowAt && here * partOfAll < all);
  views.set(access, { until: Date.now() + knownFor, narrow });
  narrow.catch(() => views.delete(access));
  return narrow;
}

export interface ListQuery extends RecordFilter {
  readonly facts?: string | undefined;
  readonly sort: SortColumn;
  readonly descending: boolean;
  readonly after?: string | undefined;
  readonly skip: number;
  readonly limit: number;
}

/** The facts that were asked for, of records that the person may read; of others nothing is told. */
export async function factsTold(
  db: Db,
  person: SignedIn,
  access: PersonAccess,
  found: readonly store.LineRow[],
  codes: readonly string[],
): Promise<{ told: ReadonlyMap<string, Facts>; factNames: Record<string, string> }> {
  const readable = found.filter((r) => mayOn(access, person, r, 'read')).map((r) => r.id);
  if (codes.length === 0 || readable.length === 0) return { told: new Map(), factNames: {} };
  const told = new Map((await store.factsOf(db, readable, codes)).map((r) => [r.id, r.facts]));
  return { told, factNames: await namesOf(db, access, idsIn(...told.values())) };
}

/** How many records a list has, as the rack knows; null when the filter asks for something that it does not count. */
async function countByRack(services: Services, access: PersonAccess, filter: store.ListFilter, scope: store.Scope): Promise<number | null> {
  const { words, recordType, show, vintage, cells, criteria } = filter;
  if (words || criteria || cells || recordType || show === 'gaps' || show === 'disposed') return null;
  if (access.ownSets('discover').length > 0) return null;
  if (scope.kind === 'folder') {
    if (vintage !== undefined || show === 'declared') return null;
    const within = await countsWithin(services.pool, scope.id, access.sets('discover'));
    return within.reduce((sum, counts) => sum + counts[show ?? 'kept'], 0);
  }
  const seen = await rackSeen(services.pool, access, 'discover');
  return seen.total(scope.kind === 'series' ? scope.ids : null, vintage ?? null)[show ?? 'kept'];
}

/** So many rows in, a page is not counted to from the beginning. */
const far = 2000;

/**
 * A page far into a list: read from the end where that is near, which is exact; from a landmark where one is known; else counted to
 * from the nearer end.
 */
async function farPage(
  services: Services,
  access: PersonAccess,
  asked: store.ListAsked,
  skip: number,
  limit: number,
): Promise<Awaited<ReturnType<typeof store.page>>> {
  const { pool } = services;
  const total = await countByRack(services, access, asked.filter, asked.scope);
  const behind = total === null ? null : Math.max(0, total - skip - limit);
  const landmark = behind !== null && behind < far ? null : landmarkBefore(services, asked, skip);
  if (landmark) return store.page(pool, { ...asked, ...landmark, limit });
  if (behind === null || behind > skip) return store.page(pool, { ...asked, after: null, skip, limit });
  const left = Math.min(limit, total! - skip);
  if (left <= 0) return [];
  const backwards = await store.page(pool, { ...asked, descending: !asked.descending, after: null, skip: behind, limit: left });
  return backwards.reverse();
}

/** What a person asks of a list, besides where in it. Rejects what they may not ask. */
export async function askedOf(
  services: Services,
  person: SignedIn,
  access: PersonAccess,
  filter: RecordFilter,
  sort: SortColumn,
  descending: boolean,
): Promise<store.ListAsked> {
  return {
    filter: readFilter(filter, access, person.today),
    scope: await scopeOf(services, access, filter.under),
    sort,
    descending,
    visible: (bind) => visibleSql(access, person, 'discover', bind),
    narrow: await hasNarrowView(services, access),
  };
}

export async function list(
  services: Services,
  person: SignedIn,
  query: ListQuery,
): Promise<{ records: ListedRecord[]; factNames: Record<string, string>; next: string | null }> {
  const { sort, descending, after, skip, limit, facts, ...filter } = query;
  const access = await services.access.of(person);
  const asked = await askedOf(services, person, access, filter, sort, descending);
  const found =
    after || asked.narrow || skip < far
      ? await store.page(services.pool, { ...asked, after: after ? decodePosition(after) : null, skip, limit })
      : await farPage(services, access, asked, skip, limit);
  const { told, factNames } = await factsTold(services.pool, person, access, found, facts?.split(',') ?? []);
  return {
    records: found.map((r) => ({ ...toLine(r), facts: told.get(r.id) })),
    factNames,
    next: found.length === limit ? encodePosition(found.at(-1)!) : null,
  };
}

/** How many records there are of what is asked. */
export async function countOf(
  services: Services,
  access: PersonAccess,
  { filter, scope, visible }: Pick<store.ListAsked, 'filter' | 'scope' | 'visible'>,
): Promise<number> {
  const known = await countByRack(services, access, filter, scope);
  return known ?? store.count(services.pool, filter, scope, visible);
}

export async function count(services: Services, person: SignedIn, asked: RecordFilter): Promise<number> {
  const access = await services.access.of(person);
  return countOf(services, access, {
    filter: readFilter(asked, access, person.today),
    scope: await scopeOf(services, access, asked.under),
    visible: (bind) => visibleSql(access, person, 'discover', bind),
  });
}

const mostIds = 10_000;

export async function ids(services: Services, person: SignedIn, filter: RecordFilter): Promise<{ ids: string[]; more: boolean }> {
  const access = await services.access.of(person);
  const found = await store.ids(
    services.pool,
    readFilter(filter, access, person.today),
    await scopeOf(services, access, filter.under),
    (bind) => visibleSql(access, person, 'discover', bind),
    mostIds + 1,
  );
  return { ids: found.slice(0, mostIds), more: found.length > mostIds };
}
