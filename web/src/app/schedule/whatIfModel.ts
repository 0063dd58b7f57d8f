import type { EffectPage, RuleDefinition, ScheduleCases } from '@key-cellar/contract';

/** A draft of a rule and when it would count. */
export interface Draft {
  /** Empty for a rule that was never saved. */
  readonly ruleId: string;
  readonly code: string;
  readonly definition: RuleDefinition;
  readonly inForceFrom: string;
  readonly takesOver: 'all' | 'laterClocks';
  readonly today: string;
}

/** What the worker is told: the cases once, then one draft after another. */
export type WhatIfQuestion =
  { readonly kind: 'cases'; readonly given: ScheduleCases } | { readonly kind: 'draft'; readonly id: number; readonly draft: Draft };

export interface WhatIfAnswer {
  readonly id: number;
  readonly effect: EffectPage;
}
