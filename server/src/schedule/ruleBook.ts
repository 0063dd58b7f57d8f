import type { RuleDefinition } from '@key-cellar/contract';
import { describeCriteria, type Criteria } from '@key-cellar/core/criteria';
import { widened, type Jurisdiction, type RuleVersion } from '@key-cellar/core/schedule';
import type pg from 'pg';
import type { Db } from '../kernel/index.js';
import * as ruleStore from './ruleStore.js';

/** A rule set by criteria, with its place in the order. */
export interface CriteriaRule {
  readonly id: string;
  readonly ruleId: string;
  readonly criteria: Criteria;
  readonly position: number;
  readonly words: string;
}

/** All published rules and where they are set, as they stood at one epoch; plain data, so that threads can hand it on. */
export interface RuleBookData {
  readonly versions: Readonly<Record<string, readonly RuleVersion[]>>;
  readonly placeRules: readonly { readonly placeId: string; readonly ruleId: string }[];
  readonly pairRules: readonly { readonly recordType: string; readonly seriesId: string; readonly ruleId: string }[];
  readonly criteriaRules: readonly CriteriaRule[];
  readonly jurisdictions: readonly Jurisdiction[];
}

export interface RuleBook {
  readonly data: RuleBookData;
  readonly versionsOf: (ruleId: string) => readonly RuleVersion[];
  /** Throws for a code that no published rule has. */
  readonly idOf: (code: string) => string;
  readonly rulesAt: (placeId: string) => readonly string[];
  readonly rulesForPair: (recordType: string, seriesId: string) => readonly string[];
  /** In priority order. */
  readonly criteriaRules: readonly CriteriaRule[];
  /** Jurisdictions with the wider ones that they are part of. */
  readonly widen: (names: readonly string[]) => readonly string[];
}

/** A published version in the core's shape. */
function toRuleVersion(v: ruleStore.VersionRow): RuleVersion {
  const definition: RuleDefinition = v.definition;
  return {
    ...definition,
    id: v.id,
    code: v.code,
    version: v.version,
    inForceFrom: v.in_force_from,
    takesOver: v.takes_over,
  };
}

function grouped<T>(items: readonly T[], key: (item: T) => string, value: (item: T) => string): Map<string, string[]> {
  const groups = new Map<string, string[]>();
  for (const item of items) {
    const group = groups.get(key(item));
    if (group) group.push(value(item));
    else groups.set(key(item), [value(item)]);
  }
  return groups;
}

/** The book over its data. */
export function ruleBookOf(data: RuleBookData): RuleBook {
  const byPlace = grouped(
    data.placeRules,
    (s) => s.placeId,
    (s) => s.ruleId,
  );
  const byPair = grouped(
    data.pairRules,
    (s) => `${s.recordType} ${s.seriesId}`,
    (s) => s.ruleId,
  );
  return {
    data,
    versionsOf: (id) => data.versions[id] ?? [],
    idOf: (code) => {
      const found = Object.entries(data.versions).find(([, versions]) => versions[0]?.code === code);
      if (!found) throw new RangeError(`No rule ${code}`);
      return found[0];
    },
    rulesAt: (id) => byPlace.get(id) ?? [],
    rulesForPair: (recordType, seriesId) => byPair.get(`${recordType} ${seriesId}`) ?? [],
    criteriaRules: data.criteriaRules,
    widen: (names) => widened(names, data.jurisdictions),
  };
}

export async function loadRuleBook(db: Db): Promise<RuleBook> {
  const [versions, placeRules, pairRules, criteriaRules, jurisdictions] = await Promise.all([
    ruleStore.allVersions(db),
    ruleStore.placeRules(db),
    ruleStore.pairRules(db),
    ruleStore.criteriaRules(db),
    ruleStore.jurisdictions(db),
  ]);
  const byRule: Record<string, RuleVersion[]> = {};
  for (const v of versions) (byRule[v.rule_id] ??= []).push(toRuleVersion(v));
  return ruleBookOf({
    versions: byRule,
    placeRules: placeRules.map((s) => ({ placeId: s.place_id, ruleId: s.rule_id })),
    pairRules: pairRules.map((s) => ({ recordType: s.record_type, seriesId: s.series_id, ruleId: s.rule_id })),
    criteriaRules: criteriaRules.map((c) => ({
      id: c.id,
      ruleId: c.rule_id,
      criteria: c.criteria,
      position: c.position,
      words: describeCriteria(c.criteria),
    })),
    jurisdictions: jurisdictions.map((j) => ({ name: j.name, partOf: j.part_of })),
  });
}

export interface RuleBooks {
  /** The book as this connection sees it: inside a transaction its own changes count. */
  current(db: Db): Promise<RuleBook>;
}

/** Keeps the newest book; a transaction that changed rules itself must load its own with {@link loadRuleBook}. */
export function ruleBooks(pool: pg.Pool): RuleBooks {
  let kept: { epoch: number; book: Promise<RuleBook> } | null = null;
  return {
    async current(db) {
      const epoch = await ruleStore.scheduleEpoch(db);
      if (!kept || kept.epoch !== epoch) {
        const loading = { epoch, book: loadRuleBook(pool) };
        kept = loading;
        loading.book.catch(() => {
          if (kept === loading) kept = null;
        });
      }
      return kept.book;
    },
  };
}
