import type { DueGroup } from '@key-cellar/contract';
import type { SignedIn } from '../kernel/index.js';
import type { Services } from './services.js';
import * as dueStore from './dueStore.js';

/** A due group in one word, as the wire names it. */
export function groupKey(g: Pick<dueStore.GroupRow, 'series_id' | 'rule_version_id' | 'action' | 'medium'>): string {
  return [g.series_id, g.rule_version_id ?? '-', g.action, g.medium].join('|');
}

/** What its rule asks for before a group may go; a date set by hand asks for one approval and two weeks. */
export function disposingStep(g: dueStore.GroupRow): { approvals: number; noticeDays: number; approverGroups: string[] } {
  const step = g.steps?.find((s) => s.kind === g.action);
  return { approvals: Math.max(1, step?.approvals ?? 1), noticeDays: step?.noticeDays ?? 14, approverGroups: step?.approverGroups ?? [] };
}

/** What is due and in no batch, as far as the person may discover it. */
export async function dueGroups(services: Services, person: SignedIn): Promise<DueGroup[]> {
  const access = await services.access.of(person);
  const found = await dueStore.dueGroups(services.pool, access.sets('discover'), access.sets('dispose'));
  return found.map((g) => ({
    key: groupKey(g),
    seriesId: g.series_id,
    seriesCode: g.series_code,
    seriesTitle: g.series_title,
    ruleCode: g.rule_code,
    action: g.action,
    medium: g.medium,
    vintages: g.vintages.sort((a, b) => a - b),
    since: g.since,
    count: g.n,
    held: g.held,
    ...disposingStep(g),
    mayPropose: g.disposable > 0 && g.n > 0,
  }));
}

/** The group that a key names; null when it is no key. */
export function groupOfKey(key: string): dueStore.Group | null {
  const [seriesId, version, action, medium, ...rest] = key.split('|');
  const isId = (text: string | undefined): text is string => /^[0-9a-f-]{36}$/.test(text ?? '');
  if (rest.length > 0 || !isId(seriesId) || (version !== '-' && !isId(version))) return null;
  if ((action !== 'destroy' && action !== 'transfer') || (medium !== 'electronic' && medium !== 'physical')) return null;
  return { seriesId, ruleVersionId: version === '-' ? null : version, action, medium };
}

/** Vintages in a row, in any language: "2015", "2015, 2016", "2012–2016". */
export function vintageWords(vintages: readonly number[]): string {
  const years = vintages.filter((v) => v > 0);
  if (years.length === 0) return '';
  if (years.length === 1) return String(years[0]);
  if (years.length === 2) return `${years[0]}, ${years[1]}`;
  return `${years[0]}–${years.at(-1)}`;
}
