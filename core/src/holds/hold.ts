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
        return refuse('hold-released', 'This hold was released. Place a new one.');
      case 'letOut':
        return refuse('hold-not-open', 'Only an open hold can let records out.');
      case 'release':
        return refuse('hold-not-open', 'Only an open hold can be released.');
      case 'remind':
        return refuse('hold-not-open', 'This hold was released, so nobody needs to be reminded of it.');
    }
  }
  if (act.kind === 'letOut' && act.reason.trim() === '') return refuse('reason-missing', 'Letting records out of a hold needs a reason.');
  if (act.kind === 'release' && act.reason.trim() === '') return refuse('reason-missing', 'Releasing a hold needs a reason.');
  return null;
}
