import type { Services as Kernel } from '../kernel/index.js';
import type { EffectThreads } from './effectThreads.js';
import type { RuleBooks } from './ruleBook.js';

/** What the schedule, and every area above it, is given. */
export interface Services extends Kernel {
  readonly rules: RuleBooks;
  /** Works out what changes to the schedule would do. */
  readonly effects: EffectThreads;
}
