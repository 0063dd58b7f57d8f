import { schedule, type DatesLine, type Told } from '@key-cellar/contract';
import { hasRight } from '@key-cellar/core/access';
import { civilDate } from '@key-cellar/core/calendar';
import { effectTally, shortens, standingOf, type Governing, type Override } from '@key-cellar/core/schedule';
import { message, told, type Message } from '@key-cellar/words';
import { actsFor, many, Problem, type Entered } from '../kernel/index.js';
import { datesWords } from './datesWords.js';
import { withNames } from './effect.js';
import { judge, recompute } from './evaluation.js';
import { clockKind } from './kinds.js';
import { requireJurisdictions } from './levels.js';
import { loadRuleBook } from './ruleBook.js';
import type { Services } from './services.js';
import * as clockStore from './clockStore.js';

const { act } = actsFor<Services>();
const acts = ['set an override', 'lifted an override', 'set jurisdictions'] as const;
const blank = { before: told(''), after: told(''), shortens: false };

/** Why a rule that was set by hand would not count; null when it does. */
function withoutEffect(after: Governing): Message | null {
  const yielded = after.yielded.find((y) => y.level === 'override');
  if (!yielded) return null;
  const { code, jurisdictions } = yielded.rule;
  return yielded.reason === 'other jurisdiction'
    ? message('schedule.vain.elsewhere', { rule: code, jurisdictions: { all: jurisdictions } })
    : message('schedule.vain.notInForce', { rule: code });
}

/**
 * Sets a due date, a rule or jurisdictions on records by hand, or takes back all that was. Who may move records may keep
 * them longer; letting go of them sooner than the rules say needs the right to dispose as well. Declared and held records
 * can be overridden: it changes nothing of what they are.
 */
export const override = act(schedule.override, {
  name: acts,
  on: { records: many(clockKind, ({ body }) => body.ids, 'move', { who: message('schedule.stewardKeeperCan') }) },
  repeat: 'same',
  async write(uow, { on: { records: locked }, left, body: input, person, access }) {
    const book = await loadRuleBook(uow);
    const hand = { reason: input.reason, by: person.name, on: person.today };
    let wanted: Override | null = null;
    const places = input.override?.kind === 'jurisdictions' ? [...new Set(input.override.jurisdictions)] : null;
    if (places) await requireJurisdictions(uow, places);
    else if (input.override?.kind === 'rule') {
      const versions = book.versionsOf(input.override.ruleId);
      if (versions.length === 0) throw new Problem(409, 'not-published', message('schedule.notPublished'));
      wanted = { kind: 'rule', versions, ...hand };
    } else if (input.override?.kind === 'date' || input.override?.kind === 'forGood') {
      wanted = { ...input.override, ...hand };
    }
    const stored = input.override && input.override.kind !== 'jurisdictions' ? { ...input.override, ...hand } : null;
    const judged = await judge(uow, locked, book, person.today);
    const changed = input.override === null ? { override: null, jurisdictions: [] } : places ? { jurisdictions: places } : null;
    const elsewhere =
      changed &&
      (await judge(
        uow,
        locked.map((r) => ({ ...r, ...changed })),
        book,
        person.today,
      ));
    const done: string[] = [];
    const entries: Entered[] = [];
    const tally = effectTally(civilDate(person.today));
    const lines = judged.map(({ governing, weigh }, i): Told<DatesLine> => {
      const r = locked[i]!;
      const after = elsewhere ? elsewhere[i]!.governing : weigh(wanted);
      const rules = places ? governing : weigh(null);
      const shorter = shortens(after, rules) || (wanted === null && shortens(after, governing));
      const line = { id: r.id, name: `${r.number} ${r.title}`, before: datesWords(governing), after: datesWords(after), shortens: shorter };
      if (r.state === 'disposed') return { ...line, outcome: 'refused', why: message('docket.disposedBefore') };
      if (shorter && !hasRight(access.on(r.access_set_id).all, 'dispose')) {
        return { ...line, outcome: 'refused', why: message('schedule.shortensRetentionKeeperCan') };
      }
      if (places && [...places].sort().join() === [...r.jurisdictions].sort().join())
        return { ...line, outcome: 'skipped', why: message('schedule.theseAlready') };
      if (input.override === null && r.override === null && r.jurisdictions.length === 0)
        return { ...line, outcome: 'skipped', why: message('schedule.nothingSetOnHand') };
      const vain = wanted?.kind === 'rule' ? withoutEffect(after) : null;
      if (vain !== null) return { ...line, outcome: 'refused', why: message('schedule.wouldChangeNothing', { why: vain }) };
      done.push(r.id);
      if (input.dryRun) {
        const { facts } = judged[i]!;
        const record = {
          series: r.series_id,
          bytes: r.size,
          held: r.hold_count > 0,
          inBatch: r.docket === 'batch',
          workdays: facts.workdays,
          id: () => r.id,
        };
        tally.add(record, standingOf(governing), standingOf(after));
      }
      entries.push({
        act: places ? 'set jurisdictions' : wanted ? 'set an override' : 'lifted an override',
        subject: clockKind.subject(r),
        before: places ? r.jurisdictions : input.override === null ? { override: r.override, jurisdictions: r.jurisdictions } : r.override,
        after: places ?? stored,
        note: input.reason,
      });
      return { ...line, outcome: 'done', why: shorter ? message('schedule.shortensRetention') : message('schedule.done') };
    });
    const results = [...lines, ...left.map((l) => ({ ...l, ...blank }))];
    if (input.dryRun) {
      const series = await clockStore.chainPlaces(uow, [...new Set(locked.map((r) => r.series_id))]);
      return { answer: { results, effect: done.length > 0 ? await withNames(uow, tally.result(), series) : null }, entry: null };
    }
    if (places || input.override === null) await clockStore.writeJurisdictions(uow, done, places ?? []);
    if (!places) await clockStore.writeOverride(uow, done, stored);
    await recompute(uow, done, book, person.today);
    return { answer: { results, effect: null }, entry: done.length === 0 ? null : entries };
  },
});
