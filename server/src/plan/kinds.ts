import { message } from '@key-cellar/words';
import { ofRepository, type Kind, type RightOn } from '../kernel/index.js';
import * as stencils from './stencilStore.js';
import * as placeStore from './placeStore.js';

/** A place is open to a person who may discover what is in it, or put something there. */
export const placeKind: Kind<placeStore.PlaceRow> = {
  word: 'place',
  what: message('thing.place'),
  see: ['discover', 'deposit'],
  find: (db, ids, lock) => (lock ? placeStore.lockPlaces(db, ids) : placeStore.placesByIds(db, ids)),
  id: (place) => place.id,
  subject: (place) => ({ kind: 'place', id: place.id, name: `${place.code} ${place.title}` }),
  sets: (place) => [place.access_set_id],
};

/** The plan is the keepers'; folders may be changed by those who may move what is in them. */
export const toChange: RightOn<placeStore.PlaceRow> = {
  words: 'move on a folder, dispose on other places',
  may: ['move', 'dispose'],
  of: (_input, place) => (place.kind === 'folder' ? 'move' : 'dispose'),
};

export const stencilKind = ofRepository<stencils.StencilRow>({
  word: 'stencil',
  what: message('thing.stencil'),
  subject: (stencil) => ({ kind: 'stencil', id: stencil.id, name: stencil.title }),
  find: (db, id, lock) => (lock ? stencils.lockStencil(db, id) : stencils.stencilById(db, id)),
});

/** What the ledger calls the making of a place. */
export const madeActs = {
  function: 'made a function',
  activity: 'made an activity',
  series: 'made a series',
  folder: 'made a folder',
} as const;
