import { type holds, type HoldLine, type HoldPage, type MatterLine, type Told } from '@key-cellar/contract';
import { hasRight } from '@key-cellar/core/access';
import { describeCriteria } from '@key-cellar/core/criteria';
import { message, told, type Message } from '@key-cellar/words';
import {
  mayKnowOf,
  mayOn,
  notAllowed,
  notFound,
  requireAtRepository,
  visibleSql,
  type Db,
  type Guarded,
  type PersonAccess,
  type ReadsOf,
  type Services,
  type SignedIn,
} from '../kernel/index.js';
import { holdKind } from './kinds.js';
import * as store from './store.js';

const reasons: readonly string[] = ['listed', 'listedLater', 'matches'];

/** Why a hold covers a record: what the database keeps of it, in words. */
const becauseWords = (because: string): Message =>
  reasons.includes(because) ? message(`holds.because.${because as 'listed'}`) : told(because);

const longestList = 2000;

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
    doing: h.doing,
    unacknowledged: h.unacknowledged,
  };
}

/** Matters may be looked at by who may place holds or audit; of their holds those show on which they may. */
async function listMatters({ pool }: Services, person: SignedIn, access: PersonAccess): Promise<MatterLine[]> {
  if (!hasRight(access.anywhere, 'hold') && !hasRight(access.anywhere, 'audit')) {
    throw notAllowed('hold', message('holds.counselKeepersLookAfter'));
  }
  const [matters, found] = await Promise.all([store.matters(pool), store.holds(pool)]);
  const known = await mayKnowOf(pool, holdKind, found, person, access);
  return matters.map((m) => ({
    id: m.id,
    code: m.code,
    title: m.title,
    kind: m.kind,
    note: m.note,
    openedOn: m.opened_on,
    holds: known.filter((h) => h.matter_id === m.id).map(toLine),
  }));
}

/** One hold, for its custodians and for those who hold or audit all that it covers. */
async function holdPage({ pool }: Services, person: SignedIn, access: PersonAccess, id: string): Promise<Told<HoldPage>> {
  const [custodians, found] = await Promise.all([store.custodians(pool, id), store.holdById(pool, id)]);
  if (!found) throw notFound(message('thing.hold'));
  const known = custodians.some((c) => c.id === person.id) || (await mayKnowOf(pool, holdKind, [found], person, access)).length > 0;
  if (!known) throw notFound(message('thing.hold'));
  const [matter, covered, coverage] = await Promise.all([
    store.mattersByIds(pool, [found.matter_id]),
    store.covered(pool, id, access.sets('discover'), longestList),
    store.coverage(pool, id),
  ]);
  return {
    ...toLine(found),
    matter: { id: matter[0]!.id, code: matter[0]!.code, title: matter[0]!.title },
    custodians: custodians.map((c) => ({
      person: { id: c.id, name: c.name },
      notifiedOn: c.notified_on,
      reminders: c.reminders,
      acknowledgedOn: c.acknowledged_on,
    })),
    records: covered.map((c) => ({ ...c, because: becauseWords(c.because) })),
    coverage,
  };
}

/**
 * Holds that cover a record or covered it, oldest first. Which ones they are is told to those who hold or audit the record and to
 * custodians; to everybody else it is *held*, and since when.
 */
export async function holdsAsKnown(db: Db, person: SignedIn, access: PersonAccess, record: Guarded & { id: string }) {
  const tells = mayOn(access, person, record, 'hold') || mayOn(access, person, record, 'audit');
  return (await store.holdsOn(db, record.id, person.id)).map(({ since, until, custodian, id, name, matter, because }) => ({
    since,
    until,
    hold: tells || custodian ? { id, name, matter, because: becauseWords(because) } : null,
  }));
}

/** Holds whose notice waits for custodians, of those that the person may know of. */
export async function unacknowledgedFor(db: Db, person: SignedIn, access: PersonAccess) {
  const waiting = await store.unacknowledged(db);
  const found = await store.findHolds(
    db,
    waiting.map((w) => w.id),
    false,
  );
  const known = new Set((await mayKnowOf(db, holdKind, found, person, access)).map((h) => h.id));
  return waiting.filter((w) => known.has(w.id));
}

export const holdReads: ReadsOf<typeof holds, Services> = {
  matters: async ({ services, person, access }) => ({ matters: await listMatters(services, person, await access()) }),
  hold: async ({ services, person, params, access }) => holdPage(services, person, await access(), params.id),
  countScope: async ({ services, person, body, access }) => {
    const rights = await access();
    await requireAtRepository(services.pool, rights, 'hold', message('holds.counselWholeRepositoryPlaces'));
    const count = await store.countMatching(services.pool, body.criteria, (bind) => visibleSql(rights, person, 'discover', bind));
    return { count, words: describeCriteria(body.criteria) };
  },
};
