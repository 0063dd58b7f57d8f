import type { HoldLine, HoldPage, MatterLine } from '@key-cellar/contract';
import { hasRight } from '@key-cellar/core/access';
import { describeCriteria, type Criteria } from '@key-cellar/core/criteria';
import { actOnHold } from '@key-cellar/core/holds';
import { uuidv7 } from 'uuidv7';
import { mayOn, requireAtRepository, requireRight, visibleSql } from '../access/index.js';
import { withUnitOfWork, type UnitOfWork } from '../db/index.js';
import { send, type SignedIn } from '../identity/index.js';
import { notAllowed, notFound, Problem, refused } from '../problem.js';
import type { Services } from '../services.js';
import * as store from './store.js';

async function requireCounsel(services: Services, person: SignedIn): Promise<void> {
  const access = await services.access.of(person);
  if (!hasRight(access.anywhere, 'hold')) throw notAllowed('hold', 'Counsel and keepers place holds.');
}

/** Matters may be looked at by who may place holds or audit. */
async function requireInsight(services: Services, person: SignedIn): Promise<void> {
  const { anywhere } = await services.access.of(person);
  if (!hasRight(anywhere, 'hold') && !hasRight(anywhere, 'audit')) throw notAllowed('hold', 'Counsel and keepers look after holds.');
}

function toLine(h: store.HoldRow): HoldLine {
  return {
    id: h.id,
    name: h.name,
    reason: h.reason,
    state: h.state,
    freeze: h.freeze,
    scope: h.criteria ? describeCriteria(h.criteria) : null,
    placedBy: h.placed_by,
    placedOn: h.placed_on,
    releasedOn: h.released_on,
    releaseReason: h.release_reason,
    covers: h.covers,
    unacknowledged: h.unacknowledged,
  };
}

export async function listMatters(services: Services, person: SignedIn): Promise<MatterLine[]> {
  await requireInsight(services, person);
  const [matters, holds] = await Promise.all([store.matters(services.pool), store.holds(services.pool)]);
  return matters.map((m) => ({
    id: m.id,
    code: m.code,
    title: m.title,
    kind: m.kind,
    note: m.note,
    openedOn: m.opened_on,
    holds: holds.filter((h) => h.matter_id === m.id).map(toLine),
  }));
}

export async function makeMatter(
  services: Services,
  person: SignedIn,
  input: { code: string; title: string; kind: 'case' | 'audit' | 'inquiry'; note: string },
): Promise<string> {
  await requireCounsel(services, person);
  return withUnitOfWork(
    services.pool,
    person,
    async (uow) => {
      const id = uuidv7();
      await store.addMatter(uow, { ...input, id, openedOn: person.today });
      uow.enter({ act: 'opened a matter', subject: { kind: 'matter', id, name: `${input.code} ${input.title}` }, after: input });
      return id;
    },
    'none',
  );
}

const holdSubject = (h: { id: string; name: string }) => ({ kind: 'hold', id: h.id, name: h.name });

async function enterCovers(
  uow: UnitOfWork,
  hold: { id: string; name: string },
  results: readonly { id: string; name: string; outcome: string }[],
): Promise<void> {
  uow.enterAll(
    results
      .filter((r) => r.outcome === 'covered')
      .map((r) => ({
        act: 'held',
        subject: { kind: 'record', id: r.id, name: r.name },
        after: { hold: hold.name, holdId: hold.id },
      })),
  );
}

export type CoverResult = { id: string; name: string; outcome: store.CoverOutcome };

/** Covers records that the person may hold; what they may not discover is as good as not there. */
async function coverRecords(
  services: Services,
  uow: UnitOfWork,
  person: SignedIn,
  hold: { id: string; name: string },
  recordIds: readonly string[],
  because: string,
): Promise<CoverResult[]> {
  const access = await services.access.of(person);
  const names = await store.namesOf(uow, recordIds);
  const known = new Map(names.filter((n) => mayOn(access, person, n, 'discover')).map((n) => [n.id, n]));
  for (const n of known.values()) requireRight(access, person, n, 'hold');
  const outcomes = await store.cover(uow, hold.id, [...known.keys()], because);
  const byId = new Map(outcomes.map((o) => [o.record_id, o.outcome]));
  const results = [...new Set(recordIds)].map((id) => ({
    id,
    name: known.get(id)?.name ?? 'unknown',
    outcome: byId.get(id) ?? ('not found' as const),
  }));
  await enterCovers(uow, hold, results);
  return results;
}

export interface PlaceHold {
  readonly matterId: string;
  readonly name: string;
  readonly reason: string;
  readonly freeze: boolean;
  readonly recordIds: readonly string[];
  readonly criteria?: Criteria | undefined;
  readonly custodianIds: readonly string[];
}

/**
 * Places a hold. With criteria it does so under the exclusive gate: no record can come to match between looking
 * and covering, see migrations/0004. A hold by criteria reaches whatever matches, also what its placer may not see:
 * a freeze with gaps would be worse, so only a keeper or counsel of the whole repository places one.
 */
export async function placeHold(
  services: Services,
  person: SignedIn,
  input: PlaceHold,
): Promise<{ id: string; covered: number; results: CoverResult[] }> {
  await requireCounsel(services, person);
  const access = await services.access.of(person);
  if (input.criteria) {
    await requireAtRepository(services.pool, access, 'hold', 'Counsel of the whole repository places holds by criteria.');
  }
  return withUnitOfWork(
    services.pool,
    person,
    async (uow) => {
      const matter = await store.matterById(uow, input.matterId);
      if (!matter) throw notFound('This matter');
      const hold = { id: uuidv7(), name: input.name };
      await store.addHold(uow, { ...input, ...hold, criteria: input.criteria ?? null, by: person.id, at: uow.at });
      uow.enter({
        act: 'placed a hold',
        subject: holdSubject(hold),
        after: {
          matter: matter.code,
          freeze: input.freeze,
          records: input.recordIds.length,
          criteria: input.criteria ? describeCriteria(input.criteria) : null,
        },
        note: input.reason,
      });
      const results = await coverRecords(services, uow, person, hold, input.recordIds, 'listed');
      if (input.criteria) {
        const found = await store.matching(uow, input.criteria);
        const outcomes = await store.cover(uow, hold.id, found, 'matches its criteria');
        const named = await store.namesOf(uow, found);
        const names = new Map(named.map((n) => [n.id, n.name]));
        const visible = new Set(named.filter((n) => mayOn(access, person, n, 'discover')).map((n) => n.id));
        const byCriteria = outcomes.map((o) => ({ id: o.record_id, name: names.get(o.record_id) ?? 'unknown', outcome: o.outcome }));
        await enterCovers(uow, hold, byCriteria);
        results.push(...byCriteria.filter((r) => visible.has(r.id)));
      }
      await notifyCustodians(uow, hold, matter.title, input.reason, input.custodianIds);
      const line = await store.holdById(uow, hold.id);
      return { id: hold.id, covered: line!.covers, results };
    },
    input.criteria ? 'exclusive' : 'shared',
  );
}

async function notifyCustodians(
  uow: UnitOfWork,
  hold: { id: string; name: string },
  matter: string,
  reason: string,
  custodianIds: readonly string[],
): Promise<void> {
  if (custodianIds.length === 0) return;
  await store.addCustodians(uow, hold.id, custodianIds, uow.at);
  await send(
    uow,
    custodianIds.map((toId) => ({
      toId,
      kind: 'hold notice',
      subject: `Hold: ${hold.name}`,
      body: `Records of yours are held for “${matter}”. ${reason} Nothing of it may be destroyed, here or elsewhere, until the hold is released. Please acknowledge this notice.`,
      link: `/holds/${hold.id}`,
    })),
  );
  uow.enter({ act: 'notified custodians', subject: holdSubject(hold), after: { custodians: custodianIds } });
}

export async function countScope(services: Services, person: SignedIn, criteria: Criteria): Promise<{ count: number; words: string }> {
  await requireCounsel(services, person);
  const access = await services.access.of(person);
  const count = await store.countMatching(services.pool, criteria, (bind) => visibleSql(access, person, 'discover', bind));
  return { count, words: describeCriteria(criteria) };
}

const longestList = 2000;

export async function holdPage(services: Services, person: SignedIn, id: string): Promise<HoldPage> {
  const { pool } = services;
  const custodians = await store.custodians(pool, id);
  if (!custodians.some((c) => c.id === person.id)) await requireInsight(services, person);
  const hold = await store.holdById(pool, id);
  if (!hold) throw notFound('This hold');
  const access = await services.access.of(person);
  const [matter, covered, coverage] = await Promise.all([
    store.matterById(pool, hold.matter_id),
    store.covered(pool, id, access.sets('discover'), longestList),
    store.coverage(pool, id),
  ]);
  return {
    ...toLine(hold),
    matter: { id: matter!.id, code: matter!.code, title: matter!.title },
    custodians: custodians.map((c) => ({
      person: { id: c.id, name: c.name },
      notifiedOn: c.notified_on,
      reminders: c.reminders,
      acknowledgedOn: c.acknowledged_on,
    })),
    records: covered,
    coverage,
  };
}

async function openHold(uow: UnitOfWork, id: string): Promise<store.HoldRow> {
  const hold = await store.lockHold(uow, id);
  if (!hold) throw notFound('This hold');
  return hold;
}

export async function addRecords(
  services: Services,
  person: SignedIn,
  id: string,
  recordIds: readonly string[],
): Promise<{ covered: number; results: CoverResult[] }> {
  await requireCounsel(services, person);
  return withUnitOfWork(services.pool, person, async (uow) => {
    const hold = await openHold(uow, id);
    const next = actOnHold(hold.state, { kind: 'widen' });
    if (typeof next !== 'string') throw refused(next);
    const results = await coverRecords(services, uow, person, hold, recordIds, 'listed later');
    uow.enter({ act: 'added records to a hold', subject: holdSubject(hold), after: { records: recordIds.length } });
    return { covered: results.filter((r) => r.outcome === 'covered').length, results };
  });
}

export async function letOut(
  services: Services,
  person: SignedIn,
  id: string,
  recordIds: readonly string[],
  reason: string,
): Promise<number> {
  await requireCounsel(services, person);
  return withUnitOfWork(services.pool, person, async (uow) => {
    const hold = await openHold(uow, id);
    if (hold.state !== 'open') throw new Problem(409, 'hold-not-open', 'Only an open hold can let records out.');
    const released = await store.letOut(uow, id, recordIds, person.id, reason);
    uow.enterAll(
      (await store.namesOf(uow, recordIds)).map((r) => ({
        act: 'let out of a hold',
        subject: { kind: 'record', id: r.id, name: r.name },
        before: { hold: hold.name, holdId: id },
        note: reason,
      })),
    );
    return released;
  });
}

export async function release(services: Services, person: SignedIn, id: string, reason: string): Promise<number> {
  await requireCounsel(services, person);
  return withUnitOfWork(services.pool, person, async (uow) => {
    const hold = await openHold(uow, id);
    const next = actOnHold(hold.state, { kind: 'release', reason });
    if (typeof next !== 'string') throw refused(next);
    await store.release(uow, id, person.id, uow.at, reason);
    uow.enter({ act: 'released a hold', subject: holdSubject(hold), before: { covers: hold.covers }, note: reason });
    return hold.covers;
  });
}

export async function acknowledge(services: Services, person: SignedIn, id: string): Promise<void> {
  await withUnitOfWork(
    services.pool,
    person,
    async (uow) => {
      const hold = await store.holdById(uow, id);
      if (!hold || (await store.acknowledge(uow, id, person.id, uow.at)) === 0) {
        throw new Problem(409, 'nothing-to-acknowledge', 'There is no notice of this hold that waits for you.');
      }
      uow.enter({ act: 'acknowledged a hold', subject: holdSubject(hold) });
    },
    'none',
  );
}

export async function remind(services: Services, person: SignedIn, id: string): Promise<number> {
  await requireCounsel(services, person);
  return withUnitOfWork(
    services.pool,
    person,
    async (uow) => {
      const hold = await openHold(uow, id);
      const late = await store.remind(uow, id);
      await send(
        uow,
        late.map((c) => ({
          toId: c.principal_id,
          kind: 'hold reminder',
          subject: `Reminder. Hold: ${hold.name}`,
          body: `You have not acknowledged the notice of this hold yet. ${hold.reason}`,
          link: `/holds/${id}`,
        })),
      );
      uow.enter({ act: 'reminded custodians', subject: holdSubject(hold), after: { custodians: late.map((c) => c.principal_id) } });
      return late.length;
    },
    'none',
  );
}
