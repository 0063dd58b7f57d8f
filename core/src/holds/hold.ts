import { message } from '@key-cellar/words';
import { refuse, type Refusal } from '../records/index.js';

export const holdStates = ['open', 'released'] as const;
export type HoldState = (typeof holdStates)[number];

/** What can be done to a hold that was placed. Reasons are what a person gave; they may be empty. */
export type HoldAct =
  | { readonly kind: 'widen' }
  | { readonly kind: 'letOut'; readonly reason: string }
  | { readonly kind: 'release'; readonly reason: string }
  | { readonly kind: 'remind' };

/**
 * Why an act on a hold is refused; null when it may be done.
 *
 *     holdRefusal('released', { kind: 'widen' })?.code   // 'hold-released'
 */
export function holdRefusal(state: HoldState, act: HoldAct): Refusal | null {
  if (state === 'released') {
    switch (act.kind) {
      case 'widen':
        return refuse('hold-released', message('holds.holdReleased'));
      case 'letOut':
        return refuse('hold-not-open', message('holds.holdNotOpen'));
      case 'release':
        return refuse('hold-not-open', message('holds.onlyOpenHoldCan'));
      case 'remind':
        return refuse('hold-not-open', message('holds.holdReleasedNobodyNeeds'));
    }
  }
  if (act.kind === 'letOut' && act.reason.trim() === '') return refuse('reason-missing', message('holds.reasonMissing'));
  if (act.kind === 'release' && act.reason.trim() === '') return refuse('reason-missing', message('holds.releasingHoldNeedsReason'));
  return null;
}
