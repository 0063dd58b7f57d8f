import { refuse, type Refusal } from '../records/index.js';

export type HoldState = 'draft' | 'open' | 'released';

export type HoldAct = { readonly kind: 'place' } | { readonly kind: 'widen' } | { readonly kind: 'release'; readonly reason: string };

/** The state a hold is in after an act, or why the act is refused (3-rules 3.7). */
export function actOnHold(state: HoldState, act: HoldAct): HoldState | Refusal {
  switch (act.kind) {
    case 'place':
      return state === 'draft' ? 'open' : refuse('hold-placed', 'This hold was placed before.');
    case 'widen':
      return state === 'released' ? refuse('hold-released', 'This hold was released. Place a new one.') : state;
    case 'release':
      if (state !== 'open') return refuse('hold-not-open', 'Only an open hold can be released.');
      return act.reason.trim() === '' ? refuse('reason-missing', 'Releasing a hold needs a reason.') : 'released';
  }
}

/** What came of trying to cover one record. */
export type CoverOutcome = 'covered' | 'already covered' | 'gone before the hold';
