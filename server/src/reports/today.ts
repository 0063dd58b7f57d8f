import type { HorizonBar, Needs, RecordSeen, TodayLine, Told } from '@key-cellar/contract';
import { hasRight } from '@key-cellar/core/access';
import { civilDate, dateInZone, formatCivilDate } from '@key-cellar/core/calendar';
import { message, type Message } from '@key-cellar/words';
import { recordsUnread } from '../criteria/index.js';
import { countTasks, dueGroups, listBatches, vintageWords } from '../docket/index.js';
import { openNotices, unacknowledgedFor } from '../holds/index.js';
import { lastVerification } from '../ledger/index.js';
import { mailsNotArrived } from '../mail/index.js';
import { mayAtRepository, type PersonAccess, type SignedIn } from '../kernel/index.js';
import { coming, rackSeen, raisesWaiting } from '../plan/index.js';
import { reviewsWaiting } from '../reviews/index.js';
import { countArrivals } from '../receiving/index.js';
import { fixityTroubles } from '../records/index.js';
import type { Services } from '../docket/index.js';
import * as store from './store.js';
import { firstSteps } from './firstSteps.js';
import { isAuditor, watchedActs } from './watched.js';

const horizonMonths = 24;
/** Due groups named one by one; the rest is one line. */
const mostGroups = 3;
const asIs = (text: string): Message => message('shared.asIs', { text });

/** What is damaged, for those who audit the whole repository; null when nothing is. */
async function troublesFor(services: Services, access: PersonAccess): Promise<Awaited<ReturnType<typeof fixityTroubles>> | null> {
  if (!hasRight(access.anywhere, 'audit') || !(await mayAtRepository(services.pool, access, 'audit'))) return null;
  return fixityTroubles(services);
}

/** An auditor is asked to verify the ledger where nobody has for so long. */
const verifyEveryDays = 30;

/** When the ledger was verified last, where an auditor should do so again; null where there is no need, or no auditor. */
async function verificationFor(
  { pool }: Services,
  { timeZone, today }: SignedIn,
  access: PersonAccess,
): Promise<{ readonly last: string | null } | null> {
  if (!(await isAuditor(pool, access))) return null;
  const last = await lastVerification(pool);
  if (!last) return { last: null };
  const on = dateInZone(Date.parse(last.at), timeZone);
  return last.ok && on + verifyEveryDays > civilDate(today) ? null : { last: formatCivilDate(on) };
}

/** What did not arrive of mail, for who looks after what goes out. */
async function mailFor({ pool }: Services, access: PersonAccess): Promise<{ readonly n: number; readonly since: string | null }> {
  const theirs = hasRight(access.anywhere, 'connect') && (await mayAtRepository(pool, access, 'connect'));
  return theirs ? mailsNotArrived(pool) : { n: 0, since: null };
}

/** How many records no rule reaches, and in how many series these are, of what somebody disposes of. */
async function unscheduledIn({ pool }: Services, access: PersonAccess): Promise<{ records: number; series: number }> {
  const without = [...(await rackSeen(pool, access, 'dispose')).series.values()].map(({ all }) => all.unscheduled).filter((n) => n > 0);
  return { records: without.reduce((sum, n) => sum + n, 0), series: without.length };
}

/** What needs a person, most pressing first. Each line has its act; nothing here is only news. */
async function todayFor(services: Services, person: SignedIn): Promise<Told<TodayLine>[]> {
  const { pool } = services;
  const access = await services.access.of(person);
  const may = (right: 'dispose' | 'hold' | 'deposit'): boolean => hasRight(access.anywhere, right);
  const [trouble, verification, batches, groups, notices, late, arrivals, gaps, asked, unread, raises, reviews, mail] = await Promise.all([
    troublesFor(services, access),
    verificationFor(services, person, access),
    listBatches(services, person, 'open'),
    may('dispose') ? dueGroups(services, person) : [],
    openNotices(pool, person.id),
    may('hold') ? unacknowledgedFor(pool, person, access) : [],
    may('deposit') ? countArrivals(services, person) : 0,
    may('dispose') ? unscheduledIn(services, access) : { records: 0, series: 0 },
    countTasks(services, person),
    may('dispose') ? recordsUnread(pool, access.sets('dispose')) : 0,
    hasRight(access.anywhere, 'grant')
      ? raisesWaiting(pool, { sets: access.sets('grant'), but: person.id, today: person.today })
      : { n: 0, since: null },
    hasRight(access.anywhere, 'grant')
      ? reviewsWaiting(pool, { sets: access.sets('grant'), but: person.id })
      : { n: 0, due: null, id: null },
    mailFor(services, access),
  ]);
  const lines: Told<TodayLine>[] = [];
  for (const b of batches) {
    const base = { key: `batch ${b.id}`, link: `/docket/${b.id}` };
    if (b.objections > 0 && b.acts.includes('withdraw')) {
      lines.push({
        ...base,
        when: 'today',
        mark: 'waiting',
        sentence: message('reports.batchHasObjections', { number: b.number, n: b.objections }),
        detail: asIs(b.what),
        act: message('reports.act.answer'),
      });
    } else if (b.acts.includes('approve')) {
      lines.push({
        ...base,
        when: b.late ? 'late' : 'today',
        mark: 'due',
        sentence: message('reports.batchWaitsYourDecision', { number: b.number, what: b.what }),
        detail: b.gates[1]!.words,
        act: message('reports.act.decide'),
      });
    } else if (b.acts.includes('execute')) {
      lines.push({
        ...base,
        when: 'today',
        mark: 'due',
        sentence: message('reports.batchApprovedWaitsExecuted', { number: b.number }),
        detail: asIs(b.what),
        act: message('reports.act.execute'),
      });
    } else if (b.acts.includes('confirm')) {
      lines.push({
        ...base,
        when: 'week',
        mark: 'physical',
        sentence: message('reports.waitForHand', { n: b.tasks, action: b.action }),
        detail: asIs(`${b.number}, ${b.what}`),
        act: message('reports.act.confirm'),
      });
    } else if (b.acts.includes('announce')) {
      lines.push({
        ...base,
        when: 'week',
        mark: 'due',
        sentence: message('reports.batchProposedNotAnnounced', { number: b.number }),
        detail: asIs(b.what),
        act: message('reports.act.announce'),
      });
    }
  }
  for (const n of notices) {
    lines.push({
      key: `notice ${n.id}`,
      when: 'today',
      mark: 'held',
      sentence: message('reports.youCustodianHaveNot', { matter: n.matter }),
      detail: message('reports.sent', { on: { day: n.notified_on } }),
      act: message('reports.act.acknowledge'),
      link: `/holds/${n.id}`,
    });
  }
  for (const h of late) {
    lines.push({
      key: `custodians ${h.id}`,
      when: 'today',
      mark: 'held',
      sentence: message('reports.notAcknowledged', { n: h.waiting, matter: h.matter }),
      detail: message('reports.reminded', { n: h.reminders }),
      act: message('reports.act.remind'),
      link: `/holds/${h.id}`,
    });
  }
  if (raises.n > 0) {
    lines.push({
      key: 'raises',
      when: 'today',
      mark: 'waiting',
      sentence: message('reports.askForAccess', { n: raises.n }),
      detail: message('reports.since', { since: { day: raises.since ?? person.today } }),
      act: message('reports.act.decide'),
      link: '/access/asked',
    });
  }
  if (reviews.n > 0) {
    lines.push({
      key: 'reviews',
      when: 'today',
      mark: 'waiting',
      sentence: message('reports.reviewWaits', { n: reviews.n }),
      detail: message('reports.reviewDue', { due: { day: reviews.due! } }),
      act: message('reports.act.look'),
      link: `/access/reviews/${reviews.id!}`,
    });
  }
  if (mail.n > 0) {
    lines.push({
      key: 'mail',
      when: 'today',
      mark: 'waiting',
      sentence: message('reports.mailNotArrived', { n: mail.n }),
      detail: message('reports.since', { since: { day: mail.since ?? person.today } }),
      act: message('reports.act.look'),
      link: '/setup/mail',
    });
  }
  for (const { kind, n, since } of asked) {
    lines.push({
      key: `asked ${kind}`,
      when: 'today',
      mark: 'waiting',
      sentence: kind === 'review' ? message('reports.waitForReview', { n }) : message('reports.rulesAsk', { n }),
      detail: message('reports.since', { since: { day: since } }),
      act: message(kind === 'review' ? 'reports.act.review' : 'reports.act.answer'),
      link: '/questions',
    });
  }
  const proposable = groups.filter((x) => x.mayPropose).sort((a, b) => b.count - a.count);
  for (const g of proposable.slice(0, mostGroups)) {
    lines.push({
      key: `due ${g.key}`,
      when: 'today',
      mark: g.medium === 'physical' ? 'physical' : 'due',
      sentence: message('reports.dueNotInBatch', { n: g.count, series: g.seriesCode, title: g.seriesTitle }),
      detail: message('reports.ofYears', { years: vintageWords(g.vintages), held: g.held }),
      act: message('reports.act.propose'),
      link: `/docket?propose=${encodeURIComponent(g.key)}`,
    });
  }
  if (proposable.length > mostGroups) {
    const rest = proposable.slice(mostGroups);
    const records = rest.reduce((sum, g) => sum + g.count, 0);
    lines.push({
      key: 'due others',
      when: 'week',
      mark: 'due',
      sentence: message('reports.dueAsWell', { n: rest.length }),
      detail: message('reports.records', { n: records }),
      act: message('reports.act.seeThem'),
      link: '/docket',
    });
  }
  if (arrivals > 0) {
    lines.push({
      key: 'arrivals',
      when: 'week',
      mark: 'gap',
      sentence: message('reports.arrivedNotFiled', { n: arrivals }),
      detail: asIs(''),
      act: message('reports.act.file'),
      link: '/receiving',
    });
  }
  if (gaps.records > 0) {
    lines.push({
      key: 'unscheduled',
      when: 'later',
      mark: 'unscheduled',
      sentence: message('reports.noRule', { n: gaps.records, series: gaps.series }),
      detail: message('reports.keptWithoutEndUntil'),
      act: message('reports.act.seeWhich'),
      link: '/find?show=unscheduled',
    });
  }
  if (unread > 0) {
    lines.push({
      key: 'unread',
      when: 'later',
      mark: 'gap',
      sentence: message('reports.unread', { n: unread }),
      detail: message('reports.whyUnread'),
      act: message('reports.act.seeWhich'),
      link: '/setup/detectors',
    });
  }
  if (verification) {
    lines.push({
      key: 'verify',
      when: 'week',
      mark: 'waiting',
      sentence: message('reports.verifyLedger'),
      detail: verification.last ? message('reports.verifiedLast', { on: { day: verification.last } }) : message('reports.neverVerified'),
      act: message('reports.act.verify'),
      link: '/proof',
    });
  }
  if (trouble?.behind) {
    lines.unshift({
      key: 'copies',
      when: 'today',
      mark: 'gap',
      sentence: message('reports.objectStoreBehindContents'),
      detail: message('reports.whoeverRunsServerFinds'),
      act: message('reports.act.look'),
      link: '/proof',
    });
  }
  if (trouble && trouble.damaged > 0) {
    lines.unshift({
      key: 'damaged',
      when: 'late',
      mark: 'gap',
      sentence: message('reports.damagedSetApart', { n: trouble.damaged }),
      detail: asIs(trouble.first),
      act: message('reports.act.look'),
      link: '/proof',
    });
  }
  const order = ['late', 'today', 'week', 'later'];
  return lines.sort((a, b) => order.indexOf(a.when) - order.indexOf(b.when));
}

/** Months from that of a day on, and the first that is not one of them. */
function monthsFrom(today: string, n: number): { months: string[]; end: string } {
  const [year, month] = today.split('-').map(Number) as [number, number];
  const all = Array.from({ length: n + 1 }, (_, i) => {
    const index = year * 12 + month - 1 + i;
    return `${Math.floor(index / 12)}-${String((index % 12) + 1).padStart(2, '0')}`;
  });
  return { months: all.slice(0, n), end: all[n]! };
}

/** Disposals of the coming months, of what a person may discover; what is overdue counts in the first. */
async function horizonFor({ pool }: Services, access: PersonAccess, today: string): Promise<HorizonBar[]> {
  const { months, end } = monthsFrom(today, horizonMonths);
  const bars = new Map(months.map((month) => [month, { month, destroy: 0, transfer: 0, held: 0 }]));
  for (const { month, action, n, held } of await coming(pool, access.sets('discover'), access.known, `${end}-01`)) {
    const bar = bars.get(month.slice(0, 7)) ?? bars.get(months[0]!)!;
    bar[action] += n - held;
    bar.held += held;
  }
  return [...bars.values()];
}

/** Whoever has one of these has a part in what is disposed of, or looks after how it is done. */
const takingPart = ['dispose', 'approve', 'hold', 'audit'] as const;
const mostSeen = 12;

const toSeen = ({ at, ...record }: Awaited<ReturnType<typeof store.seenLast>>[number]): RecordSeen => ({ ...record, at: at.toISOString() });

export async function todayPage(services: Services, person: SignedIn) {
  const access = await services.access.of(person);
  const sets = access.sets('discover');
  const { pool } = services;
  if (!takingPart.some((right) => hasRight(access.anywhere, right))) {
    const own = { discover: sets, own: access.ownSets('discover') };
    const [lines, recent, sentIn] = await Promise.all([
      todayFor(services, person),
      store.seenLast(pool, person.id, null, own, mostSeen),
      hasRight(access.anywhere, 'deposit') ? store.seenLast(pool, person.id, ['filed', 'described a physical item'], own, mostSeen) : [],
    ]);
    return {
      name: person.name,
      lines,
      horizon: null,
      watch: null,
      firstSteps: null,
      recent: recent.map(toSeen),
      sentIn: sentIn.map(toSeen),
    };
  }
  const [lines, horizon, watch, steps] = await Promise.all([
    todayFor(services, person),
    horizonFor(services, access, person.today),
    isAuditor(pool, access).then((auditor) => (auditor ? watchedActs(pool) : null)),
    firstSteps(services, person, access),
  ]);
  return {
    name: person.name,
    lines,
    horizon,
    recent: [],
    sentIn: [],
    firstSteps: steps,
    watch,
  };
}

/** How much needs a person, by area: what the spine says beside them. */
export async function needsOf(services: Services, person: SignedIn): Promise<Needs> {
  const access = await services.access.of(person);
  const lines = await todayFor(services, person);
  const count = (path: string): number => lines.filter((line) => line.link.startsWith(path)).length;
  return {
    receiving: hasRight(access.anywhere, 'deposit') ? await countArrivals(services, person) : 0,
    holds: count('/holds'),
    docket: count('/docket'),
    today: lines.length,
  };
}
