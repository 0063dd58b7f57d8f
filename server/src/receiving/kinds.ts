import { message } from '@key-cellar/words';
import type { Kind } from '../kernel/index.js';
import * as store from './store.js';

/** Something that arrived is its depositor’s; besides, it is for the keepers of the place that it is meant for, or of all. */
export const arrivalKind: Kind<store.ArrivalRow> = {
  word: 'arrival',
  what: message('thing.arrival'),
  see: ['dispose'],
  find: (db, ids, lock) => store.findArrivals(db, ids, lock),
  id: (arrival) => arrival.id,
  subject: (arrival) => ({ kind: 'arrival', id: arrival.id, name: arrival.file_name }),
  sets: (arrival) => (arrival.place_set === null ? [] : [arrival.place_set]),
  mine: (arrival, person) => arrival.deposited_by === person.id,
};
