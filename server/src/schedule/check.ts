import type { Finding, Told } from '@key-cellar/contract';
import { civilDate } from '@key-cellar/core/calendar';
import { clausesOf } from '@key-cellar/core/criteria';
import { byForce, checkSchedule, type ScheduleFinding, type ScheduleUnderCheck } from '@key-cellar/core/schedule';
import { type SignedIn, visibleSql } from '../kernel/index.js';
import { mayNameDetectors, recordsUnread } from '../criteria/index.js';
import type { Services } from './services.js';
import * as levels from './levelsStore.js';
import * as checkStore from './checkStore.js';
import * as ruleStore from './ruleStore.js';

function linkOf({ mend, kind }: ScheduleFinding): string {
  switch (mend.at) {
    case 'place':
      return `/plan/${mend.id}`;
    case 'rule':
      return `/schedule/${mend.id}`;
    case 'criteria':
      return '/schedule/criteria';
    case 'jurisdiction':
      return '/schedule/jurisdictions';
    case 'detectors':
      return '/setup/detectors';
    case 'records':
      return kind === 'typeWithoutRule' ? `/find?show=unscheduled&type=${encodeURIComponent(mend.id)}` : '/find';
  }
}

/** What is not right with the schedule, seen with the eyes of one person. */
export async function checkOfSchedule(services: Services, person: SignedIn): Promise<Told<Finding>[]> {
  const { pool } = services;
  const access = await services.access.of(person);
  const sets = access.sets('discover');
  const today = civilDate(person.today);
  const [book, rules, places, types, uses, unscheduled, waiting, conflicts, unread] = await Promise.all([
    services.rules.current(pool),
    ruleStore.rules(pool),
    checkStore.placesUnderCheck(pool, sets),
    checkStore.typesUnderCheck(pool),
    ruleStore.recordsByVersion(pool, sets),
    checkStore.unscheduledByType(pool, sets),
    checkStore.waitingByType(pool, sets),
    checkStore.conflicts(pool, sets),
    mayNameDetectors(access) ? recordsUnread(pool, sets) : 0,
  ]);
  const used = new Map(uses.map((u) => [u.rule_id, u.n]));
  const matched = await Promise.all(
    book.criteriaRules.map((c) => levels.countMatching(pool, c.criteria, (bind) => visibleSql(access, person, 'discover', bind))),
  );
  const ruleOfVersion = new Map(
    Object.entries(book.data.versions).flatMap(([ruleId, versions]) => versions.map((v) => [v.id, ruleId] as const)),
  );
  const under: ScheduleUnderCheck = {
    rules: rules.flatMap(({ id }) => {
      const version = byForce(book.versionsOf(id)).find((v) => civilDate(v.inForceFrom) <= today);
      return version ? [{ id, version, governs: used.get(id) ?? 0 }] : [];
    }),
    places: places.map((p) => ({ id: p.id, kind: p.kind, code: p.code, path: p.ancestors })),
    placeRules: book.data.placeRules,
    pairRules: book.data.pairRules,
    criteriaRules: book.criteriaRules.map((c, i) => ({
      ...c,
      matches: matched[i]!,
      detects: clausesOf(c.criteria).some(({ op }) => op === 'detected'),
    })),
    types,
    jurisdictions: book.data.jurisdictions,
    calendars: Object.keys(book.data.calendars),
    today: person.today,
    unread,
    conflicts: conflicts.flatMap((c) => {
      const capId = ruleOfVersion.get(c.conflict_with);
      const ruleId = c.rule_version_id === null ? null : (ruleOfVersion.get(c.rule_version_id) ?? null);
      return capId ? [{ ruleId, capId, records: c.n }] : [];
    }),
    unscheduled: unscheduled.map((u) => ({ seriesId: u.series_id, recordType: u.record_type, records: u.n })),
    waiting: waiting.flatMap((w) => {
      const ruleId = ruleOfVersion.get(w.rule_version_id);
      return ruleId ? [{ ruleId, recordType: w.record_type, records: w.n }] : [];
    }),
  };
  return checkSchedule(under).map((f) => ({ kind: f.kind, sentence: f.sentence, records: f.records, link: linkOf(f) }));
}
