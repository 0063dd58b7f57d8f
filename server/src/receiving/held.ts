import { distinctWords, surelyMatches, type Criteria } from '@key-cellar/core/criteria';
import { titleFromFileName } from '@key-cellar/core/records';
import type { ArrivalRow } from './store.js';

/** Whether something that arrived is such that some open hold will cover it, whatever else is said of it when it is filed. */
export function willBeHeld(
  arrival: Pick<ArrivalRow, 'file_name' | 'deposited_by' | 'place_id' | 'places'>,
  scopes: readonly Criteria[],
): boolean {
  const known = {
    words: new Set(distinctWords(titleFromFileName(arrival.file_name), arrival.file_name)),
    depositor: arrival.deposited_by,
    medium: 'electronic',
    // It is meant for a place: then for all that this lies in.
    ...(arrival.place_id === null ? {} : { places: new Set(arrival.places) }),
  };
  return scopes.some((criteria) => surelyMatches(criteria, known));
}
