import type { DatesLine, EffectPage, OverrideInput } from '@key-cellar/contract';
import { hasRight } from '@key-cellar/core/access';
import { civilDate, formatCivilDate } from '@key-cellar/core/calendar';
import { effectTally, explain, shortens, standingOf, type Explanation, type Governing, type Override } from '@key-cellar/core/schedule';
import { mayOn } from '../access/index.js';
import { withUnitOfWork, type UnitOfWork } from '../db/index.js';
import type { SignedIn } from '../identity/index.js';
import { notFound, Problem } from '../problem.js';
import type { Services } from '../services.js';
import { withNames } from './effect.js';
import { judge, recompute } from './evaluation.js';
import { requireJurisdictions } from './levels.js';
import { loadRuleBook } from './ruleBook.js';
import * as store from './store.js';

/** What a judgement comes to, in a few words. */
function words(governing: Governing): string {
  switch (governing.kind) {
    case 'unscheduled':
      return 'no rule';
    case 'overrideDate':
      return formatCivilDate(governing.dueOn);
    case 'rule': {
      const { verdict, rule } = governing.by;
      if (verdict.kind === 'permanent') return `kept for good (${rule.code})`;
      if (verdict.kind === 'waiting') return `waiting (${rule.code})`;
      return verdict.dueOn === null ? `no last day (${rule.code})` : `${formatCivilDate(verdict.dueOn)} (${rule.code})`;
    }
  }
}

/**
 * Sets a due date, a rule or jurisdictions on records by hand, or takes a date or rule back. Who may move records may keep them longer; letting go
 * of them sooner than the rules say needs the right to dispose as well. Declared and held records can be overridden:
 * it changes nothing of what they are.
 */
export async function override(
  services: Services,
  person: SignedIn,
  input: { ids: readonly string[]; override: OverrideInput | null; reason: string; dryRun: boolean },
): Promise<{ results: DatesLine[]; effect: EffectPage | null }> {
  const access = await services.access.of(person);
  const ids = [...new Set(input.ids)];
  const act = async (uow: UnitOfWork): Promise<{ results: DatesLine[]; effect: EffectPage | null }> => {
    const book = await loadRuleBook(uow);
    const hand = { reason: input.reason, by: person.name, on: person.today };
    let wanted: Override | null = null;
    const places = input.override?.kind === 'jurisdictions' ? [...new Set(input.override.jurisdictions)] : null;
    if (places) await requireJurisdictions(uow, places);
    else if (input.override?.kind === 'rule') {
      const versions = book.versionsOf(input.override.ruleId);
      if (versions.length === 0) throw new Problem(409, 'not-published', 'This rule was never published, so nothing can follow it yet.');
      wanted = { kind: 'rule', versions, ...hand };
    } else if (input.override?.kind === 'date') {
      wanted = { ...input.override, ...hand };
    }
    const stored = input.override && input.override.kind !== 'jurisdictions' ? { ...input.override, ...hand } : null;
    const locked = (await store.lockForOverride(uow, ids)).filter((r) => mayOn(access, person, r, 'discover'));
    const judged = await judge(uow, locked, book, person.today);
    const elsewhere = places && (await judge(uow, locked.map((r) => ({ ...r, jurisdictions: places })), book, person.today)); // prettier-ignore
    const done: string[] = [];
    const tally = effectTally(civilDate(person.today));
    const lines = judged.map(({ governing, weigh }, i): DatesLine => {
      const r = locked[i]!;
      const after = elsewhere ? elsewhere[i]!.governing : weigh(wanted);
      const rules = elsewhere ? governing : weigh(null);
      const shorter = shortens(after, rules) || (wanted === null && shortens(after, governing));
      const line = { id: r.id, name: `${r.number} ${r.title}`, before: words(governing), after: words(after), shortens: shorter };
      if (r.state === 'disposed') return { ...line, outcome: 'refused', why: 'It was disposed of.' };
      if (!mayOn(access, person, r, 'move'))
        return { ...line, outcome: 'refused', why: 'You may not do that here. A steward or keeper can.' };
      if (shorter && !hasRight(access.on(r.access_set_id).all, 'dispose')) {
        return { ...line, outcome: 'refused', why: 'This lets go of it sooner than before. A keeper can do that.' };
      }
      if (places && [...places].sort().join() === [...r.jurisdictions].sort().join())
        return { ...line, outcome: 'skipped', why: 'It is in these already.' };
      if (!places && wanted === null && r.override === null) return { ...line, outcome: 'skipped', why: 'Nothing is set on it by hand.' };
      done.push(r.id);
      if (input.dryRun) {
        const record = { series: r.series_id, bytes: r.size, held: r.hold_count > 0, inBatch: r.docket === 'batch', id: () => r.id };
        tally.add(record, standingOf(governing), standingOf(after));
      } else {
        uow.enter({
          act: places ? 'set jurisdictions' : wanted ? 'set by hand' : 'let the rules decide',
          subject: { kind: 'record', id: r.id, name: line.name },
          before: places ? r.jurisdictions : r.override,
          after: places ?? stored,
          note: input.reason,
        });
      }
      return { ...line, outcome: 'done', why: shorter ? 'Let go sooner than the rules say.' : 'Done.' };
    });
    if (!input.dryRun) {
      if (places) await store.writeJurisdictions(uow, done, places);
      else await store.writeOverride(uow, done, stored);
      await recompute(uow, done, book, person.today);
    }
    const seen = new Set(lines.map((l) => l.id));
    const effect =
      input.dryRun && done.length > 0
        ? await withNames(uow, tally.result(), await store.chainPlaces(uow, [...new Set(locked.map((r) => r.series_id))]))
        : null;
    const results = [
      ...lines,
      ...ids
        .filter((id) => !seen.has(id))
        .map((id): DatesLine => ({
          id,
          name: 'unknown',
          outcome: 'refused',
          why: 'It does not exist here, or you may not see it.',
          before: '',
          after: '',
          shortens: false,
        })),
    ];
    return { results, effect };
  };
  return withUnitOfWork(services.pool, person, act);
}

/**
 * Which rule was in force for a record on a day: the rules published by then, as they are set today. Where rules were set
 * elsewhere on that day, the ledger says so.
 */
export async function ruleOnDay(services: Services, person: SignedIn, id: string, on: string): Promise<Explanation> {
  const access = await services.access.of(person);
  const found = await store.clockOf(services.pool, id);
  if (!found || !mayOn(access, person, found, 'discover')) throw notFound('This record');
  const book = await services.rules.current(services.pool);
  const [judged] = await judge(services.pool, [found], book, on);
  return explain({ governing: judged!.governing, facts: judged!.facts, holds: [], missing: [] });
}
