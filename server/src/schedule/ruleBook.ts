import type { RuleDefinition } from '@key-cellar/contract';
import type { RuleVersion } from '@key-cellar/core/schedule';
import type pg from 'pg';
import { row, type Db } from '../db/index.js';
import * as store from './store.js';

/** All published rules and where they are set, as they stood at one epoch. */
export interface RuleBook {
  readonly versionsOf: (ruleId: string) => readonly RuleVersion[];
  readonly rulesAt: (placeId: string) => readonly string[];
}

/** A published version in the core's shape. */
export function toRuleVersion(v: store.VersionRow): RuleVersion {
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

export async function loadRuleBook(db: Db): Promise<RuleBook> {
  const [versions, set] = await Promise.all([store.allVersions(db), store.placeRules(db)]);
  const byRule = new Map<string, RuleVersion[]>();
  for (const v of versions) byRule.set(v.rule_id, [...(byRule.get(v.rule_id) ?? []), toRuleVersion(v)]);
  const byPlace = new Map<string, string[]>();
  for (const s of set) byPlace.set(s.place_id, [...(byPlace.get(s.place_id) ?? []), s.rule_id]);
  return { versionsOf: (id) => byRule.get(id) ?? [], rulesAt: (id) => byPlace.get(id) ?? [] };
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
      const found = await row<{ value: number }>(db, 'epoch.schedule', `select value from epoch where name = 'schedule'`);
      const epoch = found!.value;
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
