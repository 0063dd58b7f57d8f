import { message, type Message } from '@key-cellar/words';
/** Where a record stands. `disposed` leaves a stub. */
export type RecordState = 'working' | 'declared' | 'disposed';

/** A refusal that a person can act on: which rule refused, and who can change that. */
export interface Refusal {
  readonly refused: true;
  readonly code: string;
  readonly sentence: Message;
}

export function refuse(code: string, sentence: Message): Refusal {
  return { refused: true, code, sentence };
}

/** Which parts of a declared record a place freezes (docs/semantics.md 6.1). */
export const frozenParts = ['content', 'facts', 'moving'] as const;
export type FrozenPart = (typeof frozenParts)[number];

export interface RecordStanding {
  readonly state: RecordState;
  readonly holds: number;
  /** True when any covering hold also forbids edits. */
  readonly freeze: boolean;
  readonly frozenWhenDeclared: readonly FrozenPart[];
}

export type RecordAct =
  | { readonly kind: 'change'; readonly part: FrozenPart }
  | { readonly kind: 'declare' }
  | { readonly kind: 'revoke'; readonly reason: string }
  | { readonly kind: 'dispose' };

/** Whether a record's standing allows an act, whoever asks. Null when it does. */
export function refusalFor(act: RecordAct, standing: RecordStanding): Refusal | null {
  if (standing.state === 'disposed') {
    return refuse('record-disposed', message('records.recordDisposed'));
  }
  switch (act.kind) {
    case 'change':
      if (standing.freeze) {
        return refuse('record-frozen', message('records.recordFrozen'));
      }
      return standing.state === 'declared' && standing.frozenWhenDeclared.includes(act.part)
        ? refuse('record-declared', message('records.recordDeclared'))
        : null;
    case 'declare':
      return standing.state === 'declared' ? refuse('already-declared', message('records.alreadyDeclared')) : null;
    case 'revoke':
      if (standing.state !== 'declared') return refuse('not-declared', message('records.notDeclared'));
      if (standing.holds > 0) {
        return refuse('record-held', message('records.recordHeld'));
      }
      return act.reason.trim() === '' ? refuse('reason-missing', message('records.reasonMissing')) : null;
    case 'dispose':
      return standing.holds > 0 ? refuse('record-held', message('records.holdCoversRecordStays')) : null;
  }
}
