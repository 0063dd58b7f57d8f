import type { RecordLine } from '@key-cellar/contract';
import type { Life } from '../kit/lifeline';

/** What a list knows of a record's life. */
export function lifeOf(r: RecordLine): Life {
  return {
    created: r.createdOn,
    filed: r.filedOn,
    declared: r.declaredOn,
    clockStart: r.clockStart,
    due: r.dueOn,
    permanent: r.outcome === 'permanent',
    disposed: r.disposedOn,
    steps: r.dueOn && r.action ? [{ kind: r.action, on: r.dueOn }] : [],
    holds: r.heldSince ? [{ name: $localize`held`, from: r.heldSince, until: null }] : [],
  };
}
