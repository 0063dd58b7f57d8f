import { criteriaOf, type Dossier, type OutcomeLine, type RecordFilter, type RecordLine, type SortColumn } from '@key-cellar/contract';
import { explainAccess, listRights } from '@key-cellar/core/access';
import { civilDate } from '@key-cellar/core/calendar';
import { resolveCriteria } from '@key-cellar/core/criteria';
import { factGaps, idsIn, refusalFor, takesRefusal, type Facts, type RecordAct, type RecordStanding } from '@key-cellar/core/records';
import type { HoldInTheWay } from '@key-cellar/core/schedule';
import { mayOn, requireRight, visibleSql, type PersonAccess } from '../access/index.js';
import { mayNameDetectors, requireNamable } from '../criteria/index.js';
import { withUnitOfWork, type UnitOfWork } from '../db/index.js';
import type { SignedIn } from '../identity/index.js';
import { placeById, placesByIds, seriesUnder, takesAround } from '../plan/index.js';
import { changedMeanwhile, notFound, Problem, refused } from '../problem.js';
import { takeArrival } from '../receiving/index.js';
import { explainJudged, judge, loadRuleBook, recompute } from '../schedule/index.js';
import type { Services } from '../services.js';
import { detectorTitles } from './detectorStore.js';
import { checkFacts, claimUnique, namesOf, recordWords } from './facts.js';
import { earlierFacts, recordType } from './factStore.js';
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

export const subjectOf = (r: { id: string; number: string; title: string }) => ({
  kind: 'record',
  id: r.id,
  name: `${r.number} ${r.title}`,
});

async function scopeOf(services: Services, person: SignedIn, under: string | undefined): Promise<store.Scope> {
  if (!under) return { kind: 'all' };
  const place = await placeById(services.pool, under);
  if (!place) throw notFound('This place');
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
  throw new Problem(422, 'wrong-input', 'The position in “after” is not one that a page gave.');
}

/** Reads the criteria of a filter; relative dates mean what they mean today. Refuses what the person may not ask. */
function readFilter({ criteria, ...filter }: RecordFilter, access: PersonAccess, today: string): store.ListFilter {
  if (!criteria) return filter;
  const asked = criteriaOf(criteria);
  requireNamable(access, asked);
  return { ...filter, criteria: resolveCriteria(asked, civilDate(today)) };
}

export interface ListQuery extends RecordFilter {
  readonly sort: SortColumn;
  readonly descending: boolean;
  readonly after?: string | undefined;
  readonly skip: number;
  readonly limit: number;
}

export async function list(
  services: Services,
  person: SignedIn,
  query: ListQuery,
): Promise<{ records: RecordLine[]; next: string | null }> {
  const { sort, descending, after, skip, limit, ...filter } = query;
  const access = await services.access.of(person);
  const read = readFilter(filter, access, person.today);
  const found = await store.page(services.pool, {
    filter: read,
    scope: await scopeOf(services, person, filter.under),
    sort,
    descending,
    after: after ? decodePosition(after) : null,
    skip,
    limit,
    visible: (bind) => visibleSql(access, person, 'discover', bind),
  });
  return { records: found.map(toLine), next: found.length === limit ? encodePosition(found.at(-1)!) : null };
}

export async function count(services: Services, person: SignedIn, asked: RecordFilter): Promise<number> {
  const access = await services.access.of(person);
  const filter = readFilter(asked, access, person.today);
  const scope = await scopeOf(services, person, filter.under);
  if (access.ownSets('discover').length === 0) {
    const known = await store.rackCount(services.pool, filter, scope, access.sets('discover'));
    if (known !== null) return known;
  }
  return store.count(services.pool, filter, scope, (bind) => visibleSql(access, person, 'discover', bind));
}

const mostIds = 10_000;

export async function ids(services: Services, person: SignedIn, filter: RecordFilter): Promise<{ ids: string[]; more: boolean }> {
  const access = await services.access.of(person);
  const found = await store.ids(
    services.pool,
    readFilter(filter, access, person.today),
    await scopeOf(services, person, filter.under),
    (bind) => visibleSql(access, person, 'discover', bind),
    mostIds + 1,
  );
  return { ids: found.slice(0, mostIds), more: found.length > mostIds };
}

function standingOf(r: store.RecordRow): RecordStanding {
  return {
    state: r.state,
    holds: r.hold_count,
    freeze: r.freeze_count > 0,
    frozenWhenDeclared: r.frozen as RecordStanding['frozenWhenDeclared'],
  };
}

/** Throws 409 when the record's standing refuses the act, whoever asks. */
export function requireStanding(r: store.RecordRow, act: RecordAct): void {
  const refusal = refusalFor(act, standingOf(r));
  if (refusal) throw refused(refusal);
}

export async function dossier(services: Services, person: SignedIn, id: string): Promise<Dossier> {
  const { pool } = services;
  const access = await services.access.of(person);
  const found = requireRight(access, person, await store.recordById(pool, id), 'read');
  const [type, earlier, versions, holds, places, container, owner, depositor, certificate, deferral] = await Promise.all([
    recordType(pool, found.record_type),
    earlierFacts(pool, found.record_type),
    store.versionsOf(pool, id),
    store.holdsOn(pool, id),
    placesByIds(pool, found.places),
    found.container_id ? store.containerById(pool, found.container_id) : undefined,
    found.owner_id ? store.personName(pool, found.owner_id) : undefined,
    store.personName(pool, found.deposited_by),
    store.certificateOf(pool, id),
    store.deferralOf(pool, id, person.today),
  ]);
  const gaps = factGaps(type!.facts, found.facts);
  const factNames = await namesOf(pool, access, idsIn(found.facts));
  const inTheWay: HoldInTheWay[] = holds
    .filter((h) => !h.released)
    .map((h) => ({ holdId: h.id, name: h.name, matter: h.matter, since: h.since, because: h.because }));
  const book = await services.rules.current(pool);
  const [judged] = await judge(pool, [found], book, person.today);
  const byId = new Map(places.map((p) => [p.id, p]));
  const rights = access.on(found.access_set_id);
  const own = found.deposited_by === person.id;
  return {
    ...toLine(found),
    revision: found.revision,
    path: found.places.flatMap((p) => {
      const place = byId.get(p);
      return place && place.kind !== 'repository' ? [{ id: p, kind: place.kind, code: place.code, title: place.title }] : [];
    }),
    facts: found.facts,
    factNames,
    type: { code: type!.code, title: type!.title, version: type!.version, facts: type!.facts, retired: type!.retired_on !== null },
    typeVersion: found.type_version,
    earlierFacts: earlier.filter((f) => found.facts[f.code] !== undefined),
    gapList: gaps,
    jurisdictions: found.jurisdictions,
    detected: mayNameDetectors(access) ? await detectorTitles(pool, found.detected) : [],
    receivedOn: found.received_on,
    modifiedOn: found.modified_on,
    owner: owner ?? null,
    depositedBy: depositor!,
    container: container ?? null,
    versions: versions.map((v) => ({
      no: v.no,
      fileName: v.file_name,
      mediaType: v.media_type,
      size: v.size,
      sha256: v.sha256.toString('hex'),
      madeBy: v.made_by,
      madeAt: v.made_at.toISOString(),
      note: v.note,
    })),
    holds: holds.map(({ released: _released, ...h }) => h),
    frozenParts: found.frozen,
    frozenByHold: found.freeze_count > 0,
    why: explainJudged(judged!, inTheWay, gaps),
    rights: listRights(own ? rights.own | rights.all : rights.all),
    accessWhy: explainAccess(access.explain(found.access_set_id)),
    certificate: certificate ? { id: certificate.id, number: certificate.number } : null,
    transferredTo: certificate?.accession ?? null,
    deferral: deferral ?? null,
  };
}

export async function editFacts(
  services: Services,
  person: SignedIn,
  id: string,
  input: { revision: number; title: string; createdOn: string; facts: Facts },
): Promise<number> {
  const access = await services.access.of(person);
  return withUnitOfWork(services.pool, person, async (uow) => {
    const [locked] = await store.lockRecords(uow, [id]);
    const found = requireRight(access, person, locked, 'edit');
    requireStanding(found, { kind: 'change', part: 'facts' });
    if (found.revision !== input.revision) throw changedMeanwhile();
    const type = (await recordType(uow, found.record_type))!;
    const { facts, gaps, names, refers } = await checkFacts(uow, access, person, type, input.facts, { before: found.facts });
    const revision = await store.writeFacts(uow, id, {
      title: input.title,
      createdOn: input.createdOn,
      facts,
      gaps: gaps.length,
      words: recordWords(input.title, found.number, facts, names),
      typeVersion: type.version,
      refers,
    });
    await claimUnique(uow, type, id, facts);
    uow.enter({
      act: 'changed facts',
      subject: subjectOf({ ...found, title: input.title }),
      before: { title: found.title, createdOn: found.created_on, facts: found.facts },
      after: { title: input.title, createdOn: input.createdOn, facts },
    });
    await recompute(uow, [id], await loadRuleBook(uow), person.today);
    return revision;
  });
}

export async function addVersion(
  services: Services,
  person: SignedIn,
  id: string,
  input: { arrivalId: string; note: string },
): Promise<number> {
  const access = await services.access.of(person);
  return withUnitOfWork(services.pool, person, async (uow) => {
    const [locked] = await store.lockRecords(uow, [id]);
    const found = requireRight(access, person, locked, 'edit');
    requireStanding(found, { kind: 'change', part: 'content' });
    if (found.medium === 'physical') throw new Problem(409, 'physical', 'A physical item has no content here to replace.');
    const arrival = await takeArrival(uow, person, input.arrivalId);
    const around = takesAround(await placesByIds(uow, found.places), found.places);
    const refusal = takesRefusal(around, { recordType: found.record_type, fileName: arrival.file_name, size: arrival.size });
    if (refusal) throw new Problem(409, 'not-taken', refusal);
    const no = found.version_no + 1;
    await store.addVersion(uow, {
      recordId: id,
      no,
      contentId: arrival.content_id,
      fileName: arrival.file_name,
      by: person.id,
      at: uow.at,
      note: input.note,
    });
    await store.setNewestVersion(uow, id, { no, size: arrival.size, mediaType: arrival.media_type, modifiedOn: person.today });
    uow.enter({
      act: 'added a version',
      subject: subjectOf(found),
      after: { no, fileName: arrival.file_name, size: arrival.size, sha256: arrival.sha256.toString('hex') },
      note: input.note || undefined,
    });
    await recompute(uow, [id], await loadRuleBook(uow), person.today);
    return no;
  });
}

/** Declares locked records that may be declared; says for each what came of it. */
async function declareLocked(
  services: Services,
  uow: UnitOfWork,
  locked: readonly store.RecordRow[],
  allowed: (r: store.RecordRow) => string | null,
): Promise<OutcomeLine[]> {
  const results = locked.map((r): OutcomeLine => {
    const name = `${r.number} ${r.title}`;
    const why = allowed(r);
    if (why) return { id: r.id, name, outcome: 'refused', why };
    const refusal = refusalFor({ kind: 'declare' }, standingOf(r));
    if (refusal) return { id: r.id, name, outcome: refusal.code === 'already-declared' ? 'skipped' : 'refused', why: refusal.sentence };
    return { id: r.id, name, outcome: 'done', why: 'Declared.' };
  });
  const done = results.filter((r) => r.outcome === 'done').map((r) => r.id);
  await store.declare(uow, done, uow.actor.today);
  uow.enterAll(
    locked
      .filter((r) => done.includes(r.id))
      .map((r) => ({
        act: 'declared',
        subject: subjectOf(r),
        before: { state: r.state },
        after: { state: 'declared', on: uow.actor.today },
      })),
  );
  await recompute(uow, done, await loadRuleBook(uow), uow.actor.today);
  return results;
}

function missingLines(asked: readonly string[], results: readonly OutcomeLine[]): OutcomeLine[] {
  const seen = new Set(results.map((r) => r.id));
  return [...new Set(asked)]
    .filter((id) => !seen.has(id))
    .map((id) => ({ id, name: 'unknown', outcome: 'refused', why: 'It does not exist here, or you may not see it.' }));
}

export async function declare(services: Services, person: SignedIn, recordIds: readonly string[]): Promise<OutcomeLine[]> {
  const access = await services.access.of(person);
  return withUnitOfWork(services.pool, person, async (uow) => {
    const locked = (await store.lockRecords(uow, recordIds)).filter((r) => mayOn(access, person, r, 'discover'));
    const results = await declareLocked(services, uow, locked, (r) =>
      mayOn(access, person, r, 'declare') ? null : 'You may not declare here. A steward or keeper can.',
    );
    return [...results, ...missingLines(recordIds, results)];
  });
}

/** Declares everything still working under a folder, in the caller's transaction. */
export async function declareUnder(services: Services, uow: UnitOfWork, placeId: string): Promise<OutcomeLine[]> {
  const locked = await store.lockRecords(uow, await store.workingUnder(uow, placeId));
  return declareLocked(services, uow, locked, () => null);
}

export async function undeclare(
  services: Services,
  person: SignedIn,
  recordIds: readonly string[],
  reason: string,
): Promise<OutcomeLine[]> {
  const access = await services.access.of(person);
  return withUnitOfWork(services.pool, person, async (uow) => {
    const locked = (await store.lockRecords(uow, recordIds)).filter((r) => mayOn(access, person, r, 'discover'));
    const results: OutcomeLine[] = [];
    for (const r of locked) {
      const name = `${r.number} ${r.title}`;
      const refusal = refusalFor({ kind: 'undeclare', reason }, standingOf(r));
      if (!mayOn(access, person, r, 'undeclare')) {
        results.push({ id: r.id, name, outcome: 'refused', why: 'You may not undeclare here. A keeper can.' });
      } else if (refusal) {
        results.push({ id: r.id, name, outcome: refusal.code === 'not-declared' ? 'skipped' : 'refused', why: refusal.sentence });
      } else {
        await store.undeclare(uow, r.id, person.id, reason);
        uow.enter({
          act: 'undeclared',
          subject: subjectOf(r),
          before: { state: 'declared', on: r.declared_on },
          after: { state: 'working' },
          note: reason,
        });
        results.push({ id: r.id, name, outcome: 'done', why: 'Undeclared.' });
      }
    }
    await recompute(
      uow,
      results.filter((r) => r.outcome === 'done').map((r) => r.id),
      await loadRuleBook(uow),
      person.today,
    );
    return [...results, ...missingLines(recordIds, results)];
  });
}

/** Finds the content of a version that a person may read (to see) or copy out (to keep). */
export async function contentFor(
  services: Services,
  person: SignedIn,
  id: string,
  no: number | undefined,
  right: 'read' | 'copyOut',
): Promise<{ record: store.RecordRow; version: store.VersionRow }> {
  const access = await services.access.of(person);
  const record = requireRight(access, person, await store.recordById(services.pool, id), right);
  const versions = await store.versionsOf(services.pool, id);
  const version = no === undefined ? versions[0] : versions.find((v) => v.no === no);
  if (!version) throw notFound('This version');
  return { record, version };
}
