import type { RuleDefinition } from '@key-cellar/contract';
import { emptyVocabulary, parseCriteria, type Vocabulary } from '@key-cellar/core/criteria';
import type { FactDefinition } from '@key-cellar/core/records';
import { run, type UnitOfWork } from '@key-cellar/server';
import { functions, recordTypes } from '../plan.js';
import { seeded } from '../random.js';
import type { DemoFolder } from '../records.js';
import {
  calendars,
  eventTypes,
  jurisdictions,
  namedYears,
  rules,
  rulesByCriteria,
  rulesForPairs,
  rulesOnPlaces,
  type DemoRule,
} from '../rules.js';
import { begin } from './scene.js';

function versionsOf(rule: DemoRule): { definition: RuleDefinition; inForceFrom: string; takesOver: 'all' | 'laterClocks' }[] {
  return [
    ...(rule.before ?? []).map((b) => ({
      definition: { ...rule.definition, ...b.definition },
      inForceFrom: b.inForceFrom,
      takesOver: b.takesOver ?? ('all' as const),
    })),
    { definition: rule.definition, inForceFrom: rule.inForceFrom ?? '2003-01-01', takesOver: rule.takesOver ?? 'all' },
  ];
}

export async function addSchedule(
  uow: UnitOfWork,
  personId: ReadonlyMap<string, string>,
  placeId: ReadonlyMap<string, string>,
  folders: readonly DemoFolder[],
): Promise<void> {
  const random = seeded(3);
  const ines = personId.get('ines')!;
  for (const [code, type] of Object.entries(recordTypes)) {
    await run(uow, 'demo.type', 'insert into record_type (code, title, facts) values ($1, $2, $3)', [
      code,
      type.title,
      JSON.stringify(type.facts),
    ]);
    await run(
      uow,
      'demo.typeVersion',
      'insert into record_type_version (code, version, title, facts, published_by, published_at) values ($1, 1, $2, $3, $4, $5)',
      [code, type.title, JSON.stringify(type.facts), ines, `${begin}T09:00:00Z`],
    );
  }
  for (const [i, [name, partOf]] of jurisdictions.entries()) {
    await run(uow, 'demo.jurisdiction', 'insert into jurisdiction (name, part_of, position, calendar) values ($1, $2, $3, $4)', [
      name,
      partOf,
      i,
      calendars[name] ? JSON.stringify(calendars[name]) : null,
    ]);
  }
  await run(uow, 'demo.eventTypes', 'insert into event_type (name) select unnest($1::text[])', [eventTypes]);
  for (const [name, ends] of Object.entries(namedYears)) {
    await run(uow, 'demo.namedYear', 'insert into named_year (name, ends) values ($1, $2)', [name, ends]);
  }
  const ruleIds = new Map<string, string>();
  for (const rule of rules) {
    const ruleId = random.id();
    ruleIds.set(rule.code, ruleId);
    await run(uow, 'demo.rule', 'insert into rule (id, code, draft, draft_by, draft_at) values ($1, $2, $3, $4, $5)', [
      ruleId,
      rule.code,
      ...(rule.draft
        ? [JSON.stringify({ ...rule.definition, ...rule.draft }), personId.get('tomas')!, '2026-09-10T14:20:00Z']
        : [null, null, null]),
    ]);
    for (const [i, version] of versionsOf(rule).entries()) {
      await run(
        uow,
        'demo.ruleVersion',
        `insert into rule_version (id, rule_id, version, definition, in_force_from, takes_over, published_by, published_at) values ($1, $2, $3, $4, $5, $6, $7, $8)`,
        [
          random.id(),
          ruleId,
          i + 1,
          JSON.stringify(version.definition),
          version.inForceFrom,
          version.takesOver,
          ines,
          `${version.inForceFrom}T09:00:00Z`,
        ],
      );
    }
    for (const series of functions.flatMap((f) => f.activities.flatMap((a) => a.series))) {
      if (series.rules.includes(rule.code)) {
        await setRuleOn(uow, placeId.get(series.code)!, ruleId);
      }
    }
  }
  for (const { rule, node, folder } of rulesOnPlaces) {
    const inside = folder && folders.find((f) => f.seriesCode === folder[0] && f.code === folder[1]);
    await setRuleOn(uow, inside?.id ?? placeId.get(node!)!, ruleIds.get(rule)!);
  }
  for (const { rule, recordType, series } of rulesForPairs) {
    await run(uow, 'demo.pairRule', 'insert into pair_rule (record_type, series_id, rule_id) values ($1, $2, $3)', [
      recordType,
      placeId.get(series),
      ruleIds.get(rule),
    ]);
  }
  const vocabulary: Vocabulary = {
    ...emptyVocabulary,
    recordTypes: Object.entries(recordTypes).map(([code, type]) => ({ id: code, name: type.title })),
    facts: Object.values(recordTypes).flatMap((type): readonly FactDefinition[] => type.facts),
    places: [...placeId].map(([code, id]) => ({ id, name: code })),
  };
  for (const [i, { rule, criteria, note }] of rulesByCriteria.entries()) {
    const parsed = parseCriteria(criteria, vocabulary);
    if (!parsed.ok) throw new Error(`${criteria}: ${parsed.error.sentence.say}`);
    await run(uow, 'demo.criteriaRule', 'insert into criteria_rule (id, rule_id, criteria, note, position) values ($1, $2, $3, $4, $5)', [
      random.id(),
      ruleIds.get(rule),
      JSON.stringify(parsed.criteria),
      note,
      i + 1,
    ]);
  }
}

async function setRuleOn(uow: UnitOfWork, placeId: string, ruleId: string): Promise<void> {
  await run(uow, 'demo.placeRule', 'insert into place_rule (place_id, rule_id) values ($1, $2)', [placeId, ruleId]);
}

export async function addEvents(uow: UnitOfWork, folders: readonly DemoFolder[], by: string): Promise<void> {
  const random = seeded(4);
  for (const folder of folders) {
    for (const event of folder.events) {
      await run(
        uow,
        'demo.event',
        'insert into event (id, type, happened_on, place_id, recorded_by, recorded_at) values ($1, $2, $3, $4, $5, $6)',
        [random.id(), event.type, event.on, folder.id, by, `${event.on}T10:00:00Z`],
      );
    }
  }
}
